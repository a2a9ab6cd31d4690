"""Finding where a plate lies on another by itself.

1. Features: SIFT at every pyramid level (D. Lowe, "Distinctive Image Features from Scale-Invariant Keypoints", IJCV
   60(2), 2004), compared as RootSIFT (R. Arandjelovic & A. Zisserman, CVPR 2012).
2. Every match says alone where the plate would lie; the similarity that most others bear out is taken, and made
   better on those (a locally optimised consensus, O. Chum et al., DAGM 2003, over all hypotheses instead of random
   ones, so that the outcome is always the same).
3. Refinement: both pictures on the coarser one's grid, lit alike, are compared patch by patch (B. Lucas & T. Kanade,
   IJCAI 1981), and a map is fitted to the patches robustly, until it rests.
4. Judgement: how many patches agree, how well they correlate, and how sure the corners are, from the covariance of
   the least squares. What is not sure is declined, not guessed.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.errors import BadFit
from yaila.core.ground.placement import outline, through
from yaila.core.imagery.fitting.maps import solve_map
from yaila.core.imagery.fitting.repeats import repeating, runner_up
from yaila.core.imagery.fitting.sampling import resampled
from yaila.core.imagery.pages import Pyramid

Floats = NDArray[Any]
Kind = Literal["similarity", "affine", "homography", "globe"]
"""A flat map, or a similarity onto a picture that curves like a globe about its centre."""

KINDS: tuple[Kind, ...] = ("similarity", "globe", "affine", "homography")
FREEDOM: dict[Kind, int] = {"similarity": 4, "globe": 5, "affine": 6, "homography": 8}

LARGEST = (2048, 4096)
"""The longest side of a level that features are looked for in, pixels: first, and where those do not do."""

PER_LEVEL = 7000
MOST_MATCHES = 1500
LEAST_INLIERS = 6
PLENTY = 50
"""So many features that agree leave no doubt of the zoom ratio."""

TRIES = 3
"""How many places are looked at closely before declining."""

MOST_GRID = 1100
"""The longest side of the grid on which refinement works, pixels."""

CLEARLY = 0.95
"""The share of a stiffer map's cross-validated mean square that a freer one must stay under to be preferred."""

DECISIVE = 12.0
"""What the F statistic of a freer map must come to: patches share some of their errors, so no table gives it."""

SHARED = 1.0
"""How much the errors of neighbouring patches are shared: found on pairs of known truth (``bench/fit.py``)."""

SURE = 0.6
"""How uncertain a corner may be, pixels of the coarser plate (two standard deviations)."""


MOST_ELSEWHERE = 0.7
"""How well what agrees may agree elsewhere too, as a share of how well it does in its place."""

MOST_COMPARED = 1200
"""The longest side on which other places are looked at, pixels."""


@dataclass(frozen=True)
class Found:
    """Where a plate was found.

    ``matrix`` takes its pixels to those of the plate it was found on, once that is made flat: ``globe`` says how far
    its corners are bent inwards, as a share of their distance from its centre, 0 if it is not. ``residual`` is the
    root mean square over patches and ``unsure`` two standard deviations of its least sure corner, both in pixels of
    the coarser plate; ``confidence`` is 0..100, ``inliers`` how many features and ``patches`` how many patches bear it.
    """

    matrix: Floats
    kind: Kind
    globe: float
    size_below: tuple[int, int]
    residual: float
    unsure: float
    confidence: float
    inliers: int
    patches: int

    def through(self, places: Floats) -> Floats:
        """Pixels of the plate below at pixels (n, 2) of this one."""
        return curved(through(self.matrix, places), self.globe, self.size_below)


def curved(places: Floats, globe: float, size: tuple[int, int]) -> Floats:
    """Where places of a flat picture are on one that curves like a globe: the r that solves r (1 + globe (r / R)^2) =
    the flat one's distance from the centre, R being that of a corner."""
    if not globe:
        return places
    middle = np.array(size) / 2
    off, reach = places - middle, math.hypot(*middle)
    bent = off
    for _ in range(12):
        bent = off / (1 + globe * np.sum(bent**2, axis=-1, keepdims=True) / reach**2)
    return middle + bent


