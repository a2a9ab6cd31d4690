"""Ways from GPX, KML, KMZ, GeoJSON and tables: against gpxpy, and what is refused."""

from __future__ import annotations

import io
import json
import zipfile
from itertools import pairwise
from pathlib import Path

import fastkml
import gpxpy
import gpxpy.gpx
import numpy as np
import pyogrio
import pyproj
import pytest
import shapely

from tests.stopwatch import calls
from yaila.core.errors import BadEdit, BadTrack
from yaila.core.film import Film
from yaila.core.film.acts import ImportRoute
from yaila.core.ground import Point
from yaila.core.ground.geodesy import true_lengths
from yaila.core.ground.mercator import mercator_of
from yaila.core.marks.simplify import simplified
from yaila.formats.geodata import read_geodata
from yaila.formats.tracks import Track, write_geojson_lines, write_gpx, write_kml

KML = (
    '<kml xmlns="http://www.opengis.net/kml/2.3"><Document><Placemark><name>Ferry</name><LineString><coordinates>'
    "4.1,2.0,0 4.2,2.1,0\n4.4,2.05</coordinates></LineString></Placemark></Document></kml>"
)


def read_tracks(data: bytes, file: str) -> list[Track]:
    """The ways of a file."""
    return read_geodata(data, file).tracks


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


@pytest.mark.parametrize("lons", [(177.0, 178.6, -179.1, -176.8), (-177.0, -178.6, 179.1, 176.8)])
def test_a_way_over_the_date_line_is_as_long_as_it_is_and_comes_back_over_it(lons: tuple[float, ...]) -> None:
    places = list(zip(lons, (-17.0, -17.4, -17.1, -17.8), strict=True))
    document = gpxpy.gpx.GPX()
    segment = gpxpy.gpx.GPXTrackSegment([gpxpy.gpx.GPXTrackPoint(lat, lon) for lon, lat in places])
    document.tracks.append(gpxpy.gpx.GPXTrack(name="Across"))
    document.tracks[0].segments.append(segment)
    true = pyproj.Geod(ellps="WGS84").line_length(lons, [lat for _, lat in places])
    (track,) = read_tracks(document.to_xml().encode(), "across.gpx")
    points = [Point(*mercator_of(lon, lat)) for lon, lat in track.points]
    (route,) = ImportRoute(name="Across", points=points, tolerance=1).apply(Film()).routes
    # Straight on the map is a little longer than the shortest way.
    assert true_lengths(route.curve)[1][-1] == pytest.approx(true, rel=2e-3)
    for write, file in ((write_gpx, "a.gpx"), (write_kml, "a.kml"), (write_geojson_lines, "a.geojson")):
        text = write([track])
        (back,) = read_tracks(text.encode(), file)
        length = pyproj.Geod(ellps="WGS84").line_length(*zip(*back.points, strict=True))
        assert length == pytest.approx(true, rel=1e-4), file
    # Others are given no longitude that there is not.
    line = shapely.from_geojson(write_geojson_lines([track]))
    assert line.bounds[0] >= -180
    assert line.bounds[2] <= 180


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


def test_a_hundred_thousand_points_become_a_route_that_strays_by_its_tolerance_in_work_that_grows_as_they_do() -> None:
    def brought(text: str) -> tuple[list[Point], Film]:
        (track,) = read_tracks(text.encode(), "long.gpx")
        points = [Point(*mercator_of(lon, lat)) for lon, lat in track.points]
        return points, ImportRoute(name="Long", points=points, tolerance=60).apply(Film())

    few, more = gpx(4_000)[0], gpx(12_000)[0]
    assert calls(lambda: brought(more)) < 3.5 * calls(lambda: brought(few))
    points, film = brought(gpx(100_000)[0])
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
        ("a.gpx", b'<gpx><rte><rtept lat="two" lon="4"/><rtept lat="2" lon="4"/></rte></gpx>', "cannot be read"),
        ("a.csv", b"name,where\nA,B\n", "head them"),
        ("a.csv", b"lat,lon\n2.0,4.1\n2.1,east\n", "Row 2"),
        ("a.geojson", b'{"type":"FeatureCollection","features":[]}', "no way in it"),
        ("a.geojson", b'{"type":"LineString","coordinates":[[1,2],[400,2]]}', "nowhere on earth"),
        ("a.geojson", b"[1, 2]", "no GeoJSON"),
        ("a.zip", b"letter", "no ZIP"),
        ("a.gpkg", b"letter", "cannot be read"),
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


