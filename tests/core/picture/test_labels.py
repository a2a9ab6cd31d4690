"""Labels and regions stay on their ground in the drawn picture, come as they say, and look as their styles say."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.drawing import centroid, draw_scene, scene_at
from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film, Label, Region, Route, RoutePoint, Scene, acts
from yaila.core.film.choreography import choreograph
from yaila.core.film.marked import Circle, Leader
from yaila.core.film.model import Vantage
from yaila.core.film.scene import Present, present_at
from yaila.core.ground import Point
from yaila.core.ground.mercator import mercator_of
from yaila.core.imagery import PageStore
from yaila.core.marks import Arrival, Lettering, RegionLook
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.time import FilmMoment, Time
from yaila.core.type import Faces, set_text

FULL = Film()
SIZE = FrameSize(1920, 1080)
BLACK = np.zeros((1080, 1920, 3), np.uint8)
PLAIN = {"family": "Noto Sans", "halo": 0, "bold": False, "colour": "#ffffff"}


def drawn(label: Label, pose: Pose, **state: object) -> np.ndarray:
    """The light of a label on black."""
    scene = Scene(labels=(Present(label, label.look, **state),))
    return draw_scene(BLACK, scene, pose, FULL)[..., 0].astype(float)


def middle_of(letter: str) -> tuple[float, float]:
    """The middle of a symmetrical letter from the start of its line, in type sizes, y down, and its line's width."""
    made = set_text(letter, "Noto Sans", False, False, 0, "left", Faces())
    bounds = made.glyphs[0].face.outline(made.glyphs[0].number).getBounds()
    return bounds.centerX() - made.width / 2, bounds.centerY()


@settings(max_examples=30)
@given(st.floats(-600, 600), st.floats(-300, 300), st.floats(0, 65), st.floats(-180, 180), st.floats(-20, 20))
def test_an_upright_label_stands_on_its_place(x: float, y: float, tilt: float, heading: float, roll: float) -> None:
    pose = Pose(40, -30, 2000, tilt, heading, roll, 35)
    u, v, w = pose.frame_from_ground(SIZE) @ np.array([x, y, 1.0])
    if w <= 0.1 or not (60 < u / w < 1860 and 60 < v / w < 1020):
        return
    label = Label(text="H", x=x, y=y, sits="over", look=Lettering(size=40, **PLAIN))
    dx, dy = middle_of("H")
    assert centroid(drawn(label, pose)) == pytest.approx((u / w + dx * 40, v / w + (dy + 0.35) * 40), abs=0.25)


@settings(max_examples=30)
@given(st.floats(-500, 500), st.floats(-250, 250), st.floats(0, 60), st.floats(-180, 180), st.floats(-180, 180))
def test_a_label_that_lies_on_the_ground_is_part_of_it(
    x: float, y: float, tilt: float, heading: float, turn: float
) -> None:
    pose = Pose(0, 0, 2000, tilt, heading, 0, 35)
    look = Lettering(scales="ground", ground=40, **PLAIN)
    label = Label(text="o", x=x, y=y, stands="board", turn=turn, sits="over", look=look)
    dx, dy = middle_of("o")
    across, up = dx * 40, -(dy + 0.35) * 40
    angle = np.radians(turn)
    at = [x + across * np.cos(angle) + up * np.sin(angle), y - across * np.sin(angle) + up * np.cos(angle)]
    u, v, w = pose.frame_from_ground(SIZE) @ np.array([*at, 1.0])
    if w <= 0.3 or not (60 < u / w < 1860 and 60 < v / w < 1020):
        return
    assert centroid(drawn(label, pose)) == pytest.approx((u / w, v / w), abs=0.3)


def test_a_height_is_a_height() -> None:
    pose = Pose(0, 0, 2000, 50, 0, 0, 35)
    place = np.array([300.0, 200.0, 260.0])
    # By the axes of the camera, not by its matrix.
    right, up, forward = pose.axes()
    away = place - np.array(pose.eye())
    focal = 1920 * 35 / 36
    u, v = 960 + focal * away @ right / (away @ forward), 540 - focal * away @ up / (away @ forward)
    label = Label(text="H", x=300, y=200, height=260, sits="over", look=Lettering(size=40, **PLAIN))
    dx, dy = middle_of("H")
    assert centroid(drawn(label, pose)) == pytest.approx((u + dx * 40, v + (dy + 0.35) * 40), abs=0.25)


