"""Sounds laid over one another, sample for sample: any stretch of a mix is worked out by itself, and stretches that
follow one another are the same as one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yaila.core.sound.samples import Read, Samples, gain_of
from yaila.core.stopping import go_on
from yaila.core.time import smoothstep

Levels = Callable[[NDArray[np.float64]], NDArray[np.float64]]
"""Decibels at samples of the film."""


@dataclass(frozen=True)
class Placed:
    """A sound in the film: heard from sample ``start`` to before ``end``; ``read`` gives its own samples. It comes and
    goes within ``fade_in`` and ``fade_out`` samples; ``gain`` is in decibels, a number or over time; ``pan`` runs from
    -1, all on the left, to 1. Of one that ``loops`` the first ``loops`` samples come round and round."""

    start: int
    end: int
    read: Read
    fade_in: int = 0
    fade_out: int = 0
    gain: float | Levels = 0.0
    lane: float | Levels = 0.0
    pan: float = 0.0
    loops: int = 0
    ducked: tuple[tuple[tuple[int, int], ...], float] = ((), 0.0)
    """The ranges under which it gives way, and by how many decibels."""


DUCK_IN, DUCK_OUT = 12_000, 28_800
"""Samples within which a lane gives way before another is heard, and comes back after it: 0.25 s and 0.6 s. Common
practice, no source."""


FILTER = 32
"""Zeros of a filter to either side of its middle, where a sound is played faster or slower."""

FINEST = 1000
"""A speed is told to one part in so many."""


def ramp(count: int, start: int, length: int) -> NDArray[np.float64]:
    """The gain of a fade at samples ``start`` on of its own, ``length`` long: a quarter of a sine, so that two fades
    over one another keep their power."""
    at = np.arange(start, start + count)
    return np.sin(np.clip((at + 0.5) / max(length, 1), 0.0, 1.0) * np.pi / 2)


def mixed(sounds: Sequence[Placed], first: int, count: int) -> Samples:
    """Samples ``first`` to before ``first + count`` of a mix, (count, 2)."""
    out = np.zeros((count, 2), np.float32)
    for sound in sounds:
        start, end = max(sound.start, first), min(sound.end, first + count)
        if start >= end:
            continue
        go_on()
        samples = _samples(sound, start - sound.start, end - start)
        if not len(samples):
            continue
        end = start + len(samples)
        gain = np.ones(len(samples))
        if sound.fade_in and start - sound.start < sound.fade_in:
            gain *= ramp(len(samples), start - sound.start, sound.fade_in)
        if sound.fade_out and sound.end - end < sound.fade_out:
            gain *= ramp(len(samples), sound.end - end, sound.fade_out)[::-1]
        at = np.arange(start, end, dtype=np.float64)
        for level in (sound.gain, sound.lane):
            gain *= gain_of(level(at) if callable(level) else level)
        ranges, less = sound.ducked
        if ranges and less:
            gain *= gain_of(-less * _under(ranges, start, end))
        # As loud in the middle as at either side (constant power), the middle left as it is.
        sides = np.sqrt([1 - sound.pan, 1 + sound.pan])
        out[start - first : end - first] += samples * gain[:, None].astype(np.float32) * sides.astype(np.float32)
    return out


def faster(read: Read, speed: float) -> Read:
    """A sound played so many times as fast, to a thousandth of that, and as much higher. What would be higher than
    samples can hold is left out before it is folded back (A. Oppenheim and R. Schafer, "Discrete-Time Signal
    Processing", ch. 4.6, change of rate by a rational factor)."""
    ratio = Fraction(speed).limit_denominator(FINEST)
    taken, made = ratio.numerator, ratio.denominator

    def read_faster(start: int, count: int) -> Samples:
        from scipy.signal import resample_poly

        if count <= 0:
            return np.zeros((0, 2), np.float32)
        # Rounds of as many samples as are made from a whole number of them, with what the filter sees beside them.
        beside = -(-FILTER * max(taken, made) // (made * taken)) + 1
        first, last = start // made - beside, -(-(start + count) // made) + beside
        before = max(-first, 0) * taken
        samples = read(max(first, 0) * taken, (last - first) * taken - before)
        heard = -(-len(samples) * made // taken) - (start - max(first, 0) * made)
        whole = np.concatenate([np.zeros((before, 2), np.float32), samples])
        filtered = resample_poly(whole, made, taken, axis=0, window=_low_pass(taken, made))
        at = start - first * made
        return np.asarray(filtered[at : at + max(min(count, heard), 0)], np.float32)

    return read_faster


@lru_cache(maxsize=8)
def _low_pass(taken: int, made: int) -> NDArray[np.float64]:
    """The filter of a change of rate."""
    from scipy.signal import firwin

    widest = max(taken, made)
    return np.asarray(firwin(2 * FILTER * widest + 1, 1 / widest, window=("kaiser", 8.0)))


def _samples(sound: Placed, start: int, count: int) -> Samples:
    if not sound.loops:
        return sound.read(start, count)
    pieces, at = [], start % sound.loops
    while count > 0:
        piece = sound.read(at, min(count, sound.loops - at))
        if not len(piece):
            break
        pieces.append(piece)
        count -= len(piece)
        at = (at + len(piece)) % sound.loops
    return np.concatenate(pieces) if pieces else np.zeros((0, 2), np.float32)


def _under(ranges: Sequence[tuple[int, int]], start: int, end: int) -> NDArray[np.float64]:
    """How far a lane has given way, 0..1, at samples ``start`` to before ``end``."""
    at = np.arange(start, end, dtype=np.float64)
    far = np.zeros(len(at))
    for low, high in ranges:
        if low - DUCK_IN >= end or high + DUCK_OUT <= start:
            continue
        share = np.minimum((at - (low - DUCK_IN)) / DUCK_IN, ((high + DUCK_OUT) - at) / DUCK_OUT)
        far = np.maximum(far, np.clip(share, 0.0, 1.0))
    return np.asarray(smoothstep(far))
