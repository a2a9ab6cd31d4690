"""From the document to the camera at every frame.

Holds and passages are resolved to whole frames, one after the other from frame 0. A passage of D frames shows its
frame k of D at its frame k, so its first frame is still the vantage it leaves and the frame after its last is
the vantage it reaches.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import Track
from yaila.core.camera.extras import breathing, opened, shaken, spun
from yaila.core.camera.passages import bent, channels_of, rates_of, through_rate
from yaila.core.camera.track import FIELDS
from yaila.core.film.legs import Leg, flows, legs_of, move_of, timing_of
from yaila.core.film.model import Film, Vantage
from yaila.core.film.timeline import Timeline, timeline_of
from yaila.core.time import Rate

BREATH_RAMP = 0.6
"""Seconds in which a breath sets in and comes to rest."""

HEADING = FIELDS.index("heading")
TIGHTEST = 0.15
"""The share of a passage that is bent where a vantage is passed with full tension, of what may be."""


@dataclass(frozen=True)
class Choreography:
    """The camera of a whole film."""

    rate: Rate
    legs: tuple[Leg, ...]
    track: Track
    """One entry a frame."""
    timeline: Timeline

    @property
    def frames(self) -> int:
        """How many frames the film has."""
        return len(self.track)


MOST_KNOWN = 16
_known: OrderedDict[str, Choreography] = OrderedDict()
_lock = threading.Lock()


def choreograph(film: Film) -> Choreography:
    """The camera at every frame of a film; no frames while there is no vantage.

    Raises:
        BadEdit: as :func:`legs_of`.
    """
    # One edit asks several times over: when it is checked, laid out, and drawn.
    reveals = [(key, reveal.starts.model_dump_json()) for key, reveal, _ in film.reveals]
    key = film.model_dump_json(exclude={"plates"}) + str(reveals)
    with _lock:
        if key in _known:
            _known.move_to_end(key)
            return _known[key]
    made = _choreographed(film)
    with _lock:
        _known[key] = made
        while len(_known) > MOST_KNOWN:
            _known.popitem(last=False)
    return made


def _choreographed(film: Film) -> Choreography:
    rate, legs = film.fps, legs_of(film)
    if not legs:
        return Choreography(rate, legs, Track(*(np.zeros(0),) * 7), timeline_of(film, legs, np.zeros(0)))
    parts: list[Track] = []
    # Headings go on from where the passage before came to, whole turns included.
    turns = 0.0
    for index, (leg, vantage) in enumerate(zip(legs, film.vantages, strict=True)):
        if leg.hold:
            parts.append(_rest(vantage, leg.hold, rate).turned(turns))
        if leg.passage:
            channels = passage_channels(film, legs, index)
            parts.append(Track.of_channels(channels[:-1]).turned(turns))
            turns += channels[-1, HEADING] - film.vantages[index + 1].heading
    track = Track.joined(parts)
    if film.opening:
        track = opened(track, film.opening)
    if film.closing:
        track = spun(track, film.closing)
    stretches = [(leg.start, leg.end, vantage.shake) for leg, vantage in zip(legs, film.vantages, strict=True)]
    timeline = timeline_of(film, legs, track.span)
    return Choreography(rate, legs, shaken(track, stretches, float(rate.value)), timeline)


def _rest(vantage: Vantage, hold: int, rate: Rate) -> Track:
    if not vantage.breath:
        return Track.still(vantage.pose, hold)
    progress = breathing(hold, np.arange(hold, dtype=np.float64), BREATH_RAMP * float(rate.value))
    return vantage.breath.track(vantage.pose, progress)


def passage_channels(film: Film, legs: tuple[Leg, ...], index: int) -> NDArray[np.float64]:
    """The channels of a passage at its frames and at its arrival, shape (frames + 1, 7), bent into its neighbours where
    the vantages between are passed without a stop."""
    frames, manner = legs[index].passage, film.vantages[index].passage.manner
    channels = channels_of(move_of(film, index), manner, timing_of(film, index), frames)
    for end, at in ((False, index), (True, index + 1)):
        if flows(film, at) and legs[at - 1].passage and legs[at].passage:
            before, after = _rates(film, legs, at - 1)[1], _rates(film, legs, at)[0]
            mine = before if end else after
            loose = 1 - film.vantages[at].tension * (1 - TIGHTEST)
            width = manner.bendable(frames) * loose
            channels = bent(channels, frames, through_rate(before, after) - mine, width, end)
    return channels


def _rates(film: Film, legs: tuple[Leg, ...], index: int) -> NDArray[np.float64]:
    manner = film.vantages[index].passage.manner
    return rates_of(move_of(film, index), manner, timing_of(film, index), legs[index].passage)
