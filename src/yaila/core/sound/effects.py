"""The sounds that Yaila makes itself: noise and tones, shaped.

Each is made from a length and a pitch alone, the same on every machine. How they are built is common practice of sound
synthesis, no source, but for the bell, whose partials are those of Jean-Claude Risset's (1969; the table from memory).
"""

from __future__ import annotations

import math
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.bounded import Bounded
from yaila.core.sound.samples import RATE, Read, Samples
from yaila.core.stopping import give_way

Wave = NDArray[np.float64]
Noise = np.random.Generator

PEAK = 0.5
"""The largest sample of an effect: 6 dB below full scale, so that some of them can sound at once."""

ROUND = 24.0
"""Seconds after which what goes on for long begins anew, and how long it melts into itself there."""
MELTS = 2.0


LONGEST = 60.0
"""Seconds to which a sound is drawn out at most."""

Lasts = Literal["itself", "drawn out", "goes on"]
"""How long an effect can be: as long as it is by itself; as long as what it hangs on, in one go; or for ever."""


@dataclass(frozen=True)
class Effect:
    """A sound that is made: what it is called, how long it is by itself, seconds, how long it can be, and how it is
    made of a length, what its frequencies are multiplied by, and chance."""

    name: str
    seconds: float
    lasts: Lasts
    make: Callable[[float, float, Noise], Wave]

    @property
    def fits(self) -> bool:
        """Whether it takes the length of what it hangs on."""
        return self.lasts != "itself"


def made(kind: str, seconds: float | None = None, pitch: float = 0.0) -> Samples:
    """An effect, (n, 2): all of :func:`reading`."""
    read, count = reading(kind, seconds, pitch)
    return read(0, count)


def reading(kind: str, seconds: float | None = None, pitch: float = 0.0) -> tuple[Read, int]:
    """What reads an effect, from any sample on, and how many samples it has; hours of one take no more room than half
    a minute.

    Args:
        seconds: how long, if it takes any length; else, and with none, as long as it is by itself.
        pitch: by how many semitones it is higher.
    """
    effect = EFFECTS[kind]
    length = effect.seconds if seconds is None or not effect.fits else max(seconds, 0.02)
    if effect.lasts == "goes on" and length > ROUND + MELTS:
        return _round_and_round(_kept(kind, ROUND + MELTS, pitch), round(length * RATE))
    samples = _kept(kind, min(length, LONGEST), pitch)
    return lambda start, count: samples[start : start + count], len(samples)


_store: Bounded[tuple[str, int, float], Samples] = Bounded(64 * 2**20, lambda samples: samples.nbytes)


def _kept(kind: str, seconds: float, pitch: float) -> Samples:
    key = kind, round(seconds * RATE), round(float(pitch), 3)
    known = _store.get(key)
    return _store.put(key, _made(*key)) if known is None else known


