"""Colour against colour-science, and tone matching on pictures of the practice world."""

from __future__ import annotations

import colour
import numpy as np
import pytest

from yaila.core.colour import (
    Tone,
    apply_table,
    ciede2000,
    decoded,
    encoded,
    linear_from_oklab,
    oklab_from_linear,
    oklab_of,
    tone_table,
)
from yaila.core.colour.match import match_tone
from yaila.core.colour.tone import white_balance
from yaila.core.ground import GroundBox
from yaila.standin.world import World


@pytest.fixture(scope="module")
def colours() -> np.ndarray:
    """Colours all over sRGB, (n, 3) uint8."""
    return np.random.default_rng(3).integers(0, 256, (400, 3)).astype(np.uint8)


def test_the_transfer_is_srgb(colours: np.ndarray) -> None:
    # IEC 61966-2-1, by colour-science.
    assert decoded(colours / 255) == pytest.approx(colour.cctf_decoding(colours / 255, function="sRGB"), abs=1e-9)
    assert encoded(decoded(colours / 255)) == pytest.approx(colours / 255, abs=1e-9)


def test_oklab_is_ottossons(colours: np.ndarray) -> None:
    # Ottosson gives the matrix from linear sRGB in ten digits; colour-science goes by way of XYZ.
    xyz = colour.RGB_to_XYZ(colours / 255, "sRGB", apply_cctf_decoding=True)
    assert oklab_of(colours) == pytest.approx(colour.XYZ_to_Oklab(xyz), abs=4e-4)
    assert linear_from_oklab(oklab_from_linear(decoded(colours / 255))) == pytest.approx(
        decoded(colours / 255), abs=1e-9
    )
    # Whole numbers are colours too.
    assert oklab_from_linear(np.eye(3, dtype=int)).tolist() == oklab_from_linear(np.eye(3)).tolist()


def test_the_difference_is_ciede2000(colours: np.ndarray) -> None:
    lab = colour.XYZ_to_Lab(colour.RGB_to_XYZ(colours / 255, "sRGB", apply_cctf_decoding=True))
    assert ciede2000(colours[:200], colours[200:]) == pytest.approx(colour.delta_E(lab[:200], lab[200:]), rel=2e-3)


def test_a_correction_of_temperature_makes_that_daylight_white() -> None:
    # CIE 15 daylight of 7504 K by colour-science, made neutral by a correction 1000 K warmer.
    x, y = colour.temperature.CCT_to_xy_CIE_D(7504 * 1.0)
    white = colour.temperature.CCT_to_xy_CIE_D(6504 * 1.0)
    linear = [colour.XYZ_to_RGB(colour.xy_to_XYZ(p), "sRGB") for p in ((x, y), white)]
    made = white_balance(1000, 0) * linear[0]
    assert made / made[1] == pytest.approx(linear[1] / linear[1][1], abs=0.01)
    assert white_balance(1000, 0) @ [0.2126, 0.7152, 0.0722] == pytest.approx(1)


def test_a_tone_of_zeros_changes_nothing(colours: np.ndarray) -> None:
    assert Tone().idle
    assert Tone(exposure=1e-9).of(colours / 255) == pytest.approx(colours / 255, abs=1e-6)


def test_exposure_is_in_stops_and_saturation_turns_to_grey(colours: np.ndarray) -> None:
    dark = colours // 2
    assert decoded(Tone(exposure=1).of(dark / 255)) == pytest.approx(np.minimum(2 * decoded(dark / 255), 1), abs=0.02)
    grey = Tone(saturation=-100).of(colours / 255)
    assert np.ptp(grey, axis=1).max() < 1e-3


def test_the_table_is_the_tone_to_a_code_or_two(colours: np.ndarray) -> None:
    tone = Tone(exposure=0.3, contrast=12, saturation=-20, hue=10, temperature=-400, tint=15)
    page = np.dstack([colours.reshape(20, 20, 3), np.full((20, 20), 255, np.uint8)])
    apply_table(page, tone_table(tone))
    exact = tone.of(colours / 255) * 255
    assert np.abs(page[..., :3].reshape(-1, 3) - exact).max() < 3.5
    assert np.abs(page[..., :3].reshape(-1, 3) - exact).mean() < 0.5


def test_premultiplied_pixels_are_toned_as_their_colour_is() -> None:
    full = np.full((1, 1, 4), (200, 100, 50, 255), np.uint8)
    half = np.full((1, 1, 4), (100, 50, 25, 128), np.uint8)
    for page in (full, half):
        apply_table(page, tone_table(Tone(saturation=-40)))
    assert half[0, 0, :3] == pytest.approx(full[0, 0, :3].astype(float) * 128 / 255, abs=1.5)


SEASONS = [
    (1.08, 1.0, 0.9, 4, 0, -2),
    (0.9, 1.04, 0.95, 0, 6, 4),
    (1.14, 1.12, 1.05, 8, 10, 14),
    (0.86, 0.9, 1.05, -4, 0, 6),
]


@pytest.fixture(scope="module")
def ground() -> tuple[World, GroundBox]:
    world = World()
    harbour = world.harbours["Quillhaven"]
    return world, GroundBox(harbour.x - 6000, harbour.y - 4500, harbour.x + 6000, harbour.y + 4500)


@pytest.mark.parametrize("season", SEASONS)
@pytest.mark.parametrize("cloud", [0.0, 0.4])
def test_matching_takes_most_of_the_difference_away(ground: tuple, season: tuple, cloud: float) -> None:
    world, box = ground
    below = world.picture(box, 300)
    above = world.picture(box, 300, season)
    if cloud:
        # Cloud as a wide picture has it, over two fifths of this one.
        wide = world.cloud(GroundBox(4e5, 2e5, 4e5 + 20 * 12000, 2e5 + 20 * 9000), 300, 0.45)
        cover = np.where(wide > np.quantile(wide, 1 - cloud), wide, 0)[..., None] * 0.95
        above = (above * (1 - cover) + 235 * cover).astype(np.uint8)
        clear = cover[..., 0] < 0.02
        assert 0.55 < clear.mean() < 0.75
    else:
        clear = np.ones(above.shape[:2], bool)
    match = match_tone(above.reshape(-1, 3), below.reshape(-1, 3))
    assert match
    page = np.dstack([above, np.full(above.shape[:2], 255, np.uint8)])
    apply_table(page, tone_table(Tone(match=match, strength=100)))
    before = ciede2000(above, below)[clear].mean()
    after = ciede2000(page[..., :3], below)[clear].mean()
    assert after < 0.4 * before
    if not cloud:
        assert (match.before, match.after) == pytest.approx((before, after), rel=0.3)


def test_a_matching_pair_is_left_alone(ground: tuple) -> None:
    world, box = ground
    picture = world.picture(box, 300)
    noisy = np.clip(picture + np.random.default_rng(1).normal(0, 2, picture.shape), 0, 255).astype(np.uint8)
    match = match_tone(noisy.reshape(-1, 3), picture.reshape(-1, 3))
    page = np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])
    apply_table(page, tone_table(Tone(match=match, strength=100)))
    # Less than a code of 255 is, of colours as dark as these.
    assert ciede2000(page[..., :3], picture).mean() < 0.7


def test_too_small_an_overlap_says_nothing(colours: np.ndarray) -> None:
    assert match_tone(colours[:100], colours[:100]) is None
