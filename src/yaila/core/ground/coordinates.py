"""Latitude and longitude as people write them: decimal degrees, degrees with minutes and seconds, letters of the
compass before or after, and ``geo:`` addresses (RFC 5870)."""

from __future__ import annotations

import re

_NUMBER = r"\d+(?:[.,]\d+)?"
_ANGLE = re.compile(
    rf"""\s*(?P<before>[NSEWO])?\s*(?P<sign>[-+−])?\s*(?P<degrees>{_NUMBER})\s*(?:[°ºd]|deg(?:rees)?)?\s*
    (?:(?P<minutes>{_NUMBER})\s*(?:['′’m]|min)\s*(?:(?P<seconds>{_NUMBER})\s*(?:["″”s]|''|sec)?)?)?\s*
    (?P<after>[NSEWO])?\s*""",
    re.VERBOSE | re.IGNORECASE,
)
_BARE = re.compile(rf"[-+−]?{_NUMBER}")
_GEO = re.compile(r"geo:(?P<lat>-?\d+(?:\.\d+)?),(?P<lon>-?\d+(?:\.\d+)?)(?:,-?\d+(?:\.\d+)?)?(?:;.*)?", re.IGNORECASE)


def angle(text: str) -> tuple[float, str]:
    """An angle in degrees, and the axis that its letter names: "lat", "lon", or none ("").

    Raises:
        ValueError: it is none, or has minutes or seconds of 60 and more.
    """
    match = _ANGLE.fullmatch(text)
    if not match:
        raise ValueError(f"“{text}” is no angle.")
    degrees, minutes, seconds = (_number(match[part]) for part in ("degrees", "minutes", "seconds"))
    if minutes >= 60 or seconds >= 60:
        raise ValueError(f"“{text}” has 60 minutes or seconds, or more.")
    letter = (match["before"] or match["after"] or "").upper()
    if match["before"] and match["after"]:
        raise ValueError(f"“{text}” has two letters of the compass.")
    value = degrees + minutes / 60 + seconds / 3600
    negative = (match["sign"] in ("-", "−")) != (letter in ("S", "W"))
    axis = {"N": "lat", "S": "lat", "E": "lon", "W": "lon", "O": "lon"}.get(letter, "")
    return (-value if negative else value), axis


def place(text: str) -> tuple[float, float] | None:
    """Latitude and longitude in degrees of a place written in one text; none if it is no coordinates.

    Without letters of the compass latitude comes first. O, for east in some languages and west in others, is east.
    """
    text = text.strip()
    if match := _GEO.fullmatch(text):
        return _on_earth(float(match["lat"]), float(match["lon"]))
    for halves in _halves(text):
        try:
            (first, one), (second, other) = (angle(half) for half in halves)
        except ValueError:
            continue
        if one and one == other:
            continue
        lat, lon = (second, first) if one == "lon" or other == "lat" else (first, second)
        if found := _on_earth(lat, lon):
            return found
    return None


def _halves(text: str) -> list[tuple[str, str]]:
    """Ways to cut a text in two: at a comma or a semicolon if there is one of it, else at any gap."""
    for mark in (";", ", ", ","):
        if text.count(mark) == 1:
            first, _, second = text.partition(mark)
            return [(first, second)]
    gaps = [match.start() for match in re.finditer(r"\s+|(?<=[NSEWO])(?=\d)", text, re.IGNORECASE)]
    halves = [(text[:at], text[at:]) for at in gaps]
    # Two bare numbers are two angles, not degrees and minutes.
    return [(a, b) for a, b in halves if _BARE.fullmatch(a.strip()) and _BARE.fullmatch(b.strip())] or halves


def _number(text: str | None) -> float:
    return float(text.replace(",", ".")) if text else 0.0


def _on_earth(lat: float, lon: float) -> tuple[float, float] | None:
    return (lat, lon) if abs(lat) <= 90 and abs(lon) <= 180 else None
