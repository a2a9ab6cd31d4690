"""What others have recorded or planned on the ground: GPX 1.1 tracks, routes and waypoints, KML 2.3 and KMZ lines,
places and outlines, and tables of coordinates. All give longitude and latitude in degrees (WGS 84)."""

from __future__ import annotations

import codecs
import csv
import io
import json
import math
import re
import zlib
from dataclasses import dataclass, field
from typing import Any
from xml.etree.ElementTree import Element
from xml.sax.saxutils import escape

from yaila.core.errors import BadTrack
from yaila.core.ground.coordinates import angle
from yaila.formats.markup import kml_root, root_of, tag_of, text_of

LATITUDES = ("lat", "latitude", "y")
LONGITUDES = ("lon", "lng", "long", "longitude", "x")


@dataclass
class Track:
    """A way: longitude and latitude of its points in degrees, and the names of those that are stops, by place."""

    name: str
    points: list[tuple[float, float]] = field(default_factory=list)
    stops: dict[int, str] = field(default_factory=dict)
    folder: str = ""
    colour: str | None = None


@dataclass
class Spot:
    """A place by its name."""

    name: str
    point: tuple[float, float]
    folder: str = ""
    colour: str | None = None


@dataclass
class Outline:
    """An area by its name: rings, filled by the even-odd rule."""

    name: str
    rings: list[list[tuple[float, float]]]
    folder: str = ""
    colour: str | None = None


@dataclass
class Found:
    """What a file holds, and what is to be said of it."""

    tracks: list[Track] = field(default_factory=list)
    spots: list[Spot] = field(default_factory=list)
    outlines: list[Outline] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


MOST_READ = 1_000_000
"""Points of a file, of all its ways."""

UNREADABLE = (
    ValueError, KeyError, TypeError, IndexError, AttributeError, OverflowError, RuntimeError, EOFError, csv.Error,
    zlib.error,
)  # fmt: skip
"""What reading a damaged file, or one that is something else, can end in."""


def read_ways(data: bytes, file: str) -> Found:
    """What is in a GPX, KML, KMZ, CSV, TSV or TXT file, by its ending.

    Raises:
        BadTrack: it is not what its ending says, or has coordinates out of range.
    """
    kind = file.rsplit(".", 1)[-1].lower()
    stem = file.rsplit(".", 1)[0][:100] or "Route"
    try:
        if kind == "gpx":
            found = _gpx(root_of(data, file), stem)
        elif kind in ("kml", "kmz"):
            found = _kml(kml_root(data, file), stem)
        else:
            # Line ends of any kind, and no bytes that no table has.
            text = _text(data).replace("\0", "")
            found = Found([_table("\n".join(text.splitlines()), file, stem)])
    except RecursionError as error:
        raise BadTrack(f"“{file}” is nested too deep to be read.") from error
    except UNREADABLE as error:
        raise BadTrack(f"“{file}” cannot be read as {kind.upper()}: {error}. Save it again.") from error
    return whole(found, file)


def whole(found: Found, file: str) -> Found:
    """What was found, in range, its ways running on over the date line; what has no length is let go.

    Raises:
        BadTrack: there is nothing, too much, or something that is nowhere on earth.
    """
    short = [track for track in found.tracks if len(track.points) == 1]
    found.spots += [Spot(track.name, track.points[0], track.folder, track.colour) for track in short]
    found.tracks = [track for track in found.tracks if len(track.points) >= 2]
    if not (found.tracks or found.spots or found.outlines):
        raise BadTrack(f"“{file}” has no way in it, no place and no outline: there is nothing to lay.")
    count = sum(len(track.points) for track in found.tracks)
    count += len(found.spots) + sum(len(ring) for outline in found.outlines for ring in outline.rings)
    if count > MOST_READ:
        raise BadTrack(f"“{file}” has {count:,} points; {MOST_READ:,} are the most. Cut it in parts.")
    for points in [*(track.points for track in found.tracks), [spot.point for spot in found.spots]]:
        _in_range(points, file)
    for track in found.tracks:
        track.points = _run_on(track.points)
    return found


