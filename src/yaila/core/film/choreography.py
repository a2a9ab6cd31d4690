"""From the document to the camera at any moment.

Holds and passages are resolved to whole frames, one after the other from frame 0 (``legs.py``). Between frames the
camera goes on: a passage of D frames is at its share k / D at its frame k, any part of one included, so its first
frame is still the vantage it leaves and the frame after its last is the vantage it reaches. Nothing is worked out but
what is asked for, so that a long film costs no more than what is looked at of it.
"""

from __future__ import annotations

import copy
import threading
from bisect import bisect_right
from collections import OrderedDict
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yaila.core.bounded import Bounded, Remembered
from yaila.core.camera import Pose, Track
from yaila.core.camera.extras import breathing, opened, risen, shaken, spun
from yaila.core.camera.passages import HEADING, ROLL, Passage, bent, passage_of, through_rate
from yaila.core.camera.track import FIELDS
from yaila.core.film.legs import Leg, flows, legs_of, move_of, timing_of
from yaila.core.film.marked import Timed, style_of
from yaila.core.film.model import Film
from yaila.core.film.timeline import Timeline, timeline_of
from yaila.core.film.walk import parts_of
from yaila.core.time import Rate, RouteMoment, Time, TimeRange

BREATH_RAMP = 0.6
"""Seconds in which a breath sets in and comes to rest."""

TIGHTEST = 0.15
"""The share of a passage that is bent where a vantage is passed with full tension, of what may be."""

BLOCK = 128
"""Frames that are worked out together when one of them is asked for."""

MOST_BLOCKS = 256


class Camera:
    """The camera of a film at any time, in frames (``Time``) from the film's start."""

    def __init__(self, film: Film, legs: tuple[Leg, ...]) -> None:
        self._film, self._legs = film, legs
        self.frames = legs[-1].end if legs else 0
        self._starts = np.array([leg.start for leg in legs], np.int64)
        self._blocks: OrderedDict[int, Track] = OrderedDict()
        # Headings and rolls go on from where the passage before came to, whole turns included.
        self._turns = np.zeros((len(legs), len(FIELDS)))
        for index, leg in enumerate(legs[:-1]):
            after, came = film.vantages[index + 1].pose, self._way(index).arrival if leg.passage else None
            self._turns[index + 1] = self._turns[index]
            if came is not None:
                self._turns[index + 1, HEADING] += came[HEADING] - after.heading
                self._turns[index + 1, ROLL] += came[ROLL] - after.roll

    def at(self, times: NDArray[np.float64]) -> Track:
        """The camera at times (n,), frames, parts of them included; before the film and after it, it stands still."""
        times = np.clip(np.asarray(times, np.float64), 0, self.frames)
        rows = np.zeros((len(times), 7))
        which = np.searchsorted(self._starts, times, side="right") - 1
        for index in np.unique(which).tolist():
            leg, mine = self._legs[index], which == index
            at = times[mine] - leg.start
            moving = (at >= leg.hold) & (leg.passage > 0)
            made = np.empty((len(at), 7))
            if not moving.all():
                made[~moving] = self._resting(index, at[~moving])
            if moving.any():
                made[moving] = Track.of_channels(self.passage(index, at[moving] - leg.hold)).rows()
            rows[mine] = made + self._turns[index]
        track = Track.of_rows(rows)
        film = self._film
        if film.opening:
            track = opened(track, times, film.opening)
        if film.closing:
            track = spun(track, times, self.frames, film.closing)
        stretches = [(leg.start, leg.end, v.shake) for leg, v in zip(self._legs, film.vantages, strict=True)]
        return shaken(track, times, stretches, float(film.fps.value))

    def pose(self, time: Time) -> Pose:
        """The camera at one moment."""
        if time.frames != int(time.frames) or not 0 <= time.frames < self.frames:
            return self.at(np.array([time.frames])).pose(0)
        number, place = divmod(int(time.frames), BLOCK)
        block = self._blocks.get(number)
        if block is None:
            first = number * BLOCK
            block = self.at(np.arange(first, min(first + BLOCK, self.frames), dtype=np.float64))
            self._blocks[number] = block
            while len(self._blocks) > MOST_BLOCKS:
                self._blocks.popitem(last=False)
        return block.pose(place)

    def spans(self, times: NDArray[np.float64]) -> NDArray[np.float64]:
        """How wide the ground in frame is at times (n,), ground units."""
        return self.at(times).span if self.frames else np.ones(len(times))

    def passage(self, index: int, at: NDArray[np.float64]) -> NDArray[np.float64]:
        """The channels of a passage at ``at`` (n,) of its frames, shape (n, 7), bent into its neighbours where the
        vantages between are passed without a stop, and as much higher as it is to keep clear of the ground."""
        film, legs = self._film, self._legs
        frames, manner = legs[index].passage, film.vantages[index].passage.manner
        channels = self._way(index).at(at)
        for end, passed in ((False, index), (True, index + 1)):
            if flows(film, passed) and legs[passed - 1].passage and legs[passed].passage:
                before, after = self._way(passed - 1).rates[1], self._way(passed).rates[0]
                change = through_rate(before, after) - (before if end else after)
                loose = 1 - film.vantages[passed].tension * (1 - TIGHTEST)
                widths = self._way(index).widths(change, manner.bendable(frames) * loose, end)
                channels = bent(channels, at / frames, frames, change, widths, end, film.vantages[passed].span)
        rises = film.vantages[index].passage.rises
        return risen(Track.of_channels(channels), at / frames, rises).channels() if rises else channels

    def _resting(self, index: int, at: NDArray[np.float64]) -> NDArray[np.float64]:
        vantage, rate = self._film.vantages[index], float(self._film.fps.value)
        if not vantage.breath:
            return np.broadcast_to(np.array([getattr(vantage.pose, name) for name in FIELDS]), (len(at), len(FIELDS)))
        progress = breathing(self._legs[index].hold, at, BREATH_RAMP * rate)
        return vantage.breath.track(vantage.pose, progress).rows()

    def _way(self, index: int) -> Passage:
        """The passage that leaves a vantage, as if both its ends were stops."""
        manner = self._film.vantages[index].passage.manner
        return passage_of(move_of(self._film, index), manner, timing_of(self._film, index), self._legs[index].passage)


