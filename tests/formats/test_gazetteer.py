"""Gazetteers as people bring them. The places are invented, the columns those of GeoNames' readme (from memory)."""

from __future__ import annotations

import io
import json
import zipfile

import pytest

from yaila.core.errors import BadTrack
from yaila.formats.gazetteer import Entry, read_gazetteer


def line(name: str, others: str, lat: float, lon: float, group: str, code: str, people: int) -> str:
    columns = [
        "1",
        name,
        name,
        others,
        lat,
        lon,
        group,
        code,
        "QX",
        "",
        "",
        "",
        "",
        "",
        people,
        "",
        "12",
        "Q/X",
        "2026",
    ]
    return "\t".join(map(str, columns))


TABLE = "\n".join(
    [
        line("Orrin’s Wharf", "Orrins Wharf,Varfo de Orin", 12.5, -30.25, "P", "PPL", 30_000),
        line("Tolvane", "", -0.5, 179.75, "P", "PPLC", 0),
        line('The "Old" Skerry', "", 3, 4, "T", "ISL", 0),
    ]
)


def packed(**files: str) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in files.items():
            archive.writestr(f"{name}.txt", text)
    return made.getvalue()


def test_a_table_of_geonames_is_read_as_text_and_packed() -> None:
    wharf, tolvane, skerry = read_gazetteer(TABLE.encode(), "QX.txt")
    assert (wharf.name, wharf.kind, wharf.lon, wharf.lat) == ("Orrin’s Wharf", "town, QX", -30.25, 12.5)
    assert "Varfo de Orin" in wharf.also
    assert wharf.weight == 30_000
    assert wharf.size == pytest.approx(3162, abs=1)  # ten square kilometres
    assert (tolvane.kind, skerry.name, skerry.kind) == ("capital, QX", 'The "Old" Skerry', "island, QX")
    assert read_gazetteer(packed(readme="How to read it.", QX=TABLE), "QX.zip") == [wharf, tolvane, skerry]


def test_any_file_of_places_is_a_gazetteer() -> None:
    square = [[10, 50], [10.02, 50], [10.02, 50.01], [10, 50.01], [10, 50]]
    features = [
        {"type": "Feature", "properties": {"name": "Lorn"}, "geometry": {"type": "Point", "coordinates": [3, 4]}},
        {"type": "Feature", "properties": {"name": "Fens"}, "geometry": {"type": "Polygon", "coordinates": [square]}},
    ]
    file = json.dumps({"type": "FeatureCollection", "features": features}).encode()
    lorn, fens = read_gazetteer(file, "places.geojson")
    assert lorn == Entry("Lorn", "", "place", 3, 4, 0, 2000)
    # Two hundredths of a degree at 50° north are 1.43 km.
    assert (fens.lon, fens.lat, fens.size) == (pytest.approx(10.01), pytest.approx(50.005), pytest.approx(1431, abs=2))
    table = read_gazetteer(b"name,lat,lon\nLorn,4,3\nFens,50,10\n", "places.csv")
    assert [(one.name, one.lat, one.lon) for one in table] == [("Lorn", 4, 3), ("Fens", 50, 10)]


@pytest.mark.parametrize(
    ("data", "file", "said"),
    [
        (TABLE.encode() + b"\nshort\tline", "QX.txt", "2 columns in line 4, and 19 in its first"),
        (TABLE.replace("12.5", "north").encode(), "QX.txt", "cannot be read"),
        (TABLE.replace("12.5", "125").encode(), "QX.txt", "nowhere on earth"),
        (TABLE.encode()[:-30] + b"\xff", "QX.txt", "cannot be read"),
        (b"", "QX.txt", "QX.txt"),
        (b'{"type": "FeatureCollection", "features": []}', "places.geojson", "places.geojson"),
        (packed(one=TABLE, two=TABLE), "QX.zip", "QX.zip"),
        (b"PK\x03\x04 cut", "QX.zip", "QX.zip"),
    ],
)
def test_what_is_no_gazetteer_is_refused_in_a_sentence(data: bytes, file: str, said: str) -> None:
    with pytest.raises(BadTrack, match=said):
        read_gazetteer(data, file)
