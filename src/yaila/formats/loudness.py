"""How loud a sound is: integrated loudness and true peak by ITU-R BS.1770-5 as EBU R 128 uses it, loudness range by EBU
Tech 3342, as FFmpeg measures them."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import av
import av.filter
import numpy as np

from yaila.core.film.heard import Mix, ReadFile, Soundtrack
from yaila.core.sound import RATE, Samples
from yaila.core.stopping import go_on

SILENT = -70.0
"""LUFS: what is quieter counts as silence (the absolute gate of BS.1770)."""

BLOCK = RATE * 2


@dataclass(frozen=True)
class Loudness:
    """Of a whole: LUFS, dBTP, LU, and for each second the short-term loudness (of 3 s that end there), LUFS."""

    integrated: float
    true_peak: float
    range: float
    short: tuple[float, ...]

    @property
    def silent(self) -> bool:
        """Whether there is next to nothing to hear."""
        return self.integrated <= SILENT


def measure(read: Callable[[int, int], Samples], samples: int) -> Loudness:
    """Measure a sound of so many samples, block by block."""
    graph = av.filter.Graph()
    source = graph.add_abuffer(format="flt", sample_rate=RATE, layout="stereo", time_base=Fraction(1, RATE))
    meter = graph.add("ebur128", "metadata=1:peak=true:framelog=quiet")
    sink = graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    found = {"I": SILENT, "LRA": 0.0}
    peak, taken = 0.0, 0
    short: list[float] = []

    def take() -> None:
        nonlocal peak, taken
        while True:
            try:
                frame = sink.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            assert isinstance(frame, av.AudioFrame)
            told = frame.metadata
            for name in found:
                value = float(told.get(f"lavfi.r128.{name}", "nan"))
                found[name] = value if math.isfinite(value) else found[name]
            for name in ("true_peaks_ch0", "true_peaks_ch1"):
                peak = max(peak, float(told.get(f"lavfi.r128.{name}", "0") or 0))
            taken += frame.samples
            while taken >= (len(short) + 1) * RATE:
                value = float(told.get("lavfi.r128.S", "nan"))
                short.append(round(max(value, SILENT), 1) if math.isfinite(value) else SILENT)

    for start in range(0, samples, BLOCK):
        go_on()
        block = read(start, min(BLOCK, samples - start))
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block).reshape(1, -1), format="flt", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = RATE, start, Fraction(1, RATE)
        source.push(frame)
        take()
    source.push(None)
    take()
    top = 20 * math.log10(peak) if peak > 1e-10 else -200.0
    return Loudness(found["I"], top, found["LRA"], tuple(short))


@dataclass(frozen=True)
class Levelled:
    """By how many decibels a film's sound is brought to its loudness, what is measured of it then, and the true peak
    that it would have without a limiter, dBTP."""

    gain: float
    loudness: Loudness
    free_peak: float


def levelled(track: Soundtrack, open_file: ReadFile) -> Levelled:
    """The gain that brings a film to the loudness it asks for, limiter included; silence is left as it is."""
    target = track.film.levels.loudness
    gain = 0.0
    found = measure(Mix(track, open_file, limits=False).read, track.samples)
    free_peak = found.true_peak
    if target is not None and not found.silent:
        gain = target - found.integrated
    for _ in range(MOST_TRIES):
        found = measure(Mix(track, open_file, gain).read, track.samples)
        # What the limiter takes is given back, as far as it goes.
        if target is None or found.silent or abs(target - found.integrated) < 0.05:
            break
        gain += target - found.integrated
    return Levelled(gain, found, free_peak + gain)


MOST_TRIES = 3
