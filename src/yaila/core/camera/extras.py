"""What comes on top of any move: holds that breathe, a hand that shakes, a twist to open with, a spin at the end."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.camera.easing import Ease
from yaila.core.camera.pose import Pose
from yaila.core.camera.track import Track

FADE = 0.5
"""Seconds over which a shake comes and goes."""


class _Extra(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)


class Breath(_Extra):
    """What the camera does while it rests: it pushes in by ``push`` percent of the span (out if negative), drifts by
    ``across`` and ``up`` percent of the frame's width, and turns by ``turn`` degrees."""

    push: float = Field(0.0, ge=-100, le=60)
    across: float = Field(0.0, ge=-100, le=100)
    up: float = Field(0.0, ge=-100, le=100)
    turn: float = Field(0.0, ge=-360, le=360)

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
        return self.track(pose, np.array([1.0])).pose(0)


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

    position: float = Field(0.4, ge=0, le=20)
    roll: float = Field(0.2, ge=0, le=20)
    frequency: float = Field(1.4, gt=0, ge=0.05, le=20)
    seed: int = Field(1, ge=0, le=2**31)


class Opening(_Extra):
    """How the film opens: turned by ``turn`` degrees and enlarged ``enlarge`` times, straight after ``frames``."""

    turn: float = Field(12.0, ge=-180, le=180)
    enlarge: float = Field(1.25, ge=1, le=10)
    frames: int = Field(10, ge=1, le=1000)
    ease: Ease = Ease(x1=0.1, y1=0.3, x2=0.3, y2=1.0)


class Spin(_Extra):
    """How the film ends: ``turns`` turns (clockwise) within the last ``frames``."""

    turns: float = Field(1.0, ge=-20, le=20)
    frames: int = Field(30, ge=2, le=2000)
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


def shaken(track: Track, stretches: Sequence[tuple[int, int, Shake | None]], rate: float) -> Track:
    """A track that shakes: ``stretches`` are first frames, frames after the last, and the shake between."""
    if not any(shake for _, _, shake in stretches):
        return track
    count = len(track)
    across, up, roll = np.zeros(count), np.zeros(count), np.zeros(count)
    reach = max(round(FADE * rate), 1)
    kernel = np.hanning(reach + 2)[1:-1]
    kernel /= kernel.sum()
    seconds = np.arange(count) / rate
    for shake in {shake for _, _, shake in stretches if shake}:
        there = np.zeros(count + 2 * reach)
        for first, end, other in stretches:
            if other == shake:
                there[reach + first : reach + end] = 1
        # Beyond the film's ends it goes on as it was.
        there[:reach], there[reach + count :] = there[reach], there[reach + count - 1]
        weight = np.convolve(there, kernel, mode="same")[reach : reach + count]
        phase = seconds * shake.frequency
        across += weight * shake.position / 100 * _noise(phase, shake.seed, 0)
        up += weight * shake.position / 100 * _noise(phase, shake.seed, 1)
        roll += weight * shake.roll * _noise(phase, shake.seed, 2)
    made = moved(track, across * track.span, up * track.span, track.heading)
    return Track(made.x, made.y, made.span, made.tilt, made.heading, track.roll + roll, made.focal)


def _noise(phase: NDArray[np.float64], seed: int, channel: int) -> NDArray[np.float64]:
    """Smooth noise within ±1 with about one swing a unit of phase: random values at whole phases, joined by a curve
    with continuous acceleration, and the same at twice the frequency, weaker (value noise; common practice)."""
    total = np.zeros_like(phase)
    for octave, weight in ((1, 0.72), (2, 0.28)):
        at = phase * octave * 2
        cell = np.floor(at).astype(int)
        values = np.random.Generator(np.random.PCG64([seed, channel, octave])).uniform(-1, 1, int(cell.max()) + 2)
        q = at - cell
        q = q**3 * (q * (6 * q - 15) + 10)
        total += weight * (values[cell] * (1 - q) + values[cell + 1] * q)
    return total


def opened(track: Track, opening: Opening) -> Track:
    """A track that begins turned and enlarged and snaps straight."""
    left = 1 - opening.ease.at(np.arange(len(track)) / opening.frames)
    return Track(
        track.x, track.y, track.span * opening.enlarge**-left, track.tilt, track.heading,
        track.roll + opening.turn * left, track.focal,
    )  # fmt: skip


def spun(track: Track, spin: Spin) -> Track:
    """A track that spins at its end."""
    frames = min(spin.frames, len(track))
    done = spin.ease.at((np.arange(len(track)) - (len(track) - frames)) / frames)
    return Track(
        track.x, track.y, track.span, track.tilt, track.heading + 360 * spin.turns * done, track.roll, track.focal
    )