def _run_on(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """The points with longitudes that run on over 180 degrees, each as near to the one before as it can be."""
    run: list[tuple[float, float]] = []
    for lon, lat in points:
        run.append((lon + 360 * round((run[-1][0] - lon) / 360), lat) if run else (lon, lat))
    return run


def _within(lon: float) -> float:
    """A longitude in ±180 degrees."""
    return (lon + 180) % 360 - 180 if abs(lon) > 180 else lon


def _in_range(points: list[tuple[float, float]], file: str) -> None:
    for lon, lat in points:
        if not (abs(lon) <= 180 and abs(lat) <= 90):
            swapped = abs(lon) <= 90 and abs(lat) <= 180
            raise BadTrack(
                f"“{file}” has a place at longitude {lon:g}, latitude {lat:g}, which is nowhere on earth."
                + (" Are the two swapped?" if swapped else " Degrees are wanted.")
            )
        if abs(lat) > 85:
            raise BadTrack(f"“{file}” goes to latitude {lat:g}; the ground ends at 85 degrees.")


FAR = 200.0
"""Metres between the segments of a track from which on it is parted there: it was switched off on the way."""


def _gpx(root: Element, stem: str) -> Found:
    found = Found()
    parted = 0
    for way in root:
        kind, name = tag_of(way), text_of(way, "name") or stem
        if kind == "wpt":
            place = float(way.attrib["lon"]), float(way.attrib["lat"])
            found.spots.append(Spot(text_of(way, "name")[:120] or "Place", place))
        if kind not in ("trk", "rte"):
            continue
        parts = [part for part in way if tag_of(part) == "trkseg"] if kind == "trk" else [way]
        tracks: list[Track] = []
        for part in parts:
            track = Track(name)
            for point in part.iter():
                if tag_of(point) in ("trkpt", "rtept"):
                    if kind == "rte" and (stop := text_of(point, "name")):
                        track.stops[len(track.points)] = stop[:120]
                    track.points.append((float(point.attrib["lon"]), float(point.attrib["lat"])))
            if tracks and track.points and _metres(tracks[-1].points[-1], track.points[0]) < FAR:
                tracks[-1].points += track.points
            elif track.points:
                tracks.append(track)
        parted += len(tracks) > 1
        for number, track in enumerate(tracks if len(tracks) > 1 else [], 1):
            track.name = f"{name[:100]}, part {number}"
        found.tracks += tracks
    if parted:
        found.notes.append("Where it was not recorded, a track is parted.")
    return found


def _metres(one: tuple[float, float], other: tuple[float, float]) -> float:
    """About how far two places are from each other that are near."""
    east = (other[0] - one[0]) * math.cos(math.radians(one[1]))
    return math.hypot(east, other[1] - one[1]) * 111_195


def _kml(root: Element, stem: str) -> Found:
    found = Found()
    styles = {style.attrib.get("id", ""): style for style in root.iter() if tag_of(style) == "Style"}

    def walk(element: Element, folder: str) -> None:
        for child in element:
            if tag_of(child) == "Placemark":
                _placemark(child, folder, stem, styles, found)
            elif tag_of(child) in ("Folder", "Document"):
                walk(child, text_of(child, "name")[:60] if tag_of(child) == "Folder" else folder)

    walk(root, "")
    # A named place right on a point of a line is a stop of it.
    named = {spot.point: spot.name for spot in found.spots}
    for track in found.tracks:
        track.stops = {k: named[point] for k, point in enumerate(track.points) if point in named}
    stops = {track.points[k] for track in found.tracks for k in track.stops}
    found.spots = [spot for spot in found.spots if spot.point not in stops]
    return found


def _placemark(placemark: Element, folder: str, stem: str, styles: dict[str, Element], found: Found) -> None:
    name = text_of(placemark, "name")[:120] or stem
    style = next((child for child in placemark if tag_of(child) == "Style"), None)
    if style is None:
        style = styles.get(text_of(placemark, "styleUrl").lstrip("#"))

    def places(element: Element) -> list[tuple[float, float]]:
        texts = [place.split(",") for place in text_of(element, "coordinates").split()]
        return [(float(place[0]), float(place[1])) for place in texts]

    def rings(polygon: Element) -> list[list[tuple[float, float]]]:
        return [places(ring) for ring in polygon.iter() if tag_of(ring) == "LinearRing"]

    for line in placemark.iter():
        if tag_of(line) == "LineString":
            found.tracks.append(Track(name, places(line), folder=folder, colour=_kml_colour(style, "LineStyle")))
        elif tag_of(line) == "Point" and (spots := places(line)):
            found.spots.append(Spot(name, spots[0], folder, _kml_colour(style, "IconStyle")))
        elif tag_of(line) == "Track":
            coords = [(child.text or "").split() for child in line if tag_of(child) == "coord"]
            points = [(float(place[0]), float(place[1])) for place in coords]
            found.tracks.append(Track(name, points, folder=folder, colour=_kml_colour(style, "LineStyle")))
    areas = [ring for polygon in placemark.iter() if tag_of(polygon) == "Polygon" for ring in rings(polygon)]
    if areas:
        found.outlines.append(Outline(name, areas, folder, _kml_colour(style, "PolyStyle")))


def _kml_colour(style: Element | None, kind: str) -> str | None:
    """``#rrggbb`` of a style; KML writes alpha, blue, green and red."""
    part = next((child for child in style.iter() if tag_of(child) == kind), None) if style is not None else None
    text = text_of(part, "color") if part is not None else ""
    return f"#{text[6:8]}{text[4:6]}{text[2:4]}".lower() if re.fullmatch(r"[0-9a-fA-F]{8}", text) else None


def stops_of(properties: dict[str, Any], points: list[tuple[float, float]]) -> dict[int, str]:
    stops = properties.get("stops")
    if not isinstance(stops, dict):
        return {}
    named = {int(k): str(stop)[:120] for k, stop in stops.items() if str(k).isascii() and str(k).isdigit()}
    return {k: stop for k, stop in named.items() if k < len(points)}


def joined(lines: list[list[tuple[float, float]]]) -> list[list[tuple[float, float]]]:
    """Lines of which one goes on where the one before was cut at 180 degrees (RFC 7946, 3.1.9) as one."""
    made: list[list[tuple[float, float]]] = []
    for line in lines:
        before = made[-1][-1] if made and made[-1] else None
        if before and line and abs(before[0]) == 180 and line[0] == (-before[0], before[1]):
            made[-1] += line[1:]
        else:
            made.append(line)
    return made


def _cut(track: Track) -> tuple[list[list[tuple[float, float]]], dict[int, str]]:
    """A line cut at 180 degrees, and its stops, counted with the places at which it is cut."""
    lines: list[list[tuple[float, float]]] = [[]]
    stops: dict[int, str] = {}
    count, turns, before = 0, 0, (0.0, 0.0)
    for k, (lon, lat) in enumerate(track.points):
        at = lon - 360 * turns
        while k and abs(at) > 180:
            edge = 180.0 if at > 0 else -180.0
            start = before[0] - 360 * turns
            share = (edge - start) / (at - start)
            middle = round(before[1] + share * (lat - before[1]), 9)
            lines[-1].append((edge, middle))
            lines.append([(-edge, middle)])
            turns += 1 if at > 0 else -1
            count += 1
            at = lon - 360 * turns
        if k in track.stops:
            stops[count] = track.stops[k]
        lines[-1].append((round(at, 9), round(lat, 9)))
        count, before = count + 1, (lon, lat)
    return lines, stops


def _table(text: str, file: str, stem: str) -> Track:
    rows = [row for row in csv.reader(io.StringIO(text), _dialect(text)) if any(cell.strip() for cell in row)]
    if not rows:
        raise BadTrack(f"“{file}” is empty.")
    # "Latitude (deg)", "lat [°]": what stands in brackets is a remark.
    head = [re.sub(r"[(\[].*", "", cell).strip().lower() for cell in rows[0]]
    lat = next((head.index(name) for name in LATITUDES if name in head), None)
    lon = next((head.index(name) for name in LONGITUDES if name in head), None)
    named = next((head.index(name) for name in ("name", "stop", "place") if name in head), None)
    if lat is None or lon is None:
        # Without headings, latitude comes first, as people write it.
        if all(_is_angle(cell) for cell in rows[0][:2]) and len(rows[0]) >= 2:
            lat, lon = 0, 1
        else:
            raise BadTrack(f"“{file}” has no columns for latitude and longitude: head them “lat” and “lon”.")
    else:
        rows = rows[1:]
    track = Track(stem)
    for number, row in enumerate(rows, 1):
        try:
            place = angle(row[lon])[0], angle(row[lat])[0]
        except (ValueError, IndexError) as error:
            raise BadTrack(f"Row {number} of “{file}” has no two coordinates: {', '.join(row)[:60]}.") from error
        if named is not None and len(row) > named and row[named].strip():
            track.stops[len(track.points)] = row[named].strip()[:120]
        track.points.append(place)
    return track


def _is_angle(cell: str) -> bool:
    try:
        angle(cell)
    except ValueError:
        return False
    return True


def _text(data: bytes) -> str:
    """A text in the encoding that its first bytes announce, UTF-8 without."""
    wide = data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    return data.decode("utf-16" if wide else "utf-8-sig", "replace")


def _dialect(text: str) -> type[csv.Dialect]:
    try:
        return csv.Sniffer().sniff(text[:4000], delimiters=",;\t")
    except csv.Error:
        return csv.excel


def write_gpx(tracks: list[Track]) -> str:
    """GPX 1.1: a route for each way."""
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        '<gpx version="1.1" creator="Yaila" xmlns="http://www.topografix.com/GPX/1/1">',
    ]
    for track in tracks:
        lines.append(f"<rte><name>{escape(track.name)}</name>")
        for k, (lon, lat) in enumerate(track.points):
            name = f"<name>{escape(track.stops[k])}</name>" if k in track.stops else ""
            lines.append(f'<rtept lat="{lat:.9f}" lon="{_within(lon):.9f}">{name}</rtept>')
        lines.append("</rte>")
    return "\n".join([*lines, "</gpx>"])


