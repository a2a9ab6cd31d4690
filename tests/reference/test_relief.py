"""Relief against rays that are marched by brute force, and against what is known of planes."""

from __future__ import annotations

import math
from dataclasses import replace

import cv2
import numpy as np
import pytest
from scipy.spatial import KDTree

from tests.truth import fine_texture, mean_light, psnr
from yaila.core.camera import Aperture, FrameSize, Pose, View
from yaila.core.colour import decoded
from yaila.core.film import Film, choreograph
from yaila.core.film.focus import aperture_of
from yaila.core.imagery import PageStore
from yaila.core.imagery.pages import PADDED, PAGE
from yaila.core.picture import Kit, Quality, Renderer, Request
from yaila.core.picture.heights import CLEAR, Heights, cast, slope_of
from yaila.core.picture.terrain import Raised, Slopes, Terrain
from yaila.core.time import Time

SIZE = FrameSize(480, 270)
SMALL = FrameSize(320, 180)
SIDE = 1024
PLAIN = Slopes((0.6, -0.6), 0.0, 0.0)


class Picture:
    """The texture as a picture of one level."""

    alpha = False
    sizes = ((SIDE, SIDE),)

    def __init__(self) -> None:
        self.pixels = cv2.cvtColor(texture(), cv2.COLOR_RGB2RGBA)

    def page(self, level: int, column: int, row: int, out: np.ndarray) -> None:
        ys = np.clip(np.arange(PADDED) + row * PAGE - 1, 0, SIDE - 1)
        xs = np.clip(np.arange(PADDED) + column * PAGE - 1, 0, SIDE - 1)
        out[:] = self.pixels[np.ix_(ys, xs)]

    def window(self, level: int, x: int, y: int, width: int, height: int) -> np.ndarray:
        return self.pixels[y : y + height, x : x + width]


def texture() -> np.ndarray:
    return cv2.GaussianBlur(fine_texture(SIDE, SIDE, seed=5), (0, 0), 1.2)


