"""Surfaces: blend modes against Skia; that they stick to the ground, are as fine as the frame, and do not repeat."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
import pytest
import skia
from skimage import data
from skimage.metrics import structural_similarity
from skimage.registration import phase_cross_correlation

from tests.reference.test_planes import drawn, film_of, plate
from tests.reference.test_relief import SIZE as SMALL
from tests.reference.test_relief import Picture
from yaila.core.camera import FrameSize, Pose, View
from yaila.core.colour.blending import MODES, blended
from yaila.core.film import acts as do
from yaila.core.film.finish import Backdrop, Finish, Grade, Surface
from yaila.core.film.sunlight import Light
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.picture.backdrop import on_backdrop
from yaila.core.picture.surface import Tile, laid_on, shipped
from yaila.core.surfaces import GRAIN, KINDS, SIDE, material, material_of
from yaila.core.time import Time

SIZE = FrameSize(960, 540)
FILM = FrameSize(1920, 1080)


@pytest.mark.parametrize("mode", MODES)
def test_each_blend_mode_is_skias(mode: str) -> None:
    random = np.random.default_rng(3)
    below, above = (random.integers(0, 256, (64, 64, 4), np.uint8) for _ in range(2))
    # The ends and greys too, where formulas divide.
    below[0, :, :3] = np.array([0, 255, 128, 7])[np.arange(64) % 4, None]
    above[1, :, :3] = np.array([0, 255, 128, 7])[np.arange(64) % 4, None]
    below[..., 3] = above[..., 3] = 255
    names = {"normal": "kSrc", "color-dodge": "kColorDodge", "color-burn": "kColorBurn", "hard-light": "kHardLight",
             "soft-light": "kSoftLight"}  # fmt: skip
    wanted = below.copy()
    with skia.Surface(wanted, colorType=skia.kRGBA_8888_ColorType) as canvas:
        image = skia.Image.fromarray(above, colorType=skia.kRGBA_8888_ColorType)
        how = getattr(skia.BlendMode, names.get(mode, "k" + mode.capitalize()))
        canvas.drawImage(image, 0, 0, skia.SamplingOptions(), skia.Paint(BlendMode=how))
    numbers = [one[..., :3].reshape(-1, 3).astype(np.float32) / np.float32(255) for one in (below, above)]
    got = np.array([blended(MODES.index(mode), *one, *other) for one, other in zip(*numbers, strict=True)])
    away = np.abs(got.reshape(64, 64, 3) * 255 - wanted[..., :3])
    # Skia works in half floats where a formula divides by what is small.
    assert np.quantile(away, 0.999) <= 1.01
    assert away.max() <= 2.01


def pose(span: float, x: float = 0.0, y: float = 0.0, **more: float) -> Pose:
    return Pose(x, y, span, **more)


def laid(where: Pose, size: FrameSize = SIZE, value: int = 200, light: float = 0.0, **surface: object) -> np.ndarray:
    """A surface on an even ground."""
    made = Surface.model_validate({"on": True, "folds": 0, "light": light, "strength": 1, **surface})
    pixels = np.full((size.height, size.width, 4), value, np.uint8)
    pixels[..., 3] = 255
    view = View.of(where, size, size.width / FILM.width)
    return laid_on(pixels, made, shipped(made.kind), view, Light(), 100.0)


@pytest.mark.parametrize("kind", KINDS)
def test_each_goes_on_without_an_edge_and_is_like_itself(kind: str) -> None:
    made = material(kind)
    assert made.colours.shape == (SIDE, SIDE, 3)
    grey = made.colours.astype(float).mean(axis=-1)
    # From one edge to the other it steps no more than from one column to the next anywhere.
    steps = np.abs(np.diff(grey, axis=1)).mean(axis=0)
    assert np.abs(grey[:, 0] - grey[:, -1]).mean() < 1.6 * np.quantile(steps, 0.95) + 0.5
    assert np.abs(grey[0] - grey[-1]).mean() < 1.6 * np.quantile(np.abs(np.diff(grey, axis=0)).mean(axis=1), 0.95) + 0.5
    # Nowhere is it a flat colour, nor so dark or bright that nothing is left of a picture under it.
    assert grey.std() > 2.5
    shifted = np.roll(grey, SIDE // GRAIN, axis=1)
    assert np.isfinite(made.heights).all()
    assert shifted.shape == grey.shape


@pytest.mark.parametrize("away", [{}, {"tilt": 50.0, "heading": 30.0}, {"tilt": 30.0, "roll": 20.0}])
def test_it_stays_where_it_is_on_the_ground(away: dict) -> None:
    """The same measure as for pins: where a place of it is in the frame, found to a part of a pixel."""
    before, after = pose(1920, **away), pose(1920, 7.3, -4.1, **away)
    views = [View.of(one, SIZE, 0.5) for one in (before, after)]
    one, other = (laid(where, kind="fine")[..., 1].astype(np.float32) for where in (before, after))
    # The second frame warped as the ground moved lies on the first.
    move = views[0].frame_from_ground @ views[1].ground_from_frame
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    warped = cv2.warpPerspective(other, np.linalg.inv(half) @ move @ half, SIZE, flags=cv2.INTER_CUBIC)
    inner = (slice(200, 456), slice(340, 596))
    shift, *_ = phase_cross_correlation(one[inner], warped[inner], upsample_factor=50)
    assert np.abs(shift).max() <= 0.06
    assert structural_similarity(one[inner], warped[inner], data_range=60) > 0.9


def test_it_has_a_texel_for_a_pixel_at_any_span() -> None:
    """One pixel of the film at whole octaves is one texel, so the finest waves of the tile are seen."""
    tile = shipped("fine")
    for span in (1920 / 64, 1920.0, 1920 * 1024.0):
        made = laid(pose(span, SIDE / 2 * span / 1920, -SIDE / 2 * span / 1920), FILM, 255, kind="fine", blend="normal",
                    own_colour=1)[..., 1].astype(float)  # fmt: skip
        middle = made[400:680, 800:1120]
        own = tile.finest[..., 1]
        # As strong in the finest waves as the tile itself.
        fine = np.abs(np.diff(middle, axis=1)).mean()
        assert fine == pytest.approx(np.abs(np.diff(own, axis=1)).mean(), rel=0.15)
        assert middle.std() == pytest.approx(own.std(), rel=0.2)


@pytest.mark.parametrize("kind", ["fine", "crumpled", "parchment", "wash", "slate"])
def test_nothing_is_seen_to_repeat_where_it_is_widest(kind: str) -> None:
    """Of everything that is a tile away there is as good as no trace: normalised autocorrelation below 0.3."""
    wide = laid(pose(1920.0), FrameSize(3840, 2160), 255, kind=kind, blend="normal", own_colour=1)[..., 1]
    wide = cv2.resize(wide, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA).astype(np.float32)
    wide -= cv2.GaussianBlur(wide, (0, 0), 40)
    alike = np.fft.irfft2(np.abs(np.fft.rfft2(wide, (1080, 1920))) ** 2)
    alike /= alike[0, 0]
    # Lags of more than a third of a tile, a tile's own included: what is nearer is of one streak or blotch.
    lags = alike[:540, :960].copy()
    lags[:85, :85] = 0
    assert lags.max() < 0.3


def test_it_does_not_pop_as_the_camera_goes_through_its_octaves() -> None:
    """Through two octaves each hundredth of a zoom changes it by as little as the zoom itself does."""
    steps = np.exp(np.linspace(0, np.log(4), 24)) * 1000
    frames = [laid(pose(span, 333.0, 77.0), kind="wash", blend="normal")[..., 1].astype(float) for span in steps]
    spread = [frame.std() for frame in frames]
    assert max(spread) < 1.35 * min(spread)
    brightness = [frame.mean() for frame in frames]
    assert np.ptp(brightness) < 1.5
    changes = [np.abs(b - a).mean() for a, b in pairwise(frames)]
    assert max(changes) < 1.7 * np.median(changes)


def test_without_its_own_colour_it_leaves_the_grounds_hue_and_what_is_white_of_it() -> None:
    pixels = np.zeros((540, 960, 4), np.uint8)
    pixels[:] = (60, 120, 180, 255)
    view = View.of(pose(1920.0), SIZE, 0.5)
    made = Surface.model_validate({"on": True, "kind": "parchment", "folds": 0, "light": 0, "strength": 1})
    out = laid_on(pixels, made, shipped("parchment"), view, Light(), 100.0)[..., :3].astype(float)
    share = out / pixels[..., :3]
    assert np.abs(share - share.mean(axis=-1, keepdims=True)).max() < 0.03
    assert np.quantile(share, 0.99) == pytest.approx(1, abs=0.02)
    assert share.mean() > 0.75
    own = made.model_copy(update={"own_colour": 1.0})
    yellow = laid_on(pixels, own, shipped("parchment"), view, Light(), 100.0)[..., :3].astype(float) / pixels[..., :3]
    assert yellow[..., 0].mean() > yellow[..., 2].mean() + 0.15
    # Half as strong is half the way, and none of it leaves all as it is.
    half = laid_on(pixels, made.model_copy(update={"strength": 0.5}), shipped("parchment"), view, Light(), 100.0)
    assert np.abs(half[..., :3] - (out + pixels[..., :3]) / 2).max() <= 1.01
    none = laid_on(pixels, made.model_copy(update={"strength": 0.0}), shipped("parchment"), view, Light(), 100.0)
    assert np.array_equal(none, pixels)


def test_folds_take_the_light_and_shift_the_map() -> None:
    bright = laid(pose(1920.0), kind="crumpled", light=1, strength=0)[..., 1].astype(float)
    assert bright.std() > 6
    assert bright.mean() == pytest.approx(200, abs=4)
    # From the other side light and shade change places.
    pixels = np.full((540, 960, 4), 160, np.uint8)
    pixels[..., 3] = 255
    view = View.of(pose(1920.0), SIZE, 0.5)
    made = Surface.model_validate({"on": True, "kind": "crumpled", "folds": 0, "light": 1, "strength": 0})
    one, other = (
        laid_on(pixels, made, shipped("crumpled"), view, Light(east, -east), 1.0)[..., 1].astype(float) - 160
        for east in (0.6, -0.6)
    )
    assert np.corrcoef(one.ravel(), other.ravel())[0, 1] < -0.95
    # A line under folds bends by as many pixels of the film as it says, at most.
    pixels[:] = (0, 0, 0, 255)
    pixels[:, 478:482, :3] = 255
    shifting = Surface.model_validate({"on": True, "kind": "crumpled", "folds": 16, "light": 0, "strength": 0})
    bent = laid_on(pixels, shifting, shipped("crumpled"), view, Light(), 1.0)[..., 1].astype(float)
    middle = (bent * np.arange(960)).sum(axis=1) / np.maximum(bent.sum(axis=1), 1) - 479.5
    assert 0.8 < np.abs(middle).max() <= 8.5


def test_it_takes_no_more_of_the_picture_than_there_is() -> None:
    pixels = np.zeros((540, 960, 4), np.uint8)
    pixels[:, :480] = (50, 60, 70, 128)
    view = View.of(pose(1920.0, tilt=80.0), SIZE, 0.5)
    made = Surface.model_validate(
        {"on": True, "kind": "slate", "strength": 1, "light": 1, "folds": 0, "blend": "screen"}
    )
    out = laid_on(pixels, made, shipped("slate"), view, Light(), 1.0)
    assert np.array_equal(out[..., 3], pixels[..., 3])
    assert (out[..., :3] <= out[..., 3:]).all()
    # Above the horizon there is no ground.
    assert np.array_equal(out[:20], pixels[:20])


@pytest.mark.parametrize("mode", MODES)
def test_every_mode_gives_a_clean_picture_over_black_and_white(mode: str) -> None:
    for value in (0, 255):
        out = laid(pose(1920.0), FrameSize(96, 54), value, kind="wash", blend=mode, own_colour=1)
        assert (out[..., 3] == 255).all()


class Flat:
    """A picture as a pyramid of one level."""

    def __init__(self, rgba: np.ndarray) -> None:
        self.rgba, self.sizes, self.alpha = rgba, ((rgba.shape[1], rgba.shape[0]),), True

    def window(self, level: int, x: int, y: int, width: int, height: int) -> np.ndarray:
        return self.rgba[y : y + height, x : x + width]


def opaque(rgb: np.ndarray) -> np.ndarray:
    return np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])


def test_a_picture_of_ones_own_becomes_a_surface_without_edges() -> None:
    """A real photograph, and pictures as small, as large and as see-through as they come."""
    brick = opaque(cv2.cvtColor(data.brick(), cv2.COLOR_GRAY2RGB))
    made = material_of(Flat(brick))
    grey = made.colours.astype(float).mean(axis=-1)
    steps = np.abs(np.diff(grey, axis=1)).mean(axis=0)
    assert np.abs(grey[:, 0] - grey[:, -1]).mean() < 2 * np.median(steps) + 1
    assert np.abs(grey[0] - grey[-1]).mean() < 2 * np.median(np.abs(np.diff(grey, axis=0)).mean(axis=1)) + 1
    assert grey.mean() == pytest.approx(float(brick[..., 0].mean()), abs=8)
    one = material_of(Flat(np.array([[[40, 90, 30, 255]]], np.uint8)))
    assert np.abs(one.colours.astype(int) - (40, 90, 30)).max() <= 1
    clear = np.zeros((300, 50, 4), np.uint8)
    assert material_of(Flat(clear)).colours.shape == (SIDE, SIDE, 3)
    clear[:100] = (100, 50, 20, 200)
    assert np.isfinite(Tile.of("x", material_of(Flat(clear))).texels).all()


def test_a_film_has_it_under_its_marks_and_the_same_in_draft_and_final() -> None:
    film = film_of(
        plate("a"), regions=[{"circle": {"x": 20, "y": -30, "radius": 60}, "look": {"filled": 1, "fill": "#884422"}}]
    )
    film.finish.surface = Surface.model_validate({"on": True, "kind": "linen", "strength": 0.8})
    plain = drawn(film.model_copy(update={"finish": Finish()}))
    draft, final = drawn(film, Quality.DRAFT), drawn(film)
    assert np.abs(final.astype(int) - plain).mean() > 3
    assert structural_similarity(draft, final, channel_axis=-1) > 0.9
    assert np.array_equal(drawn(film), final)
    # What is drawn on the map has none of it.
    width, height = SMALL
    around = (slice(height // 2 - 4, height // 2 + 4), slice(width // 2 - 4, width // 2 + 4))
    assert np.array_equal(final[around], plain[around])
    # A plate of the film can be one too, and is let go of with it.
    film.finish.surface = Surface.model_validate({"on": True, "kind": "own", "plate": "a"})
    assert np.abs(drawn(film).astype(int) - plain).mean() > 3
    gone = do.RemovePlate(plate="a").done_to(film)
    assert gone.finish.surface.plate is None
    assert not gone.finish.surface.shown


def test_a_grade_over_a_part_of_the_ground_leaves_the_rest() -> None:
    region = {"id": "r", "circle": {"x": 20, "y": -30, "radius": 60}, "look": {"filled": 0, "border": 0}}
    field = {"id": "f", "circle": {"x": 90, "y": 20, "radius": 25}, "look": {"filled": 1, "fill": "#ffffff"}}
    film = film_of(plate("a"), regions=[region, field])
    film.finish.grade = Grade.model_validate({"exposure": -6})
    plain = drawn(film).astype(int)
    made = {}
    for over in ("ground", "inside", "outside", "frame"):
        film.finish.grade = Grade.model_validate({"on": True, "exposure": -6, "over": over, "region": "r"})
        made[over] = drawn(film).astype(int)
    corner, middle = (slice(0, 20), slice(0, 20)), (slice(150, 160), slice(235, 245))
    dark = 0.2
    assert made["inside"][corner] == pytest.approx(plain[corner])
    assert made["inside"][middle].mean() < dark * plain[middle].mean()
    assert made["outside"][corner].mean() < dark * plain[corner].mean()
    assert made["outside"][middle] == pytest.approx(plain[middle])
    assert made["ground"][corner].mean() < dark * plain[corner].mean()
    # What is drawn on it is only taken by a grade of the whole frame.
    white = (plain > 250).all(axis=-1)
    assert white.sum() > 50
    assert made["ground"][white].mean() > 250
    assert made["frame"][white].mean() < 60
    gone = do.RemoveMarks(marks=["r"]).done_to(film)
    assert gone.finish.grade.region is None


SHEET = {"colour": "#204060", "thick": 12, "shadow": 0.8, "rim": 0, "horizon": "#ffffff", "sky": "#0000ff"}


def sheet(tilt: float = 0.0, **more: object) -> tuple[np.ndarray, np.ndarray]:
    """A map that covers the middle of a frame, and what it looks like on a backdrop."""
    pixels = np.zeros((540, 960, 4), np.uint8)
    pixels[140:400, 260:700] = (200, 180, 40, 255)
    made = Backdrop.model_validate({"on": True, **SHEET, **more})
    view = View.of(pose(1920.0, tilt=tilt), SIZE, 0.5)
    return pixels, on_backdrop(pixels, made, view, Light(), 1920.0)


def test_the_map_lies_on_its_backdrop_with_a_shadow_away_from_the_light() -> None:
    pixels, out = sheet()
    assert (out[..., 3] == 255).all()
    assert np.array_equal(out[150:390, 270:690], pixels[150:390, 270:690])
    # Far from it is what it lies on, but for what is lost in the distance.
    assert np.abs(out[20, 20, :3].astype(int) - (32, 64, 96)).max() <= 2
    # Light comes from the north-west: it is darker to the south-east of it than to the north-west.
    assert out[404, 500, :3].sum() < 0.8 * out[20, 20, :3].sum()
    assert out[270, 704, :3].sum() < 0.8 * out[20, 20, :3].sum()
    assert out[134, 500, :3].sum() > 0.88 * out[20, 20, :3].sum()
    _, none = sheet(shadow=0)
    assert np.abs(none[404, 500, :3].astype(int) - none[20, 20, :3]).max() <= 1


def test_a_sheet_that_is_tilted_shows_its_edge_and_the_sky_is_above_the_horizon() -> None:
    _, out = sheet(tilt=60.0, shadow=0)
    edge = out[401:404, 480, :3].astype(int)
    assert np.abs(edge - (209, 204, 194)).max() <= 3
    assert np.abs(out[420, 480, :3].astype(int) - (32, 64, 96)).max() < 12
    _, high = sheet(tilt=84.0)
    top = high[5, 480, :3].astype(int)
    horizon = View.of(pose(1920.0, tilt=84.0), SIZE, 0.5).plane()
    at = round(float((horizon @ [0.0, 1e12, 1.0])[1] / (horizon @ [0.0, 1e12, 1.0])[2]))
    assert 5 < at < 540
    assert high[at - 1, 480, :3].astype(int) == pytest.approx((255, 255, 255), abs=14)
    assert top[0] < 200
    assert top[2] > 240


def test_a_rim_melts_and_wood_lies_still() -> None:
    _, out = sheet(rim=80, shadow=0)
    row = out[270, 255:340, 0].astype(int)
    assert row[0] == pytest.approx(32, abs=2)
    assert row[60] == 200
    assert (np.diff(row) >= -1).all()
    _, wood = sheet(kind="wood", shadow=0)
    assert wood[20:100, 20:200, 1].std() > 4


def test_a_film_that_is_laid_over_something_has_no_backdrop() -> None:
    film = film_of(plate("a"))
    film.finish.backdrop = Backdrop.model_validate({"on": True, **SHEET})
    film.vantages[0].span = 3000.0
    assert np.abs(drawn(film)[5, 5].astype(int) - (32, 64, 96)).max() <= 4
    pictures = {"a" * 64: Picture()}
    renderer = Renderer(lambda key: pictures[key], PageStore(64))
    clear = renderer.render(Request(film, Time(0), SMALL, clear=True)).pixels
    assert clear[5, 5].tolist() == [0, 0, 0, 0]