def write_kml(tracks: list[Track]) -> str:
    """KML 2.3: a line for each way, and a place for each of its stops."""
    lines = ['<?xml version="1.0" encoding="UTF-8"?>', '<kml xmlns="http://www.opengis.net/kml/2.2"><Document>']
    for track in tracks:
        way = " ".join(f"{_within(lon):.9f},{lat:.9f}" for lon, lat in track.points)
        lines.append(
            f"<Placemark><name>{escape(track.name)}</name><LineString><tessellate>1</tessellate>"
            f"<coordinates>{way}</coordinates></LineString></Placemark>"
        )
        for k, name in track.stops.items():
            lon, lat = track.points[k]
            lines.append(
                f"<Placemark><name>{escape(name)}</name><Point><coordinates>{_within(lon):.9f},{lat:.9f}</coordinates></Point>"
                "</Placemark>"
            )
    return "\n".join([*lines, "</Document></kml>"])


def write_geojson_lines(tracks: list[Track]) -> str:
    """GeoJSON (RFC 7946): a line for each way, its stops by place in the property ``stops``."""
    features = []
    for track in tracks:
        lines, stops = _cut(track)
        features.append(
            {
                "type": "Feature",
                "properties": {"name": track.name, "stops": {str(k): name for k, name in stops.items()}},
                "geometry": {
                    "type": "LineString" if len(lines) == 1 else "MultiLineString",
                    "coordinates": lines[0] if len(lines) == 1 else lines,
                },
            }
        )
    return json.dumps({"type": "FeatureCollection", "features": features}, ensure_ascii=False)
