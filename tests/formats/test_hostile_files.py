"""Whatever a file holds, it is read or refused in a sentence: never with an error nobody foresaw, never for long."""

from __future__ import annotations

import hashlib
import io
import json
import os
import random
import sqlite3
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import rasterio
from rasterio.transform import from_origin

from tests.conftest import write_picture
from tests.formats.test_tour import DOWN, binary, flight, scene
from tests.hostile import spoilt
from tests.tilehost import png
from tests.truth import fine_texture
from yaila.core.errors import BadBundle, YailaError
from yaila.core.film import Film
from yaila.core.film.followed import Flight, vantages_of
from yaila.core.imagery import build_pyramid, open_pyramid
from yaila.core.picture.kit import read_sign
from yaila.core.type.faces import FOLDER, read_face
from yaila.formats.bundle import read_bundle
from yaila.formats.geodata import read_geodata
from yaila.formats.georeferencing import read_world
from yaila.formats.handover.gltf_cameras import read_cameras
from yaila.formats.handover.tour import read_tours, tour_text
from yaila.formats.mbtiles import read_mbtiles
from yaila.formats.rasters import take_in
from yaila.formats.tracks import Track, write_gpx, write_kml
from yaila.store import checked

TIMES = 120
"""Files of each kind; the campaign makes more of them."""

LONG = 5.0

Reader = Callable[[bytes, Path], object]


def as_file(name: str, read: Callable[[Path], object]) -> Reader:
    def reader(data: bytes, folder: Path) -> object:
        path = folder / name
        path.write_bytes(data)
        return read(path)

    return reader


def kmz(text: str) -> bytes:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("doc.kml", text)
    return packed.getvalue()


def bundle(folder: Path) -> bytes:
    path = folder / "b.yaila"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("film.json", Film(name="B", vantages=[{"x": 1, "y": 2, "span": 3}]).model_dump_json())
    return path.read_bytes()


def geotiff(folder: Path) -> bytes:
    path = folder / "g.tif"
    pixels = np.moveaxis(fine_texture(300, 200), 2, 0)
    with rasterio.open(
        path, "w", driver="GTiff", width=300, height=200, count=3, dtype="uint8", crs="EPSG:32632",
        transform=from_origin(500000, 5300000, 10, 10),
    ) as out:  # fmt: skip
        out.write(pixels)
    return path.read_bytes()


def mbtiles(folder: Path) -> bytes:
    path = folder / "m.mbtiles"
    with sqlite3.connect(path) as base:
        base.execute("CREATE TABLE metadata (name, value)")
        base.execute("CREATE TABLE tiles (zoom_level, tile_column, tile_row, tile_data)")
        base.executemany("INSERT INTO tiles VALUES (2, ?, ?, ?)", [(c, r, png(64)) for c in (1, 2) for r in (1, 2)])
    base.close()
    return path.read_bytes()


def picture(suffix: str) -> Callable[[Path], bytes]:
    def make(folder: Path) -> bytes:
        return write_picture(folder / f"p{suffix}", fine_texture(300, 200)).read_bytes()

    return make


def built(path: Path) -> None:
    build_pyramid(path, path.with_suffix(".pyramid"), path.name)


def drawn(path: Path) -> None:
    """A pyramid of ours that somebody spoilt: it opens and can be read from end to end, or it does not open."""
    opened = open_pyramid(path)
    for level in range(len(opened.sizes)):
        opened.read(level)


def pyramid(folder: Path) -> bytes:
    source = write_picture(folder / "s.png", fine_texture(600, 400))
    build_pyramid(source, folder / "made.tif", "s.png")
    return (folder / "made.tif").read_bytes()


def flown(flights: list[Flight]) -> None:
    """What comes of given cameras, as the page has it."""
    film = Film(ground={"kind": "mercator"})
    for one in flights:
        vantages_of(film, one.given, 0.02)


def read_scene(data: bytes, _: Path) -> None:
    flown(read_cameras(data, "a.glb", (0.0, 0.0), True, 1.5))


WAY = Track("Way", [(10.0 + k / 100, 50.0 + k / 90) for k in range(40)], {0: "Quay", 39: "Head"})
RING = {"type": "Polygon", "coordinates": [[[0, 0], [5, 0], [5, 5], [0, 0]]]}

