"""Pairs of pictures of the practice world whose true fit is known: what finding a fit is measured on."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.ground import GroundBox, Similarity
from yaila.core.ground.placement import outline, through
from yaila.standin.world import Harbour, World

COARSE = (1400, 1000)
FINE = (1200, 840)

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Case:
    """What a pair is made with: zoom ratio, turn (degrees), tints, cloud cover, names drawn on, and bend.

    ``bend`` is how far the coarse picture's corners are displaced, as a share of their distance from its centre.
    """

    name: str
    place: str
    pixel: float
    ratio: float
    turn: float
    seed: int
    tint: float = 0.0
    cloud: float = 0.0
    labels: bool = False
    bend: float = 0.0


@dataclass(frozen=True)
class Pair:
    """A fine and a coarse picture, (height, width, 3) uint8, and where pixels of the fine one lie on the coarse."""

    case: Case
    fine: NDArray[np.uint8]
    coarse: NDArray[np.uint8]
    _coarse_from_fine: Floats

    def truth(self, places: Floats) -> Floats:
        """Pixels of the coarse picture at pixels (n, 2) of the fine one."""
        flat = through(self._coarse_from_fine, places)
        middle = np.array(COARSE) / 2
        reach = float(np.hypot(*middle))
        bent = flat.copy()
        for _ in range(50):
            off = bent - middle
            bent = middle + (flat - middle) / (1 + self.case.bend * np.sum(off**2, axis=1, keepdims=True) / reach**2)
        return bent


PLACES = ("Marrowick", "Tolvane", "Quillhaven", "Sarnish Point", "Ebbing Light")


def cases() -> list[Case]:
    """The measured set: ratios 2, 4 and 8, each under every trouble and several at once; 48 pairs."""
    random = np.random.default_rng(20)
    troubles: list[dict[str, float | bool]] = [
        {},
        {"turn": 7.0},
        {"turn": -38.0},
        {"turn": 164.0},
        {"tint": 0.5},
        {"tint": 1.0},
        {"cloud": 0.25},
        {"cloud": 0.35, "tint": 0.6},
        {"labels": True},
        {"labels": True, "tint": 0.6, "turn": 3.0},
        {"bend": 0.008},
        {"bend": 0.012, "tint": 0.6},
        {"cloud": 0.25, "labels": True, "tint": 0.8, "turn": -12.0},
        {"bend": 0.008, "cloud": 0.25, "tint": 0.5},
        {"turn": 90.0, "tint": 0.5, "labels": True},
        {"turn": -4.0, "tint": 1.0, "bend": 0.006, "cloud": 0.2, "labels": True},
    ]
    made = []
    for ratio in (2.0, 4.0, 8.0):
        for number, trouble in enumerate(troubles):
            wide = bool(trouble.get("bend") or trouble.get("cloud"))
            pixel = (90.0, 45.0, 60.0)[number % 3] if wide else (70.0, 24.0, 9.0, 3.0)[number % 4]
            made.append(
                Case(
                    f"{ratio:.0f}x " + (", ".join(f"{key} {value:g}" for key, value in trouble.items()) or "plain"),
                    PLACES[(number + int(ratio)) % len(PLACES)],
                    pixel,
                    ratio,
                    float(trouble.get("turn", 0.0)),
                    int(random.integers(1 << 30)),
                    float(trouble.get("tint", 0.0)),
                    float(trouble.get("cloud", 0.0)),
                    bool(trouble.get("labels", False)),
                    float(trouble.get("bend", 0.0)),
                )
            )
    return made


def make_pair(world: World, case: Case) -> Pair:
    """The pictures of a case."""
    random = np.random.default_rng(case.seed)
    harbour = _harbour(world, case)
    # The coarse picture holds the place somewhere about its middle; the fine one shows the place.
    off = random.uniform(-0.22, 0.22, 2) * np.array(COARSE) * case.pixel
    coarse_at = Similarity(x=harbour.x + off[0], y=harbour.y + off[1], scale=case.pixel)
    fine_pixel = case.pixel / case.ratio
    shift = random.uniform(-0.15, 0.15, 2) * np.array(FINE) * fine_pixel
    fine_at = Similarity(x=harbour.x + shift[0], y=harbour.y + shift[1], scale=fine_pixel, turn=case.turn)
    coarse = _picture(world, coarse_at, COARSE, case.bend, _tint(random, case.tint))
    if case.cloud:
        coarse = _clouded(world, coarse_at, coarse, case.cloud, random, _outline_of(coarse_at, fine_at))
    fine = _picture(world, fine_at, FINE, 0.0, _tint(random, case.tint))
    if case.labels:
        _name_places(coarse if random.random() < 0.6 else fine, random)
    matrix = np.linalg.inv(coarse_at.matrix(*COARSE)) @ fine_at.matrix(*FINE)
    return Pair(case, fine, coarse, matrix)


def _harbour(world: World, case: Case) -> Harbour:
    """The case's place, or the next of which a plate would be made: one that shows land over a quarter of it."""
    half = np.array(FINE) / 2 * case.pixel / case.ratio
    first = PLACES.index(case.place)
    for name in PLACES[first:] + PLACES[:first]:
        harbour = world.harbours[name]
        box = GroundBox(harbour.x - half[0], harbour.y - half[1], harbour.x + half[0], harbour.y + half[1])
        if world.land_share(box) > 0.25:
            return harbour
    raise ValueError("No place of the practice world shows enough land at that scale.")


