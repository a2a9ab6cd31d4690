"""The imagery budget: what every frame of a film asks for, against what its plates carry.

Each frame is looked at in a grid of places. At each, the plates that show there are taken from the top of the stack
down, as the renderer does, and their pixels set against the frame's. What is see-through in a plate (its own alpha,
land, an outline, a bend) is read from the renderer's own pages, at a coarse level; what is still to be uncovered from
the renderer's own masks; and values that change over the film are those of the frame.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, View
from yaila.core.compiling import njit
from yaila.core.film import Choreography, Film, Plate, choreograph
from yaila.core.film.running import courses_of, resting, running
from yaila.core.film.scene import played_at, uncovered_at
from yaila.core.film.timeline import Timeline
from yaila.core.picture.raster import coverage_at
from yaila.core.picture.reveals import mask_of
from yaila.core.soundings.pace import looked_at
from yaila.core.soundings.pieces import Pieces, digest
from yaila.core.stopping import go_on
from yaila.core.time import Time

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
    bare: NDArray[np.float32]
    enlarged: NDArray[np.float32]
    plate: NDArray[np.int16]
    fills: NDArray[np.float32]

    @property
    def bare_share(self) -> NDArray[np.float64]:
        """How much of each frame is bare, 0..1."""
        return self.bare.mean(axis=1, dtype=np.float64)

    @property
    def sharp_share(self) -> NDArray[np.float64]:
        """How much of each frame shows imagery that is sharp, 0..1."""
        return ((self.enlarged <= SHARP) & (self.bare <= SEEN)).mean(axis=1)


def frame_places(size: FrameSize) -> NDArray[np.float64]:
    """The places of a frame that are looked at, pixels (n, 2), row by row."""
    xs = np.linspace(0.5, size.width - 0.5, COLUMNS)
    ys = np.linspace(0.5, size.height - 0.5, ROWS)
    return np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)


def budget_of(
    film: Film,
    choreography: Choreography | None = None,
    most: int | None = None,
    pieces: Pieces | None = None,
) -> Budget:
    """Look at the frames of a film that are checked (``looked_at``), or evenly at ``most`` of them.

    Args:
        pieces: keeps what is found of each leg, and says what is see-through in plates; without, they are taken to be
            opaque within their edges.
    """
    choreography, pieces = choreography or choreograph(film), pieces or Pieces()
    count, size = choreography.frames, film.frame.size
    if most is None:
        frames = looked_at(choreography)
    else:
        frames = np.unique(np.linspace(0, max(count - 1, 0), min(count, most)).round().astype(np.int64))[:count]
    pixels = frame_places(size)
    maps = choreography.camera.at(frames.astype(np.float64)).ground_from_frame(size)
    shown = [index for index, plate in enumerate(film.plates) if plate.in_film][::-1]
    plates = [film.plates[index] for index in shown]
    states = _States(plates, frames, choreography.timeline)
    which, masks = _uncovered(film, choreography, plates, frames, pixels)
    stack = _Stack(pixels, shown, len(film.plates), [pieces.veil(plate) for plate in map(resting, plates)])
    looks: list[tuple[Any, ...]] = []
    edges = np.searchsorted(frames, [*(leg.start for leg in choreography.legs), count]).tolist()
    for first, end in pairwise(edges):
        go_on()
        # Only what is of this leg, counted from nought: so that it is known again wherever else it moves to.
        held, state = np.unique(states.which[first:end], return_inverse=True)
        veils, veiled = np.unique(which[first:end], return_inverse=True)
        if not len(veils) or veils[0] >= 0:
            veils, veiled = np.concatenate([[-1], veils]), veiled + 1
        shape = (end - first, len(plates))
        inputs = (
            maps[first:end],
            state.reshape(shape),
            states.back[held],
            states.facts[held],
            veiled.reshape(shape) - 1,
            masks[veils[1:]],
        )
        key = ("look", stack.key, digest(*inputs))
        looks.append(pieces.kept(key, partial(stack.look, *inputs), lambda made: sum(one.nbytes for one in made)))
    bare, enlarged, plate, fills = (np.concatenate([look[k] for look in looks]) for k in range(4))
    places, needs = np.full((*bare.shape, 2), np.nan), np.full(bare.shape, np.inf)
    _places(maps, pixels, places, needs)
    return Budget(frames, places, needs, bare, enlarged, plate, (fills / len(pixels)).astype(np.float32))


class _Stack:
    """The plates that are looked through, from the top down: ``shown`` are their places among the ``count`` of the
    film."""

    def __init__(
        self, pixels: NDArray[np.float64], shown: list[int], count: int, veils: list[NDArray[np.uint8]]
    ) -> None:
        self._pixels, self._count = pixels, max(count, 1)
        self._shown = np.array(shown, np.int64)
        self._sizes = np.array([one.shape[::-1] for one in veils], np.int64).reshape(-1, 2)
        self._starts = np.cumsum([0, *(one.size for one in veils)])[:-1].astype(np.int64)
        self._alphas = np.concatenate([one.ravel() for one in veils]) if veils else np.zeros(0, np.uint8)
        self.key = digest(pixels, self._shown, self._sizes, self._alphas, str(self._count))

    def look(
        self,
        maps: NDArray[np.float64],
        states: NDArray[np.int64],
        backs: NDArray[np.float64],
        facts: NDArray[np.float64],
        veiled: NDArray[np.int64],
        masks: NDArray[np.float32],
    ) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.int16], NDArray[np.float32]]:
        """What is bare, how much enlarged, whose plate it is, each (f, n), and what each plate gives, (f, plates)."""
        shape = (len(maps), len(self._pixels))
        bare, enlarged = np.ones(shape, np.float32), np.zeros(shape, np.float32)
        best = np.full(shape, -1, np.int16)
        fills = np.zeros((len(maps), self._count), np.float32)
        _look(
            maps, self._pixels, states, backs, facts, self._shown, self._sizes, self._starts, self._alphas, veiled,
            masks, bare, enlarged, best, fills,
        )  # fmt: skip
        return bare, enlarged, best, fills


class _States:
    """Plates as they lie and cover at each frame: ``which`` (f, p) of the maps ``back`` (s, 3, 3) from the ground and
    of the ``facts`` (s, 5) holds there. Only plates that change over the film have more than one."""

    def __init__(self, plates: list[Plate], frames: NDArray[np.int64], timeline: Timeline) -> None:
        self.which = np.zeros((len(frames), len(plates)), np.int64)
        back: list[NDArray[np.float64]] = []
        facts: list[tuple[float, ...]] = []
        for p, plate in enumerate(plates):
            if not any(courses_of(plate)):
                self.which[:, p] = len(back)
                back.append(np.asarray(np.linalg.inv(plate.matrix), np.float64))
                facts.append(_facts(plate))
                continue
            known: dict[tuple[float, ...], int] = {}
            for f, frame in enumerate(frames.tolist()):
                now = running(plate, Time(frame), timeline)
                key = (*now.matrix.ravel().tolist(), *_facts(now))
                if key not in known:
                    known[key] = len(back)
                    back.append(np.asarray(np.linalg.inv(now.matrix), np.float64))
                    facts.append(_facts(now))
                self.which[f, p] = known[key]
        self.back = np.array(back).reshape(-1, 3, 3)
        self.facts = np.array(facts).reshape(-1, 5)


def _facts(plate: Plate) -> tuple[float, ...]:
    """Width, height, opacity, whether it is an ellipse, and its feather, 0..1."""
    shape = plate.feather.shape
    feather = 0.0 if shape == "outline" else plate.feather.width / 100
    return (*plate.extent, plate.opacity, 1.0 if shape == "ellipse" else 0.0, feather)


MASK = FrameSize(96, 54)
"""The size at which masks of what is uncovered are looked at."""


def _uncovered(
    film: Film,
    choreography: Choreography,
    plates: list[Plate],
    frames: NDArray[np.int64],
    pixels: NDArray[np.float64],
) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """Which mask holds for each frame and plate (f, p), -1 where all of it is uncovered, and the masks: how much is
    seen at each place, 0..1, (m, n); the first hides all."""
    which = np.full((len(frames), len(plates)), -1, np.int64)
    masks = [np.zeros(len(pixels), np.float32)]
    size = FrameSize(MASK.width, max(round(MASK.width * film.frame.height / film.frame.width), 1))
    at = (pixels * [size.width / film.frame.width, size.height / film.frame.height]).astype(np.int64)
    columns, rows = np.minimum(at[:, 0], size.width - 1), np.minimum(at[:, 1], size.height - 1)
    for p, plate in enumerate(plates):
        if plate.plays and plate.plays.clip.after == "gone":
            over = [played_at(choreography, plate.id, plate.plays, Time(frame)) is None for frame in frames.tolist()]
            which[over, p] = 0
        if not plate.reveal:
            continue
        for f, frame in enumerate(frames.tolist()):
            if which[f, p] == 0:
                continue
            uncovered = uncovered_at(film, choreography, plate.id, plate.reveal, Time(frame))
            if uncovered is None:
                continue
            if uncovered.share <= 0 or (uncovered.ways and all(way <= 0 for _, way in uncovered.ways)):
                which[f, p] = 0
                continue
            view = View.of(choreography.pose(Time(frame)), size, size.width / film.frame.width)
            which[f, p] = len(masks)
            masks.append(mask_of(uncovered, resting(plate), view)[rows, columns].astype(np.float32) / np.float32(255))
    return which, np.array(masks)


@njit(cache=True, nogil=True, allocates=True)
def _look(
    maps, pixels, states, backs, facts, names, sizes, starts, alphas, veiled, masks, bare, enlarged, best, fills,
):  # fmt: skip
    count = names.shape[0]
    from_frame, inside = np.empty((count, 3, 3)), np.empty(count, np.bool_)
    for f in range(maps.shape[0]):
        m = maps[f]
        for p in range(count):
            state = states[f, p]
            _multiply(backs[state], m, from_frame[p])
            inside[p] = not _outside(from_frame[p], pixels, facts[state, 0], facts[state, 1])
        for n in range(pixels.shape[0]):
            u, v = pixels[n, 0], pixels[n, 1]
            w = m[2, 0] * u + m[2, 1] * v + m[2, 2]
            if w <= 1e-12:
                bare[f, n] = 0.0
                continue
            light, top = 1.0, 0.0
            for p in range(count):
                if not inside[p]:
                    continue
                seen = 1.0 if veiled[f, p] < 0 else masks[veiled[f, p], n]
                if seen <= 0.0:
                    continue
                state = states[f, p]
                matrix = from_frame[p]
                pw = matrix[2, 0] * u + matrix[2, 1] * v + matrix[2, 2]
                if pw <= 1e-12:
                    continue
                px = (matrix[0, 0] * u + matrix[0, 1] * v + matrix[0, 2]) / pw
                py = (matrix[1, 0] * u + matrix[1, 1] * v + matrix[1, 2]) / pw
                width, height = facts[state, 0], facts[state, 1]
                if px < 0 or py < 0 or px > width or py > height:
                    continue
                column = min(int(px / width * sizes[p, 0]), sizes[p, 0] - 1)
                row = min(int(py / height * sizes[p, 1]), sizes[p, 1] - 1)
                alpha = alphas[starts[p] + row * sizes[p, 0] + column] / 255.0
                side = _narrow(matrix, px, py, pw)
                cover = coverage_at(px, py, side, side, width, height, facts[state, 3], facts[state, 4])
                share = light * cover * facts[state, 2] * alpha * seen
                light -= share
                fills[f, names[p]] += share
                if share > top:
                    top, best[f, n] = share, names[p]
                    enlarged[f, n] = 1.0 / side
                if light < 0.002:
                    break
            bare[f, n] = light


@njit(cache=True, nogil=True, forceinline=True)
def _multiply(a, b, made):
    """The product of two matrices (3, 3)."""
    for i in range(3):
        for j in range(3):
            made[i, j] = a[i, 0] * b[0, j] + a[i, 1] * b[1, j] + a[i, 2] * b[2, j]


@njit(cache=True, nogil=True)
def _outside(matrix, pixels, width, height):
    """Whether a frame lies wholly to one side of a plate, by the corners of what is looked at: its first and last row
    begin and end there, and what lies between them on the frame does so on the plate."""
    last, across = pixels.shape[0] - 1, 0
    while across < last and pixels[across + 1, 1] == pixels[0, 1]:
        across += 1
    left = right = above = below = 0
    for n in (0, across, last - across, last):
        u, v = pixels[n, 0], pixels[n, 1]
        w = matrix[2, 0] * u + matrix[2, 1] * v + matrix[2, 2]
        if w <= 1e-12:
            return False
        x = (matrix[0, 0] * u + matrix[0, 1] * v + matrix[0, 2]) / w
        y = (matrix[1, 0] * u + matrix[1, 1] * v + matrix[1, 2]) / w
        left += x < 0
        right += x > width
        above += y < 0
        below += y > height
    return max(left, right, above, below) == 4


@njit(cache=True, nogil=True)
def _places(maps, pixels, places, needs):
    for f in range(maps.shape[0]):
        m = maps[f]
        for n in range(pixels.shape[0]):
            u, v = pixels[n, 0], pixels[n, 1]
            w = m[2, 0] * u + m[2, 1] * v + m[2, 2]
            if w > 1e-12:
                x = (m[0, 0] * u + m[0, 1] * v + m[0, 2]) / w
                y = (m[1, 0] * u + m[1, 1] * v + m[1, 2]) / w
                places[f, n, 0], places[f, n, 1] = x, y
                needs[f, n] = _narrow(m, x, y, w)


@njit(cache=True, nogil=True, forceinline=True)
def _narrow(m, x, y, w):
    """The shorter side of a frame pixel taken through a map, at the place x, y that it comes to."""
    xu, xv = (m[0, 0] - x * m[2, 0]) / w, (m[0, 1] - x * m[2, 1]) / w
    yu, yv = (m[1, 0] - y * m[2, 0]) / w, (m[1, 1] - y * m[2, 1]) / w
    return min(np.sqrt(xu * xu + yu * yu), np.sqrt(xv * xv + yv * yv))
