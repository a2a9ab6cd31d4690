"""Where along a curve a length of it lies, compiled: places are asked for a few at a time, and often."""

from __future__ import annotations

import math

import numpy as np

from yaila.core.compiling import njit


@njit(cache=True, nogil=True)
def _speed(at, steady, rise, bend, cuts):
    """How much length a share of a cut is, at a share of it."""
    square = 0.0
    for axis in range(steady.shape[0]):
        square += (steady[axis] + at * (rise[axis] + at * bend[axis])) ** 2
    return math.sqrt(square) / cuts


@njit(cache=True, nogil=True, allocates=True)
def find_parameters(way, at, up_to, last, slopes, cuts, nodes, weights, found):
    """Write the parameters at lengths along a curve: the cut of the table, then Newton's method within it.

    Args:
        way: (n,) float64, lengths along the curve, held within it.
        at, up_to: (pieces * cuts + 1,) float64, parameters at the cuts, and the length up to each.
        last: the last cut of any length.
        slopes: (3, pieces, dimensions) float64, the derivative of each piece as a polynomial of 0..1.
        nodes, weights: of Gauss and Legendre over 0..1.
        found: (n,) float64, written.
    """
    parts = np.empty((3, slopes.shape[2]))
    steady, rise, bend = parts[0], parts[1], parts[2]
    for k in range(way.shape[0]):
        there = min(max(way[k], 0.0), up_to[-1])
        cut = min(max(np.searchsorted(up_to, there, side="right") - 1, 0), last)
        step = up_to[cut + 1] - up_to[cut]
        into = there - up_to[cut]
        share = into / step if step > 0 else 0.0
        # The derivative along the cut, as a polynomial of the share of it.
        piece, begin = cut // cuts, cut % cuts / cuts
        for axis in range(slopes.shape[2]):
            a, b, c = slopes[0, piece, axis], slopes[1, piece, axis], slopes[2, piece, axis]
            steady[axis] = a + begin * (b + begin * c)
            rise[axis] = (b + 2 * begin * c) / cuts
            bend[axis] = c / cuts**2
        for _ in range(5):
            so_far = 0.0
            for node in range(nodes.shape[0]):
                so_far += weights[node] * _speed(nodes[node] * share, steady, rise, bend, cuts)
            here = _speed(share, steady, rise, bend, cuts)
            fresh = share - (so_far * share - into) / here if here > 0 else share
            fresh = min(max(fresh, 0.0), 1.0)
            done = abs(fresh - share) < 1e-13
            share = fresh
            if done:
                break
        found[k] = at[cut] + share / cuts
