"""Beats: in music made here, whose beats are known."""

from __future__ import annotations

import numpy as np
import pytest

from yaila.core.sound import RATE
from yaila.core.sound.beats import beats_in


def music(pace: float, seconds: float = 20.0, first: float = 0.31) -> tuple[np.ndarray, list[float]]:
    """A deep beat, a hiss between the beats, and tones that have nothing to do with either."""
    rng = np.random.default_rng(5)
    count = round(seconds * RATE)
    out = np.zeros((count, 2), np.float32)
    step = 60 / pace
    beats = [first + k * step for k in range(int((seconds - first - 0.3) / step))]

    def put(at: float, wave: np.ndarray) -> None:
        start = round(at * RATE)
        piece = out[start : start + len(wave)]
        piece += wave[: len(piece), None].astype(np.float32)

    deep = np.arange(9000)
    for beat in beats:
        put(beat, 0.6 * np.sin(2 * np.pi * np.cumsum(60 + 60 * np.exp(-deep / 900)) / RATE) * np.exp(-deep / 3000))
        put(beat + step / 2, 0.12 * rng.standard_normal(2000) * np.exp(-np.arange(2000) / 400))
    for k in range(int(seconds / 2)):
        time = np.arange(2 * RATE) / RATE
        tone = 0.06 * np.sin(2 * np.pi * 110 * 2 ** (rng.integers(0, 24) / 12) * time) * np.sin(np.pi * time / 2)
        put(2.0 * k + 0.13, tone)
    return out, beats


@pytest.mark.parametrize("pace", [83, 97, 120, 141])
def test_beats_are_found_to_five_milliseconds(pace: float) -> None:
    samples, beats = music(pace)
    found = beats_in(lambda first, count: samples[first : first + count], len(samples))
    assert abs(len(found) - len(beats)) <= 1
    assert max(min(abs(one - beat) for beat in beats) for one in found) < 0.005


def test_there_is_none_in_silence_noise_or_a_click() -> None:
    silence = np.zeros((8 * RATE, 2), np.float32)
    hiss = np.random.default_rng(1).uniform(-0.3, 0.3, (8 * RATE, 2)).astype(np.float32)
    click = silence.copy()
    click[RATE] = 0.9
    for samples in (silence, hiss, click, silence[:100]):
        assert beats_in(lambda first, count, of=samples: of[first : first + count], len(samples)) == []