KINDS: dict[str, tuple[Callable[[Path], bytes], Reader]] = {
    "gpx": (lambda _: write_gpx([WAY]).encode(), lambda data, _: read_geodata(data, "a.gpx")),
    "kml": (lambda _: write_kml([WAY]).encode(), lambda data, _: read_geodata(data, "a.kml")),
    "kmz": (lambda _: kmz(write_kml([WAY])), lambda data, _: read_geodata(data, "a.kmz")),
    "tour": (lambda _: tour_text(flight()).encode(), lambda data, _: flown(read_tours(data, "a.kml"))),
    "packed tour": (lambda _: kmz(tour_text(flight())), lambda data, _: flown(read_tours(data, "a.kmz"))),
    "scene": (lambda _: json.dumps(scene(rotation=DOWN)).encode(), read_scene),
    "binary scene": (lambda _: binary(scene(rotation=DOWN)), read_scene),
    "csv": (lambda _: b"lat,lon,name\r50.1,10.2,Quay\r50.3,10.4,\r\n", lambda data, _: read_geodata(data, "a.csv")),
    "lines": (
        lambda _: json.dumps({"type": "LineString", "coordinates": WAY.points}).encode(),
        lambda data, _: read_geodata(data, "a.geojson"),
    ),
    "outlines": (
        lambda _: json.dumps({"type": "Feature", "geometry": RING, "properties": {"name": "Isle"}}).encode(),
        lambda data, _: read_geodata(data, "a.geojson"),
    ),
    "film": (
        lambda _: Film(name="B", vantages=[{"x": 1, "y": 2, "span": 3}]).model_dump_json().encode(),
        as_file("film.json", lambda path: checked(read_bundle(path, path.parent)[0])),
    ),
    "bundle": (bundle, as_file("a.yaila", lambda path: checked(read_bundle(path, path.parent)[0]))),
    "geotiff": (geotiff, as_file("a.tif", lambda path: take_in(path, "a.tif", path.with_suffix(".straight.tif")))),
    "world": (
        lambda _: b"10.0\n0.0\n0.0\n-10.0\n500000.0\n5300000.0\n",
        lambda data, _: read_world(data.decode("latin-1"), "EPSG:32633", "a.wld"),
    ),
    "mbtiles": (mbtiles, as_file("a.mbtiles", lambda path: read_mbtiles(path, "a", path.parent, path.parent / "t"))),
    "png": (picture(".png"), as_file("a.png", built)),
    "jpg": (picture(".jpg"), as_file("a.jpg", built)),
    "webp": (picture(".webp"), as_file("a.webp", built)),
    "tif": (picture(".tif"), as_file("a.tif", built)),
    "font": (lambda _: next(FOLDER.glob("*.ttf")).read_bytes(), lambda data, _: read_face(data, "a.ttf")),
    "sign": (lambda _: png(20), lambda data, _: read_sign(data, "a")),
    "pyramid": (pyramid, as_file("own.tif", drawn)),
}  # fmt: skip


@pytest.mark.parametrize("kind", KINDS)
def test_a_spoilt_file_is_read_or_refused_in_a_sentence(kind: str, tmp_path: Path) -> None:
    make, read = KINDS[kind]
    whole = make(tmp_path)
    read(whole, tmp_path)
    rng = random.Random(kind)
    for number in range(TIMES):
        data = spoilt(whole, rng)
        begin, said = time.monotonic(), "."
        try:
            read(data, tmp_path)
        except YailaError as error:
            said = str(error)
        assert said.rstrip().endswith((".", "…", "”")), said
        assert time.monotonic() - begin < LONG, f"{kind}, file {number}"


def test_a_bundle_of_unknown_origin_is_held_against_what_it_says(tmp_path: Path) -> None:
    """Other bytes than their name says, media that swell, a pipe where a file should be, a number that is none."""
    film = Film(name="B").model_dump_json()
    data = png(64)
    name = hashlib.sha256(data).hexdigest()
    flat = hashlib.sha256(bytes(50_000_000)).hexdigest()

    def packed(documents: dict[str, bytes]) -> Path:
        path = tmp_path / "b.yaila"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for key, value in documents.items():
                archive.writestr(key, value)
        return path

    folder = tmp_path / "folder"
    (folder / "media").mkdir(parents=True)
    (folder / "film.json").write_text(film)
    os.mkfifo(folder / "media" / f"{name}.png")
    assert read_bundle(folder, tmp_path)[1] == {}
    good = read_bundle(packed({"film.json": film.encode(), f"media/{name}.png": data, "../out.png": data}), tmp_path)
    assert good[1][name].read_bytes() == data
    assert not (tmp_path.parent / "out.png").exists()
    for documents, says in (
        ({"film.json": film.encode(), f"media/{name}.png": data + b"x"}, "not what it was"),
        ({"film.json": film.encode(), f"media/{flat}.png": bytes(50_000_000)}, "would grow"),
        ({"film.json": b'{"rate": NaN}'}, "NaN where a number should stand"),
        ({"film.json": b"[" * 100_000}, "not a film bundle"),
        ({"other.json": b"{}"}, "not a film bundle"),
    ):
        with pytest.raises(BadBundle, match=says):
            read_bundle(packed(documents), tmp_path)
