"""A film's camera as a tour over the Earth (OGC KML 2.3), out and in."""

from __future__ import annotations

import math
from xml.etree.ElementTree import Element
from xml.sax.saxutils import escape

from yaila.core.camera import Pose
from yaila.core.camera.pose import FILM_BACK, MAX_TILT
from yaila.core.errors import BadRender, BadTrack
from yaila.core.film import Choreography, Film, choreograph
from yaila.core.film.followed import HORIZON, Flight, Given, standing
from yaila.core.ground.mercator import lonlat_of, mercator_of, stretch_at
from yaila.core.time import Time
from yaila.formats.markup import kml_root, tag_of, text_of

TOUR_STEP = 0.2
"""Seconds from one view of a tour to the next."""


def tour_text(film: Film) -> str:
    """The camera as a tour.

    Raises:
        BadRender: the ground is not georeferenced, or there is no camera.
    """
    choreography = choreograph(film)
    if film.ground.kind != "mercator":
        raise BadRender("A tour needs a georeferenced ground. Give two places their latitude and longitude in Fit.")
    if not choreography.frames:
        raise BadRender("The film has no vantage yet, so there is no camera to hand over. Add one in Fly.")
    step = max(round(TOUR_STEP * float(film.fps.value)), 1)
    last = choreography.frames - 1
    frames = [*range(0, last, step), last]
    views, before = [], 0
    for frame in frames:
        views.append(_view(choreography, frame, float(film.fps.seconds(frame - before))))
        before = frame
    name = escape(film.name)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<kml xmlns="http://www.opengis.net/kml/2.3" version="2.3">\n'
        f"<Document><name>{name}</name>\n<Tour><name>{name}</name><Playlist>\n"
        + "\n".join(views)
        + "\n</Playlist></Tour></Document></kml>\n"
    )


def _view(choreography: Choreography, frame: int, seconds: float) -> str:
    pose = choreography.pose(Time(frame))
    x, y, height = pose.eye()
    lon, lat = lonlat_of(x, y)
    return (
        f"<FlyTo><duration>{seconds:.3f}</duration><flyToMode>smooth</flyToMode>"
        f"<Camera><longitude>{lon:.7f}</longitude><latitude>{lat:.7f}</latitude>"
        f"<altitude>{height / stretch_at(pose.y):.2f}</altitude><heading>{pose.heading % 360:.4f}</heading>"
        f"<tilt>{pose.tilt:.4f}</tilt><roll>{-pose.roll:.4f}</roll><altitudeMode>absolute</altitudeMode></Camera>"
        "</FlyTo>"
    )


MOST_VIEWS = 20_000

FOCAL = 35.0
"""Tours know no lens: it is this wide, mm on 36 mm."""


def read_tours(data: bytes, file: str) -> list[Flight]:
    """The tours in a KML or KMZ file; none in one that holds only places.

    Raises:
        BadTrack: it is no such file, or a tour in it makes no sense.
    """
    return [_tour(one, file) for one in kml_root(data, file).iter() if tag_of(one) == "Tour"]


def _number(element: Element, name: str, otherwise: float = 0.0) -> float:
    value = float(text_of(element, name) or otherwise)
    if not math.isfinite(value):
        raise ValueError(f"{name} is no number")
    return value


def _tour(tour: Element, file: str) -> Flight:
    name = text_of(tour, "name")[:120] or "Tour"
    given: list[Given] = []
    clock = 0.0
    try:
        for step in (step for playlist in tour if tag_of(playlist) == "Playlist" for step in playlist):
            seconds = max(_number(step, "duration"), 0.0)
            if tag_of(step) == "Wait" and given:
                last = given[-1]
                given[-1] = Given(last.seconds, last.pose, True, last.rests + seconds)
                clock += seconds
            elif tag_of(step) == "FlyTo":
                # The way to the first view comes from wherever one was before.
                clock += seconds if given else 0.0
                pose = _pose(step, given[-1].pose.heading if given else 0.0)
                given.append(Given(clock, pose, text_of(step, "flyToMode") != "smooth"))
            if len(given) > MOST_VIEWS:
                raise ValueError(f"it has over {MOST_VIEWS:,} views")
    except ValueError as error:
        raise BadTrack(f"The tour “{name}” in “{file}” cannot be followed: {error}.") from error
    if len(given) < 2:
        raise BadTrack(f"The tour “{name}” in “{file}” has fewer than two views, so there is no way to fly.")
    flat = any(_number(view, "tilt") > MAX_TILT for view in tour.iter() if tag_of(view) in ("Camera", "LookAt"))
    return Flight(name, tuple(given), (HORIZON.format(name),) if flat else ())


def _pose(step: Element, before: float) -> Pose:
    """Where a step of a tour flies to; its heading is the turn nearest to the one before."""
    view = next((one for one in step if tag_of(one) in ("Camera", "LookAt")), None)
    if view is None:
        raise ValueError("a view says neither where the camera is nor what it looks at")
    tilt, heading = (_number(view, name) for name in ("tilt", "heading"))
    x, y = mercator_of(_number(view, "longitude"), _number(view, "latitude"))
    if tag_of(view) == "LookAt":
        distance = max(_number(view, "range", 1000.0), 1.0) * stretch_at(y)
        heading += 360 * round((before - heading) / 360)
        return Pose(x, y, distance * FILM_BACK / FOCAL, min(max(tilt, 0.0), MAX_TILT), heading, 0.0, FOCAL)
    metres, roll = max(_number(view, "altitude"), 1.0), -_number(view, "roll")
    pose = Pose(x, y, 1.0)
    # A metre is as long as it is where one looks.
    for _ in range(3):
        pose = standing((x, y, metres * stretch_at(pose.y)), heading, tilt, roll, FOCAL, before)
    return pose