def test_waypoints_gaps_polygons_colours_and_folders_are_kept() -> None:
    document = gpxpy.gpx.GPX()
    document.waypoints.append(gpxpy.gpx.GPXWaypoint(2.5, 4.5, name="Quay"))
    track = gpxpy.gpx.GPXTrack(name="Day")
    # The second segment goes on where the first one ended, the third far from there.
    for start in (0.0, 0.01, 0.5):
        points = [gpxpy.gpx.GPXTrackPoint(2 + start + k * 0.001, 4) for k in range(10)]
        track.segments.append(gpxpy.gpx.GPXTrackSegment(points))
    document.tracks.append(track)
    found = read_geodata(document.to_xml().encode(), "a.gpx")
    assert [(one.name, len(one.points)) for one in found.tracks] == [("Day, part 1", 20), ("Day, part 2", 10)]
    assert [(one.name, one.point) for one in found.spots] == [("Quay", (4.5, 2.5))]
    assert "parted" in found.notes[0]
    kml = """<kml xmlns="http://www.opengis.net/kml/2.2"><Document><Style id="s"><LineStyle><color>ff0080ff</color>
    </LineStyle><PolyStyle><color>7f00ff00</color></PolyStyle></Style><Folder><name>Isles</name>
    <Placemark><name>Way</name><styleUrl>#s</styleUrl><LineString><coordinates>4,2 5,3</coordinates></LineString>
    </Placemark><Placemark><name>Field</name><styleUrl>#s</styleUrl><Polygon><outerBoundaryIs><LinearRing><coordinates>
    4,2 5,2 5,3 4,2</coordinates></LinearRing></outerBoundaryIs><innerBoundaryIs><LinearRing><coordinates>
    4.5,2.1 4.6,2.1 4.6,2.2 4.5,2.1</coordinates></LinearRing></innerBoundaryIs></Polygon></Placemark></Folder>
    </Document>
    </kml>"""
    found = read_geodata(kml.encode(), "a.kml")
    assert (found.tracks[0].colour, found.tracks[0].folder) == ("#ff8000", "Isles")
    assert (found.outlines[0].colour, len(found.outlines[0].rings)) == ("#00ff00", 2)


def packed_shapes(tmp_path: Path, crs: str, driver: str = "ESRI Shapefile") -> bytes:
    """Two countries, a river and a town, by pyogrio, in a system of their own."""
    shapes = shapely.from_wkt(["POLYGON((10 50,11 50,11 51,10 50))", "POLYGON((0 -90,20 -90,20 -70,0 -70,0 -90))"])
    change = pyproj.Transformer.from_crs("EPSG:4326", crs, always_xy=True)
    shapes = shapely.transform(shapes, lambda xy: np.column_stack(change.transform(xy[:, 0], xy[:, 1])))
    names = np.array(["Nearland", "Farland"], dtype=object)
    ending = {"ESRI Shapefile": "shp", "GPKG": "gpkg"}[driver]
    pyogrio.raw.write(
        tmp_path / f"a.{ending}",
        shapely.to_wkb(shapes),
        [names],
        ["NAME"],
        geometry_type="Polygon",
        crs=crs,
        driver=driver,
    )
    if ending == "gpkg":
        return (tmp_path / "a.gpkg").read_bytes()
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as archive:
        for file in tmp_path.glob("a.*"):
            archive.write(file, file.name)
    return data.getvalue()


@pytest.mark.parametrize("driver", ["ESRI Shapefile", "GPKG"])
def test_countries_of_shapefiles_and_packages_lie_where_they_are_and_end_with_the_ground(
    tmp_path: Path, driver: str
) -> None:
    data = packed_shapes(tmp_path, "EPSG:4326", driver)
    near, far = read_geodata(data, "a.zip" if driver != "GPKG" else "a.gpkg").outlines
    assert (near.name, far.name) == ("Nearland", "Farland")
    assert np.array(sorted(near.rings[0])) == pytest.approx(np.array([(10, 50), (11, 50), (11, 51)]))
    assert min(lat for _, lat in far.rings[0]) == pytest.approx(-85.05)


def test_projected_geojson_and_topojson_are_read_in_their_own_way() -> None:
    metres = {
        "type": "Feature",
        "properties": {"name": "Hall"},
        "geometry": {"type": "Point", "coordinates": [5e5, 5.5e6]},
    }
    named = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::32632"}}
    document = {"type": "FeatureCollection", "crs": named, "features": [metres]}
    (spot,) = read_geodata(json.dumps(document).encode(), "a.geojson").spots
    assert spot.point == pytest.approx(pyproj.Transformer.from_crs(32632, 4326, always_xy=True).transform(5e5, 5.5e6))
    topology = {
        "type": "Topology", "transform": {"scale": [0.1, 0.1], "translate": [10, 50]},
        "arcs": [[[0, 0], [10, 0], [0, 10], [-10, -10]]],
        "objects": {"lands": {"type": "GeometryCollection", "geometries": [
            {"type": "Polygon", "arcs": [[0]], "properties": {"name": "Trine"}}]}},
    }  # fmt: skip
    (outline,) = read_geodata(json.dumps(topology).encode(), "a.json").outlines
    assert outline.name == "Trine"
    assert np.array(sorted(outline.rings[0])) == pytest.approx(np.array([(10, 50), (11, 50), (11, 51)]))


def test_an_imported_way_keeps_to_its_road_and_a_round_one_is_closed() -> None:
    streets = np.array([(0, 0), (0, 300), (200, 300), (200, 120), (500, 120), (500, 0), (0, 0)], float)
    steps = np.concatenate([np.linspace(a, b, 40) for a, b in pairwise(streets)])
    act = ImportRoute(name="Round", points=[Point(*place) for place in steps.tolist()], tolerance=1)
    (route,) = act.apply(Film()).routes
    assert route.closed
    line = shapely.LineString(route.curve.along(np.linspace(0, route.curve.length, 5000)))
    assert line.hausdorff_distance(shapely.LineString(streets)) < 1.1
