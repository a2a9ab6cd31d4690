"""The imagery budget: what every frame of a film asks for, against what its plates carry.

Each frame is looked at in a grid of places. At each, the plates that show there are taken from the top of the stack
down, as the renderer does, and their pixels set against the frame's.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from yaila.core.camera import FrameSize
from yaila.core.film import Choreography, Film, choreograph
from yaila.core.picture.raster import coverage_at
from yaila.core.soundings.pace import looked_at

COLUMNS, ROWS = 17, 10
"""Places looked at across and down a frame, its corners among them."""

SHARP = 1.1
"""A plate pixel may cover this many film pixels and still count as sharp (common practice, no source)."""

CARRIED = 0.8
"""The share of a frame that must be sharp for the frame to be carried."""

SEEN = 0.02
"""Less light than this from below is not missed."""


@dataclass(frozen=True)
class Budget:
    """What was found at ``frames`` (f,), in each at n places of the frame, row by row.

    ``places`` (f, n, 2) are on the ground (nan above the horizon), ``needs`` (f, n) how many ground units wide a film
    pixel is there at its narrowest. ``bare`` (f, n) is the share of light that no plate gives, ``enlarged`` (f, n) how
    many film pixels a pixel of what is seen covers, ``plate`` (f, n) which plate gives most of it, counted in the
    film's list, -1 for none. ``fills`` (f, plates) is how much of each frame each plate gives.
    """

    frames: NDArray[np.int64]
    places: NDArray[np.float64]
    needs: NDArray[np.float64]
    bare: NDArray[np.float64]
    enlarged: NDArray[np.float64]
    plate: NDArray[np.int64]
    fills: NDArray[np.float64]

    @property
    def bare_share(self) -> NDArray[np.float64]:
        """How much of each frame is bare, 0..1."""
        return self.bare.mean(axis=1)

    @property
    def sharp_share(self) -> NDArray[np.float64]:
        """How much of each frame shows imagery that is sharp, 0..1."""
        return ((self.enlarged <= SHARP) & (self.bare <= SEEN)).mean(axis=1)


def frame_places(size: FrameSize) -> NDArray[np.float64]:
    """The places of a frame that are looked at, pixels (n, 2), row by row."""
    xs = np.linspace(0.5, size.width - 0.5, COLUMNS)
    ys = np.linspace(0.5, size.height - 0.5, ROWS)
    return np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)


def budget_of(film: Film, choreography: Choreography | None = None, most: int | None = None) -> Budget:
    """Look at the frames of a film that are checked (``looked_at``), or evenly at ``most`` of them."""
    choreography = choreography or choreograph(film)
    count, size = choreography.frames, film.frame.size
    if most is None:
        frames = looked_at(choreography)
    else:
        frames = np.unique(np.linspace(0, max(count - 1, 0), min(count, most)).round().astype(np.int64))[:count]
    pixels = frame_places(size)
    track = choreography.camera.at(frames.astype(np.float64))
    maps = np.array([track.pose(k).ground_from_frame(size) for k in range(len(frames))]).reshape(-1, 3, 3)
    shown = [index for index, plate in enumerate(film.plates) if plate.in_film][::-1]
    plates: list[Any] = [film.plates[index] for index in shown]
    back = np.array([np.linalg.inv(plate.matrix) for plate in plates]).reshape(-1, 3, 3)
    facts = np.array(
        [
            (
                *plate.extent,
                plate.opacity,
                1.0 if plate.feather.shape == "ellipse" else 0.0,
                0.0 if plate.feather.shape == "outline" else plate.feather.width / 100,
            )
            for plate in plates
        ]
    ).reshape(-1, 5)
    shape = (len(frames), len(pixels))
    places, needs = np.full((*shape, 2), np.nan), np.full(shape, np.inf)
    bare, enlarged = np.ones(shape), np.zeros(shape)
    best = np.full(shape, -1, np.int64)
    fills = np.zeros((len(frames), max(len(film.plates), 1)))
    _look(maps, pixels, back, facts, np.array(shown, np.int64), places, needs, bare, enlarged, best, fills)
    return Budget(frames, places, needs, bare, enlarged, best, fills / max(len(pixels), 1))


@njit(cache=True, nogil=True)
def _look(  # type: ignore[no-untyped-def]
    maps, pixels, back, facts, names, places, needs, bare, enlarged, best, fills
):
    matrix = np.empty((3, 3))
    for f in range(maps.shape[0]):
        for n in range(pixels.shape[0]):
            u, v = pixels[n, 0], pixels[n, 1]
            m = maps[f]
            w = m[2, 0] * u + m[2, 1] * v + m[2, 2]
            if w <= 1e-12:
                bare[f, n] = 0.0
                continue
            x = (m[0, 0] * u + m[0, 1] * v + m[0, 2]) / w
            y = (m[1, 0] * u + m[1, 1] * v + m[1, 2]) / w
            places[f, n, 0], places[f, n, 1] = x, y
            needs[f, n] = _narrow(m, x, y, w)
            light, top = 1.0, 0.0
            for p in range(back.shape[0]):
                for i in range(3):
                    for j in range(3):
                        matrix[i, j] = back[p, i, 0] * m[0, j] + back[p, i, 1] * m[1, j] + back[p, i, 2] * m[2, j]
                pw = matrix[2, 0] * u + matrix[2, 1] * v + matrix[2, 2]
                if pw <= 1e-12:
                    continue
                px = (matrix[0, 0] * u + matrix[0, 1] * v + matrix[0, 2]) / pw
                py = (matrix[1, 0] * u + matrix[1, 1] * v + matrix[1, 2]) / pw
                width, height = facts[p, 0], facts[p, 1]
                if px < 0 or py < 0 or px > width or py > height:
                    continue
                side = _narrow(matrix, px, py, pw)
                cover = coverage_at(px, py, side, side, width, height, facts[p, 3], facts[p, 4]) * facts[p, 2]
                share = light * cover
                light -= share
                fills[f, names[p]] += share
                if share > top:
                    top, best[f, n] = share, names[p]
                    enlarged[f, n] = 1.0 / side
                if light < 0.002:
                    break
            bare[f, n] = light


@njit(cache=True, nogil=True, inline="always")
def _narrow(m, x, y, w):  # type: ignore[no-untyped-def]
    """The shorter side of a frame pixel taken through a map, at the place x, y that it comes to."""
    xu, xv = (m[0, 0] - x * m[2, 0]) / w, (m[0, 1] - x * m[2, 1]) / w
    yu, yv = (m[1, 0] - y * m[2, 0]) / w, (m[1, 1] - y * m[2, 1]) / w
    return min(np.sqrt(xu * xu + yu * yu), np.sqrt(xv * xv + yv * yv))
