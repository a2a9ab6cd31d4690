"""Land that stands out, against rays through a box by plain geometry (the slab method: T. Kay and J. Kajiya, "Ray
Tracing Complex Scenes", 1986), and against shadows worked out by hand."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.reference.test_relief import SIDE, SIZE, disc_blurred, drawn, film_of, hills, renderer, texture
from tests.truth import psnr
from yaila.core.camera import Aperture, Pose, View
from yaila.core.film import Film, choreograph
from yaila.core.film.finish import Lens
from yaila.core.film.focus import aperture_of
from yaila.core.picture import Quality, Request
from yaila.core.time import Time

WEST, EAST, SOUTH, NORTH, HIGH = -70.0, 60.0, -40.0, 55.0, 45.0
FLAT = np.zeros((4, 4), np.float32)


def land(high: float = HIGH, **look: object) -> dict:
    ring = [[WEST, SOUTH], [EAST, SOUTH], [EAST, NORTH], [WEST, NORTH]]
    look = {"filled": 0, "raised": high, "side_colour": "#ff0000", "shadow_opacity": 0, **look}
    return {"id": "land", "rings": [ring], "comes": {"how": "cut"}, "look": look}


def film(view: dict, region: dict, **finish: object) -> Film:
    return film_of({"x": 0, "y": 0, **view}, 0.0, regions=[region]).model_copy(
        update={"finish": film_of({}, 0.0, finish=finish).finish}
    )


def through_a_box(pose: Pose, samples: int = 4) -> tuple[np.ndarray, np.ndarray]:
    """The picture, and the share of each pixel that shows a side."""
    right, up, forward = pose.axes()
    eye, plate = np.array(pose.eye()), texture().astype(np.float32)
    picture, share = np.zeros((SIZE.height, SIZE.width, 3)), np.zeros((SIZE.height, SIZE.width))
    rows, columns = np.mgrid[0 : SIZE.height, 0 : SIZE.width].astype(np.float64)
    low, high = np.array([WEST, SOUTH, 0.0]), np.array([EAST, NORTH, HIGH])
    for k in range(samples * samples):
        across = (columns + (k % samples + 0.5) / samples - SIZE.width / 2) / SIZE.width * 36 / pose.focal
        above = (SIZE.height / 2 - rows - (k // samples + 0.5) / samples) / SIZE.width * 36 / pose.focal
        rays = across[..., None] * right + above[..., None] * up + forward
        a, b = (low - eye) / rays, (high - eye) / rays
        enters, leaves = np.minimum(a, b), np.maximum(a, b)
        met = (enters.max(axis=-1) < leaves.min(axis=-1)) & (leaves.min(axis=-1) > 0)
        side = met & (enters.argmax(axis=-1) < 2)
        way = np.where(met, enters.max(axis=-1), -eye[2] / rays[..., 2])
        place = eye + way[..., None] * rays
        column, row = place[..., 0] + SIDE / 2 - 0.5, SIDE / 2 - place[..., 1] - 0.5
        seen = cv2.remap(plate, column.astype(np.float32), row.astype(np.float32), cv2.INTER_LINEAR)
        picture += np.where(side[..., None], 0, seen)
        share += side
    return picture / samples**2, share / samples**2


@pytest.mark.parametrize(
    "view", [{"span": 300, "tilt": 55, "heading": 30}, {"span": 260, "tilt": 35, "heading": -150, "roll": 20}]
)
def test_land_is_what_rays_through_a_box_meet(view: dict) -> None:
    made = film(view, land())
    truth, sides = through_a_box(choreograph(made).pose(Time(0)))
    plain = sides == 0
    for quality, least in ((Quality.FINAL, 40), (Quality.DRAFT, 37)):
        picture = drawn(made, FLAT, quality)
        assert psnr(truth[plain], picture[plain]) >= least
        # Sides are seen where they are, to a twentieth of all that is seen of them.
        red = (picture[..., 0] > 60) & (picture[..., 1:] < 30).all(axis=-1)
        assert np.abs(red ^ (sides > 0.5)).sum() < 0.05 * (sides > 0.5).sum()
    # Those that face the light are brighter.
    lit = picture[..., 0][red]
    assert np.quantile(lit, 0.95) > np.quantile(lit, 0.05) + 30


def test_its_shadow_is_as_long_as_the_sun_is_low_and_as_soft_as_the_light_is_wide() -> None:
    def shade(soft: float) -> np.ndarray:
        sun = {"on": True, "azimuth": 270, "height": 45, "tints": 0, "soft": soft}
        lit, dark = (
            drawn(film({"span": 480}, land(shadow_opacity=by), sun=sun), FLAT).astype(float).mean(axis=2)
            for by in (0, 0.8)
        )
        # North and south of it there is none.
        assert np.abs(lit - dark)[:70].max() < 1.01
        return (dark / np.maximum(lit, 1))[120:150].mean(axis=0)

    # Straight down, a pixel a unit; light from the west, as steep as 45 degrees.
    for soft, wide in ((0.5, 3), (20, 20)):
        row = shade(soft)
        inside = np.flatnonzero(row < 0.8) - SIZE.width / 2 + 0.5
        # From above, the top hides what is beyond its own edge as far as it is nearer to the camera.
        end = EAST + HIGH
        assert inside.max() == pytest.approx(end, abs=2 + soft / 2)
        edge = np.flatnonzero((row > 0.55) & (row < 0.97))
        edge = edge[np.abs(edge - SIZE.width / 2 - end) < 25]
        assert len(edge) <= wide if soft < 1 else len(edge) > 8


def test_what_stands_on_land_stands_on_its_top_and_the_sea_is_as_it_was() -> None:
    dot = {"symbol": "dot", "size": 24, "edge": 0, "colour": "#ff00ff"}
    marks = [{"x": x, "y": y, "comes": {"how": "cut"}, "look": dot} for x, y in ((20.0, 10.0), (-120.0, 10.0))]
    made = film({"span": 400, "tilt": 45}, land()).model_copy(
        update={"markers": film_of({}, 0.0, markers=marks).markers}
    )
    picture = drawn(made, FLAT).astype(int)
    view = View.of(choreograph(made).pose(Time(0)), SIZE)
    hot = (picture[..., 0] > 180) & (picture[..., 1] < 90) & (picture[..., 2] > 180)
    for place, high in (((20.0, 10.0), HIGH), ((-120.0, 10.0), 0.0)):
        u, v, _ = view.project(np.array([place]), high)[0]
        rows, columns = np.nonzero(hot[int(v) - 6 : int(v) + 7, int(u) - 6 : int(u) + 7])
        assert columns.mean() + int(u) - 6 + 0.5 == pytest.approx(u, abs=0.5)
        assert rows.mean() + int(v) - 6 + 0.5 == pytest.approx(v, abs=0.5)


def test_land_of_no_height_changes_nothing_and_it_stands_on_mountains_too() -> None:
    view, grid = {"span": 320, "tilt": 50}, hills()
    assert np.array_equal(drawn(film(view, land(0)), FLAT), drawn(film_of({"x": 0, "y": 0, **view}, 0.0), FLAT))
    relief = {"on": True, "plate": "h", "times": 1, "shade": 0, "shadows": 0}
    both, mountains = (drawn(film(view, land(high), relief=relief), grid).astype(int) for high in (30, 0))
    # What is far from it stays as it is.
    assert (np.abs(both - mountains)[:, :95].max(axis=-1) > 8).mean() < 0.002
    assert (np.abs(both - mountains).max(axis=-1) > 40).mean() > 0.1


@pytest.mark.parametrize("tilt", [0, 60, 84])
@pytest.mark.parametrize("high", [1e-3, 5000.0, 1e7])
def test_land_of_any_height_gives_a_clean_picture(tilt: float, high: float) -> None:
    picture = drawn(film({"span": 400, "tilt": tilt}, land(high, shadow_opacity=1)), FLAT, Quality.DRAFT)
    assert picture.shape == (*SIZE[::-1], 3)


LENS = {"on": True, "f_number": 1.4, "nearness": 0.4}


def test_land_is_out_of_focus_over_ground_that_is_all_in_focus() -> None:
    # Straight down, the flat ground has no circle of confusion anywhere; the top of the land has one.
    high, view = 90.0, {"span": 300}
    sharp, blurred = (drawn(film(view, land(high), **more), FLAT).astype(float) for more in ({}, {"lens": LENS}))
    distance, top = 300 * 35 / 36, np.s_[50:200, 120:330]
    radius = abs(Aperture(35, 1.4, 1.0, 400).radius((distance - high) / distance, SIZE.width))
    assert radius > 5
    assert psnr(disc_blurred(sharp, radius)[top], blurred[top]) >= 42
    assert psnr(sharp[top], blurred[top]) < 40


def test_what_stands_on_land_is_focused_on_as_high_as_that_is() -> None:
    marks = [{"id": "on", "x": 20.0, "y": 10.0}, {"id": "off", "x": -120.0, "y": 10.0}]
    base = film({"span": 400, "tilt": 45}, land())
    made = base.model_copy(update={"markers": film_of({}, 0.0, markers=marks).markers})
    ground = renderer(FLAT).ground(made, Time(0))
    assert ground(20.0, 10.0) == pytest.approx(HIGH)
    assert ground(-120.0, 10.0) == 0
    view = View.of(choreograph(made).pose(Time(0)), SIZE)
    for mark, high in (("on", HIGH), ("off", 0.0)):
        lens = Lens.model_validate(LENS | {"focus": {"on": "mark", "mark": mark}})
        aperture = aperture_of(made, choreograph(made), lens, view, Time(0), ground)
        place = next((one["x"], one["y"]) for one in marks if one["id"] == mark)
        assert aperture.focused / aperture.target == pytest.approx(view.depth(np.array(place), high), rel=1e-6)


def test_a_plate_that_shines_through_stands_out_as_one_that_does_not() -> None:
    view = {"span": 900, "tilt": 50}

    def outlined(opacity: float) -> np.ndarray:
        made = film_of({"x": 0, "y": 0, **view}, 0.0)
        made.plates[0].raised, made.plates[0].side_colour, made.plates[0].opacity = 60.0, "#ff0000", opacity
        made.plates[0].placement = made.plates[0].placement.model_copy(update={"scale": 0.3})
        picture = drawn(made, FLAT).astype(int)
        return (picture[..., 0] > 60) & (picture[..., 1:] < 30).all(axis=-1)

    whole, half = outlined(1.0), outlined(0.4)
    assert whole.sum() > 500
    assert (whole ^ half).sum() < 0.05 * whole.sum()


def test_land_rises_only_where_it_is_uncovered() -> None:
    reveal = {"how": "wipe", "direction": 90, "frames": 25, "soft": 0, "starts": {"on": "film", "seconds": 0}}
    half = land() | {"reveal": reveal}
    made = film({"span": 400, "tilt": 45}, half)
    made.vantages[0].hold = 4.0
    red = []
    for frame in (12, 60):
        picture = renderer(FLAT).render(Request(made, Time(frame), SIZE)).rgb.astype(int)
        red.append(int(((picture[..., 0] > 60) & (picture[..., 1:] < 30).all(axis=-1)).sum()))
    assert 0.25 * red[1] < red[0] < 0.8 * red[1]


def test_ground_that_is_only_drawn_on_goes_through_the_lens_as_flat_ground_does() -> None:
    relief = {"on": True, "plate": "h", "times": 1, "shade": 0, "shadows": 0, "drawing": True}
    view = {"span": 400, "tilt": 50}
    flat, shaded = (drawn(film(view, land(0), lens=LENS, **more), hills()) for more in ({}, {"relief": relief}))
    # But for what linear light rounds.
    assert np.abs(flat.astype(int) - shaded).max() <= 3
