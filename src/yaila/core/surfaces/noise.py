"""What surfaces are made of, each the same along opposite edges, so that it can be laid side by side: waves, hairs,
facets."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.stopping import give_way

Floats = NDArray[np.float32]

SIDE = 1024
"""Pixels along each side of a surface's tile."""


def waves(seed: int, finest: float, widest: float, steep: float = 1.0, along: float = 1.0) -> Floats:
    """Noise with a deviation of 1 and waves from ``finest`` to ``widest`` pixels long, whose strength grows with their
    length to the power of ``steep`` (spectral synthesis; H.-O. Peitgen, D. Saupe, "The Science of Fractal Images",
    1988, ch. 2.4). ``along``: how much longer they are from side to side than up and down."""
    give_way()
    random = np.random.default_rng([seed, 5])
    down, across = np.fft.fftfreq(SIDE)[:, None], np.fft.rfftfreq(SIDE)[None, :] * along
    often = np.hypot(down.astype(np.float32), across.astype(np.float32))
    often[0, 0] = 1
    strength = often ** np.float32(-(steep + 0.5))
    strength[(often > 1 / finest) | (often < 1 / widest)] = 0
    strength[0, 0] = 0
    phases = np.float32(2 * np.pi) * random.random(strength.shape, np.float32)
    spectrum = np.empty(strength.shape, np.complex64)
    spectrum.real, spectrum.imag = strength * np.cos(phases), strength * np.sin(phases)
    from scipy import fft

    made = fft.irfft2(spectrum, s=(SIDE, SIDE), overwrite_x=True)
    return np.asarray(made / max(float(made.std()), 1e-12), np.float32)


def drawn(paint: Callable[[NDArray[np.uint8], np.random.Generator], None], seed: int, reach: int = 128) -> Floats:
    """What ``paint`` draws, 0..1, on a canvas that reaches beyond the tile by so many pixels, and comes in again at the
    other side."""
    wide = np.zeros((SIDE + 2 * reach, SIDE + 2 * reach), np.uint8)
    paint(wide, np.random.default_rng([seed, 9]))
    rows = wide[reach:-reach].copy()
    rows[-reach:] = np.maximum(rows[-reach:], wide[:reach])
    rows[:reach] = np.maximum(rows[:reach], wide[-reach:])
    tile = rows[:, reach:-reach].copy()
    tile[:, -reach:] = np.maximum(tile[:, -reach:], rows[:, :reach])
    tile[:, :reach] = np.maximum(tile[:, :reach], rows[:, -reach:])
    return np.asarray(tile, np.float32) / np.float32(255)


def hairs(seed: int, count: int, length: float, width: int = 1, curl: float = 0.35) -> Floats:
    """So many bent hairs, 0..1."""

    def paint(canvas: NDArray[np.uint8], random: np.random.Generator) -> None:
        for _ in range(count):
            give_way()
            heading, steps = random.random() * 2 * np.pi, 7
            turns = np.cumsum(random.normal(0, curl, steps)) + heading
            way = np.cumsum(np.column_stack([np.cos(turns), np.sin(turns)]), axis=0)
            start = random.random(2) * SIDE + 128
            points = start + way * (length * (0.4 + 0.6 * random.random()) / steps)
            shade = int(90 + 165 * random.random())
            cv2.polylines(canvas, [np.round(points * 16).astype(np.int32)], False, shade, width, cv2.LINE_AA, 4)

    return drawn(paint, seed)


def facets(seed: int, count: int) -> Floats:
    """Flat triangles between so many places, each at a height of its own, with a deviation of 1."""
    random, fine = np.random.default_rng([seed, 3]), SIDE // 2
    places, heights = random.random((count, 2)), random.normal(0, 1, count)
    around = [(places + np.array([down, across]), heights) for down in (-1, 0, 1) for across in (-1, 0, 1)]
    from scipy.interpolate import LinearNDInterpolator

    surface = LinearNDInterpolator(np.vstack([one[0] for one in around]), np.hstack([one[1] for one in around]))
    at = (np.arange(fine) + 0.5) / fine
    made = surface(*np.meshgrid(at, at, indexing="ij"))
    return larger(np.asarray((made - made.mean()) / made.std(), np.float32))


def larger(half: Floats) -> Floats:
    """A tile of twice as many pixels."""
    wide = cv2.resize(np.pad(half, 4, mode="wrap"), None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR)
    return np.asarray(wide[8:-8, 8:-8], np.float32)


def softer(tile: Floats, wide: float) -> Floats:
    """A tile blurred by so many pixels, a deviation."""
    give_way()
    reach = int(4 * wide) + 4
    return np.asarray(
        cv2.GaussianBlur(np.pad(tile, reach, mode="wrap"), (0, 0), wide)[reach:-reach, reach:-reach], np.float32
    )
