"""Ways from GPX, KML, KMZ, GeoJSON and tables: against gpxpy, and what is refused."""

from __future__ import annotations

import io
import json
import zipfile
from itertools import pairwise

import fastkml
import gpxpy
import gpxpy.gpx
import numpy as np
import pytest

from tests.stopwatch import quickest
from yaila.core.errors import BadEdit, BadTrack
from yaila.core.film import Film
from yaila.core.film.acts import ImportRoute
from yaila.core.ground import Point
from yaila.core.ground.mercator import mercator_of
from yaila.core.marks.simplify import simplified
from yaila.formats.tracks import Track, read_tracks, write_geojson_lines, write_gpx, write_kml

KML = (
    '<kml xmlns="http://www.opengis.net/kml/2.3"><Document><Placemark><name>Ferry</name><LineString><coordinates>'
    "4.1,2.0,0 4.2,2.1,0\n4.4,2.05</coordinates></LineString></Placemark></Document></kml>"
)


def gpx(count: int, seed: int = 1) -> tuple[str, np.ndarray]:
    """A track by gpxpy, and its longitudes and latitudes."""
    walk = np.cumsum(np.random.default_rng(seed).normal(0, 1e-4, (count, 2)), axis=0)
    walk += np.array([4.2, 2.1])
    document = gpxpy.gpx.GPX()
    track = gpxpy.gpx.GPXTrack(name="Walk")
    segment = gpxpy.gpx.GPXTrackSegment([gpxpy.gpx.GPXTrackPoint(lat, lon) for lon, lat in walk.tolist()])
    track.segments.append(segment)
    document.tracks.append(track)
    return document.to_xml(), walk


def test_a_gpx_track_is_read_as_gpxpy_reads_it() -> None:
    text, walk = gpx(500)
    (track,) = read_tracks(text.encode(), "walk.gpx")
    theirs = gpxpy.parse(text).tracks[0].segments[0].points
    assert track.name == "Walk"
    assert np.allclose(track.points, [(point.longitude, point.latitude) for point in theirs], atol=1e-12)
    assert np.allclose(track.points, walk, atol=1e-9)


def test_the_named_points_of_a_gpx_route_are_stops() -> None:
    document = gpxpy.gpx.GPX()
    route = gpxpy.gpx.GPXRoute(name="Mail")
    for k, name in enumerate(("Marrowick", None, "Tolvane")):
        route.points.append(gpxpy.gpx.GPXRoutePoint(2 + k / 10, 4, name=name))
    document.routes.append(route)
    (track,) = read_tracks(document.to_xml().encode(), "mail.gpx")
    assert track.stops == {0: "Marrowick", 2: "Tolvane"}


def test_ways_go_out_and_come_back_and_others_read_them() -> None:
    ways = [
        Track("Mail & <more>", [(4.1, 2.0), (4.25, 2.125), (-170.5, -33.123456789)], {0: "Quay", 2: "Ångström"}),
        Track("Back", [(1.0, 2.0), (3.0, 4.0)]),
    ]
    # gpxpy and fastkml are libraries of their own, which know nothing of ours.
    theirs = gpxpy.parse(write_gpx(ways)).routes
    assert [route.name for route in theirs] == ["Mail & <more>", "Back"]
    assert np.allclose([(p.longitude, p.latitude) for p in theirs[0].points], ways[0].points)
    assert theirs[0].points[2].name == "Ångström"
    folder = next(iter(fastkml.KML.from_string(write_kml(ways)).features))
    lines = [one for one in folder.features if one.geometry.geom_type == "LineString"]
    places = [one for one in folder.features if one.geometry.geom_type == "Point"]
    assert [line.name for line in lines] == ["Mail & <more>", "Back"]
    assert np.allclose([xy[:2] for xy in lines[0].geometry.coords], ways[0].points)
    assert [place.name for place in places] == ["Quay", "Ångström"]
    for write, file in ((write_gpx, "a.gpx"), (write_kml, "a.kml"), (write_geojson_lines, "a.geojson")):
        back = read_tracks(write(ways).encode(), file)
        assert [(way.name, way.stops) for way in back] == [(way.name, way.stops) for way in ways]
        assert all(np.allclose(a.points, b.points, atol=1e-9) for a, b in zip(back, ways, strict=True))


