"""How progress runs over the time of a passage: an ease, open where the camera runs on, and how it settles."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.quantities import Count, Percent
from yaila.core.time.easing import Ease


class Settle(BaseModel):
    """A small damped overshoot at the end: the camera runs past its goal by ``amount`` percent of the passage and
    swings back ``swings`` times within the last ``share`` percent of the passage's time."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    amount: Percent = Field(2.0, gt=0, le=20, title="Overshoot")
    swings: Count = Field(1, ge=1, le=5)
    share: Percent = Field(35.0, ge=10, le=70, title="In the last")


@dataclass(frozen=True)
class Timing:
    """An ease as it is used in a passage: where the passage runs on without a stop, and how it settles."""

    ease: Ease
    open_start: bool = False
    open_end: bool = False
    settle: Settle | None = None

    def at(self, time: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at times 0..1, same shape."""
        ease = self.ease.opened(self.open_start, self.open_end)
        if not self.settle or self.open_end:
            return ease.at(time)
        # It arrives early and at speed, and the rest of the time is a swing that dies away: a sine under a window
        # whose value and slope are 0 at the end.
        amount, share = self.settle.amount / 100, self.settle.share / 100
        arrives = 1 - share
        before = np.clip(time / arrives, 0, 1)
        after = np.clip((time - arrives) / share, 0, 1)
        turns = 2 * np.pi * self.settle.swings

        def swing(u: NDArray[np.float64]) -> NDArray[np.float64]:
            return np.asarray(np.sin(turns * u) * (1 - u) ** 2)

        peak = float(swing(np.linspace(0, 0.5 / self.settle.swings, 101)).max())
        size = amount / peak
        speed = size * turns / share
        bump = speed * arrives * bend(before, 0.5)
        return np.where(time < arrives, ease.at(before) + bump, 1 + size * swing(after))


def bend(time: NDArray[np.float64], width: float | NDArray[np.float64]) -> NDArray[np.float64]:
    """A curve over times 0..1 whose value and slope are 0 up to ``1 - width``, and whose value is 0 but slope 1 at 1.

    Added to a motion it changes the speed of its arrival and nothing else.
    """
    u = np.clip((time - 1) / width + 1, 0, 1)
    return np.asarray(width * (u**3 - u**2))
