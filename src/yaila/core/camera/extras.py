"""What comes on top of any move: holds that breathe, a hand that shakes, a twist to open with, a spin at the end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.camera.pose import FILM_BACK, Pose
from yaila.core.camera.track import Track
from yaila.core.quantities import Angle, Count, Factor, Frames, Height, Number, Percent, PerSecond, Share
from yaila.core.time import Ease

FADE = 0.5
"""Seconds over which a shake comes and goes."""


class _Extra(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)


class Breath(_Extra):
    """What the camera does while it rests: it pushes in by ``push`` percent of the span (out if negative), drifts by
    ``across`` and ``up`` percent of the frame's width, and turns by ``turn`` degrees."""

    push: Percent = Field(0.0, ge=-100, le=60, title="Push in")
    across: Percent = Field(0.0, ge=-100, le=100, title="Drift right")
    up: Percent = Field(0.0, ge=-100, le=100, title="Drift up")
    turn: Angle = Field(0.0, ge=-360, le=360)

    def track(self, pose: Pose, progress: NDArray[np.float64]) -> Track:
        """The camera at progress 0..1 of the rest, shape (n,)."""
        still = Track.still(pose, len(progress))
        factor = (1 - self.push / 100) ** progress if self.push < 100 else np.ones_like(progress)
        span = still.span * factor
        return moved(
            Track(still.x, still.y, span, still.tilt, still.heading + self.turn * progress, still.roll, still.focal),
            progress * self.across / 100 * pose.span,
            progress * self.up / 100 * pose.span,
            pose.heading,
        )

    def leaves(self, pose: Pose) -> Pose:
        """Where the camera has come to at the end."""
        return _left(self, pose)


@lru_cache(maxsize=1024)
def _left(breath: Breath, pose: Pose) -> Pose:
    return breath.track(pose, np.array([1.0])).pose(0)


def breathing(frames: int, at: NDArray[np.float64], ramp: float) -> NDArray[np.float64]:
    """Progress of a breath at frames ``at`` of ``frames``: even in the middle, and at both ends it comes to rest
    smoothly over ``ramp`` frames."""
    r = min(max(ramp / max(frames, 1), 1e-6), 0.5)
    u = np.clip(at / max(frames, 1), 0, 1)

    def rise(u: NDArray[np.float64]) -> NDArray[np.float64]:
        q = np.clip(u / r, 0, 1)
        return np.asarray(r * (q**3 - q**4 / 2) + np.maximum(u - r, 0))

    # The second half mirrors the first.
    half = np.where(u <= 0.5, rise(u), (1 - r) - rise(1 - u))
    return np.asarray(half / (1 - r))


class Shake(_Extra):
    """A hand-held camera: ``position`` in percent of the frame's width and ``roll`` in degrees say how far it strays
    at most, ``frequency`` in Hz how quickly, ``seed`` which of all shakes it is."""

    position: Percent = Field(0.4, ge=0, le=20, title="Strays")
    roll: Angle = Field(0.2, ge=0, le=20, title="Rolls")
    frequency: PerSecond = Field(1.4, gt=0, ge=0.05, le=20)
    seed: Count = Field(1, ge=0, le=2**31)


LOWEST = 0.02
"""How high a passage that is lowered stays at least, in its distances to the target."""


class Rise(_Extra):
    """How much higher than its move would have it the eye flies (lower, if below 0), ground units, at a share of a
    passage's frames."""

    at: Share = Field(ge=0, le=1)
    by: Height = Field(ge=-1e9, le=1e9, allow_inf_nan=False)


def risen(track: Track, progress: NDArray[np.float64], rises: Sequence[Rise]) -> Track:
    """A passage at progress 0..1 (n,), its eye raised over where it is, and still on its target: evenly from one rise
    to the next, without passing any (F. Fritsch and R. Carlson 1980), and not at all at either end. It never comes
    down to the ground (``LOWEST``)."""
    up = lifts(rises, progress)
    tilt, distance = np.radians(track.tilt), track.distances
    level, high = distance * np.sin(tilt), distance * np.cos(tilt)
    high = np.maximum(high + up, np.minimum(high, LOWEST * distance))
    return replace(
        track,
        span=np.hypot(level, high) / track.focal * FILM_BACK,
        tilt=np.degrees(np.arctan2(level, high)),
    )


