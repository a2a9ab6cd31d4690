"""The surfaces that come with the application: paper, cloth and stone, each worked out from numbers.

All of them are the same along opposite edges. What repeats within them, such as threads, does so ``GRAIN`` times along
a side or a multiple of that, so that tiles shifted by that fit one another.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.colour import rgb_of
from yaila.core.surfaces.noise import SIDE, Floats, drawn, facets, hairs, softer, waves

SurfaceKind = Literal[
    "fine", "crumpled", "linen", "parchment", "canvas", "wash", "newsprint", "blueprint", "slate", "chartcloth"
]
TableKind = Literal["wood", "felt", "steel", "stone"]
KINDS: tuple[SurfaceKind, ...] = SurfaceKind.__args__  # type: ignore[attr-defined]

GRAIN = 16
"""Tiles are shifted against one another by this part of a side."""


@dataclass(frozen=True)
class Material:
    """A surface's tile: ``colours``, (side, side, 3) uint8 encoded; ``heights``, (side, side) float32, in pixels."""

    colours: NDArray[np.uint8]
    heights: Floats


@lru_cache(maxsize=16)
def material(kind: SurfaceKind | TableKind) -> Material:
    """One that comes with the application."""
    return _MADE[kind]()


def _of(value: NDArray[np.floating], deep: str, pale: str, heights: NDArray[np.floating]) -> Material:
    """Values, 0..1, from a deep colour to a pale one."""
    shares = np.clip(value, 0, 1).astype(np.float32)
    colours = np.empty((*shares.shape, 3), np.uint8)
    for channel, (low, high) in enumerate(zip(rgb_of(deep), rgb_of(pale), strict=True)):
        colours[..., channel] = np.rint(255 * low + shares * np.float32(255 * (high - low)))
    return Material(colours, np.asarray(heights, np.float32))


def _fine() -> Material:
    fibres = softer(hairs(1, 5200, 26), 0.6)
    pulp = waves(1, 2, 12, 0.4)
    cloudy = waves(2, 60, 500, 1.0)
    heights = 0.55 * pulp + 1.8 * fibres + 0.4 * waves(3, 8, 40, 0.8)
    return _of(0.72 + 0.075 * pulp + 0.3 * fibres + 0.035 * cloudy, "#b9b2a2", "#fdfaf2", heights)


def _crumpled() -> Material:
    heights, creases = np.zeros((SIDE, SIDE), np.float32), np.zeros((SIDE, SIDE), np.float32)
    for seed, count, high in ((11, 16, 30.0), (12, 70, 12.0), (13, 300, 3.6)):
        facet = high * softer(facets(seed, count), 1.0)
        heights += facet
        # Where it was folded the paper is broken.
        bent = np.abs(cv2.Laplacian(np.pad(facet, 1, mode="wrap"), cv2.CV_32F))[1:-1, 1:-1]
        creases = np.maximum(creases, np.clip(bent * 5, 0, 1))
    paper = material("fine")
    grain = paper.colours[..., 1].astype(np.float32) / 255 - 0.86
    value = 0.84 + 0.9 * grain - 0.16 * creases + 0.03 * waves(14, 50, 400)
    return _of(value, "#9a9282", "#fffcf4", 0.6 * heights + 0.35 * paper.heights)


def _woven(seed: int, threads: int, uneven: float, round_: float, twill: bool) -> Floats:
    """The heights of a cloth, 0..1, of so many threads along a side, plain or as a twill, over two and under two."""
    at = (np.arange(SIDE, dtype=np.float32) + 0.5) * (threads / SIDE)
    wobble = waves(seed, 24, 300, 0.8) * np.float32(uneven)
    across, down = at[None, :] + wobble, at[:, None] + np.roll(wobble, 400, axis=1)
    column, row = np.floor(across), np.floor(down)
    u, v = across - column - np.float32(0.5), down - row - np.float32(0.5)
    weft = np.sqrt(np.maximum(1 - (v * 2 * round_) ** 2, 0))
    warp = np.sqrt(np.maximum(1 - (u * 2 * round_) ** 2, 0))
    place = (column + row).astype(np.int32)
    over = (place % 4 < 2) if twill else (place % 2 == 0)
    # A thread bends down to where it goes under another.
    bends, under = np.float32(np.pi * (0.5 if twill else 0.9)), np.float32(0.28)
    lies, stands = np.where(over, np.cos(u * bends), under), np.where(over, under, np.cos(v * bends))
    thick = 1 + 0.16 * waves(seed + 1, 3, 60, 0.6, along=8)
    return np.asarray(np.maximum(weft * lies * thick, warp * stands * thick.T), np.float32)