def _tint(random: np.random.Generator, strength: float) -> tuple[float, ...]:
    """Another season's colours: factors, then amounts added."""
    factors = 1 + strength * random.uniform(-0.16, 0.16, 3)
    return (*factors.tolist(), *(strength * random.uniform(-6, 12, 3)).tolist())


def _picture(
    world: World, at: Similarity, size: tuple[int, int], bend: float, tint: tuple[float, ...]
) -> NDArray[np.uint8]:
    """The world as a placement lays it, bent outwards from the picture's centre."""
    width, height = size
    reach = math.hypot(width, height) / 2 * (1 + bend) + 4
    half_x = width / 2 * (1 + bend) + 4 if not at.turn else reach
    half_y = height / 2 * (1 + bend) + 4 if not at.turn else reach
    columns, rows = 2 * math.ceil(half_x), 2 * math.ceil(half_y)
    half = np.array([columns, rows]) / 2 * at.scale
    box = GroundBox(at.x - half[0], at.y - half[1], at.x + half[0], at.y + half[1])
    source = world.picture(box, columns, tint)
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    off = np.stack([x + 0.5 - width / 2, y + 0.5 - height / 2], axis=-1)
    corner = math.hypot(width, height) / 2
    off *= 1 + bend * np.sum(off**2, axis=-1, keepdims=True) / corner**2
    angle = math.radians(at.turn)
    u = off[..., 0] * math.cos(angle) - off[..., 1] * math.sin(angle) + columns / 2 - 0.5
    v = off[..., 0] * math.sin(angle) + off[..., 1] * math.cos(angle) + rows / 2 - 0.5
    return np.asarray(cv2.remap(source, u.astype(np.float32), v.astype(np.float32), cv2.INTER_CUBIC), np.uint8)


def _outline_of(coarse_at: Similarity, fine_at: Similarity) -> Floats:
    """The fine picture's corners on the coarse one, pixels."""
    matrix = np.linalg.inv(coarse_at.matrix(*COARSE)) @ fine_at.matrix(*FINE)
    return outline(matrix, *FINE)


def _clouded(
    world: World, at: Similarity, picture: NDArray[np.uint8], cover: float, random: np.random.Generator, corners: Floats
) -> NDArray[np.uint8]:
    """Cloud over the coarse picture: some of it, but not most, over what the fine one shows."""
    # Where there is so much of it is looked for in an eighth of the pixels along each side.
    low, high = (np.clip(one, 0, COARSE).astype(int) // 8 for one in (corners.min(axis=0), corners.max(axis=0)))
    half = np.array(COARSE) / 2 * at.scale
    boxes = [
        GroundBox(at.x + x - half[0], at.y + y - half[1], at.x + x + half[0], at.y + y + half[1])
        for x, y in random.uniform(-4e5, 4e5, (12, 2))
    ]

    def off(box: GroundBox) -> float:
        seen = world.cloud(box, COARSE[0] // 8, cover)[low[1] : high[1] + 1, low[0] : high[0] + 1]
        return abs(float((seen > 0.1).mean()) - cover)

    cloud = world.cloud(min(boxes, key=off), COARSE[0], cover)[..., None]
    return np.asarray(picture * (1 - cloud) + (236 - 14 * (1 - cloud)) * cloud, np.uint8)


def _name_places(picture: NDArray[np.uint8], random: np.random.Generator) -> None:
    """Draw invented names and roads over a picture, as labelled maps have them."""
    height, width = picture.shape[:2]
    for _ in range(9):
        points = np.cumsum(random.normal(0, 60, (12, 2)), axis=0) + random.uniform(0, 1, 2) * [width, height]
        cv2.polylines(picture, [points.astype(np.int32)], False, (250, 240, 200), 3, cv2.LINE_AA)
    for _ in range(22):
        name = "".join(random.choice(list("aeioulrnstvkm"), 8)).capitalize()
        at = (int(random.uniform(0, width * 0.9)), int(random.uniform(20, height)))
        for colour, thick in (((255, 255, 255), 4), ((40, 44, 50), 1)):
            cv2.putText(picture, name, at, cv2.FONT_HERSHEY_SIMPLEX, 0.6, colour, thick, cv2.LINE_AA)