@dataclass(frozen=True)
class Choreography:
    """A film in time: its legs, its camera, and when everything is."""

    rate: Rate
    legs: tuple[Leg, ...]
    camera: Camera = field(compare=False)
    timeline: Timeline

    @property
    def frames(self) -> int:
        """How many frames the film has."""
        return self.camera.frames

    @property
    def poster(self) -> int:
        """A frame that tells what the film is about: the middle of its longest rest, else of the film."""
        longest = max(self.legs, key=lambda leg: leg.hold, default=None)
        middle = longest.start + longest.hold // 2 if longest and longest.hold else self.frames // 2
        return min(middle, max(self.frames - 1, 0))

    def pose(self, time: Time) -> Pose:
        """The camera at a moment."""
        return self.camera.pose(time)

    def leg_at(self, frame: float) -> int:
        """Which leg a frame is in."""
        return max(bisect_right(self.legs, frame, key=lambda leg: leg.start) - 1, 0)

    def shot(self, time: Time) -> TimeRange:
        """From the cut before a moment to the cut after it: what is averaged over time never goes beyond."""
        cuts = [leg.end for leg in self.legs[:-1] if not leg.passage]
        before = max((cut for cut in cuts if cut <= time.frames), default=0)
        after = min((cut for cut in cuts if cut > time.frames), default=self.frames)
        return TimeRange.of_frames(before, after)


MOST_KNOWN = 16
_known: OrderedDict[str, Choreography] = OrderedDict()
_lock = threading.Lock()


def _key(film: Film, settled: bool) -> str:
    """What of a film decides when things are: told apart without a look at outlines and looks, which are large."""
    ways = {"routes": {"__all__": {"look"}}}
    whole = film.model_dump_json(
        include={"rate", "length", "opening", "closing", "vantages", "routes", "ground", "beats"}, exclude=ways
    )
    # Of films that follow one another, as under a hand, most marks are the very same.
    marks = [(_known_when if settled else _when)(film, mark) for mark in film.timed]
    reveals = [f"{key}{reveal.starts.model_dump_json()}" for key, reveal, _ in film.reveals]
    plays = [f"{plate.id}{plate.plays.starts.model_dump_json()}" for plate in film.plates if plate.plays]
    return "\n".join([whole, *marks, *reveals, *plays])


WHEN = {"id", "name", "starts", "ends", "comes", "leader"}
"""What says when a mark is there."""

MOST_MARKS = 16 * 2**20
"""Bytes of parts of films of which something is remembered."""


def outlined(parts: tuple[Any, ...]) -> int:
    """How many bytes the first of some parts takes, roughly: most of that are outlines."""
    return 10_000 + 200 * sum(map(len, getattr(parts[0], "rings", ())))


_WHENS = Remembered[str](MOST_MARKS, outlined)


def _known_when(film: Film, mark: Timed) -> str:
    """What :func:`_when` says of a mark that is not changed any more."""
    return _WHENS.of((mark, style_of(mark, film.styles)), (), lambda: _when(film, mark))


def _when(film: Film, mark: Timed) -> str:
    """What of a mark decides when things are."""
    when = film.in_style(mark).model_dump_json(include=WHEN)
    # Who hangs on the place of a route that is nearest to it depends on where it stands.
    return f"{when}{mark.place}" if _hangs_on_nearest(mark) else when


def _hangs_on_nearest(mark: Timed) -> bool:
    # Most hang on no route, which is seen sooner than what they hang on.
    return '"on":"route"' in mark.model_dump_json() and any(
        moment.point is None for moment, _ in parts_of(mark, RouteMoment)
    )


def settle(film: Film) -> Film:
    """Say of a film that nobody changes it any more: then what is worked out for it need not be looked for again."""
    _settled.put(id(film), (film, choreograph(film, True)))
    return film


MOST_SETTLED = 8
_settled: Bounded[int, tuple[Film, Choreography]] = Bounded(MOST_SETTLED, lambda one: 1)


def choreograph(film: Film, settled: bool = False) -> Choreography:
    """The camera and the times of a film; no frames while there is no vantage. ``settled``: nobody changes it any more.

    Raises:
        BadEdit: as :func:`legs_of` and :func:`timeline_of`.
    """
    known = _settled.get(id(film))
    if known and known[0] is film:
        return known[1]
    # One edit asks several times over: when it is checked, laid out, and drawn.
    key = _key(film, settled)
    with _lock:
        if key in _known:
            _known.move_to_end(key)
            return _known[key]
    # The film may be changed by whoever asks; what is known of it must not.
    kept = film if settled else copy.deepcopy(film)
    legs = legs_of(kept)
    camera = Camera(kept, legs)
    made = Choreography(film.fps, legs, camera, timeline_of(kept, legs, camera.spans))
    with _lock:
        _known[key] = made
        while len(_known) > MOST_KNOWN:
            _known.popitem(last=False)
    return made
