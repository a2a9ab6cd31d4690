"""A camera that is given by its poses at many moments, as vantages: the fewest that keep it within an error."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose
from yaila.core.camera.manners import Cut, Glide
from yaila.core.camera.pose import MAX_TILT
from yaila.core.errors import BadEdit
from yaila.core.film.choreography import choreograph
from yaila.core.film.model import Duration, Film, Passage, Vantage
from yaila.core.ground.placement import through
from yaila.core.stopping import go_on
from yaila.core.time import Ease

Floats = NDArray[np.float64]

MOST = 400
"""Vantages that a camera may become."""

LOOKED_AT = np.array([[0.25, 0.35], [0.75, 0.35], [0.5, 0.5], [0.25, 0.8], [0.75, 0.8]])
"""Places of the frame by which two cameras are compared, shares of its width and height."""


@dataclass(frozen=True)
class Given:
    """A pose at a moment, seconds; ``stops`` says that the camera comes to rest there, for so many seconds."""

    seconds: float
    pose: Pose
    stops: bool = False
    rests: float = 0.0


@dataclass(frozen=True)
class Flight:
    """A camera that was given: where it is, in order, in the film's ground; ``notes`` say what could not be taken as it
    is."""

    name: str
    given: tuple[Given, ...]
    notes: tuple[str, ...] = ()


HORIZON = "Where “{}” looks at the horizon, the camera looks down a little more."
"""What is said of a camera that had to be tilted less."""


def standing(
    eye: tuple[float, float, float], heading: float, tilt: float, roll: float, focal: float, before: float
) -> Pose:
    """The pose of a camera that stands somewhere, x, y and height above the ground, and looks somewhere, no nearer to
    the horizon than poses go; its heading is the turn nearest to the one ``before``."""
    away = eye[2] * math.tan(math.radians(min(max(tilt, 0.0), MAX_TILT)))
    turned = math.radians(heading)
    target = eye[0] + away * math.sin(turned), eye[1] + away * math.cos(turned)
    near = heading + 360 * round((before - heading) / 360)
    return Pose.looking(eye, target, roll, focal, near)


@dataclass(frozen=True)
class Followed:
    """Vantages, and how far at most the picture is from that of the given camera, share of the frame's width."""

    vantages: list[Vantage]
    error: float


def vantages_of(film: Film, given: Sequence[Given], error: float) -> Followed:
    """The fewest vantages whose camera, in a film of this frame and rate, shows what the given one does: from each the
    next is as far away as a passage to it stays within ``error``, a share of the frame's width. Where the given camera
    comes to rest there is one in any case. It goes through the others as fast as the given one, without a stop.

    Raises:
        BadEdit: it would take too many.
    """
    camera = _Given(film, given)
    kept, worst = [0], 0.0
    while kept[-1] < len(given) - 1:
        at = kept[-1]
        end = next((k for k in range(at + 1, len(given)) if given[k].stops or given[k].rests), len(given) - 1)
        # Twice as far as long as that will do, and then halved between what does and what does not.
        near, far = at + 1, at + 2
        while far <= end and camera.off(at, far) <= error:
            near, far = far, at + 2 * (far - at)
        far = min(far, end + 1)
        while far - near > 1:
            middle = (near + far) // 2
            near, far = (middle, far) if camera.off(at, middle) <= error else (near, middle)
        worst = max(worst, camera.off(at, near))
        kept.append(near)
        if len(kept) > MOST:
            raise BadEdit(f"This camera turns so often that it takes over {MOST} vantages. Allow a larger error.")
    return Followed(camera.vantages(kept), worst)


