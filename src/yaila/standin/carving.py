"""How the land of the practice world was carved: rain on rising ground, for as long as it takes.

``python -m yaila.standin.carving`` makes ``relief.npz``, which ships with Yaila, so that the world is the same on every
machine: heights of the land, how much of it drains through each place, and its rivers. Rivers cut by the stream power
law, solved implicitly from the sea upwards (J. Braun, S. Willett, "A very efficient O(n), implicit and parallel method
to solve the stream power equation", 2013); slopes creep (diffusion). All numbers are the world's own, no source.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.graph import MCP_Geometric

from yaila.core.compiling import njit

WEST, NORTH = 396_000.0, 298_000.0
STEP = 120.0
"""Metres from one place of the grid to the next."""
COLUMNS, ROWS = 1384, 900

FILE = Path(__file__).with_name("relief.npz")

AGES = 90
RAIN = 0.00085
CREEP = 0.045

Floats = NDArray[np.float64]


@njit(cache=True, allocates=True)
def receivers(heights, land):
    """Of each place the lowest of its eight neighbours, and how far away that is; itself where none is lower."""
    rows, columns = heights.shape
    to, far = np.empty(rows * columns, np.int64), np.ones(rows * columns)
    for r in range(rows):
        for c in range(columns):
            here = r * columns + c
            to[here] = here
            if not land[r, c]:
                continue
            steepest = 0.0
            for dr in range(-1, 2):
                for dc in range(-1, 2):
                    y, x = r + dr, c + dc
                    if (dr == 0 and dc == 0) or y < 0 or x < 0 or y >= rows or x >= columns:
                        continue
                    away = 1.4142135623730951 if dr != 0 and dc != 0 else 1.0
                    fall = (heights[r, c] - heights[y, x]) / away
                    if fall > steepest:
                        steepest, to[here], far[here] = fall, y * columns + x, away
    return to, far


@njit(cache=True, allocates=True)
def drained(order, to):
    """How many places drain through each; ``order``: from the highest down."""
    area = np.ones(len(to))
    for here in order:
        if to[here] != here:
            area[to[here]] += area[here]
    return area


@njit(cache=True)
def cut(flat, order, to, far, area, rise, rain):
    """One age: the ground rises, and every river cuts down to what the place below it allows; of ``flat`` heights, one
    row after the other."""
    for k in range(len(order) - 1, -1, -1):
        here = order[k]
        below = to[here]
        if below == here:
            flat[here] += rise[here]
            continue
        power = rain * np.sqrt(area[here]) / far[here]
        flat[here] = (flat[here] + rise[here] + power * flat[below]) / (1 + power)


def carved(base: Floats) -> tuple[Floats, Floats]:
    """Heights and drained places of a land whose broad shape is ``base``, metres, below 0 where it is sea."""
    land = base > 0
    random = np.random.default_rng(4)
    # It begins as high as the way to the sea is long over rough ground, so that all of it drains.
    rough = cv2.GaussianBlur(random.normal(size=base.shape), (0, 0), 1.5) * 3 + 8 * cv2.GaussianBlur(
        random.normal(size=base.shape), (0, 0), 6
    )
    costs = np.exp(0.9 * rough)
    ways, _ = MCP_Geometric(costs).find_costs(np.argwhere(~land))
    heights = np.where(land, ways, 0.0)
    broad = cv2.GaussianBlur(np.maximum(base, 0), (0, 0), 10)
    rise = np.where(land, 0.25 + broad / 260, 0.0).ravel()
    area = np.ones(base.size)
    for age in range(AGES):
        to, far = receivers(heights, land)
        order = np.argsort(heights.ravel())[::-1]
        area = drained(order, to)
        cut(heights.reshape(-1), order, to, far, area, rise, RAIN * STEP)
        soft = CREEP * (4 if age < AGES // 3 else 1)
        heights += soft * np.where(land, cv2.Laplacian(heights, cv2.CV_64F, ksize=1), 0.0)
        heights = np.where(land, np.maximum(heights, 0.5), 0.0)
    # As high as the world's mountains are said to be, in the large.
    wide = (0, 0), 16
    scale = cv2.GaussianBlur(np.maximum(base, 0), *wide) / np.maximum(cv2.GaussianBlur(heights, *wide), 1.0)
    return heights * np.clip(scale, 0.2, 6), area.reshape(base.shape) * land


def main() -> None:
    """Carve the world's land and keep it."""
    from yaila.standin.world import ISLANDS, broad_heights, find_rivers

    base = broad_heights(WEST, NORTH, STEP, COLUMNS, ROWS, ISLANDS)
    heights, area = carved(base)
    metres = np.rint(np.clip(heights, 0, 3200) * 20).astype(np.uint16)
    drains = np.rint(np.log2(np.maximum(area, 1)) * 12).astype(np.uint8)
    found = find_rivers(metres / 20.0, drains / 12.0)
    np.savez_compressed(
        FILE,
        heights=metres,
        drains=drains,
        places=np.concatenate([places for places, _ in found]).astype(np.float32),
        wide=np.concatenate([wide for _, wide in found]).astype(np.float16),
        lengths=np.array([len(places) for places, _ in found], np.uint16),
    )


if __name__ == "__main__":
    main()