def test_text_along_a_route_lies_on_it_and_reads_from_the_left() -> None:
    ways = [(-700, -100), (0, 150), (700, -100)]
    lights = []
    for points in (ways, ways[::-1]):
        route = Route(id="r", points=[RoutePoint(x=x, y=y) for x, y in points])
        label = Label(
            text="oHo", stands="route", route="r", sits="over",
            look=Lettering(size=60, tracking=150, **PLAIN),
        )  # fmt: skip
        lights.append(drawn(label, Pose(0, 0, 1920), route=route))
    assert np.abs(lights[0] - lights[1]).mean() < 0.02
    _, columns = np.nonzero(lights[0] > 100)
    first = lights[0].copy()
    first[:, columns.min() + 60 :] = 0
    u, v = centroid(first)
    line = np.column_stack([route.curve.along(np.linspace(0, route.curve.length, 4000)), np.zeros(4000)])
    # o's middle lies a hundredth of its size below that of the capitals.
    assert np.hypot(line[:, 0] + 960 - u, 540 - line[:, 1] - v).min() < 6


def test_a_text_comes_as_it_says_and_is_whole_in_the_end() -> None:
    pose = Pose(0, 0, 1920)
    for how in Label.ways:
        label = Label(
            text="Two words", sits="over", comes=Arrival(how=how, frames=20), look=Lettering(size=80, **PLAIN)
        )
        film = Film(labels=[label], vantages=[Vantage(hold=4)])
        plan = choreograph(film)
        sums = [
            draw_scene(BLACK, scene_at(film, plan, frame), pose, film)[..., 0].sum(dtype=float)
            for frame in (0, 5, 12, 19, 40)
        ]
        assert sums[3] == pytest.approx(sums[4], rel=1e-6)
        assert sums[0] > 0
        if how not in ("cut", "pop", "grow"):
            assert sums == sorted(sums)
            assert sums[1] < 0.8 * sums[4]


def test_typed_letters_stand_where_they_will_and_a_wipe_uncovers_from_the_left() -> None:
    pose = Pose(0, 0, 1920)
    for how in ("typed", "wipe"):
        label = Label(text="HHHH", sits="over", comes=Arrival(how=how, frames=20), look=Lettering(size=80, **PLAIN))
        half, whole = drawn(label, pose, came=0.5), drawn(label, pose)
        shown = half > 0
        assert (np.abs(half[shown] - whole[shown]) <= 2).mean() > 0.97
        assert np.nonzero(shown)[1].max() < 975


def test_a_label_fades_beyond_its_spans() -> None:
    label = Label(text="H", sits="over", widest=4000, closest=1000, look=Lettering(size=80, **PLAIN))
    full = drawn(label, Pose(0, 0, 2000)).sum()
    assert drawn(label, Pose(0, 0, 3999)).sum() == pytest.approx(full, rel=1e-3)
    assert 0 < drawn(label, Pose(0, 0, 4500)).sum() < full * 0.9
    assert drawn(label, Pose(0, 0, 5300)).sum() == 0
    assert drawn(label, Pose(0, 0, 740)).sum() == 0