def flattened(places: Floats, globe: float, size: tuple[int, int]) -> Floats:
    """The inverse of :func:`curved`."""
    middle = np.array(size) / 2
    off = places - middle
    return middle + off * (1 + globe * np.sum(off**2, axis=-1, keepdims=True) / (middle @ middle))


class NotFitted(BadFit):
    """No place was found that can be trusted."""

    kind = "not-fitted"


@dataclass(frozen=True)
class _Features:
    places: NDArray[np.float32]
    """(n, 2) plate pixels."""
    levels: NDArray[np.int64]
    sizes: NDArray[np.float32]
    turns: NDArray[np.float32]
    """Radians."""
    descriptors: NDArray[np.float32]
    """(n, 128), of length 1."""

    def on(self, first: int, last: int) -> _Features:
        """Those of some levels, the last included."""
        some = (self.levels >= first) & (self.levels <= last)
        return _Features(*(part[some] for part in vars(self).values()))


def find_fit(
    plate: Pyramid, below: Pyramid, key: tuple[str, str], progress: Callable[[float], None] = lambda share: None
) -> Found:
    """Find ``plate`` on ``below``, at any turn and size from twice to a sixteenth of its own.

    Args:
        key: names of the two that differ when their pixels do, to keep their features for the next time.
        progress: called with 0..1.

    Raises:
        NotFitted: saying why.
    """
    mine = _features(_Named(key[0], plate), LARGEST[0])
    progress(0.2)
    starts: list[tuple[Floats, int]] = []
    for share, largest in zip((0.4, 0.65), LARGEST, strict=True):
        starts = _starts(mine, _features(_Named(key[1], below), largest))
        progress(share)
        if (starts and starts[0][1] > PLENTY) or max(below.sizes[0]) <= largest:
            break
    progress(0.7)
    found, why = [], "No place was found where enough of the two pictures agrees."
    for number, (start, inliers) in enumerate(starts[:TRIES]):
        try:
            found.append(_refined(plate, below, start, inliers))
        except NotFitted as error:
            why = why if number else str(error)
        progress(0.7 + 0.3 * (number + 1) / TRIES)
        if found and found[-1].confidence > 80:
            break
    if not found:
        raise NotFitted(why)
    return max(found, key=lambda one: one.confidence)


def _starts(mine: _Features, theirs: _Features) -> list[tuple[Floats, int]]:
    """Places worth a closer look, the best borne out first: similarities and how many features bear each.

    Every zoom ratio is tried by itself: at 1 : 8 nothing finer than the plate's third level can be on the other.
    """
    starts: list[tuple[Floats, int]] = []
    base_mine, base_theirs = int(mine.levels.min()), int(theirs.levels.min())
    for octave in (1, 2, 0, 3, 4, -1):
        some = mine.on(base_mine + max(octave, 0), base_mine + max(octave, 0) + 3)
        other = theirs.on(base_theirs + max(-octave, 0), base_theirs + max(-octave, 0) + 3)
        if min(len(some.places), len(other.places)) < LEAST_INLIERS:
            continue
        ratio = 2.0 ** (base_theirs - base_mine - octave)
        starts += _consensus(some, other, (ratio / 2.6, ratio * 2.6))
        if starts and max(inliers for _, inliers in starts) > PLENTY:
            break
    starts.sort(key=lambda start: -start[1])
    apart: list[tuple[Floats, int]] = []
    for matrix, inliers in starts:
        if all(np.abs(matrix[:2] - known[:2]).max() > 4 for known, _ in apart):
            apart.append((matrix, inliers))
    return apart


class _Named:
    """A pyramid that is remembered by its name."""

    def __init__(self, name: str, pyramid: Pyramid) -> None:
        self.name, self.pyramid = name, pyramid

    def __hash__(self) -> int:
        return hash(self.name)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Named) and other.name == self.name