def hills(high: float = 120.0) -> np.ndarray:
    """Smooth hills and valleys, the sea in the corners."""
    random = np.random.default_rng(3)
    grid = np.zeros((SIDE, SIDE), np.float32)
    for octave, strength in ((5, 0.3), (6, 0.6), (7, 1.0)):
        step = 2**octave
        noise = random.normal(size=(SIDE // step + 2, SIDE // step + 2)).astype(np.float32)
        grid += strength * cv2.resize(noise, (SIDE, SIDE), interpolation=cv2.INTER_CUBIC)
    grid = np.clip(grid, 0, None)
    y, x = np.mgrid[0:SIDE, 0:SIDE] / (SIDE - 1) * 2 - 1
    grid *= np.clip(1.4 - np.hypot(x, y) * 1.4, 0, 1) ** 0.5
    return (grid * (high / grid.max())).astype(np.float32)


UNTURNED = np.array([[1.0, 0, -SIDE / 2], [0, -1.0, SIDE / 2], [0, 0, 1.0]])
"""From places of the grid to the ground, whose middle is at 0, 0."""


def film_of(view: dict, times: float = 1.0, **more: object) -> Film:
    picture = {"sha256": "a" * 64, "width": SIDE, "height": SIDE}
    lies = {"kind": "similarity", "x": 0, "y": 0}
    plates = [
        {"id": "p", "name": "p", "picture": picture, "placement": lies},
        {"id": "h", "name": "h", "picture": picture | {"sha256": "b" * 64}, "placement": lies, "role": "heights"},
    ]
    relief = {"on": True, "plate": "h", "times": times, "shade": 0, "shadows": 0}
    return Film.model_validate(
        {
            "plates": plates,
            "vantages": [{"hold": 1, **view}],
            "background": "#000000",
            "finish": {"relief": relief},
            **more,
        }
    )


def renderer(grid: np.ndarray) -> Renderer:
    return Renderer(lambda key: Picture(), PageStore(32), Kit(heights=lambda key, codes: grid))


def drawn(film: Film, grid: np.ndarray, quality: Quality = Quality.FINAL, size: FrameSize = SIZE) -> np.ndarray:
    return renderer(grid).render(Request(film, Time(0), size, quality)).rgb


def brute_force(grid: np.ndarray, pose: Pose, size: FrameSize = SMALL, samples: int = 2) -> np.ndarray:
    """Rays marched by 300 even steps and bisected, by plain vector geometry, through four places of a pixel's square;
    heights and colours are read bilinearly by OpenCV."""
    right, up, forward = pose.axes()
    eye = np.array(pose.eye())
    plate = texture().astype(np.float32)
    total = np.zeros((size.height, size.width, 3))
    rows, columns = np.mgrid[0 : size.height, 0 : size.width].astype(np.float64)

    def at(x: np.ndarray, y: np.ndarray, of: np.ndarray) -> np.ndarray:
        column, row = x + SIDE / 2 - 0.5, SIDE / 2 - y - 0.5
        return cv2.remap(
            of, column.astype(np.float32), row.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT
        )

    for k in range(samples * samples):
        across = (columns + (k % samples + 0.5) / samples - size.width / 2) / size.width * 36 / pose.focal
        above = (size.height / 2 - rows - (k // samples + 0.5) / samples) / size.width * 36 / pose.focal
        rays = across[..., None] * right + above[..., None] * up + forward
        top = float(grid.max()) + 1
        t = np.where(rays[..., 2] < 0, (top - eye[2]) / np.minimum(rays[..., 2], -1e-9), 0.0)
        end = np.where(rays[..., 2] < 0, -eye[2] / np.minimum(rays[..., 2], -1e-9), 0.0)
        found = np.zeros(t.shape, bool)
        step = (end - t) / 300
        for _ in range(301):
            place = eye + t[..., None] * rays
            under = place[..., 2] <= at(place[..., 0], place[..., 1], grid)
            found |= under
            t = np.where(found, t, t + step)
        # Back by half steps to where it came in.
        low, high = t - step, t.copy()
        for _ in range(12):
            middle = (low + high) / 2
            place = eye + middle[..., None] * rays
            under = place[..., 2] <= at(place[..., 0], place[..., 1], grid)
            low, high = np.where(under, low, middle), np.where(under, middle, high)
        place = eye + high[..., None] * rays
        seen = at(place[..., 0], place[..., 1], plate)
        outside = (np.abs(place[..., :2]) > SIDE / 2).any(axis=-1) | (rays[..., 2] >= 0)
        seen[outside] = 0
        total += seen
    return total / samples**2


def disc_blurred(picture: np.ndarray, radius: float) -> np.ndarray:
    """As OpenCV blurs it with a disc of a radius below 10 pixels, a hundred places to the pixel."""
    fine = (np.arange(-10 * 10, 10 * 10 + 10) + 0.5) / 10 - 0.5
    x, y = np.meshgrid(fine, fine)
    disc = cv2.resize((np.hypot(x, y) <= radius).astype(np.float32), (21, 21), interpolation=cv2.INTER_AREA)
    return cv2.filter2D(picture.astype(np.float32), -1, disc / disc.sum())


@pytest.mark.parametrize(
    "view",
    [
        {"span": 500, "tilt": 40, "heading": -100, "roll": 17},
        pytest.param({"span": 300, "tilt": 60, "heading": 25}, marks=pytest.mark.thorough),
    ],
)
def test_relief_is_what_rays_that_are_marched_one_by_one_meet(view: dict) -> None:
    grid = hills()
    film = film_of({"x": 10, "y": -40, **view})
    truth = brute_force(grid, choreograph(film).pose(Time(0)))
    assert psnr(truth, drawn(film, grid, size=SMALL)) >= 42
    assert psnr(truth, drawn(film, grid, Quality.DRAFT, SMALL)) >= 37
    depth = Terrain.of(
        Raised(Heights.of(grid, UNTURNED), 1.0), None, View.of(choreograph(film).pose(Time(0)), SIZE), PLAIN
    )
    assert (depth.found[..., 3] > 0).mean() > 0.99


@pytest.mark.parametrize("quality", list(Quality))
def test_ground_is_the_same_where_it_could_be_seen_through(quality: Quality) -> None:
    """Where all of it covers, rows of the picture follow rows of rays; elsewhere each pixel is looked up by itself."""
    grid = hills()
    film = film_of({"x": 10, "y": -40, "span": 420, "tilt": 62, "heading": 25})
    asked = Request(film, Time(0), SIZE, quality)
    clear, whole = (renderer(grid).render(replace(asked, clear=one)).pixels for one in (True, False))
    there = clear[..., 3] == 255
    assert there.mean() > 0.9
    assert psnr(clear[there], whole[there]) >= 55


def test_open_sea_is_met_at_once_and_where_it_is_met_step_by_step() -> None:
    rng = np.random.default_rng(5)
    grid, (rows, columns) = np.zeros((SIDE, SIDE), np.float32), np.ogrid[:SIDE, :SIDE]
    for x, y, reach, high in rng.uniform((300, 300, 6, 20), (720, 720, 60, 160), (14, 4)):
        grid = np.maximum(grid, (high * (1 - np.hypot(columns - x, rows - y) / reach)).astype(np.float32))
    heights = Heights.of(grid, UNTURNED)
    # There is land no nearer than is said, from any place (SciPy's nearest neighbours), nor is much less said.
    places = rng.uniform(0, SIDE, (4000, 2))
    away = np.maximum(KDTree(np.argwhere(grid > 0) + 0.5).query(places)[0] - math.sqrt(0.5), 0)
    said = heights.clear[tuple((places // CLEAR).astype(int).T)]
    assert (said <= away + 1e-3).all()
    assert (said > away - 4 * CLEAR).all()
    # Rays meet what they meet where nothing is known to be clear.
    view = View.of(Pose(0, 0, 400, 55, 30), SIZE)
    known = Terrain.of(Raised(heights, 1.0), None, view, PLAIN, 1.0).found
    stepwise = Heights.of(grid, UNTURNED)
    stepwise.__dict__["clear"] = np.zeros_like(heights.clear)
    slowly = Terrain.of(Raised(stepwise, 1.0), None, view, PLAIN, 1.0).found
    sea = known[..., 2] == 0
    assert 0.2 < sea.mean() < 0.95
    assert np.abs(known[..., 3] / slowly[..., 3] - 1).max() < 2e-4
    assert Heights.of(np.zeros((9, 7), np.float32), UNTURNED).clear.min() >= 9


def test_slopes_that_are_kept_are_differences_of_heights() -> None:
    heights, rng = Heights.of(hills(), UNTURNED), np.random.default_rng(8)
    kept = *heights.slopes, heights.starts, heights.sizes, heights.scales
    for level in (0, 1, 2):
        step = float(2**level)
        for gx, gy in rng.uniform(SIDE * 0.1, SIDE * 0.9, (40, 2)).tolist():
            # Places count from the middle, north up.
            x, y = gx - SIDE / 2, SIDE / 2 - gy
            around = np.array([[x + step, y], [x - step, y], [x, y - step], [x, y + step]])
            right, left, lower, upper = heights.at(around, step).tolist()
            found = slope_of(*kept, gx, gy, float(level))
            assert found == pytest.approx(((right - left) / (2 * step), (lower - upper) / (2 * step)), abs=1e-3)


def test_a_plain_is_as_high_however_coarsely_it_is_looked_at() -> None:
    """Weights of the two levels that are read add up to one (L. Williams, "Pyramidal Parametrics", 1983)."""
    plain = Heights.of(np.full((SIDE, SIDE), 100.0, np.float32), UNTURNED)
    looked_at = [plain.at(np.array([[1.0, 2.0]]), span)[0] for span in np.geomspace(1, 40, 400)]
    assert looked_at == pytest.approx([100.0] * 400, rel=1e-6)


def test_a_plain_at_a_height_is_seen_as_a_plane_at_that_height() -> None:
    # All of it as high as 60: what is seen at a pixel is where its ray meets that plane.
    grid = np.full((SIDE, SIDE), 60.0, np.float32)
    pose = Pose(0, 0, 400, 50, 15)
    view = View.of(pose, SIZE)
    terrain = Terrain.of(Raised(Heights.of(grid, UNTURNED), 1.0), None, view, PLAIN, 1.0)
    inverse = np.linalg.inv(view.plane(60.0))
    for u, v in ((240.5, 135.5), (100.5, 200.5), (400.5, 80.5)):
        x, y, w = inverse @ [u, v, 1.0]
        found = terrain.found[int(v), int(u)]
        assert found[:3] == pytest.approx((x / w, y / w, 60.0), abs=0.05)
        assert found[3] == pytest.approx(pose.distance / w, rel=1e-4)


def test_marks_stay_on_the_ground_and_names_stand_on_it() -> None:
    grid = hills()
    heights = Heights.of(grid, UNTURNED)
    places = np.array([[30.0, 60.0], [-80.0, 20.0], [5.0, -90.0]])
    marks = [
        {"x": x, "y": y, "comes": {"how": "cut"}, "look": {"symbol": "dot", "size": 24, "edge": 0, "colour": "#ff00ff"}}
        for x, y in places.tolist()
    ]
    film = film_of({"x": 0, "y": 0, "span": 400, "tilt": 45}, markers=marks)
    picture = drawn(film, grid).astype(int)
    view = View.of(choreograph(film).pose(Time(0)), SIZE)
    high = heights.at(places, 400 / 480)
    assert high.max() > 20
    hot = (picture[..., 0] > 180) & (picture[..., 1] < 90) & (picture[..., 2] > 180)
    for u, v, _ in view.project(places, high).tolist():
        rows, columns = np.nonzero(hot[int(v) - 6 : int(v) + 7, int(u) - 6 : int(u) + 7])
        assert columns.mean() + int(u) - 6 + 0.5 == pytest.approx(u, abs=0.5)
        assert rows.mean() + int(v) - 6 + 0.5 == pytest.approx(v, abs=0.5)


def test_a_shadow_is_as_long_as_the_sun_is_low() -> None:
    # A wall, 20 wide and 40 high, along north; the sun in the west, 45 degrees up.
    grid = np.zeros((512, 512), np.float32)
    grid[:, 200:220] = 40.0
    heights = Heights.of(grid, np.array([[1.0, 0, 0], [0, -1.0, 512], [0, 0, 1.0]]))
    lit = cast(heights, 1.0, np.array([1.0, 0.0]))
    rows, columns = lit.sizes[0].tolist()
    middle = lit.values.reshape(rows, columns)[rows // 2] > 0.5
    scale = columns / 512
    dark = np.flatnonzero(~middle) / scale
    assert dark.min() == pytest.approx(220, abs=3)
    assert dark.max() == pytest.approx(260, abs=3)


def test_mountains_rise_and_a_draft_shows_them_as_the_final_does() -> None:
    grid = hills()
    view = {"x": 0, "y": 0, "span": 320, "tilt": 60}
    flat = drawn(film_of(view, 0.0), grid)
    film = film_of(view, 1.0)
    film.finish.relief.on = False
    assert np.array_equal(flat, drawn(film, grid))
    # An even rise: the higher they are, the further the picture is from the flat one.
    off = [psnr(flat, drawn(film_of(view, times), grid)) for times in (0.05, 0.3, 1.0)]
    assert off == sorted(off, reverse=True)
    assert psnr(drawn(film_of(view), grid), drawn(film_of(view), grid, Quality.DRAFT)) > 24


def test_lens_and_shutter_see_mountains_where_they_are() -> None:
    grid, passage = hills(), {"duration": {"unit": "seconds", "value": 1}}
    views = [
        {"x": 0, "y": -60, "span": 320, "tilt": 55, "hold": 0.2, "passage": passage},
        {"x": 60, "y": 60, "span": 260, "tilt": 60, "heading": 20, "hold": 0.2},
    ]
    film = film_of({}, finish={})
    relief = {"on": True, "plate": "h", "times": 1, "shade": 0, "shadows": 0}
    document = film.model_dump(mode="json") | {"vantages": views}
    document["finish"] = {"relief": relief, "shutter": {"on": True, "angle": 180}}
    film = Film.model_validate(document)
    renderer = Renderer(lambda key: Picture(), PageStore(32), Kit(heights=lambda key, codes: grid))
    plain = film.model_copy(update={"finish": film.finish.without({"shutter"})})
    times = [Time(17 + 0.5 * ((k + 0.5) / 16 - 0.5)) for k in range(16)]
    truth = mean_light([renderer.render(Request(plain, time, SMALL, Quality.FINAL)).rgb for time in times])
    assert psnr(truth, renderer.render(Request(film, Time(17), SMALL, Quality.FINAL)).rgb) >= 35
    # With the focus on a summit it is sharp; with the focus on the shore behind it, it is not.
    far = {"on": "place", "x": 0.0, "y": 480.0}
    document["finish"] = {"relief": relief, "lens": {"on": True, "f_number": 1, "nearness": 0.3, "focus": far}}
    blurred = Film.model_validate(document)
    heights = Heights.of(grid, UNTURNED)
    top = np.unravel_index(int(np.argmax(grid[400:700, 400:700])), (300, 300))
    x, y = 400 + top[1] + 0.5 - SIDE / 2, SIDE / 2 - 400 - top[0] - 0.5
    high = float(heights.at(np.array([[x, y]]))[0])
    assert high > 60
    place = {"on": "place", "x": x, "y": y, "height": high}
    document["finish"]["lens"]["focus"] = place
    focused = Film.model_validate(document)
    view = View.of(choreograph(focused).pose(Time(0)), SIZE)
    u, v, _ = view.project(np.array([[x, y]]), high)[0].astype(int).tolist()
    around = np.s_[max(v, 4) - 4 : v + 8, max(u - 20, 0) : u + 20]
    sharp, near, flat = (
        renderer.render(Request(one, Time(0), SIZE, Quality.FINAL)).rgb.astype(float).mean(axis=2)[around]
        for one in (plain, focused, blurred)
    )
    detail = [float(np.abs(np.diff(one, axis=1)).mean()) for one in (sharp, near, flat)]
    assert detail[1] > 0.85 * detail[0]
    assert detail[2] < 0.6 * detail[0]


def test_a_mountain_is_out_of_focus_over_ground_that_is_all_in_focus() -> None:
    # Straight down, the flat ground has no circle of confusion anywhere; a plain that is raised has one.
    grid = np.full((SIDE, SIDE), 90.0, np.float32)
    lens = {"lens": {"on": True, "f_number": 1.4, "nearness": 0.4}}
    relief = {"relief": {"on": True, "plate": "h", "times": 1, "shade": 0, "shadows": 0}}
    view = {"x": 0, "y": 0, "span": 300}
    sharp, blurred = (drawn(film_of(view, finish=finish), grid).astype(float) for finish in (relief, relief | lens))
    distance = 300 * 35 / 36
    radius = abs(Aperture(35, 1.4, 1.0, 400).radius((distance - 90) / distance, SIZE.width))
    assert radius > 5
    wanted = disc_blurred(sharp, radius)
    inner = np.s_[20:-20, 20:-20]
    assert psnr(wanted[inner], blurred[inner]) >= 42
    assert psnr(sharp[inner], blurred[inner]) < 40


@pytest.mark.parametrize(
    "grid",
    [
        np.zeros((1, 1), np.float32),
        np.full((3, 5), np.nan, np.float32),
        np.where(np.indices((64, 64)).sum(axis=0) % 7 == 0, np.nan, 30.0).astype(np.float32),
        np.where(np.indices((64, 64))[1] > 32, 9000.0, 0.0).astype(np.float32),
        np.full((64, 64), -400.0, np.float32),
    ],
)
def test_heights_of_every_kind_give_a_clean_picture(grid: np.ndarray) -> None:
    heights = Heights.of(grid, np.diag([SIDE / grid.shape[1], SIDE / grid.shape[0], 1.0]))
    assert np.isfinite(heights.values).all()
    assert heights.holes == int((~np.isfinite(grid)).sum())
    for tilt in (0, 60, 84):
        picture = drawn(film_of({"x": 0, "y": 0, "span": 400, "tilt": tilt}), grid)
        assert picture.shape == (270, 480, 3)
    assert math.isfinite(float(picture.mean()))


def test_contours_run_at_their_heights_on_flat_ground_and_on_raised_one() -> None:
    # A cone: lines of one height are circles; every fifth is wider.
    y, x = np.mgrid[0:SIDE, 0:SIDE] + 0.5 - SIDE / 2
    cone = np.maximum(205 - np.hypot(x, y), 0).astype(np.float32)
    drawing = {"on": True, "plate": "h", "times": 1, "shade": 0, "shadows": 0, "drawing": True}
    lines = {"lines": 20, "line_colour": "#000000", "line_width": 6}
    view = {"x": 0, "y": 0, "span": 480}
    bare, lined = (drawn(film_of(view, finish={"relief": drawing | more}), cone).astype(int) for more in ({}, lines))
    row, column = np.nonzero((bare - lined).sum(axis=2) > 60)
    away = np.hypot(column + 0.5 - SIZE.width / 2, row + 0.5 - SIZE.height / 2)
    high = 205 - away
    assert np.abs(high - np.round(high / 20) * 20).max() < 2.5
    assert set(np.round(high / 20).astype(int).tolist()) >= {4, 5, 6, 7, 8, 9, 10}
    # On the cone itself, seen aslant: where a circle at its height is.
    tilted = view | {"span": 560, "tilt": 40}
    raised = drawing | {"drawing": False}
    bare, lined = (drawn(film_of(tilted, finish={"relief": raised | more}), cone).astype(int) for more in ({}, lines))
    pose = Pose(0, 0, 560, 40)
    for height in (60, 100, 160):
        angles = np.radians(np.arange(150, 211, 5))
        circle = (205 - height) * np.column_stack([np.sin(angles), np.cos(angles)])
        spots = View.of(pose, SIZE).project(circle, float(height))
        inside = (spots[:, 0] > 2) & (spots[:, 0] < 478) & (spots[:, 1] > 2) & (spots[:, 1] < 268)
        darker = [(bare - lined)[int(v), int(u)].sum() for u, v, _ in spots[inside]]
        assert inside.sum() > 3
        assert np.mean(np.array(darker) > 30) > 0.9


def test_a_slope_that_is_only_drawn_is_as_bright_as_it_faces_the_light() -> None:
    # Rising towards the east by a quarter; light from the west and from the east, 45 degrees up (Lambert's cosine).
    x = np.tile(np.arange(SIDE, dtype=np.float32), (SIDE, 1))
    relief = {"on": True, "plate": "h", "times": 1, "shade": 1, "shadows": 0, "drawing": True}
    shares = []
    for azimuth in (270, 90):
        sun = {"on": True, "azimuth": azimuth, "height": 45, "tints": 0}
        view = {"x": 0, "y": 0, "span": 200}
        flat, shaded = (
            decoded(drawn(film_of(view, finish={"relief": relief | more, "sun": sun}), x * 0.25) / 255)
            for more in ({"shade": 0}, {})
        )
        shares.append(float(shaded.sum() / flat.sum()))
    facing = [(1 / math.sqrt(1 + 1 / 16)) * (1 + side * 0.25) for side in (1, -1)]
    assert shares == pytest.approx(facing, abs=0.03)


def test_a_place_is_picked_where_the_mountain_is_and_focused_on_as_high_as_it_is() -> None:
    grid = hills()
    film = film_of({"x": 0, "y": 0, "span": 400, "tilt": 60})
    renderer = Renderer(lambda key: Picture(), PageStore(32), Kit(heights=lambda key, codes: grid))
    heights, pose = Heights.of(grid, UNTURNED), choreograph(film).pose(Time(0))
    view, raised = View.of(pose, SIZE), []
    for u, v in ((240, 135), (100, 60), (350, 200)):
        place = renderer.place_at(Request(film, Time(0), SIZE), u + 0.5, v + 0.5)
        assert place is not None
        high = float(heights.at(np.array([place]))[0])
        raised.append(high)
        assert view.project(np.array([place]), high)[0, :2] == pytest.approx((u + 0.5, v + 0.5), abs=0.6)
    assert max(raised) > 15
    # A mark that stands there is in focus there.
    mark = {"id": "m", "x": place[0], "y": place[1]}
    ground = renderer.ground(film, Time(0))
    assert ground(*place) == pytest.approx(high, abs=0.5)
    lens = {"lens": {"on": True, "focus": {"on": "mark", "mark": "m"}}}
    focused = film_of({"x": 0, "y": 0, "span": 400, "tilt": 60}, markers=[mark], finish=lens)
    aperture = aperture_of(focused, choreograph(focused), focused.finish.lens, view, Time(0), ground)
    assert aperture.focused / aperture.target == pytest.approx(view.depth(np.array(place), high), rel=1e-3)
    # In the sky there is no place.
    film = film_of({"x": 0, "y": 0, "span": 400, "tilt": 84})
    assert renderer.place_at(Request(film, Time(0), SIZE), 240, 2) is None


@pytest.mark.parametrize("tilt", [20, 50, 64])
@pytest.mark.parametrize("share", [0.6, 1.0, 2.0])
def test_the_lens_looks_as_far_beyond_the_frame_as_circles_of_raised_ground_reach(tilt: float, share: float) -> None:
    """Circles of confusion by how far each ray goes: those of the infinitely far, times 1 - focus / distance."""
    view = {"x": 0, "y": 0, "span": 500, "tilt": tilt}
    focused = share * choreograph(film_of(view)).pose(Time(0)).distance
    relief = {"on": True, "plate": "h", "times": 1, "shade": 0, "shadows": 0}
    lens = {"on": True, "f_number": 2, "focus": {"on": "free", "distance": focused}}
    film = film_of(view, finish={"relief": relief, "lens": lens})
    work = renderer(hills())._begun(Request(film, Time(0), FrameSize(960, 540)))
    assert work.terrain
    away = work.terrain.found[..., 3]
    circles = work.optics.hold * np.abs(1 - focused / away[away > 0])
    # Summits are nearer than flat ground: that alone would need less.
    assert 1 < circles.max() <= work.optics.lens_margin
