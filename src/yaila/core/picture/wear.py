"""What time does to film: dust, scratches, flicker, and a gate in which it does not stand still. All of it is seeded,
defined on the film's own pixels, and the same for a frame whoever draws it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.film.finish import Wear
from yaila.core.time import smoothstep

DUST = 26
"""Grains of dust in a frame, on average, at most."""

SCRATCHES = 7
"""Scratches that may be there at once."""

WANDERS = 9
"""Frames from one place of a slow wandering to the next."""

FLICKERS = 0.5
"""Stops by which light strays at most, a deviation."""


def _random(wear: Wear, *numbers: int) -> np.random.Generator:
    return np.random.default_rng([wear.seed, *(number & 0x7FFFFFFF for number in numbers)])


def _wandering(wear: Wear, frame: int, which: int) -> NDArray[np.float64]:
    """Two numbers that stray about 0, a deviation of 1: quickly from frame to frame, and slowly."""
    quick = _random(wear, which, frame).standard_normal(2)
    whole, part = divmod(frame, WANDERS)
    start, end = (_random(wear, which + 1, whole + k).standard_normal(2) for k in (0, 1))
    slow = start + (end - start) * float(smoothstep(part / WANDERS))
    return np.asarray(0.45 * quick + 0.9 * slow)


def weaving(wear: Wear, frame: int) -> tuple[float, float]:
    """How far to the right and down a frame stands off its place, pixels of the film."""
    right, down = np.clip(_wandering(wear, frame, 11), -2.5, 2.5).tolist()
    return 0.6 * wear.weave * right, wear.weave * down


def flickering(wear: Wear, frame: int) -> float:
    """How many times as much light a frame has."""
    return float(2.0 ** (FLICKERS * wear.flicker * np.clip(_wandering(wear, frame, 21)[0], -2.5, 2.5)))


@dataclass(frozen=True)
class Mark:
    """Something on the film: how much it hides of a part of the frame that begins at ``left`` and ``top``, 0..1, and
    the grey that it shows, 0..255."""

    left: int
    top: int
    hides: NDArray[np.float32]
    grey: float


def worn(pixels: NDArray[np.uint8], wear: Wear, view: View, frame: int) -> None:
    """Lay dust and scratches on pixels, (height, width, 4) uint8, opaque or premultiplied."""
    for mark in [*_dust(wear, view, frame), *_scratches(wear, view, frame)]:
        top, left = max(mark.top, 0), max(mark.left, 0)
        bottom = min(mark.top + mark.hides.shape[0], pixels.shape[0])
        right = min(mark.left + mark.hides.shape[1], pixels.shape[1])
        if bottom <= top or right <= left:
            continue
        hides = mark.hides[top - mark.top : bottom - mark.top, left - mark.left : right - mark.left, None]
        there = pixels[top:bottom, left:right]
        cover = there[..., 3:].astype(np.float32) / 255
        made = there[..., :3] + hides * (mark.grey * cover - there[..., :3])
        there[..., :3] = np.clip(made + 0.5, 0, 255).astype(np.uint8)


def _dust(wear: Wear, view: View, frame: int) -> Iterator[Mark]:
    random = _random(wear, 31, frame)
    # Sizes are those of a film 1080 pixels high.
    unit = view.whole.height / 1080
    for _ in range(random.poisson(DUST * wear.dust)):
        u, v = random.random() * view.whole.width, random.random() * view.whole.height
        hair, dark = random.random() < 0.12, random.random() < 0.7
        size = float(np.clip(random.lognormal(0.75, 0.6), 0.7, 9)) * unit
        shape, strength = random.standard_normal((9, 2)), 0.45 + 0.5 * random.random()
        grey = 18.0 if dark else 238.0
        yield (
            _hair(shape, size, unit, (u - view.left, v - view.top), strength, grey)
            if hair
            else _speck(shape, size, (u - view.left, v - view.top), strength, grey)
        )


def _canvas(at: tuple[float, float], reach: float) -> tuple[int, int, NDArray[np.uint8]]:
    left, top, side = int(at[0] - reach), int(at[1] - reach), int(2 * reach) + 2
    return left, top, np.zeros((side, side), np.uint8)


def _speck(shape: NDArray[np.float64], size: float, at: tuple[float, float], strength: float, grey: float) -> Mark:
    left, top, canvas = _canvas(at, 2.2 * size + 3)
    turn = np.linspace(0, 2 * np.pi, len(shape), endpoint=False)
    radius = max(size, 0.6) * (1 + 0.3 * np.clip(shape[:, 0], -1.5, 1.5))
    points = np.column_stack([at[0] - left + radius * np.cos(turn), at[1] - top + radius * np.sin(turn) * 0.8])
    cv2.fillPoly(canvas, [np.round(points * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    # What is smaller than a pixel covers less of one.
    fits = min((size / 0.6) ** 2, 1.0)
    soft = cv2.GaussianBlur(canvas.astype(np.float32) / 255, (0, 0), 0.6 + 0.08 * size)
    return Mark(left, top, soft * np.float32(strength * fits), grey)


def _hair(
    shape: NDArray[np.float64], size: float, unit: float, at: tuple[float, float], strength: float, grey: float
) -> Mark:
    long = (30 + 22 * size / max(unit, 1e-6)) * unit
    left, top, canvas = _canvas(at, long + 3)
    turns = np.cumsum(shape[:, 0] * 0.35) + shape[0, 1] * np.pi
    way = np.cumsum(np.column_stack([np.cos(turns), np.sin(turns)]), axis=0) * long / len(shape)
    points = way - way.mean(axis=0) + (at[0] - left, at[1] - top)
    wide = 1.6 * unit
    cv2.polylines(canvas, [np.round(points * 16).astype(np.int32)], False, 255, max(round(wide), 1), cv2.LINE_AA, 4)
    soft = cv2.GaussianBlur(canvas.astype(np.float32) / 255, (0, 0), 0.5)
    return Mark(left, top, soft * np.float32(strength * min(wide, 1.0)), grey)


def _scratches(wear: Wear, view: View, frame: int) -> Iterator[Mark]:
    width, height = view.whole
    unit = height / 1080
    for which in range(SCRATCHES):
        lasts = 14 + 11 * which
        number, since = divmod(frame + 17 * which, lasts)
        random = _random(wear, 41 + which, number)
        there, light = random.random() < wear.scratches * 1.2, random.random() < 0.75
        u = random.random() * width + random.normal(0, 0.5) * unit * since
        wide, strength = (0.7 + 1.3 * random.random()) * unit, 0.12 + 0.3 * random.random()
        if not there:
            continue
        # It is broken here and there, and its breaks run through the frame.
        knots = _random(wear, 51 + which, number * 64 + since).random(24)
        rows = (np.arange(view.size.height) + view.top + 0.5) / height * (len(knots) - 1)
        long = np.clip(np.interp(rows, np.arange(len(knots)), knots) * 2.2 - 0.5, 0, 1)
        left = int(u - view.left) - 1
        columns = np.arange(left, left + int(wide) + 4)
        # How much of each column lies in it.
        inside = np.clip(np.minimum(columns + 1, u - view.left + wide) - np.maximum(columns, u - view.left), 0, 1)
        hides = (strength * long[:, None] * inside[None, :]).astype(np.float32)
        yield Mark(left, 0, hides, 232.0 if light else 20.0)
