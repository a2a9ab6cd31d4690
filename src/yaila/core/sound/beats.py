"""Beats in music: where the onsets are that come at an even pace.

Onsets are the rises of a mel-like spectrum (spectral flux); the pace is where they repeat themselves most, near 120 a
minute; beats are the row of moments with the strongest onsets and the evenest steps, found by dynamic programming.
After D. Ellis, "Beat Tracking by Dynamic Programming", Journal of New Music Research 36(1), 2007. (The well-known
library that has it took a minute to load the first time, and kept times to 23 ms.)
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from yaila.core.sound.samples import RATE, Read, Samples

HOP = 240
"""Samples between two looks at the sound: 5 ms."""
WINDOW = 1024
BANDS = 32
STEADY = 400.0
"""How much an uneven step weighs against a strong onset."""
BLOCK = HOP * 4000
LEAST_BEATS = 4


def beats_in(read: Read, samples: int) -> list[float]:
    """Beats in a sound of so many samples, seconds; none if it has no pace."""
    onsets = _onsets(read, samples)
    if len(onsets) < 200 or onsets.std() < 1e-6:
        return []
    onsets = onsets / onsets.std()
    period = _period(onsets)
    if period is None:
        return []
    places = _row(onsets, period)
    # Where a window begins to hear an onset is before the onset itself.
    times = [(place * HOP + WINDOW / 2 + HOP / 2) / RATE for place in _peaks(onsets, places)]
    return [round(time, 4) for time in times] if len(times) >= LEAST_BEATS else []


def _onsets(read: Read, samples: int) -> NDArray[np.float64]:
    """How much louder the bands of the sound become, hop by hop."""
    edges = np.geomspace(2, WINDOW // 2, BANDS + 1)
    low, high = edges[:-1].astype(int), np.maximum(edges[1:].astype(int), edges[:-1].astype(int) + 1)
    window = np.hanning(WINDOW).astype(np.float32)
    last: NDArray[np.float64] | None = None
    found = []
    for start in range(0, samples, BLOCK):
        block: Samples = read(start, min(BLOCK + WINDOW - HOP, samples - start))
        mono = block.mean(axis=1)
        if len(mono) < WINDOW:
            break
        frames = np.lib.stride_tricks.sliding_window_view(mono, WINDOW)[::HOP] * window
        power = np.cumsum(np.pad(np.abs(np.fft.rfft(frames, axis=1)), ((0, 0), (1, 0))), axis=1)
        # The mean of a band, pressed together as the ear does: the deep beat counts for more than a hiss.
        bands = ((power[:, high] - power[:, low]) / (high - low)) ** 0.7
        before = bands[:1] if last is None else last
        found.append(np.maximum(np.diff(np.concatenate([before, bands]), axis=0), 0).sum(axis=1))
        last = bands[-1:]
    flux = np.concatenate(found) if found else np.zeros(0)
    if len(flux) < 200:
        return flux
    # What lies above the mean of half a second.
    mean = np.convolve(flux, np.ones(101) / 101, "same")
    return np.maximum(flux - mean, 0)


def _period(onsets: NDArray[np.float64]) -> float | None:
    """Hops from beat to beat: where the onsets are most like themselves, paces near 120 a minute before others."""
    size = 1 << (2 * len(onsets) - 1).bit_length()
    spectrum = np.fft.rfft(onsets - onsets.mean(), size)
    like = np.fft.irfft(np.abs(spectrum) ** 2, size)
    second = RATE / HOP
    lags = np.arange(round(0.25 * second), min(round(1.5 * second), len(onsets) // 3))
    if not len(lags):
        return None
    weight = np.exp(-0.5 * (np.log2(lags / (0.5 * second)) / 1.0) ** 2)
    strength = like[lags] / max(like[0], 1e-12)
    if float(strength.max()) < 0.08:
        return None
    period = float(lags[(strength * weight).argmax()])
    # Where several of them repeat says it more exactly.
    for times in range(2, min(8, int(len(onsets) // 3 // period)) + 1):
        about = round(period * times)
        near = np.arange(max(about - times, 1), about + times + 1)
        period = float(near[like[near].argmax()]) / times
    return period


def _row(onsets: NDArray[np.float64], period: float) -> list[int]:
    """The row of hops with the strongest onsets and the evenest steps."""
    steps = np.arange(max(round(period / 2), 1), round(period * 2) + 1)
    cost = -STEADY * np.log2(steps / period) ** 2 * 0.02
    score = onsets.copy()
    back = np.full(len(onsets), -1)
    for k in range(len(onsets)):
        reach = steps[steps <= k]
        if not len(reach):
            continue
        told = score[k - reach] + cost[: len(reach)]
        best = int(told.argmax())
        if told[best] > 0:
            score[k] += told[best]
            back[k] = k - reach[best]
    tail = max(len(onsets) - round(period * 1.5), 0)
    at = tail + int(score[tail:].argmax())
    row = []
    while at >= 0:
        row.append(at)
        at = int(back[at])
    row.reverse()
    # Beats before the music and after it are none.
    strong = [k for k in row if onsets[max(k - 4, 0) : k + 5].max() > 0.5]
    return [k for k in row if strong and strong[0] <= k <= strong[-1]]


def _peaks(onsets: NDArray[np.float64], places: list[int]) -> list[float]:
    """Places between hops, where the onset is strongest, by a parabola."""
    found = []
    for place in places:
        if not 1 <= place < len(onsets) - 1:
            found.append(float(place))
            continue
        a, b, c = onsets[place - 1 : place + 2]
        bend = a - 2 * b + c
        found.append(place + (0.5 * (a - c) / bend if bend < -1e-9 else 0.0))
    return [place if math.isfinite(place) else float(k) for place, k in zip(found, places, strict=True)]
