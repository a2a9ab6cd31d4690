"""A film's words in time (W3C WebVTT), its timeline (OpenTimelineIO), and its camera as a tour (OGC KML 2.3)."""

from __future__ import annotations

from xml.sax.saxutils import escape

import opentimelineio as otio

from yaila.core.errors import BadRender
from yaila.core.film import Choreography, Film, choreograph
from yaila.core.ground.mercator import lonlat_of, stretch_at
from yaila.core.time import Time

TOUR_STEP = 0.2
"""Seconds from one view of a tour to the next."""


def vtt_text(film: Film) -> str:
    """When each label is read, as the text of a ``.vtt`` file."""
    choreography = choreograph(film)
    cues = []
    for label in film.labels:
        shown = choreography.timeline.ranges[label.id]
        start, end = max(shown.start.frames, 0.0), min(shown.end.frames, float(choreography.frames))
        if end > start and label.text.strip():
            cues.append((start, end, label.text))
    lines = ["WEBVTT", "", f"NOTE {' '.join(film.name.split())}", ""]
    for start, end, text in sorted(cues):
        # An empty line would end the cue.
        words = "\n".join(line for line in escape(text).splitlines() if line.strip())
        lines += [f"{_clock(film, start)} --> {_clock(film, end)}", words, ""]
    return "\n".join(lines)


def _clock(film: Film, frames: float) -> str:
    milliseconds = round(frames / float(film.fps.value) * 1000)
    seconds, rest = divmod(milliseconds, 1000)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}.{rest:03d}"


def otio_text(film: Film, media: str = "") -> str:
    """The film as a timeline: a clip of it, with a marker where the camera arrives and where each mark comes."""
    choreography = choreograph(film)
    rate = float(film.fps.value)
    timeline = otio.schema.Timeline(name=film.name, global_start_time=otio.opentime.RationalTime(0, rate))
    whole = _range(0, choreography.frames, rate)
    reference = (
        otio.schema.ExternalReference(target_url=media, available_range=whole)
        if media
        else otio.schema.MissingReference(available_range=whole)
    )
    clip = otio.schema.Clip(name=film.name, media_reference=reference, source_range=whole)
    colours = otio.schema.MarkerColor
    for leg, vantage in zip(choreography.legs, film.vantages, strict=True):
        name = vantage.name or "Vantage"
        clip.markers.append(_marker(name, leg.start, leg.hold, rate, colours.RED, "vantage"))
    for mark in film.timed:
        shown = choreography.timeline.ranges.get(mark.id)
        if shown is None:
            continue
        start, end = round(max(shown.start.frames, 0)), round(min(shown.end.frames, choreography.frames))
        if end > start:
            clip.markers.append(_marker(mark.name, start, end - start, rate, colours.CYAN, type(mark).__name__.lower()))
    track = otio.schema.Track(name="Film", kind=otio.schema.TrackKind.Video)
    track.append(clip)
    timeline.tracks.append(track)
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def _range(start: int, frames: int, rate: float) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(frames, rate))


def _marker(name: str, start: int, frames: int, rate: float, colour: str, kind: str) -> otio.schema.Marker:
    return otio.schema.Marker(
        name=name, marked_range=_range(start, frames, rate), color=colour, metadata={"yaila": {"kind": kind}}
    )


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
