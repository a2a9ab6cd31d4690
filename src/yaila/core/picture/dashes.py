"""Patterns that lie on the ground and never crawl, though they keep their size in the frame.

A pattern is counted in octaves of ground units from one fixed place. Its pieces lie where they lie; towards the end
of an octave, as the camera goes wider, every second one shrinks away while the others grow, and the pattern is the same
again, twice as coarse (own derivation).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from yaila.core.time import smoothstep

MOST = 6000
"""Pieces of a pattern that are drawn; of a finer one the coarser ones."""


MELTS = 0.3
"""The share of an octave in which a pattern goes over into one twice as coarse."""

MIDDLE = 0.35
"""Octaves that pieces begin larger than they are to be, as they end as much smaller."""


def _melted(level: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far a pattern has gone over into the coarser one at levels counted in octaves, 0..1."""
    return np.asarray(smoothstep((level - np.floor(level) - 1 + MELTS) / MELTS))


def pieces_along(
    ways: NDArray[np.float64], sizes: NDArray[np.float64], period: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """The pieces of a pattern along a line.

    Args:
        ways: (n,) rising lengths along the line, ground units.
        sizes: (n,) how long a piece is to be there, ground units.
        period: from one piece to the next, in lengths of a piece.

    Returns:
        Where the middle of each piece is, how long it is (ground units), and how much of it is there (0..1), (m,) each.
    """
    levels = np.log2(sizes) + MIDDLE
    finest, coarsest = math.floor(float(levels.min())), math.floor(float(levels.max()))
    found: list[NDArray[np.float64]] = []
    for octave in range(coarsest, finest - 1, -1):
        step = 2.0**octave * period
        # One that has its middle beyond an end may reach in.
        first, last = math.floor(ways[0] / step), math.ceil(ways[-1] / step)
        if last - first > MOST:
            break
        middles = np.arange(first, last + 1) * step
        level = np.interp(middles, ways, levels)
        # Each place belongs to the octave that it is met in first, from the finest there on.
        found.append(middles[np.floor(level) == octave])
    middles = np.concatenate(found) if found else np.zeros(0)
    level = np.interp(middles, ways, levels)
    unit, melted = 2.0 ** np.floor(level), _melted(level)
    goes = np.round(middles / (unit * period)) % 2 != 0
    there = np.where(goes, 1 - melted, 1.0)
    return middles, unit * np.where(goes, there, 1 + melted), there


def grid_over(first: float, last: float, size: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lines of a grid from one place to another that are to be ``size`` ground units apart: where they are, and how
    much of each is there, 0..1."""
    level = np.array(math.log2(size) + MIDDLE)
    step, melted = 2.0 ** math.floor(level), float(_melted(level))
    low, high = math.ceil(first / step), math.floor(last / step)
    if high - low > MOST:
        return np.zeros(0), np.zeros(0)
    index = np.arange(low, high + 1)
    return np.asarray(index * step, np.float64), np.where(index % 2 != 0, 1 - melted, 1.0)


def stray(ways: NDArray[np.float64], pixel: float) -> NDArray[np.float64]:
    """How far a hand strays from a line at lengths along it, (n,), about -1 to 1: smooth noise whose waves, 30 to 300
    of ``pixel`` ground units long, stay where they are on the line."""
    longest = math.log2(300 * pixel)
    total = np.zeros(len(ways))
    for octave in range(math.floor(longest - math.log2(10)), math.floor(longest) + 1):
        # Octaves come and go as the camera zooms; the longer waves stray further.
        place = (longest - octave) / math.log2(10)
        share = math.sin(math.pi * min(max(place, 0.0), 1.0)) ** 2 * (1.2 - 0.9 * place)
        total += max(share, 0.0) * _noise(ways / 2.0**octave, octave)
    return total


def _noise(at: NDArray[np.float64], seed: int) -> NDArray[np.float64]:
    """Smooth noise over a line with values -1 to 1 at whole numbers (gradient noise after Perlin, "An image
    synthesizer", 1985, with values in place of gradients)."""
    whole = np.floor(at)
    share = at - whole
    eased = share**3 * (share * (share * 6 - 15) + 10)
    a, b = _hashed(whole.astype(np.int64), seed), _hashed(whole.astype(np.int64) + 1, seed)
    return np.asarray(a + eased * (b - a))


def _hashed(index: NDArray[np.int64], seed: int) -> NDArray[np.float64]:
    """A number from -1 to 1 for each index, the same every time (the finaliser of SplitMix64, Steele, Lea and Flood,
    2014)."""
    with np.errstate(over="ignore"):
        z = index.astype(np.uint64) + np.uint64((seed * 0x9E3779B97F4A7C15 + 0x632BE59BD9B4E019) % 2**64)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z ^= z >> np.uint64(31)
    return np.asarray(z.astype(np.float64) / 2.0**63 - 1.0)
