"""Gazetteers: places by name, as tables of GeoNames (tab-separated, 19 columns without a header; the columns and the
feature classes are as its readme states them, from memory), or as any file of places that ``geodata.py`` reads."""

from __future__ import annotations

import csv
import io
import math
import zipfile
from dataclasses import dataclass

import numpy as np

from yaila.core.errors import BadTrack
from yaila.formats.geodata import read_geodata
from yaila.formats.markup import small_enough
from yaila.formats.tracks import UNREADABLE

MOST_ENTRIES = 2_000_000
"""Places of one gazetteer."""

COLUMNS = 19
"""Columns of a GeoNames table."""

CLASSES = {
    "A": ("area", 100_000.0),
    "H": ("water", 10_000.0),
    "L": ("area", 10_000.0),
    "P": ("place", 2_000.0),
    "R": ("road", 5_000.0),
    "S": ("building", 300.0),
    "T": ("land form", 8_000.0),
    "U": ("sea bed", 50_000.0),
    "V": ("wood", 5_000.0),
}
"""What the feature classes are called here, and how wide such a thing is taken to be, metres (a rule of thumb, no
source)."""

CODES = {
    "PCLI": "country", "ADM1": "region", "PPLC": "capital", "PPL": "town", "PPLA": "town", "AIRP": "airport",
    "BAY": "bay", "CAPE": "cape", "HBR": "harbour", "ISL": "island", "LK": "lake", "LTHSE": "lighthouse",
    "MT": "mountain", "PASS": "pass", "PK": "peak", "SEA": "sea", "STM": "river", "STRT": "strait", "VLC": "volcano",
}  # fmt: skip
"""Feature codes that say more."""

CROWD = 3_000.0
"""People on a square kilometre of a town, by which its width is taken from how many live there (a rule of thumb)."""


@dataclass(frozen=True)
class Entry:
    """A place of a gazetteer: what else it is called, what it is, longitude and latitude in degrees, how much it counts
    against others of its name (people who live there, where that is known), and how wide it is, metres."""

    name: str
    also: str
    kind: str
    lon: float
    lat: float
    weight: int
    size: float


def read_gazetteer(data: bytes, file: str) -> list[Entry]:
    """The places of a gazetteer.

    Raises:
        BadTrack: it cannot be read, has no places with a name, or too many.
    """
    kind = file.rsplit(".", 1)[-1].lower()
    try:
        table = _table_in(data, file) if kind in ("txt", "tsv", "zip") else None
        entries = _geonames(table, file) if table is not None else _of_things(data, file)
    except UNREADABLE as error:
        raise BadTrack(f"“{file}” cannot be read as a gazetteer: {error}. Save it again.") from error
    if not entries:
        raise BadTrack(f"“{file}” has no place with a name in it.")
    if len(entries) > MOST_ENTRIES:
        raise BadTrack(f"“{file}” has {len(entries):,} places; {MOST_ENTRIES:,} at most can be kept. Bring a part.")
    return entries


def _table_in(data: bytes, file: str) -> str | None:
    """The text of a GeoNames table, also out of a ZIP; none if it is something else."""
    if zipfile.is_zipfile(io.BytesIO(data)):
        small_enough(data, file)
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            # GeoNames packs a readme beside the table.
            names = [one for one in packed.namelist() if one.endswith(".txt") and not one.lower().startswith("readme")]
            if len(names) != 1:
                return None
            data = packed.read(names[0])
    first = data.split(b"\n", 1)[0]
    return data.decode("utf-8") if first.count(b"\t") == COLUMNS - 1 else None


def _geonames(table: str, file: str) -> list[Entry]:
    entries = []
    for number, row in enumerate(csv.reader(io.StringIO(table), delimiter="\t", quoting=csv.QUOTE_NONE), 1):
        if not row:
            continue
        if len(row) != COLUMNS:
            raise BadTrack(f"“{file}” has {len(row)} columns in line {number}, and {COLUMNS} in its first.")
        name, plain, others, lat, lon, group, code, country = (row[k] for k in (1, 2, 3, 4, 5, 6, 7, 8))
        kind, size = CLASSES.get(group, ("place", 2_000.0))
        people = int(row[14] or 0)
        if group == "P" and people:
            size = max(1000.0 * math.sqrt(people / CROWD), 1_000.0)
        kind = CODES.get(code, "town" if group == "P" and people else kind)
        also = " ".join(dict.fromkeys([plain, *others.split(",")]))[:2000]
        entries.append(
            _entry(name, also, f"{kind}, {country}" if country else kind, float(lon), float(lat), people, size)
        )
    return entries


def _of_things(data: bytes, file: str) -> list[Entry]:
    """Places, stops and outlines of any file that can be laid, by their names."""
    found = read_geodata(data, file)
    entries = [_entry(spot.name, "", spot.folder or "place", *spot.point, 0, 2_000.0) for spot in found.spots]
    # The rows of a table, and the named points of a way.
    stops = [(name, track.points[at]) for track in found.tracks for at, name in track.stops.items()]
    entries += [_entry(name, "", "place", *point, 0, 2_000.0) for name, point in stops]
    for outline in found.outlines:
        places = np.concatenate([np.array(ring) for ring in outline.rings])
        low, high = places.min(axis=0), places.max(axis=0)
        lon, lat = ((low + high) / 2).tolist()
        wide = float((high[0] - low[0]) * math.cos(math.radians(lat))) * 111_320.0
        entries.append(_entry(outline.name, "", outline.folder or "area", lon, lat, 0, max(wide, 300.0)))
    return entries


def _entry(name: str, also: str, kind: str, lon: float, lat: float, weight: int, size: float) -> Entry:
    if not (abs(lat) <= 90 and abs(lon) <= 540):
        raise BadTrack(f"“{name}” lies at {lat:g}, {lon:g}, which is nowhere on earth.")
    return Entry(name.strip()[:200], also, kind, (lon + 180) % 360 - 180, lat, weight, size)
