"""Glow, glass, wear and ends: against what is known of them, and the same whoever draws them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from skimage.metrics import structural_similarity

from tests.reference.test_grading import FRAME, even, finish, noise, view
from yaila.core.camera import FrameSize
from yaila.core.colour import decoded
from yaila.core.film import Film, choreograph
from yaila.core.film.finish import EFFECTS, Finish
from yaila.core.film.scene import scene_at
from yaila.core.picture.frame_finish import finished
from yaila.core.picture.glass import maps
from yaila.core.picture.wear import flickering, weaving
from yaila.core.time import Time

HALF = FrameSize(960, 540)


def soft_noise(size: FrameSize = HALF, seed: int = 2) -> np.ndarray:
    pixels = cv2.GaussianBlur(noise(size, seed), (0, 0), 3)
    pixels = cv2.normalize(pixels, None, 20, 235, cv2.NORM_MINMAX)
    pixels[..., 3] = 255
    return pixels


def test_glow_is_light_that_is_added_and_no_less_nor_more_of_it() -> None:
    pixels = even(0, HALF)
    pixels[262:278, 472:488, :3] = 255
    made = finished(
        pixels, finish(glow={"strength": 0.5, "above": 0.5, "wide": 0.01, "colour": "#ffffff"}), view(HALF), 0
    )
    light, before = decoded(made[..., 1] / 255.0), decoded(pixels[..., 1] / 255.0)
    spread = light - before
    assert spread[:260].max() > 0.001
    # Half of the light that was there lies around it, but for what white cannot show any more.
    around = spread[pixels[..., 1] == 0].sum() / before.sum()
    assert 0.3 < around <= 0.5
    # It is round, and nothing that is darker glows.
    assert spread[250, 480] == pytest.approx(spread[290, 480], abs=0.004)
    dim = even(100, HALF)
    assert np.array_equal(finished(dim, finish(glow={"above": 0.7}), view(HALF), 0), dim)


@pytest.mark.parametrize("percent", [20.0, -15.0])
def test_distortion_is_the_cube_of_the_way_to_a_corner_and_the_frame_stays_full(percent: float) -> None:
    columns, rows = maps(1920, 1080, percent / 100, 0.0)
    assert columns.min() >= -0.51
    assert columns.max() <= 1919.51
    assert rows.min() >= -0.51
    assert rows.max() <= 1079.51
    # OpenCV's own model of a lens, with one radial coefficient, up to the scale that keeps the frame full.
    half = float(np.hypot(960, 540))
    camera = np.array([[half, 0, 959.5], [0, half, 539.5], [0, 0, 1.0]])
    places = np.array([[[100.0, 200.0], [960.0, 50.0], [1700.0, 900.0]]])
    away = (places - (959.5, 539.5)) / half
    seen, _ = cv2.projectPoints(
        np.concatenate([away, np.ones((1, 3, 1))], axis=-1)[0], np.zeros(3), np.zeros(3), camera,
        np.array([percent / 100, 0, 0, 0, 0]),
    )  # fmt: skip
    u, v = places[0].astype(int).T
    got = np.column_stack([columns[v, u] - 959.5, rows[v, u] - 539.5])
    wanted = seen[:, 0] - (959.5, 539.5)
    ratio = got / wanted
    assert np.ptp(ratio) < 2e-3
    assert (
        np.abs(finished(even(90), finish(glass={"distortion": percent}), view(), 0).astype(int) - even(90)).max() <= 1
    )


def test_fringes_part_red_and_blue_in_the_corners_by_as_much_as_they_say() -> None:
    pixels = even(0)
    pixels[:, 1900:1902, :3] = 255
    made = finished(pixels, finish(glass={"distortion": 0, "soft": 0, "fringes": 10}), view(), 0).astype(float)
    red, green, blue = ((made[540, :, c] * np.arange(1920)).sum() / made[540, :, c].sum() for c in range(3))
    # So far out it is that share of what it is in the corners.
    share = 941 / np.hypot(960, 540)
    assert red - green == pytest.approx(10 * share, abs=0.15)
    assert green - blue == pytest.approx(10 * share, abs=0.15)
    assert made[:, 958:962, :3].max() == 0


def test_edges_melt_and_the_middle_stays() -> None:
    pixels = soft_noise(FRAME)
    made = finished(pixels, finish(glass={"distortion": 0, "fringes": 0, "soft": 20}), view(), 0).astype(float)
    middle, corner = (slice(500, 580), slice(920, 1000)), (slice(0, 80), slice(0, 80))
    assert np.abs(made[middle] - pixels[middle]).max() <= 1
    assert made[corner][..., 1].std() < 0.4 * pixels[corner][..., 1].std()


def test_wear_is_the_same_for_a_frame_and_another_for_the_next() -> None:
    worn = finish(wear={"dust": 1, "scratches": 1, "flicker": 0, "weave": 0})
    frames = [finished(even(128), worn, view(), frame)[..., 1].astype(int) - 128 for frame in range(6)]
    assert np.array_equal(frames[2], finished(even(128), worn, view(), 2)[..., 1].astype(int) - 128)
    marked = [(np.abs(frame) > 12) for frame in frames]
    assert all(20 < one.sum() < 0.02 * one.size for one in marked)
    # Dust is gone with its frame; scratches stay where they are for a while.
    columns = [np.abs(frame).mean(axis=0) for frame in frames]
    assert np.corrcoef(columns[0], columns[1])[0, 1] > 0.5
    small = finished(even(128, HALF), worn, view(HALF), 2)[..., 1].astype(float)
    large = cv2.resize(frames[2].astype(np.float32) + 128, tuple(HALF), interpolation=cv2.INTER_AREA)
    assert structural_similarity(large, small, data_range=100) > 0.9
    part = (
        finished(even(128, FrameSize(300, 200)), worn, view(FRAME, (400, 300, 300, 200)), 2)[..., 1].astype(int) - 128
    )
    assert np.array_equal(part, frames[2][300:500, 400:700])


def test_flicker_and_weave_stray_about_nothing_by_as_much_as_they_say() -> None:
    wear = finish(wear={"flicker": 1, "weave": 3}).wear
    stops = np.log2([flickering(wear, frame) for frame in range(600)])
    assert abs(stops.mean()) < 0.15
    assert 0.3 < stops.std() < 0.6
    moves = np.array([weaving(wear, frame) for frame in range(600)])
    assert np.abs(moves.mean(axis=0)).max() < 0.4
    assert 1.5 < moves[:, 1].std() < 3.6
    assert moves[:, 0].std() < moves[:, 1].std()
    # A frame with more light is as much brighter.
    brightest = int(np.argmax(stops[:50]))
    made = finished(even(60), finish(wear={"dust": 0, "scratches": 0, "flicker": 1, "weave": 0}), view(), brightest)
    light = decoded(made[5, 5, 0] / 255) / decoded(60 / 255)
    assert np.log2(light) == pytest.approx(stops[brightest], abs=0.15)
    # What weaves is only moved: a blot lies where it should, by its middle.
    blot = even(0)
    blot[500:520, 900:930, :3] = 200
    moved = finished(blot, finish(wear={"dust": 0, "scratches": 0, "flicker": 0, "weave": 3}), view(), 4)[..., 1]
    middle = [(moved.sum(axis=k) * np.arange(moved.shape[1 - k])).sum() / moved.sum() for k in (0, 1)]
    assert (middle[0] - 914.5, middle[1] - 509.5) == pytest.approx(weaving(wear, 4), abs=0.04)


def ends(**how: object) -> Finish:
    return Finish.model_validate({"ends": {"on": True, **how}})


def test_a_film_comes_from_a_colour_and_goes_to_it() -> None:
    film = Film.model_validate({"vantages": [{"x": 0, "y": 0, "span": 100, "hold": 4}], "rate": "25"})
    film.finish = ends(opens_over=1.0, closes="colour", closes_over=0.5, colour="#ffffff")
    choreography = choreograph(film)
    going = [scene_at(film, choreography, Time(frame)).going for frame in range(100)]
    assert going[0] == (1.0, 0.0)
    assert going[25] == (0.0, 0.0)
    assert going[99] == (0.0, 1.0)
    assert going[99 - 13] == (0.0, 0.0)
    opening = [one for one, _ in going[:26]]
    assert opening == sorted(opening, reverse=True)
    assert finished(even(40, HALF), film.finish, view(HALF), 0, going[0]).min() == 255
    assert np.array_equal(finished(even(40, HALF), film.finish, view(HALF), 30, going[30]), even(40, HALF))
    cut = ends(opens="cut", closes="cut")
    film.finish = cut
    assert scene_at(film, choreograph(film), Time(0)).going == (0.0, 0.0)


@pytest.mark.parametrize("how", ["zoom", "whip"])
def test_ways_out_blur_along_their_way_and_keep_the_light(how: str) -> None:
    pixels = soft_noise()
    out = finished(pixels, ends(closes=how), view(HALF), 0, (0.0, 0.7))[..., 1]
    along = np.abs(np.diff(out[250:290].astype(float), axis=1)).mean()
    assert along < 0.5 * np.abs(np.diff(pixels[250:290, :, 1].astype(float), axis=1)).mean()
    if how == "whip":
        across = np.abs(np.diff(out.astype(float), axis=0)).mean()
        assert across > 2 * np.abs(np.diff(out.astype(float), axis=1)).mean()
    light = decoded(out / 255.0).mean()
    assert light == pytest.approx(decoded(pixels[..., 1] / 255.0).mean(), rel=0.12)
    # It sets in without a jump.
    little = finished(pixels, ends(closes=how), view(HALF), 0, (0.0, 0.02))
    assert np.abs(little.astype(int) - pixels).mean() < 4


@pytest.mark.parametrize("name", [name for name, kind in EFFECTS.items() if kind.IDLE])
def test_none_of_an_effects_strength_is_none_of_it(name: str) -> None:
    effect = EFFECTS[name](on=True).weakened(0.0)
    for field, idle in EFFECTS[name].IDLE.items():
        assert getattr(effect, field) == idle
    if name in ("glow", "grade", "glass", "vignette", "wear", "grain"):
        pixels = soft_noise()
        out = finished(pixels, Finish.model_validate({name: effect.model_dump()}), view(HALF), 3)
        assert np.abs(out.astype(int) - pixels).max() <= 1


@pytest.mark.parametrize("size", [FrameSize(2, 2), FrameSize(3, 200), FrameSize(64, 36)])
def test_all_of_them_at_once_give_a_picture_of_any_size(size: FrameSize) -> None:
    every = {name: {} for name in ("glow", "grade", "glass", "vignette", "wear", "grain", "bars")}
    whole = finish(**every, ends={"opens": "zoom", "closes": "whip"})
    out = finished(even(120, size), whole, view(size), 5, (0.5, 0.5))
    assert out.shape == (size.height, size.width, 4)
    assert (out[..., 3] == 255).all()
