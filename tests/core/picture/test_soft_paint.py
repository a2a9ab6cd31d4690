"""What is painted wide and dim has no terraces: 8 bits are dithered, and only where something was painted."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
import skia

from yaila.core.camera import FrameSize
from yaila.core.film import Film
from yaila.core.imagery import PageStore
from yaila.core.picture import Kit, Renderer, Request
from yaila.core.picture.canvas import filled, painted, softened
from yaila.core.time import Time

DARK = (16, 20, 28, 255)
PATH = [[-420, -300], [420, -300], [420, 300], [-420, 300], [-420, -300]]


def of_blocks(pixels: np.ndarray) -> np.ndarray:
    """The mean of each four by four pixels, over which the dither makes up a shade."""
    return np.asarray(cv2.resize(pixels.astype(np.float32), None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA))


@pytest.mark.parametrize("opaque", [True, False])
def test_a_wide_dim_light_is_a_small_part_of_a_bright_one(opaque: bool) -> None:
    sigma, colour, light = 24.0, "#2a3040", np.array([42, 48, 64], np.float32)
    pixels = np.full((320, 480, 4), DARK if opaque else (0, 0, 0, 0), np.uint8)
    before = pixels.copy()
    with painted(pixels, opaque, wide=True) as canvas:
        canvas.drawRect(skia.Rect(160, 120, 320, 200), softened(filled(colour), sigma))
    # The same in white on black has a step for each of 255 shares.
    bright = np.zeros((320, 480, 4), np.uint8)
    with painted(bright, opaque=False) as canvas:
        canvas.drawRect(skia.Rect(160, 120, 320, 200), softened(filled("#ffffff"), sigma))
    share = bright[..., 3:].astype(np.float32) / 255
    wanted = before[..., :3] * (1 - share) + light * share
    off = np.abs(of_blocks(pixels[..., :3]) - of_blocks(wanted))
    # In whole codes it would be off by up to half of one.
    assert off.max() < 0.35
    assert off.mean() < 0.1
    assert (pixels[0] == before[0]).all()
    assert (pixels[..., :3].max(axis=-1) <= pixels[..., 3]).all()


KINDS = {
    "region": {"regions": [{"id": "r", "name": "R", "rings": [PATH[:4]],
                            "look": {"filled": 0, "border": 0, "glow": 240, "glow_colour": "#161a26"}}]},
    "route": {"routes": [{"id": "r", "name": "R", "points": [{"x": x, "y": y} for x, y in PATH],
                          "draws": {"shown": True, "seconds": 1},
                          "look": {"colour": "#161a26", "width": 2, "glow": 160}}]},
    "label": {"labels": [{"id": "l", "name": "L", "text": "HARBOUR", "x": 0, "y": 0,
                          "look": {"colour": "#11151d", "size": 200, "halo": 100, "halo_colour": "#161a26"}}]},
}  # fmt: skip


@pytest.mark.parametrize("kind", KINDS)
def test_wide_glows_of_marks_have_no_terraces(kind: str) -> None:
    film = Film.model_validate(
        {
            "ground": {"kind": "plain"},
            "background": "#10141c",
            "vantages": [{"id": "a", "name": "A", "x": 0, "y": 0, "span": 1920, "hold": 4}],
            **KINDS[kind],
        }
    )
    request = Request(film, Time(90), FrameSize(960, 540))
    renderer = Renderer(lambda key: pytest.fail(key), PageStore(16), Kit())
    pixels = renderer.render(request).pixels
    shades = of_blocks(pixels[..., 2])
    fading = np.kron((shades > 28.2) & (shades < shades.max() - 0.2), np.ones((4, 4), bool))
    assert fading.mean() > 0.05
    # Where it fades, terraces would be many pixels wide; dithered, pixels of two codes lie side by side.
    steps = np.diff(pixels[..., 2].astype(int), axis=1) != 0
    assert steps[fading[:, 1:]].mean() > 0.3
    # A tile of it is the same.
    tile = renderer.render(replace(request, region=(203, 101, 333, 222))).pixels
    assert np.abs(tile.astype(int) - pixels[101:323, 203:536]).max() <= 3
    assert (tile == pixels[101:323, 203:536]).mean() > 0.98