def test_a_callouts_line_comes_before_its_text_and_meets_its_place() -> None:
    label = Label(
        text="Here", leader=Leader(dx=200, dy=-100, frames=10), comes=Arrival(how="cut"),
        look=Lettering(size=40, box="square", box_colour="#ffffff", box_opacity=1, colour="#80ff80", halo=0),
    )  # fmt: skip
    film = Film(labels=[label], vantages=[Vantage(hold=2)])
    plan = choreograph(film)
    early, late = (draw_scene(BLACK, scene_at(film, plan, frame), Pose(0, 0, 1920), film)[..., 0] for frame in (5, 30))
    assert early[440, 1200] == 0
    # Its dot has the colour of the text.
    assert early[540, 960] == late[540, 960] == 0x80
    assert late[420, 1166] == 255


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"text": "  \n "}, "needs a text"),
        ({"text": "x" * 5000}, "1,000 letters, not 5,000"),
        ({"widest": 10, "closest": 20}, "wider than the closest"),
        ({"comes": {"how": "draw"}}, "cannot come or go by “draw”"),
    ],
)
def test_labels_that_cannot_be_are_refused_in_words(change: dict, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        Label.model_validate({"text": "Name"} | change)


def region(look: RegionLook, **more: object) -> Region:
    ring = tuple(Point(x, y) for x, y in ((-300, -200), (300, -200), (300, 200), (-300, 200)))
    return Region(rings=(ring,), look=look, **more)


def test_a_region_flashes_so_many_times() -> None:
    one = region(RegionLook(filled=0), flashes=3, flash=10, starts=FilmMoment(seconds=0.4))
    film = Film(regions=[one], vantages=[Vantage(hold=3)])
    plan = choreograph(film)
    light = np.array(
        [draw_scene(BLACK, scene_at(film, plan, k), Pose(0, 0, 1920), film)[540, 960, 0] for k in range(70)], float
    )
    peaks = [k for k in range(1, 69) if light[k] > 150 and light[k - 1] < light[k] >= light[k + 1]]
    assert len(peaks) == 3
    assert light[:10].max() == light[40:].max() == 0


def test_the_rest_of_the_picture_is_grey_and_what_is_inside_stays() -> None:
    rng = np.random.default_rng(4)
    ground = rng.integers(0, 255, (1080, 1920, 3), np.uint8)
    one = region(RegionLook(filled=0, rest="grey", rest_by=1))
    shown = draw_scene(ground, Scene(regions=(Present(one, one.look),)), Pose(0, 0, 1920), FULL)
    assert (shown[345:735, 665:1255] == ground[345:735, 665:1255]).all()
    outside = shown[:300].astype(int)
    assert np.ptp(outside, axis=2).max() <= 1
    assert np.abs(outside[..., 0] - ground[:300] @ [0.2126, 0.7152, 0.0722]).max() <= 1


def test_a_lifted_piece_is_raised_as_a_plane_at_its_height() -> None:
    ground = np.full((1080, 1920, 3), 60, np.uint8)
    ground[530:550, 950:970] = 255
    one = region(RegionLook(filled=0, lift=100, shadow_opacity=0))
    pose = Pose(0, 0, 1920, 50)
    shown = draw_scene(ground, Scene(regions=(Present(one, one.look),)), pose, FULL)[..., 0].astype(float)
    _, up, forward = pose.axes()
    away = np.array([0, 0, 100.0]) - np.array(pose.eye())
    v = 540 - 1920 * 35 / 36 * (away @ up) / (away @ forward)
    assert centroid(np.clip(shown - 70, 0, None)) == pytest.approx((960, v), abs=0.6)


def test_a_circle_of_kilometres_is_one_on_the_sphere_too() -> None:
    # Against the spherical law of cosines, radius 6,378.137 km as in EPSG:3857.
    latitude = 58.0
    y = 6378137 * np.arcsinh(np.tan(np.radians(latitude)))
    ring = np.array(Region(circle=Circle(x=0, y=y, radius=5000)).outline(True)[0])
    lon, lat = ring[:, 0] / 6378137, np.arctan(np.sinh(ring[:, 1] / 6378137))
    there = np.radians(latitude)
    away = 6378137 * np.arccos(np.sin(there) * np.sin(lat) + np.cos(there) * np.cos(lat) * np.cos(lon))
    assert away == pytest.approx(np.full(len(away), 5000), rel=2e-3)


def test_letters_along_a_route_have_sides_and_a_shadow_too() -> None:
    route = Route(id="r", points=[RoutePoint(x=x, y=0) for x in (-500, 500)])
    grey = np.full((1080, 1920, 3), 200, np.uint8)

    def row(**look: object) -> np.ndarray:
        label = Label(
            text="HHH", stands="route", route="r", sits="over",
            look=Lettering(size=100, **PLAIN, side_colour="#ff0000", **look),
        )  # fmt: skip
        return draw_scene(grey, Scene(labels=(Present(label, label.look, route=route),)), Pose(0, 0, 1920), FULL)

    assert row().min() >= 200
    sides = row(thickness=20)
    assert ((sides[..., 0] > 200) & (sides[..., 1] < 60)).sum() > 500
    assert row(shadow=12).min() < 150


def test_a_label_counts_the_way_of_a_line_over_the_earth_and_values_of_a_course() -> None:
    ends = [Point(*mercator_of(4, 50)), Point(*mercator_of(8, 50))]
    points = [{"x": place.x, "y": place.y, "corner": True} for place in ends]
    counter = {"route": "w", "unit": "nmi", "places": 1}
    even = {"x1": 0, "y1": 0, "x2": 1, "y2": 1}
    stops = [
        {"id": f"s{at}", "at": {"on": "film", "seconds": at}, "value": value, "ease": even}
        for at, value in ((0, 100), (4, 20))
    ]
    film = Film(
        ground={"kind": "mercator"},
        routes=[{"id": "w", "points": points, "draws": {"shown": True, "seconds": 4}}],
        labels=[
            {"id": "far", "text": "# nmi so far", "counter": counter, "comes": {"how": "cut"}},
            {"id": "left", "text": "days left", "counter": {"value": {"stops": stops}}, "comes": {"how": "cut"}},
        ],
        vantages=[{"x": ends[0].x, "y": ends[0].y, "span": 1e6, "hold": 6}],
    )
    plan = choreograph(film)

    def texts(frame: int) -> list[str]:
        return [present_at(film, plan, label, Time(frame)).mark.text for label in film.labels]

    # Along the parallel of 50 degrees; on the sphere of the map that is the radius times its cosine.
    whole = math.radians(4) * 6378137 * math.cos(math.radians(50)) / 1852
    assert texts(0) == ["0.0 nmi so far", "100 days left"]
    half = float(texts(50)[0].split()[0])
    assert half == pytest.approx(whole / 2, abs=0.2)
    assert texts(50)[1] == "60 days left"
    assert float(texts(120)[0].split()[0]) == pytest.approx(whole, abs=0.1)
    assert acts.RemoveMarks(marks=["w"]).apply(film).labels[0].counter.route is None


def test_type_moves_by_the_smallest_part_of_a_pixel() -> None:
    renderer, size = Renderer(lambda key: None, PageStore(16)), FrameSize(640, 360)
    rows = np.mgrid[:360, :640][0]
    off = []
    for shift in np.linspace(0, 1, 11):
        look = {"size": 46, "halo": 0, "bold": False}
        label = {"text": "Marrowick", "look": look, "comes": {"how": "cut"}, "stands": "frame", "u": 0.5}
        film = Film(
            frame={"width": 640, "height": 360}, labels=[label | {"v": 0.5 + shift / 360}], vantages=[{"hold": 2}]
        )
        light = renderer.render(Request(film, Time(30), size, Quality.FINAL)).rgb[..., 0].astype(float)
        light -= light.min()
        off.append((rows * light).sum() / light.sum() - shift)
    assert np.ptp(off) < 0.08


@pytest.mark.parametrize("sits", ["above", "over", "below"])
@pytest.mark.parametrize("bend", [1, -1])
def test_letters_along_a_bend_stand_as_far_apart_as_on_a_straight_line(sits: str, bend: int) -> None:
    def centres(points: list[tuple[float, float]]) -> np.ndarray:
        route = Route(id="r", points=[RoutePoint(x=x, y=y) for x, y in points])
        label = Label(text="o o o o o o o o", stands="route", route="r", sits=sits, look=Lettering(size=70, **PLAIN))
        light = drawn(label, Pose(0, 0, 1920), route=route)
        count, _, _, middles = cv2.connectedComponentsWithStats((light > 128).astype(np.uint8))
        assert count == 9
        return np.asarray(sorted(middles[1:].tolist()))

    turns = np.linspace(0.98, 0.02, 13) * np.pi
    arc = [(330 * np.cos(turn), bend * 330 * (np.sin(turn) - 0.6)) for turn in turns]
    straight, bent = centres([(-900, 0), (900, 0)]), centres(arc)
    apart = np.linalg.norm(np.diff(straight, axis=0), axis=1).mean()
    # Chords of an arc are a little shorter than the arc, by less than 2 % here.
    assert np.linalg.norm(np.diff(bent, axis=0), axis=1) == pytest.approx(np.full(7, apart), rel=0.05)
