"""A film's words in time (W3C WebVTT), and its timeline (OpenTimelineIO)."""

from __future__ import annotations

from xml.sax.saxutils import escape

import opentimelineio as otio

from yaila.core.film import Film, choreograph


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