def grey_of(rgba: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Brightness of premultiplied RGBA; what is clear is mid grey."""
    grey = cv2.cvtColor(rgba[..., :3], cv2.COLOR_RGB2GRAY).astype(np.float32)
    return np.asarray(grey + 128 * (1 - rgba[..., 3].astype(np.float32) / 255), np.uint8)


@lru_cache(maxsize=24)
def _features(named: _Named, largest: int) -> _Features:
    pyramid = named.pyramid
    sift = cv2.SIFT.create(nfeatures=PER_LEVEL, contrastThreshold=0.012, edgeThreshold=14)
    even = cv2.createCLAHE(clipLimit=3.0, tileGridSize=(8, 8))
    parts, repeated, shown = [], None, False
    for level, (width, height) in enumerate(pyramid.sizes):
        if max(width, height) > largest and level < len(pyramid.sizes) - 1:
            continue
        if min(width, height) < 40:
            break
        window = pyramid.window(level, 0, 0, width, height)
        grey, there = grey_of(window), window[..., 3] > 250
        if not shown:
            repeated, shown = repeating(grey, there), True
        if repeated is not None:
            # A watermark is on every picture of its survey, wherever that lies.
            there &= cv2.resize(repeated.astype(np.uint8), (width, height), interpolation=cv2.INTER_AREA) == 0
        inside = cv2.erode(there.astype(np.uint8), np.ones((9, 9), np.uint8), borderValue=1)
        keypoints, descriptors = sift.detectAndCompute(even.apply(grey), inside)
        if not keypoints:
            continue
        facts = np.array([(*k.pt, k.size, math.radians(k.angle)) for k in keypoints], np.float32)
        # Larger features are found better on the next level.
        own = facts[:, 2] < 14 if min(width, height) >= 80 else np.ones(len(facts), bool)
        if not own.any():
            continue
        facts, descriptors = facts[own], descriptors[own]
        facts[:, :2] = (facts[:, :2] + 0.5) * 2**level
        facts[:, 2] *= 2**level
        parts.append((facts, descriptors, np.full(len(facts), level)))
    if not parts:
        if repeated is not None:
            raise NotFitted("One of the pictures shows nothing but what repeats in it: a pattern, or a watermark.")
        raise NotFitted("One of the pictures shows too little to go by: open sea, cloud or a plain colour.")
    facts, descriptors, levels = (np.concatenate(column) for column in zip(*parts, strict=True))
    descriptors = descriptors.astype(np.float32)
    descriptors /= np.maximum(descriptors.sum(axis=1, keepdims=True), 1e-9)
    return _Features(facts[:, :2], levels, facts[:, 2], facts[:, 3], np.sqrt(descriptors))


def _matches(mine: _Features, theirs: _Features) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pairs of features, the most distinct first."""
    pairs = []
    for start in range(0, len(mine.places), 2048):
        likeness = mine.descriptors[start : start + 2048] @ theirs.descriptors.T
        rows = np.arange(len(likeness))
        best = likeness.argmax(axis=1)
        top = likeness[rows, best]
        likeness[rows, best] = -1
        second = likeness.argmax(axis=1)
        # The runner-up must be another place, not the same feature on the next level.
        same = np.linalg.norm(theirs.places[best] - theirs.places[second], axis=1) < 0.5 * theirs.sizes[best]
        runner = likeness[rows, second]
        likeness[rows, second] = -1
        runner = np.where(same, likeness.max(axis=1), runner)
        ratio = np.sqrt(np.maximum(2 - 2 * top, 0)) / np.sqrt(np.maximum(2 - 2 * runner, 1e-9))
        pairs.append(np.column_stack([start + rows, best, ratio]))
    table = np.concatenate(pairs)
    table = table[np.argsort(table[:, 2], kind="stable")][:MOST_MATCHES]
    return table[:, 0].astype(np.int64), table[:, 1].astype(np.int64)


def _consensus(mine: _Features, theirs: _Features, scales: tuple[float, float]) -> list[tuple[Floats, int]]:
    """The similarities that most matches bear out, as 3x3 matrices, and by how many places each is borne out."""
    first, second = _matches(mine, theirs)
    p, q = mine.places[first].astype(np.float64), theirs.places[second].astype(np.float64)
    scale = theirs.sizes[second].astype(np.float64) / mine.sizes[first]
    turn = theirs.turns[second].astype(np.float64) - mine.turns[first]
    z, w = p[:, 0] + 1j * p[:, 1], q[:, 0] + 1j * q[:, 1]
    factor = scale * np.exp(1j * turn)
    # A feature's place is sure to about a quarter of its size.
    slack = np.maximum(0.25 * theirs.sizes[second], 1.5)
    usable = np.flatnonzero((scale > scales[0] / 1.3) & (scale < scales[1] * 1.3))
    counts = np.zeros(len(p), np.int64)
    for start in range(0, len(usable), 256):
        some = usable[start : start + 256]
        reach = factor[some, None] * (z[None, usable] - z[some, None])
        away = np.abs(w[some, None] + reach - w[None, usable])
        # A single feature tells size and turn to a tenth or so.
        fits = away < slack[None, usable] + 0.12 * np.abs(reach)
        fits &= np.abs(np.log(scale[None, usable] / scale[some, None])) < 0.35
        fits &= np.cos(turn[None, usable] - turn[some, None]) > 0.9
        counts[some] = fits.sum(axis=1)
    found: list[tuple[Floats, int]] = []
    for hypothesis in np.argsort(-counts, kind="stable")[:40]:
        if counts[hypothesis] < 4:
            break
        a, b = factor[hypothesis], w[hypothesis] - factor[hypothesis] * z[hypothesis]
        keep = np.zeros(len(p), bool)
        for widen in (4.0, 2.5, 1.5, 1.0, 1.0, 1.0):
            away = np.abs(a * z + b - w)
            reach = slack * widen + (0.12 * np.abs(a * (z - z[hypothesis])) if widen == 4.0 else 0)
            keep = (away < reach) & (np.abs(np.log(scale / abs(a))) < 0.5) & (np.cos(turn - np.angle(a)) > 0.8)
            if _places(q[keep]) < 3:
                break
            weight = 1 / slack[keep] ** 2
            share = weight / weight.sum()
            mean_z, mean_w = share @ z[keep], share @ w[keep]
            a = (share * (w[keep] - mean_w)) @ np.conj(z[keep] - mean_z) / (share @ np.abs(z[keep] - mean_z) ** 2)
            b = mean_w - a * mean_z
        inliers = _places(q[keep])
        if inliers >= LEAST_INLIERS and scales[0] < abs(a) < scales[1]:
            found.append((np.array([[a.real, -a.imag, b.real], [a.imag, a.real, b.imag], [0, 0, 1]]), inliers))
    return found


def _places(points: Floats) -> int:
    """How many different places points name, to two pixels."""
    columns, rows = np.round(points / 2).astype(np.int64).T
    return len(np.unique(columns + (rows << 32)))


def _lit_alike(rgba: NDArray[np.uint8], reach: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Brightness with its local mean taken off and its local spread made 1, and where it can be trusted, 0..1."""
    alpha = rgba[..., 3].astype(np.float32) / 255
    grey = cv2.cvtColor(rgba[..., :3], cv2.COLOR_RGB2GRAY).astype(np.float32)
    there = cv2.GaussianBlur(alpha, (0, 0), reach) + 1e-3
    mean = cv2.GaussianBlur(grey, (0, 0), reach) / there
    off = (grey - mean) * (alpha > 0.99)
    spread = np.sqrt(cv2.GaussianBlur(off * off, (0, 0), reach) / there)
    return np.asarray(off / (spread + 2.0), np.float32), (alpha > 0.99).astype(np.float32)


def _refined(plate: Pyramid, below: Pyramid, start: Floats, inliers: int) -> Found:
    """The map made exact on patches, and judged."""
    width, height = plate.sizes[0]
    below_size = below.sizes[0]
    corners = outline(start, width, height)
    # The grid: pixels of the coarser of the two, over the part of ``below`` that the plate covers.
    low = np.maximum(corners.min(axis=0) - 4, 0)
    high = np.minimum(corners.max(axis=0) + 4, below_size)
    if np.any(high - low < 24):
        raise NotFitted("What the two pictures share is too small to be judged.")
    step = max(1.0, math.sqrt(abs(np.linalg.det(start[:2, :2]))), float((high - low).max()) / MOST_GRID)
    columns, rows = (int(v) for v in np.floor((high - low) / step))
    grid = _Grid(np.array([[step, 0, low[0]], [0, step, low[1]], [0, 0, 1.0]]), columns, rows, below_size)
    patch = float(np.clip(min(columns, rows) / 7, 14, 48))
    raw = resampled(below, grid.below_from_grid, columns, rows)
    other = _lit_alike(raw, patch / 4)
    centres = grid.centres(patch)
    matrix, globe, kind = np.linalg.inv(grid.below_from_grid) @ start, 0.0, KINDS[0]
    corner_points = _corners(width, height)
    for turn in range(5):
        mine = _lit_alike(resampled(plate, np.linalg.inv(matrix), columns, rows), patch / 4)
        leaps = _leaps(mine, other, centres, patch)
        if turn < 3:
            matrix = _settled(matrix, leaps)
            continue
        # A bend carries the outer patches further away than fine steps would see.
        kind = kind if kind == "globe" else _kind(leaps, grid)
        change, _ = _solved(kind, leaps, grid)
        matrix = _changed(change, grid) @ matrix
        if kind == "globe":
            globe += change[4]
            other = _lit_alike(grid.unbent(raw, globe), patch / 4)
    for turn in range(12):
        mine = _lit_alike(resampled(plate, np.linalg.inv(matrix), columns, rows), patch / 4)
        patches = _patches(mine, other, centres, patch)
        if turn in (2, 6) and kind != "globe":
            kind = _kind(patches, grid)
        change, weight = _solved(kind, patches, grid)
        matrix = _changed(change, grid) @ matrix
        if kind == "globe":
            globe += change[4]
            other = _lit_alike(grid.unbent(raw, globe), patch / 4)
        if turn > 6 and np.abs(_basis(kind, through(matrix, corner_points), grid) @ change).max() < 0.01:
            break
    found = _judged(kind, matrix, globe, patches, weight, corner_points, grid, inliers)
    if (elsewhere := _elsewhere(below, mine[0], patches, weight, grid, patch)) > MOST_ELSEWHERE:
        raise NotFitted(
            f"What agrees at the best place found agrees elsewhere too, {100 * elsewhere:.0f} % as well: a watermark, "
            "or a pattern that repeats. Set two or three tie points."
        )
    return found


def _elsewhere(
    below: Pyramid, mine: NDArray[np.float32], patches: _Patches, weight: Floats, grid: _Grid, patch: float
) -> float:
    """How well the patches that agree would agree, all together, at another place of the plate below."""
    half = int(patch / 2)
    kept = np.zeros_like(mine)
    for x, y in patches.at[weight > 0.05].astype(int):
        part = np.s_[y - half : y + half, x - half : x + half]
        kept[part] = mine[part]
    # Half as much more of the plate below as the two share, on every side.
    room = (grid.columns // 2, grid.rows // 2)
    wide = grid.below_from_grid @ np.array([[1.0, 0, -room[0]], [0, 1, -room[1]], [0, 0, 1]])
    size = (grid.columns + 2 * room[0], grid.rows + 2 * room[1])
    parts: list[Floats] = [kept, *_lit_alike(resampled(below, wide, *size), patch / 4)]
    # A grid larger than needed costs more than it tells.
    fewer = max(1, round(max(size) / MOST_COMPARED))
    if fewer > 1:
        parts = [cv2.resize(one, None, fx=1 / fewer, fy=1 / fewer, interpolation=cv2.INTER_AREA) for one in parts]
    at = (room[0] // fewer, room[1] // fewer)
    return runner_up(parts[0], parts[1], parts[2], at, max(patch / 2 / fewer, 3.0))


def _corners(width: int, height: int) -> Floats:
    """A plate's corners and its centre."""
    return np.array([[0, 0], [width, 0], [width, height], [0, height], [width / 2, height / 2]], np.float64)


@dataclass(frozen=True)
class _Grid:
    """The grid that refinement works on: its map to the plate below, its size, and that plate's size."""

    below_from_grid: Floats
    columns: int
    rows: int
    below_size: tuple[int, int]

    def centres(self, patch: float) -> Floats:
        """Centres of patches spread over the grid, (n, 2)."""
        pace = max(patch * 0.6, math.sqrt(self.columns * self.rows / 600))
        xs = np.arange(patch / 2, self.columns - patch / 2 + 1e-6, pace)
        ys = np.arange(patch / 2, self.rows - patch / 2 + 1e-6, pace)
        return np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)

    def bulge(self, places: Floats) -> Floats:
        """How far grid places (n, 2) move when the plate below is flattened by 1 more."""
        below = through(self.below_from_grid, places)
        return (flattened(below, 1.0, self.below_size) - below) / self.below_from_grid[0, 0]

    def unbent(self, raw: NDArray[np.uint8], globe: float) -> NDArray[np.uint8]:
        """The plate below on the grid, flattened."""
        rows, columns = np.mgrid[0 : self.rows, 0 : self.columns].astype(np.float64)
        flat = through(self.below_from_grid, np.stack([columns + 0.5, rows + 0.5], axis=-1))
        at = through(np.linalg.inv(self.below_from_grid), curved(flat, globe, self.below_size)) - 0.5
        across, down = (np.ascontiguousarray(at[..., axis], np.float32) for axis in (0, 1))
        return np.asarray(cv2.remap(raw, across, down, cv2.INTER_CUBIC), np.uint8)


@dataclass(frozen=True)
class _Patches:
    """Patches that show something: where they are (n, 2), how much they say of a shift along either axis (n, 2, 2;
    the main direction of a telling patch about 1), that times the shift they ask for (n, 2), and how well the two
    pictures correlate there (n,)."""

    at: Floats
    says: Floats
    asks: Floats
    likeness: Floats
    good: NDArray[np.bool_]

    @cached_property
    def _inverse(self) -> Floats:
        """Of ``says``, where it says anything, over its main value."""
        most = np.linalg.eigvalsh(self.says)[:, 1]
        return np.linalg.pinv(self.says, rcond=0.02, hermitian=True) / most[:, None, None]

    def missed(self, change: Floats, basis: Floats) -> Floats:
        """Pixels along the direction that each patch can tell, after a change."""
        rest = self.asks - (self.says @ (basis @ change)[..., None])[..., 0]
        return np.asarray(np.sqrt(np.maximum(np.sum((self._inverse @ rest[..., None])[..., 0] * rest, axis=1), 0)))


def _window(half: int) -> NDArray[np.float32]:
    ramp = np.hanning(2 * half + 2)[1:-1]
    return np.outer(ramp, ramp).astype(np.float32)


Lit = tuple[NDArray[np.float32], NDArray[np.float32]]


def _leaps(mine: Lit, other: Lit, centres: Floats, patch: float) -> _Patches:
    """What patches say by phase correlation: rough, but from further away."""
    half = int(patch / 2)
    window = _window(half).astype(np.float64)
    found = []
    for x, y in centres.astype(int):
        part = np.s_[y - half : y + half, x - half : x + half]
        if mine[0][part].shape != window.shape or (mine[1][part] * other[1][part]).mean() < 0.9:
            continue
        (sx, sy), response = cv2.phaseCorrelate(
            mine[0][part].astype(np.float64), other[0][part].astype(np.float64), window
        )
        if response > 0.12 and math.hypot(sx, sy) < patch / 3:
            found.append((x, y, sx, sy, response))
    if len(found) < 5:
        raise NotFitted("The pictures agree in too few places to be sure.")
    table = np.array(found, np.float64)
    says = np.broadcast_to(np.eye(2) / 2, (len(table), 2, 2))
    return _Patches(table[:, :2], says, table[:, 2:4] / 2, table[:, 4], np.ones(len(table), bool))


def _settled(matrix: Floats, leaps: _Patches) -> Floats:
    """The map after the similarity that patches ask for, outliers left out."""
    sources, goals = leaps.at, leaps.at + 2 * leaps.asks
    weight = np.ones(len(sources))
    change = np.eye(3)
    try:
        for _ in range(8):
            change = solve_map("similarity", sources, goals, np.maximum(weight, 1e-9))
            away = np.linalg.norm(through(change, sources) - goals, axis=1)
            weight = np.clip(1 - (away / (4 * max(float(np.median(away)), 0.05))) ** 2, 0, None) ** 2
    except BadFit as error:
        raise NotFitted("The places where the pictures agree lie too close together.") from error
    return change @ matrix


def _patches(mine: Lit, other: Lit, centres: Floats, patch: float) -> _Patches:
    """What each patch says of how ``mine`` must still move to match ``other``."""
    half = int(patch / 2)
    window = _window(half)
    mean = (mine[0] + other[0]) * 0.5
    across, down = cv2.Scharr(mean, cv2.CV_32F, 1, 0) / 32, cv2.Scharr(mean, cv2.CV_32F, 0, 1) / 32
    there = mine[1] * other[1]
    at, says, asks, likeness = [], [], [], []
    for x, y in centres.astype(int):
        part = np.s_[y - half : y + half, x - half : x + half]
        if there[part].shape != window.shape or there[part].mean() < 0.98:
            continue
        u, v, a, b = across[part], down[part], mine[0][part], other[0][part]
        normal = np.array([[np.sum(window * u * u), np.sum(window * u * v)], [0, np.sum(window * v * v)]])
        normal[1, 0] = normal[0, 1]
        if np.linalg.eigvalsh(normal)[1] < 0.02 * window.sum():
            continue
        a, b = a - (window * a).sum() / window.sum(), b - (window * b).sum() / window.sum()
        # mine(x - s) = other(x): the gradient times s is mine less other.
        off = window * (a - b)
        at.append((x, y))
        says.append(normal)
        asks.append((np.sum(u * off), np.sum(v * off)))
        likeness.append((window * a * b).sum() / math.sqrt((window * a * a).sum() * (window * b * b).sum() + 1e-9))
    if len(at) < 5:
        raise NotFitted("The pictures agree in too few places to be sure.")
    says_, asks_, likeness_ = np.array(says, np.float64), np.array(asks, np.float64), np.array(likeness)
    most = np.linalg.eigvalsh(says_)[:, 1]
    size = most + np.median(most)
    good = (likeness_ > 0.45) & (np.linalg.norm(asks_, axis=1) / most < 1.5)
    return _Patches(np.array(at, np.float64), says_ / size[:, None, None], asks_ / size[:, None], likeness_, good)


def _basis(kind: Kind, places: Floats, grid: _Grid) -> Floats:
    """How places move with each number of a small change of a map: (n, 2, numbers)."""
    x, y = ((places - [grid.columns / 2, grid.rows / 2]) / max(grid.columns, grid.rows)).T
    one, nil = np.ones(len(x)), np.zeros(len(x))
    if kind in ("similarity", "globe"):
        columns = [(x, y), (-y, x), (one, nil), (nil, one)]
        if kind == "globe":
            # Flattening moves what is below the one way, so mine is asked to move less by that.
            columns.append(tuple(-grid.bulge(places).T))
    else:
        columns = [(x, nil), (y, nil), (one, nil), (nil, x), (nil, y), (nil, one)]
        if kind == "homography":
            columns += [(x * x, x * y), (x * y, y * y)]
    return np.stack([np.stack(column, axis=-1) for column in columns], axis=-1)


def _changed(change: Floats, grid: _Grid) -> Floats:
    """A small change of a map, as a 3x3 matrix on the grid."""
    matrix = np.eye(3)
    size = max(grid.columns, grid.rows)
    if len(change) <= 5:
        matrix[:2] += np.array([[change[0], -change[1], change[2]], [change[1], change[0], change[3]]])
    else:
        matrix[:2] += np.reshape(change[:6], (2, 3))
        if len(change) == 8:
            matrix[2, :2] = -change[6:]
    into = np.array([[1 / size, 0, -grid.columns / 2 / size], [0, 1 / size, -grid.rows / 2 / size], [0, 0, 1]])
    # The change is in pixels; places are counted in sizes of the grid.
    scale = np.diag([1 / size, 1 / size, 1.0])
    matrix[:2] = np.eye(3)[:2] + scale[:2, :2] @ (matrix[:2] - np.eye(3)[:2])
    matrix[2, :2] /= size
    return np.asarray(np.linalg.inv(into) @ matrix @ into)


def _solved(kind: Kind, patches: _Patches, grid: _Grid, only: NDArray[np.bool_] | None = None) -> tuple[Floats, Floats]:
    """The small change that the patches ask for, by least squares with Tukey's biweight; and the weights."""
    base = patches.good.astype(np.float64) if only is None else (patches.good & only).astype(np.float64)
    basis = _basis(kind, patches.at, grid)
    count = basis.shape[-1]
    said = (patches.says @ basis).reshape(-1, count)
    flat, asked = basis.reshape(-1, count), patches.asks.ravel()
    weight = base
    change = np.zeros(count)
    for _ in range(8):
        weighted = flat * np.repeat(weight, 2)[:, None]
        normal = weighted.T @ said
        if np.linalg.matrix_rank(normal, tol=1e-9 * np.trace(normal)) < count:
            raise NotFitted("The places where the pictures agree lie too close together.")
        change = np.linalg.solve(normal, weighted.T @ asked)
        away = patches.missed(change, basis)
        spread = max(float(np.median(away[base > 0])), 0.02)
        weight = base * np.clip(1 - (away / (6 * spread)) ** 2, 0, None) ** 2
    return change, weight


def _kind(patches: _Patches, grid: _Grid) -> Kind:
    """The stiffest map that foretells patches nearly as well as any, when a sector of the plate is left out at a time.

    Sectors, not single patches, since a map must hold where no patch is.
    """
    best: Kind = KINDS[0]
    left = None
    rest: dict[Kind, float] = {}
    sector = np.floor((np.arctan2(*(patches.at - np.median(patches.at, axis=0)).T) / math.tau + 0.5) * 8) % 8
    for kind in KINDS:
        if kind != "similarity" and patches.good.sum() < 5 * FREEDOM[kind]:
            continue
        basis, missed = _basis(kind, patches.at, grid), np.zeros(len(sector))
        try:
            for fold in np.unique(sector):
                change, _ = _solved(kind, patches, grid, sector != fold)
                missed[sector == fold] = patches.missed(change, basis)[sector == fold]
        except NotFitted:
            continue
        # A trimmed mean of squares: a few bad patches must not choose.
        squares = np.sort(missed[patches.good] ** 2)
        value = float(np.mean(squares[: max(int(0.85 * len(squares)), 1)]))
        change, weight = _solved(kind, patches, grid)
        rest[kind] = float(weight @ patches.missed(change, basis) ** 2 / weight.sum())
        if left is None or (value < CLEARLY * left and _gains(rest, kind, int(patches.good.sum())) > DECISIVE):
            best, left = kind, value
    return best


def _gains(rest: dict[Kind, float], kind: Kind, count: int) -> float:
    """The F statistic of a freer map against the similarity: what its further numbers explain, over what is left."""
    more, free = FREEDOM[kind] - FREEDOM["similarity"], max(count - FREEDOM[kind], 1)
    return (rest["similarity"] - rest[kind]) / more / max(rest[kind] / free, 1e-12)


def _judged(
    kind: Kind, matrix: Floats, globe: float, patches: _Patches, weight: Floats, corners: Floats, grid: _Grid,
    inliers: int,
) -> Found:  # fmt: skip
    """The outcome, if it can be trusted."""
    basis = _basis(kind, patches.at, grid)
    away = patches.missed(np.zeros(basis.shape[-1]), basis)
    keep = weight > 0.05
    if keep.sum() < FREEDOM[kind] + 4:
        raise NotFitted("The pictures agree in too few places to be sure.")
    square = float(weight @ away**2 / weight.sum())
    free = keep.sum() / max(keep.sum() - FREEDOM[kind] / 2, 1.0)
    normal = np.einsum("n,nia,nij,njb->ab", weight, basis, patches.says, basis)
    there = _basis(kind, through(matrix, corners), grid)
    # Patches overlap and share their errors; says is 1/2 for a middling patch.
    covariance = square * free * np.linalg.pinv(normal) * SHARED
    unsure = 2 * float(np.sqrt(np.einsum("nia,ab,nib->n", there, covariance, there).max() / 2))
    if kind == "similarity":
        # Where patches cannot tell a bend from none, the corners are not known any better than the two differ there.
        change, _ = _solved("globe", patches, grid)
        bent = _basis("globe", through(matrix, corners), grid) @ change
        unsure = math.hypot(unsure, float(np.linalg.norm(bent, axis=1).max()))
    agreeing, like = keep.sum() / len(keep), float(np.median(patches.likeness[keep]))
    confidence = 100 * math.exp(-((unsure / SURE) ** 2) * 0.7) * min(1.0, agreeing / 0.35) * min(1.0, like / 0.6)
    if unsure > SURE or agreeing < 0.2 or like < 0.5 or confidence < 30:
        raise NotFitted(
            f"The best place found is not sure enough: corners to ±{unsure:.1f} px, {100 * agreeing:.0f} % of patches "
            "agree. Set two or three tie points."
        )
    total = grid.below_from_grid @ matrix
    return Found(
        total / total[2, 2], kind, globe, grid.below_size, math.sqrt(square), unsure, min(confidence, 99.0), inliers,
        int(keep.sum()),
    )  # fmt: skip