def lifts(rises: Sequence[Rise], progress: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much higher than its move would have it the eye is at progress 0..1 (n,), ground units."""
    # Only films with mountains in the way need it, and it takes long to load.
    from scipy.interpolate import PchipInterpolator

    by = (
        {0.0: 0.0}
        | {rise.at: rise.by for rise in sorted(rises, key=lambda rise: rise.at) if 0 < rise.at < 1}
        | {1.0: 0.0}
    )
    return np.asarray(PchipInterpolator(list(by), list(by.values()))(np.clip(progress, 0, 1)), np.float64)


class Opening(_Extra):
    """How the film opens: turned by ``turn`` degrees and enlarged ``enlarge`` times, straight after ``frames``."""

    turn: Angle = Field(12.0, ge=-180, le=180, title="Turned by")
    enlarge: Factor = Field(1.25, ge=1, le=10, title="Enlarged")
    frames: Frames = Field(10, ge=1, le=1000, title="Straight after")
    ease: Ease = Ease(x1=0.1, y1=0.3, x2=0.3, y2=1.0)


class Spin(_Extra):
    """How the film ends: ``turns`` turns (clockwise) within the last ``frames``."""

    turns: Number = Field(1.0, ge=-20, le=20)
    frames: Frames = Field(30, ge=2, le=2000, title="In the last")
    ease: Ease = Ease(x1=0.6, y1=0.0, x2=0.4, y2=1.0)


def moved(
    track: Track, across: NDArray[np.float64], up: NDArray[np.float64], heading: float | NDArray[np.float64]
) -> Track:
    """A track whose targets are shifted on the ground, so that the picture moves by so many ground units at the
    target, to the right and upwards of a frame with that heading."""
    sin, cos = np.sin(np.radians(heading)), np.cos(np.radians(heading))
    ahead = up / np.maximum(np.cos(np.radians(track.tilt)), 0.2)
    return Track(
        track.x + across * cos + ahead * sin, track.y - across * sin + ahead * cos, track.span, track.tilt,
        track.heading, track.roll, track.focal,
    )  # fmt: skip


def shaken(
    track: Track,
    times: NDArray[np.float64],
    stretches: Sequence[tuple[int, int, Shake | None]],
    rate: float,
) -> Track:
    """A track at ``times`` (frames) that shakes: ``stretches`` are first frames, frames after the last, and the shake
    between."""
    shakes = {shake for _, _, shake in stretches if shake}
    if not shakes:
        return track
    last = stretches[-1][1]
    across, up, roll = np.zeros(len(times)), np.zeros(len(times)), np.zeros(len(times))
    reach = max(FADE * rate, 1.0)
    phase = np.maximum(times, 0) / rate
    for shake in shakes:
        weight = np.zeros(len(times))
        for first, end, other in stretches:
            if other == shake:
                # Beyond the film's ends it goes on as it was.
                weight += (1.0 if first == 0 else _risen((times - first) / reach)) - (
                    0.0 if end == last else _risen((times - end) / reach)
                )
        at = phase * shake.frequency
        across += weight * shake.position / 100 * _noise(at, shake.seed, 0)
        up += weight * shake.position / 100 * _noise(at, shake.seed, 1)
        roll += weight * shake.roll * _noise(at, shake.seed, 2)
    made = moved(track, across * track.span, up * track.span, track.heading)
    return Track(made.x, made.y, made.span, made.tilt, made.heading, track.roll + roll, made.focal)


def _risen(away: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far a fade has come, 0..1, at times from its middle in fades: the integral of a raised cosine."""
    at = np.clip(away, -0.5, 0.5)
    return np.asarray(0.5 + at + np.sin(2 * np.pi * at) / (2 * np.pi))


def _noise(phase: NDArray[np.float64], seed: int, channel: int) -> NDArray[np.float64]:
    """Smooth noise within ±1 with about one swing a unit of phase: random values at whole phases, joined by a curve
    with continuous acceleration, and the same at twice the frequency, weaker (value noise; common practice)."""
    total = np.zeros_like(phase)
    if not len(phase):
        return total
    for octave, weight in ((1, 0.72), (2, 0.28)):
        at = phase * octave * 2
        cell = np.floor(at).astype(int)
        values = _values(seed, channel, octave, int(cell.max() + 2).bit_length())
        q = at - cell
        q = q**3 * (q * (6 * q - 15) + 10)
        total += weight * (values[cell] * (1 - q) + values[cell + 1] * q)
    return total


@lru_cache(maxsize=64)
def _values(seed: int, channel: int, octave: int, bits: int) -> NDArray[np.float64]:
    """The first 2 ** ``bits`` random values of a sequence."""
    return np.random.Generator(np.random.PCG64([seed, channel, octave])).uniform(-1, 1, 2**bits)


def opened(track: Track, times: NDArray[np.float64], opening: Opening) -> Track:
    """A track at ``times`` (frames) that begins turned and enlarged and snaps straight."""
    left = 1 - opening.ease.at(times / opening.frames)
    return Track(
        track.x, track.y, track.span * opening.enlarge**-left, track.tilt, track.heading,
        track.roll + opening.turn * left, track.focal,
    )  # fmt: skip


def spun(track: Track, times: NDArray[np.float64], whole: int, spin: Spin) -> Track:
    """A track at ``times`` (frames) of a film of ``whole`` frames that spins at its end."""
    frames = min(spin.frames, whole)
    done = spin.ease.at((times - (whole - frames)) / frames)
    return Track(
        track.x, track.y, track.span, track.tilt, track.heading + 360 * spin.turns * done, track.roll, track.focal
    )