class _Given:
    """A given camera, and how far passages of ours are from it."""

    def __init__(self, film: Film, given: Sequence[Given]) -> None:
        self._film, self._given = film, given
        self._way, self._pace = _way(given)
        self._frames = [round((one.seconds - given[0].seconds) * float(film.fps.value)) for one in given]
        self._size = FrameSize(1000, max(round(1000 * film.frame.height / film.frame.width), 1))
        self._spots = LOOKED_AT * self._size
        back = [one.pose.ground_from_frame(self._size) for one in given]
        self._seen = [self._spots @ one[2, :2] + one[2, 2] > 0.05 for one in back]
        self._places = [through(one, self._spots[seen]) for one, seen in zip(back, self._seen, strict=True)]

    def vantages(self, kept: list[int]) -> list[Vantage]:
        """Vantages at some of its moments."""
        made = []
        for number, k in enumerate(kept):
            one, pose = self._given[k], self._given[k].pose
            rest = round(one.rests * float(self._film.fps.value))
            vantage = Vantage(
                name=f"View {number + 1}", x=pose.x, y=pose.y, span=pose.span, tilt=pose.tilt,
                heading=math.remainder(pose.heading, 360), roll=math.remainder(pose.roll, 360), focal=pose.focal,
                hold=rest / float(self._film.fps.value),
            )  # fmt: skip
            if number + 1 < len(kept):
                vantage.passage = self._passage(k, kept[number + 1], rest)
            made.append(vantage)
        return made

    def _passage(self, a: int, b: int, rest: int) -> Passage:
        """From one moment to another: as fast at either end as the given camera is there."""
        length = self._frames[b] - self._frames[a] - rest
        if length <= 0:
            # It is there at once.
            return Passage(manner=Cut())
        taken = self._given[b].seconds - self._given[a].seconds - self._given[a].rests
        times = max(taken, 1e-6) / max(self._way[b] - self._way[a], 1e-9)
        ease = Ease(
            x1=1 / 3, y1=min(self._pace[a] * times / 3, 1.0), x2=2 / 3, y2=max(1 - self._pace[b] * times / 3, 0.0)
        )  # fmt: skip
        return Passage(manner=Glide(), ease=ease, duration=Duration(unit="frames", value=length))

    def off(self, a: int, b: int) -> float:
        """How far at most the picture is from that of the given camera between two moments, if a passage joins them;
        shares of the frame's width."""
        film = self._film
        flown = Film(frame=film.frame, rate=film.rate, ground=film.ground, vantages=self.vantages([a, b]))
        track = choreograph(flown).camera.at(np.array(self._frames[a : b + 1], np.float64) - self._frames[a])
        worst = 0.0
        for k in range(a + 1, b):
            go_on()
            numbers = (float(getattr(track, name)[k - a]) for name in NUMBERS)
            there = Pose(*numbers).frame_from_ground(self._size)
            places = self._places[k]
            if not len(places) or (places @ there[2, :2] + there[2, 2] <= 1e-6).any():
                return math.inf
            away = through(there, places) - self._spots[self._seen[k]]
            worst = max(worst, float(np.hypot(*away.T).max()) / self._size.width)
        return worst


NUMBERS = ("x", "y", "span", "tilt", "heading", "roll", "focal")
"""Of a pose."""


def _way(given: Sequence[Given]) -> tuple[Floats, Floats]:
    """How far the camera has gone at each moment, in what is seen to move: frame widths, doublings and turns together;
    and how fast it goes there, by the second."""
    numbers = np.array([[p.x, p.y, math.log(p.span), p.tilt, p.heading, p.roll] for p in (one.pose for one in given)])
    steps = np.diff(numbers, axis=0)
    spans = np.exp((numbers[1:, 2] + numbers[:-1, 2]) / 2)
    moved = np.sqrt(
        (steps[:, 0] / spans) ** 2 + (steps[:, 1] / spans) ** 2 + steps[:, 2] ** 2
        + (np.radians(steps[:, 3:]) ** 2).sum(axis=1)
    )  # fmt: skip
    way = np.concatenate([[0.0], np.cumsum(moved)])
    times = np.array([one.seconds for one in given])
    taken = np.maximum(np.diff(times) - [one.rests for one in given[:-1]], 1e-6)
    rates = moved / taken
    pace = np.concatenate([rates[:1], (rates[1:] + rates[:-1]) / 2, rates[-1:]])
    pace[[k for k, one in enumerate(given) if one.stops or one.rests]] = 0.0
    return way, pace