def test_kml_kmz_geojson_and_tables_give_the_same_way() -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("../../climbs.txt", "out")
        archive.writestr("../doc.kml", KML)
    line = {"type": "LineString", "coordinates": [[4.1, 2.0], [4.2, 2.1], [4.4, 2.05]]}
    feature = {"type": "Feature", "properties": {"name": "Ferry"}, "geometry": line}
    files = {
        "a.kml": KML.encode(),
        "a.kmz": packed.getvalue(),
        "a.geojson": json.dumps({"type": "FeatureCollection", "features": [feature]}).encode(),
        "a.csv": b"lat;lon;name\n2.0;4.1;Quay\n2.1;4.2;\n2.05;4.4;Head\n",
        "b.csv": b"2.0,4.1\n2.1,4.2\n2.05,4.4\n",
    }
    for name, data in files.items():
        (track,) = read_tracks(data, name)
        assert np.allclose(track.points, line["coordinates"]), name
    assert read_tracks(files["a.csv"], "a.csv")[0].stops == {0: "Quay", 2: "Head"}


def test_a_hundred_thousand_points_become_a_route_that_strays_by_its_tolerance_in_a_time_that_grows_as_they_do() -> (
    None
):
    text, _ = gpx(100_000)

    def imported(text: str = text) -> tuple[list[Point], Film]:
        (track,) = read_tracks(text.encode(), "long.gpx")
        points = [Point(*mercator_of(lon, lat)) for lon, lat in track.points]
        return points, ImportRoute(name="Long", points=points, tolerance=60).apply(Film())

    tenth, _ = gpx(10_000)
    assert quickest(imported, runs=2) < 25 * quickest(lambda: imported(tenth), runs=3)
    points, film = imported()
    places = np.array(points)
    kept = simplified(places, 60, [])
    assert len(film.routes[0].points) == len(kept) < 4000
    # Every point is within the tolerance of the piece that stands for it.
    for first, last in list(pairwise(kept))[:200]:
        a, b = places[first], places[last]
        way = b - a
        t = np.clip((places[first:last] - a) @ way / max(way @ way, 1e-12), 0, 1)
        off = np.linalg.norm(places[first:last] - (a + t[:, None] * way), axis=1)
        assert off.max(initial=0) < 61


BOMB = '<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><gpx><trk>&b;</trk></gpx>'


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("a.gpx", b'<gpx xmlns="http://www.topografix.com/GPX/1/1"></gpx>', "no way in it"),
        ("a.gpx", b"<gpx><trk>", "not well-formed"),
        ("a.gpx", BOMB.encode(), "entities of its own"),
        ("a.kml", BOMB.encode(), "entities of its own"),
        ("a.kmz", b"letter", "cannot be unpacked"),
        ("a.gpx", b'<gpx><rte><rtept lat="104.2" lon="2"/><rtept lat="104.3" lon="2"/></rte></gpx>', "swapped"),
        ("a.gpx", b'<gpx><rte><rtept lat="2" lon="400"/><rtept lat="2" lon="4"/></rte></gpx>', "nowhere on earth"),
        ("a.gpx", b'<gpx><rte><rtept lat="2" lon="4"/></rte></gpx>', "two points at least"),
        ("a.gpx", b'<gpx><rte><rtept lat="two" lon="4"/><rtept lat="2" lon="4"/></rte></gpx>', "cannot be read"),
        ("a.csv", b"name,where\nA,B\n", "head them"),
        ("a.csv", b"lat,lon\n2.0,4.1\n2.1,east\n", "Row 2"),
        ("a.geojson", b'{"type":"Point","coordinates":[1,2]}', "no way in it"),
        ("a.doc", b"", "GPX, KML, KMZ"),
    ],
)
def test_what_is_no_way_is_refused_in_words(name: str, data: bytes, says: str) -> None:
    with pytest.raises(BadTrack, match=says):
        read_tracks(data, name)


def test_a_way_that_stays_in_one_place_is_no_route() -> None:
    with pytest.raises(BadEdit, match="one place"):
        ImportRoute(name="Still", points=[Point(1, 2), Point(1, 2)]).apply(Film())


@pytest.mark.parametrize(
    "table",
    [
        b"Latitude (deg),Longitude (deg)\n50.1,10.2\n50.3,10.4\n",
        b"lat;lon\n50,1;10,2\n50,3;10,4\n",
        "lat;lon\n50.1N;10.2E\n50.3N;10.4E\n".encode("utf-16"),
        "50°6'0\"N\t10°12'0\"E\n50°18'0\"N\t10°24'0\"E\n".encode(),
        b"lat,lon\r50.1,10.2\r50.3,10.4\r",
    ],
    ids=["remarks", "commas", "utf-16", "minutes", "old line ends"],
)
def test_tables_are_read_however_coordinates_are_written_in_them(table: bytes) -> None:
    (track,) = read_tracks(table, "a.csv")
    assert np.array(track.points) == pytest.approx(np.array([(10.2, 50.1), (10.4, 50.3)]))
