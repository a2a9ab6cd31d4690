"""A film's camera as a tour over the Earth (OGC KML 2.3), out and in."""

from __future__ import annotations

import io
import math
import zipfile
from xml.etree.ElementTree import Element, ParseError
from xml.sax.saxutils import escape

import defusedxml
from defusedxml import ElementTree

from yaila.core.camera import Pose
from yaila.core.camera.pose import FILM_BACK, MAX_TILT
from yaila.core.errors import BadRender, BadTrack
from yaila.core.film import Choreography, Film, choreograph
from yaila.core.film.followed import Flight, Given
from yaila.core.ground.mercator import lonlat_of, mercator_of, stretch_at
from yaila.core.time import Time

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
    try:
        if data[:2] == b"PK":
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                inner = next(name for name in archive.namelist() if name.lower().endswith(".kml"))
                if archive.getinfo(inner).file_size > MOST_BYTES:
                    raise BadTrack(f"“{file}” grows beyond {MOST_BYTES // 1_000_000} MB. Give it out smaller.")
                data = archive.read(inner)
        root = ElementTree.fromstring(data)
    except (ParseError, defusedxml.DefusedXmlException, zipfile.BadZipFile, StopIteration, RuntimeError) as error:
        raise BadTrack(f"“{file}” is no KML that can be read ({error}).") from error
    return [_tour(one, file) for one in root.iter() if _tag(one) == "Tour"]


MOST_BYTES = 200_000_000


def _tag(element: Element) -> str:
    """A name without its namespace: tours had one of their own before KML 2.3."""
    return element.tag.rpartition("}")[2]


def _child(element: Element, name: str) -> Element | None:
    return next((one for one in element if _tag(one) == name), None)


def _number(element: Element, name: str, otherwise: float = 0.0) -> float:
    found = _child(element, name)
    value = float(found.text or "nan") if found is not None else otherwise
    if not math.isfinite(value):
        raise ValueError(f"{name} is no number")
    return value


def _tour(tour: Element, file: str) -> Flight:
    named, playlist = _child(tour, "name"), _child(tour, "Playlist")
    name = ((named.text if named is not None else "") or "Tour").strip()[:120] or "Tour"
    samples: list[Given] = []
    clock, flat = 0.0, False
    try:
        for step in playlist if playlist is not None else ():
            if _tag(step) == "Wait" and samples:
                rest = max(_number(step, "duration"), 0.0)
                last = samples[-1]
                samples[-1] = Given(last.seconds, last.pose, True, last.rests + rest)
                clock += rest
            elif _tag(step) == "FlyTo":
                # The way to the first view comes from wherever one was before.
                clock += max(_number(step, "duration"), 0.0) if samples else 0.0
                mode = _child(step, "flyToMode")
                pose, cut = _pose(step, samples[-1].pose if samples else None)
                flat |= cut
                samples.append(Given(clock, pose, mode is None or mode.text != "smooth"))
            if len(samples) > MOST_VIEWS:
                raise ValueError(f"it has over {MOST_VIEWS:,} views")
    except ValueError as error:
        raise BadTrack(f"The tour “{name}” in “{file}” cannot be followed: {error}.") from error
    if len(samples) < 2:
        raise BadTrack(f"The tour “{name}” in “{file}” has fewer than two views, so there is no way to fly.")
    notes = (f"Where “{name}” looks at the horizon the camera looks down a little more.",) if flat else ()
    return Flight(name, tuple(samples), notes)


def _pose(step: Element, before: Pose | None) -> tuple[Pose, bool]:
    """Where a step of a tour flies to, and whether it had to look down more than it did."""
    heading_near = before.heading if before else 0.0
    if (at := _child(step, "Camera")) is not None:
        tilt, roll = _number(at, "tilt"), -_number(at, "roll")
        heading = _number(at, "heading")
        x, y = mercator_of(_number(at, "longitude"), _number(at, "latitude"))
        seen = min(max(tilt, 0.0), MAX_TILT)
        height = max(_number(at, "altitude"), 1.0)
        # A metre is as long as it is where one looks.
        away = 0.0
        for _ in range(3):
            tall = height * stretch_at(y + away * math.cos(math.radians(heading)))
            away = tall * math.tan(math.radians(seen))
        x += away * math.sin(math.radians(heading))
        y += away * math.cos(math.radians(heading))
        span = tall / math.cos(math.radians(seen)) * FILM_BACK / FOCAL
    elif (at := _child(step, "LookAt")) is not None:
        tilt, roll, heading = _number(at, "tilt"), 0.0, _number(at, "heading")
        x, y = mercator_of(_number(at, "longitude"), _number(at, "latitude"))
        seen = min(max(tilt, 0.0), MAX_TILT)
        span = max(_number(at, "range", 1000.0), 1.0) * stretch_at(y) * FILM_BACK / FOCAL
    else:
        raise ValueError("a view says neither where the camera is nor what it looks at")
    heading += 360 * round((heading_near - heading) / 360)
    return Pose(x, y, span, seen, heading, roll, FOCAL), tilt > MAX_TILT + 1e-6
