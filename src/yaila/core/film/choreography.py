"""From the document to the camera at every frame.

Holds and passages are resolved to whole frames, one after the other from frame 0. A passage of D frames shows
progress k / D at its frame k, so its first frame is still the vantage it leaves and the frame after its last is
the vantage it reaches.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from yaila.core.camera import Track, path_length, travel
from yaila.core.errors import BadEdit
from yaila.core.film.model import Film, Vantage
from yaila.core.time import Rate

MOST_FRAMES = 2_000_000
"""The longest film, frames."""


@dataclass(frozen=True)
class Leg:
    """One vantage's stretch of the film, in frames: its hold, then the passage onward (0 for the last)."""

    start: int
    hold: int
    passage: int
    length: float
    """Length of the passage's path, doublings."""

    @property
    def leaves(self) -> int:
        """First frame of the passage."""
        return self.start + self.hold

    @property
    def end(self) -> int:
        """The frame after the passage's last."""
        return self.start + self.hold + self.passage


@dataclass(frozen=True)
class Choreography:
    """The camera of a whole film."""

    rate: Rate
    legs: tuple[Leg, ...]
    track: Track
    """One entry a frame."""

    @property
    def frames(self) -> int:
        """How many frames the film has."""
        return len(self.track)


def passage_frames(start: Vantage, end: Vantage, rate: Rate) -> tuple[int, float]:
    """Whole frames (1 or more) that the passage between two vantages takes, and its length in doublings."""
    passage = start.passage
    length = path_length(start.pose, end.pose, passage.manner)
    duration = passage.duration
    if duration.unit == "frames":
        frames = round(duration.value)
    elif duration.unit == "seconds":
        frames = rate.frames(duration.value)
    else:
        # A move of no length still takes a moment, or natural time would make a jump of it.
        frames = rate.frames(max(length / duration.value, 0.4))
    return max(frames, 1), length


def choreograph(film: Film) -> Choreography:
    """The camera at every frame of a film; no frames while there is no vantage.

    Raises:
        BadEdit: the film would be longer than ``MOST_FRAMES``.
    """
    rate = film.fps
    legs: list[Leg] = []
    start = 0
    last = len(film.vantages) - 1
    for index, vantage in enumerate(film.vantages):
        hold = rate.frames(vantage.hold)
        frames, length = (0, 0.0)
        if index < last:
            frames, length = passage_frames(vantage, film.vantages[index + 1], rate)
        else:
            hold = max(hold, 1)
        legs.append(Leg(start, hold, frames, length))
        start = legs[-1].end
        if start > MOST_FRAMES:
            raise BadEdit(f"The film would be over {MOST_FRAMES:,} frames long. Shorten a hold or a passage.")
    parts: list[Track] = []
    for index, (leg, vantage) in enumerate(zip(legs, film.vantages, strict=True)):
        parts.append(Track.still(vantage.pose, leg.hold))
        if leg.passage:
            progress = vantage.passage.ease.at(np.arange(leg.passage) / leg.passage)
            parts.append(travel(vantage.pose, film.vantages[index + 1].pose, vantage.passage.manner, progress))
    return Choreography(rate, tuple(legs), Track.joined(parts) if parts else Track(*(np.zeros(0),) * 7))