def _linen() -> Material:
    cloth = _woven(21, 128, 0.1, 0.93, False)
    slubs = softer(hairs(22, 90, 110, 2, 0.02), 1.0)
    fuzz = waves(23, 2, 8, 0.3)
    return _of(0.3 + 0.6 * cloth + 0.05 * fuzz + 0.2 * slubs, "#8d8570", "#f6f0e0", 3.2 * cloth + 2 * slubs)


def _canvas() -> Material:
    cloth = _woven(31, 64, 0.05, 0.9, False)
    fuzz = waves(33, 2, 7, 0.3)
    return _of(0.22 + 0.7 * cloth + 0.04 * fuzz, "#857c6a", "#f8f3e7", 7.0 * cloth + 0.5 * fuzz)


def _chartcloth() -> Material:
    cloth = _woven(41, 256, 0.05, 0.95, True)
    at = np.arange(SIDE)
    # Where a chart was folded again and again it is worn.
    worn = np.zeros((SIDE, SIDE), np.float32)
    for place in (SIDE // 4, 3 * SIDE // 4):
        away = np.abs(at - place)
        line = np.exp(-((away / 5.0) ** 2)).astype(np.float32)
        worn = np.maximum(worn, np.maximum(line[:, None], line[None, :]))
    rubbed = worn * (0.6 + 0.35 * waves(43, 3, 40, 0.7))
    value = 0.42 + 0.4 * cloth + 0.06 * waves(44, 40, 400) + 0.22 * rubbed
    return _of(value, "#9c937b", "#f7f1de", 1.4 * cloth + 2.4 * worn)


def _parchment() -> Material:
    blotches, veins = waves(51, 30, 600, 1.2), np.abs(waves(52, 12, 220, 1.1))
    pores = softer((waves(53, 2, 7, 0.2) > 1.7).astype(np.float32), 0.8)
    value = 0.64 + 0.12 * blotches - 0.12 * np.maximum(0.35 - veins, 0) / 0.35 - 0.28 * pores + 0.03 * waves(54, 2, 9)
    return _of(value, "#a3834d", "#fbeecb", 9 * waves(55, 90, 700, 1.4) + 1.5 * np.minimum(veins, 1) - pores)


def _wash() -> Material:
    tooth = waves(61, 5, 26, 0.7)
    pools = waves(62, 50, 700, 1.3)
    # Colour dries darkest along the edges of what was wet.
    edges = sum(np.exp(-(((pools - level) / 0.05) ** 2)) for level in (-0.8, 0.1, 0.9))
    settled = np.clip(pools * 0.5 + 0.5, 0, 1) * (0.5 + 0.5 * np.clip(-tooth, -1, 1))
    value = 0.84 - 0.2 * settled - 0.1 * softer(np.asarray(edges, np.float32), 1.2) + 0.055 * tooth
    return _of(value, "#a2a6a0", "#fffefa", 1.1 * tooth)


def _newsprint() -> Material:
    # A screen at 45 degrees: dots in rows and columns that lie aslant.
    period = SIDE / 256
    v, u = np.meshgrid(np.arange(SIDE) + 0.5, np.arange(SIDE) + 0.5, indexing="ij")
    screen = np.cos((u + v) * np.pi / period) * np.cos((u - v) * np.pi / period)
    tone = 0.2 + 0.1 * waves(71, 60, 500) + 0.12 * waves(72, 2, 6, 0.2)
    dots = np.clip((screen - tone) * 1.6 + 0.72, 0, 1).astype(np.float32)
    fibres = softer(hairs(73, 1800, 30), 0.7)
    return _of(0.25 + 0.6 * dots + 0.14 * fibres + 0.04 * waves(74, 2, 10), "#6d675b", "#efe9da", 0.8 * fibres)


def _blueprint() -> Material:
    at = np.arange(SIDE) + 0.5

    def ruled(every: int, wide: float) -> Floats:
        away = np.abs((at + every / 2) % every - every / 2)
        line = np.clip(wide + 0.5 - away, 0, 1).astype(np.float32)
        return np.maximum(line[:, None], line[None, :])

    def folded(canvas: NDArray[np.uint8], _: np.random.Generator) -> None:
        for place in (0.37, 0.81):
            across = int(128 + place * SIDE)
            cv2.line(canvas, (across, 0), (across, len(canvas)), 255, 2, cv2.LINE_AA)
            cv2.line(canvas, (0, across), (len(canvas), across), 255, 2, cv2.LINE_AA)

    grid = np.maximum(0.3 * ruled(SIDE // 64, 0.3), 0.55 * ruled(SIDE // 16, 0.6))
    uneven = 0.06 * waves(81, 40, 500) + 0.035 * waves(82, 2, 10)
    folds = softer(drawn(folded, 83), 1.5)
    value = 0.24 + uneven + grid * (0.75 + 0.2 * waves(84, 3, 40)) + 0.16 * folds
    return _of(value, "#123a78", "#dbe9ff", 2.5 * folds)


def _slate() -> Material:
    layers, chips = waves(91, 3, 300, 1.15, along=5), waves(92, 4, 120, 1.0)
    steps = np.round(layers * 2.2) / 2.2
    value = 0.46 + 0.09 * layers + 0.07 * (layers - steps) * 4 + 0.05 * chips + 0.035 * waves(93, 2, 6, 0.2)
    return _of(value, "#1d252b", "#8d99a0", 4.0 * softer(steps.astype(np.float32), 1.0) + 1.2 * chips)


def _wood() -> Material:
    """Boards side by side, each with a grain of its own."""
    at, boards = np.arange(SIDE), 4
    board, inside = at * boards // SIDE, (at * boards % SIDE) / SIDE
    long, fine = waves(101, 30, 900, 1.4, along=9), waves(102, 3, 40, 0.5, along=22)
    value = np.zeros((SIDE, SIDE), np.float32)
    for number in range(boards):
        rows = board == number
        # Years: bands that wander along the board.
        rings = np.sin((inside[rows, None] * 6 + 1.1 * np.roll(long, 211 * number, axis=1)[rows]) * 2 * np.pi * 0.8)
        shade = (0.06, -0.08, 0.02, -0.03)[number]
        value[rows] = 0.5 + shade + 0.11 * rings + 0.045 * np.roll(fine, 97 * number, axis=1)[rows]
    gap = np.minimum(inside, 1 - inside) * SIDE / boards
    value -= (0.4 * np.clip(1.6 - gap, 0, 1))[:, None].astype(np.float32)
    return _of(value, "#3a2415", "#b98a5a", 1.2 * fine - (3.0 * np.clip(2.5 - gap, 0, 2.5))[:, None])


def _felt() -> Material:
    fibres = softer(hairs(111, 9000, 18), 0.8)
    value = 0.42 + 0.1 * waves(112, 2, 9, 0.3) + 0.3 * fibres + 0.04 * waves(113, 60, 500)
    return _of(value, "#12322a", "#3f7a63", 1.5 * fibres)


def _steel() -> Material:
    brushed = waves(121, 2, 400, 0.55, along=60)
    value = 0.55 + 0.11 * brushed + 0.03 * waves(122, 80, 900)
    return _of(value, "#5d646a", "#c9ced2", 0.35 * brushed)


def _stone() -> Material:
    flecks, clouds = waves(131, 3, 24, 0.5), waves(132, 40, 500, 0.9)
    dark = np.clip(waves(133, 3, 12, 0.3) - 1.1, 0, 1)
    value = 0.56 + 0.09 * flecks + 0.07 * clouds - 0.3 * dark
    return _of(value, "#3c3b39", "#b5b0a6", 0.8 * flecks)


_MADE: dict[SurfaceKind | TableKind, Callable[[], Material]] = {
    "fine": _fine,
    "crumpled": _crumpled,
    "linen": _linen,
    "parchment": _parchment,
    "canvas": _canvas,
    "wash": _wash,
    "newsprint": _newsprint,
    "blueprint": _blueprint,
    "slate": _slate,
    "chartcloth": _chartcloth,
    "wood": _wood,
    "felt": _felt,
    "steel": _steel,
    "stone": _stone,
}