def _made(kind: str, count: int, pitch: float) -> Samples:
    # Chance that is the same wherever and whenever it is made.
    chance = np.random.default_rng(zlib.crc32(kind.encode()))
    wave = _pair(EFFECTS[kind].make(count / RATE, 2.0 ** (pitch / 12), chance))[:count]
    wave = wave - wave.mean(axis=0)
    wave = np.pad(wave, ((0, count - len(wave)), (0, 0)))
    # No click at either end.
    edge = min(round(0.002 * RATE), count // 2)
    if edge:
        fade = np.sin(np.linspace(0, np.pi / 2, edge))[:, None] ** 2
        wave[:edge] *= fade
        wave[-edge:] *= fade[::-1]
    samples = (wave * (PEAK / max(float(np.abs(wave).max()), 1e-9))).astype(np.float32)
    samples.flags.writeable = False
    return samples


def _round_and_round(whole: Samples, length: int) -> tuple[Read, int]:
    """What goes on for as long as it is needed: it melts into its own beginning, with as much power as before."""
    melts = round(MELTS * RATE)
    step = len(whole) - melts

    def read(start: int, count: int) -> Samples:
        at = np.arange(start, min(start + count, length))
        place = at % step
        out = whole[place]
        melting = (place < melts) & (at >= step)
        share = place[melting, None] / melts * (np.pi / 2)
        out[melting] = whole[place[melting]] * np.sin(share) + whole[step + place[melting]] * np.cos(share)
        return out.astype(np.float32)

    return read, length


# What the effects are made of.


def _time(seconds: float) -> Wave:
    return np.arange(max(round(seconds * RATE), 1)) / RATE


def _pair(wave: Wave) -> Wave:
    return wave if wave.ndim == 2 else np.stack([wave, wave], axis=1)


def _two(make: Callable[[], Wave]) -> Wave:
    """Left and right apart: what surrounds one."""
    return np.stack([make(), make()], axis=1)


def _coloured(seconds: float, noise: Noise, gain: Callable[[Wave], Wave]) -> Wave:
    """Noise with as much of each frequency, Hz, as a gain says."""
    count = max(round(seconds * RATE), 8)
    size = 1 << (count - 1).bit_length()
    give_way()
    spectrum = np.fft.rfft(noise.standard_normal(size))
    spectrum *= gain(np.asarray(np.fft.rfftfreq(size, 1 / RATE), np.float64))
    return np.asarray(np.fft.irfft(spectrum, size)[:count])


def _band(low: float, high: float) -> Callable[[Wave], Wave]:
    """A band of frequencies that falls off by 12 dB an octave on either side."""

    def gain(hertz: Wave) -> Wave:
        up, down = (hertz / low) ** 2, (hertz / high) ** 2
        return np.asarray(up / (1 + up) / (1 + down))

    return gain


def _swept(seconds: float, noise: Noise, centre: Callable[[Wave], Wave], octaves: float) -> Wave:
    """Noise in a band, so many octaves wide, whose middle runs over time: shares 0..1 to Hz."""
    size, hop = 1024, 256
    count = max(round(seconds * RATE), 1)
    frames = count // hop + 5
    white = noise.standard_normal((frames - 1) * hop + size)
    window = np.hanning(size + 1)[:size]
    hertz = np.maximum(np.fft.rfftfreq(size, 1 / RATE), 1.0)
    middle = centre(np.clip((np.arange(frames) - 2) * hop / count, 0, 1))
    octave = np.log2(hertz)
    pieces = np.lib.stride_tricks.sliding_window_view(white, size)[::hop]
    out = np.zeros(len(white))
    for k, piece in enumerate(pieces):
        give_way()
        gain = np.exp(-0.5 * ((octave - math.log2(middle[k])) / (octaves / 2)) ** 2)
        out[k * hop : k * hop + size] += np.fft.irfft(np.fft.rfft(piece * window) * gain, size) * window
    return out[2 * hop : 2 * hop + count]


def _room(wave: Wave, seconds: float, amount: float, noise: Noise) -> Wave:
    """A wave in a room whose sound has died away (60 dB) after some seconds."""
    from scipy.signal import fftconvolve

    wave = _pair(wave)
    time = _time(seconds)
    echo = noise.standard_normal((len(time), 2)) * np.exp(-6.9 * time / seconds)[:, None]
    echo *= np.minimum(time / 0.012, 1.0)[:, None] / math.sqrt(seconds * RATE)
    wet = np.stack([fftconvolve(wave[:, side], echo[:, side])[: len(wave)] for side in (0, 1)], axis=1)
    return np.asarray(wave + amount * 3.0 * wet)


def _swells(seconds: float, noise: Noise, periods: tuple[float, ...], least: float) -> Wave:
    """How loud what swells and falls is over time, ``least`` to 1."""
    time = _time(seconds)
    swell = sum(np.sin(2 * np.pi * (time / period + noise.random())) for period in periods) / len(periods)
    return np.asarray(least + (1 - least) * (0.5 + 0.5 * swell))


# The effects.


def _whoosh(seconds: float, pitch: float, noise: Noise) -> Wave:
    """Air that rushes past: loudest at three fifths of its way, from the left to the right."""
    share = np.linspace(0, 1, max(round(seconds * RATE), 1))
    top = 0.6
    rise = np.where(share < top, share / top, (1 - share) / (1 - top))
    loud = np.sin(rise * np.pi / 2) ** 3

    def centre(at: Wave) -> Wave:
        lifted = np.sin(np.where(at < top, at / top, (1 - at) / (1 - top)) * np.pi / 2)
        return np.asarray(pitch * 260 * 2 ** (3.1 * lifted**1.5))

    air = _swept(seconds, noise, centre, 1.5) + 0.25 * _swept(seconds, noise, lambda at: centre(at) * 3, 1.0)
    side = 0.25 + 0.5 * share
    return np.stack([air * loud * np.cos(side * np.pi / 2), air * loud * np.sin(side * np.pi / 2)], axis=1)


def _pop(seconds: float, pitch: float, noise: Noise) -> Wave:
    time = _time(seconds)
    hertz = pitch * (300 + 700 * np.exp(-time / 0.018))
    return np.asarray(np.sin(2 * np.pi * np.cumsum(hertz) / RATE) * np.exp(-time / 0.045) * np.minimum(time / 0.002, 1))


def _tick(seconds: float, pitch: float, noise: Noise) -> Wave:
    time = _time(seconds)
    ring = sum(a * np.sin(2 * np.pi * f * pitch * time) for f, a in ((3150, 1.0), (5080, 0.6), (7900, 0.3)))
    return np.asarray(ring * np.exp(-time / 0.006) + 0.4 * noise.standard_normal(len(time)) * np.exp(-time / 0.0012))


def _typing(seconds: float, pitch: float, noise: Noise) -> Wave:
    """A key stroke about every tenth of a second, no two alike."""
    out = np.zeros((len(_time(seconds)), 2))
    at = 0.0
    while at < seconds - 0.04:
        stroke = _time(0.06)
        hit = _coloured(0.06, noise, _band(1500 * pitch, 5200 * pitch)) * np.exp(-stroke / 0.007)
        hit = hit / max(np.abs(hit).max(), 1e-9)
        hit = hit + 0.5 * np.sin(2 * np.pi * 190 * pitch * stroke) * np.exp(-stroke / 0.012)
        first = round(at * RATE)
        piece = out[first : first + len(hit)]
        side = 0.35 + 0.3 * noise.random()
        loud = 0.6 + 0.4 * noise.random()
        piece += loud * hit[: len(piece), None] * np.array([math.cos(side * math.pi / 2), math.sin(side * math.pi / 2)])
        at += 0.075 + 0.075 * noise.random() + (0.12 if noise.random() < 0.12 else 0.0)
    return out


def _pencil(seconds: float, pitch: float, noise: Noise) -> Wave:
    """Strokes on paper, three or four a second."""
    time = _time(seconds)
    speed = np.abs(np.sin(2 * np.pi * np.cumsum(1.7 + 0.5 * np.sin(2 * np.pi * 0.31 * time)) / RATE))
    grain = _coloured(seconds, noise, _band(1800 * pitch, 6500 * pitch))[: len(time)]
    rough = 1 + 0.5 * _coloured(seconds, noise, _band(20, 90))[: len(time)] * 8
    return np.asarray(grain * rough * (0.15 + speed**0.7))


def _horn(seconds: float, pitch: float, noise: Noise) -> Wave:
    """A ship's horn: two reeds that beat against one another, far over the water."""
    time = _time(seconds)
    wave = np.zeros(len(time))
    for ground in (87.3, 88.1, 110.4):
        for k in range(1, 24):
            give_way()
            formant = 1 / (1 + (k * ground / 420) ** 2) + 0.35 * math.exp(-(((k * ground - 900) / 300) ** 2))
            wave += formant * np.sin(2 * np.pi * (ground * k * pitch * time + noise.random()))
    ends = min(0.45, seconds * 0.3)
    loud = np.minimum(time / min(0.18, seconds * 0.2), 1) * np.clip((seconds - time) / ends, 0, 1) ** 1.5
    return _room(wave * loud, 2.2, 0.5, noise)


BELL = ((0.56, 1.0, 1.0), (0.56, 0.67, 0.9), (0.92, 1.0, 0.65), (0.92, 1.8, 0.55), (1.19, 2.67, 0.325),
        (1.7, 1.67, 0.35), (2.0, 1.46, 0.25), (2.74, 1.33, 0.2), (3.0, 1.33, 0.15), (3.76, 1.0, 0.1),
        (4.07, 1.33, 0.075))  # fmt: skip
"""Risset's bell: frequency, loudness and length of each partial, in parts of the whole's."""


def _bell(seconds: float, pitch: float, noise: Noise) -> Wave:
    time = _time(seconds)
    wave = np.zeros(len(time))
    for k, (ratio, loud, lasts) in enumerate(BELL):
        give_way()
        hertz = 620 * pitch * ratio + (1.0, 0.0, 1.7)[k % 3]
        wave += loud * np.sin(2 * np.pi * hertz * time) * np.exp(-6.9 * time / (seconds * lasts))
    return _room(wave * np.minimum(time / 0.001, 1), 1.6, 0.2, noise)


def _sea(seconds: float, pitch: float, noise: Noise) -> Wave:
    """Surf that comes and goes, over a rumble."""

    def side() -> Wave:
        wash = _coloured(seconds, noise, _band(350 * pitch, 2600 * pitch))
        deep = _coloured(seconds, noise, _band(50, 220 * pitch))
        count = len(_time(seconds))
        swell = _swells(seconds, noise, (7.3, 9.7, 4.1), 0.12) ** 1.6
        return np.asarray(wash[:count] * swell + 0.8 * deep[:count] * (0.5 + 0.5 * swell))

    return _two(side)


def _wind(seconds: float, pitch: float, noise: Noise) -> Wave:
    def side() -> Wave:
        phases = noise.random(3) * 2 * np.pi
        lasts = max(seconds, 0.1)

        def centre(at: Wave) -> Wave:
            run = sum(np.sin(2 * np.pi * at * lasts / period + p) for period, p in zip((5.3, 8.9, 2.7), phases,
                                                                                       strict=True))  # fmt: skip
            return np.asarray(pitch * 480 * 2 ** (0.33 * run))

        count = len(_time(seconds))
        gust = _swells(seconds, noise, (6.1, 3.7, 11.0), 0.25)
        howl = _swept(seconds, noise, centre, 0.7)[:count]
        return np.asarray(howl * gust + 0.5 * _coloured(seconds, noise, _band(80, 500))[:count] * gust)

    return _two(side)


def _rotor(seconds: float, pitch: float, noise: Noise) -> Wave:
    """Blades that beat the air eleven times a second, and the turbine above them."""
    time = _time(seconds)
    phase = 11.0 * pitch * time
    beat = np.exp(-((phase % 1.0) / 0.16))
    thump = np.sin(2 * np.pi * 62 * pitch * time) * beat
    air = _coloured(seconds, noise, _band(120, 1400 * pitch))[: len(time)] * (0.2 + beat)
    whine = 0.03 * np.sin(2 * np.pi * 1850 * pitch * time) + 0.02 * np.sin(2 * np.pi * 2790 * pitch * time)
    return np.asarray(1.1 * thump + 6 * air / 6 + whine)


def _engine(seconds: float, pitch: float, noise: Noise) -> Wave:
    """A boat's diesel: a slow train of strokes that are not quite even."""
    time = _time(seconds)
    jitter = _coloured(seconds, noise, lambda hertz: 1 / (1 + (hertz / 3) ** 2))[: len(time)]
    phase = np.cumsum(27.0 * pitch * (1 + 0.05 * jitter / max(np.abs(jitter).max(), 1e-9))) / RATE
    wave = np.zeros(len(time))
    for k in range(1, 15):
        give_way()
        wave += np.sin(2 * np.pi * k * phase + k) / k**0.8 * (1 + 0.4 * (k % 3 == 0))
    stroke = np.exp(-(phase % 1.0) / 0.22)
    hiss = _coloured(seconds, noise, _band(200, 1700 * pitch))[: len(time)] * stroke
    return np.asarray(wave * (0.5 + 0.5 * stroke) + 1.5 * hiss)


def _page(seconds: float, pitch: float, noise: Noise) -> Wave:
    """A sheet that is turned."""
    share = np.linspace(0, 1, max(round(seconds * RATE), 1))
    lifted = np.sin(np.pi * share**0.7) ** 1.5
    flutter = 1 + 0.7 * np.sin(2 * np.pi * np.cumsum(34 - 18 * share) / RATE)
    paper = _swept(seconds, noise, lambda at: pitch * (1400 + 3600 * np.sin(np.pi * at)), 1.6)
    side = 0.7 - 0.4 * share
    wave = paper * lifted * flutter
    return np.stack([wave * np.cos(side * np.pi / 2), wave * np.sin(side * np.pi / 2)], axis=1)


def _shutter(seconds: float, pitch: float, noise: Noise) -> Wave:
    """Two curtains, one after the other."""
    time = _time(seconds)
    wave = np.zeros(len(time))
    for at, loud in ((0.0, 1.0), (0.075, 0.8)):
        after = time - at
        on = after >= 0
        ring = sum(a * np.sin(2 * np.pi * f * pitch * after) for f, a in ((1250, 1.0), (2730, 0.7), (4400, 0.4)))
        fall = np.exp(-np.maximum(after, 0) / 0.011)
        wave += loud * on * (ring * fall + noise.standard_normal(len(time)) * np.exp(-np.maximum(after, 0) / 0.006))
    return wave


def _low(seconds: float, pitch: float, noise: Noise) -> Wave:
    """A hit deep down, that sinks as it dies away."""
    time = _time(seconds)
    hertz = pitch * (36 + 46 * np.exp(-time / 0.12))
    body = np.tanh(1.8 * np.sin(2 * np.pi * np.cumsum(hertz) / RATE)) * np.exp(-4.5 * time / max(seconds, 0.1))
    knock = _coloured(seconds, noise, _band(60, 700 * pitch))[: len(time)] * np.exp(-time / 0.05)
    return _room(body * np.minimum(time / 0.003, 1) + 2.5 * knock, 1.8, 0.35, noise)


EFFECTS = {
    "whoosh": Effect("Whoosh", 1.6, "drawn out", _whoosh),
    "pop": Effect("Pop", 0.3, "itself", _pop),
    "tick": Effect("Tick", 0.08, "itself", _tick),
    "typing": Effect("Typing", 1.2, "goes on", _typing),
    "pencil": Effect("Pencil", 2.0, "goes on", _pencil),
    "horn": Effect("Ship's horn", 3.0, "drawn out", _horn),
    "bell": Effect("Bell", 3.5, "itself", _bell),
    "sea": Effect("Sea", 12.0, "goes on", _sea),
    "wind": Effect("Wind", 10.0, "goes on", _wind),
    "rotor": Effect("Rotor", 6.0, "goes on", _rotor),
    "engine": Effect("Engine", 6.0, "goes on", _engine),
    "page": Effect("Page", 0.6, "itself", _page),
    "shutter": Effect("Shutter", 0.25, "itself", _shutter),
    "low": Effect("Low hit", 2.6, "itself", _low),
}
"""All of them, by the names that films call them by."""
