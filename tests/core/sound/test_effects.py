"""The sounds that are made here: what they promise of themselves, whatever they sound like."""

from __future__ import annotations

import math

import numpy as np
import pytest

from yaila.core.sound import EFFECTS, RATE, effects, made
from yaila.core.sound.effects import MELTS, PEAK, ROUND


def loudest_hertz(samples: np.ndarray) -> float:
    """The frequency with the most power, Hz."""
    mono = samples.mean(axis=1) * np.hanning(len(samples))
    return float(np.fft.rfftfreq(len(mono), 1 / RATE)[np.abs(np.fft.rfft(mono)).argmax()])


@pytest.mark.parametrize("kind", EFFECTS)
def test_an_effect_is_clean_the_same_every_time_and_as_long_as_it_is_asked(kind: str) -> None:
    effect = EFFECTS[kind]
    samples = made(kind)
    assert samples.shape == (round(effect.seconds * RATE), 2)
    assert np.isfinite(samples).all()
    assert abs(float(np.abs(samples).max()) - PEAK) < 1e-3
    # Neither end clicks, and nothing stands still beside zero.
    assert np.abs(samples[[0, -1]]).max() < 0.01
    assert abs(float(samples.mean())) < 0.01
    assert np.array_equal(effects._made(kind, len(samples), 0.0), samples)
    for seconds in (0.4, 3.3):
        wanted = seconds if effect.fits else effect.seconds
        assert len(made(kind, seconds)) == round(wanted * RATE)


@pytest.mark.parametrize("kind", ["pop", "bell", "low", "engine"])
def test_an_octave_higher_has_twice_the_frequency(kind: str) -> None:
    low, high = loudest_hertz(made(kind, 2.0)), loudest_hertz(made(kind, 2.0, 12))
    assert abs(math.log2(high / low) - 1) < 0.12


@pytest.mark.parametrize("kind", ["sea", "wind", "engine"])
def test_what_goes_on_for_long_comes_round_without_a_seam(kind: str) -> None:
    samples = made(kind, 2 * ROUND + 10)
    assert len(samples) == round((2 * ROUND + 10) * RATE)
    steps = np.abs(np.diff(samples.mean(axis=1)))
    seam = round(ROUND * RATE)
    assert steps[seam - 4 : seam + 4].max() <= np.quantile(steps, 0.9999) * 1.5
    power = [float((samples[at : at + RATE] ** 2).mean()) for at in (seam - RATE, seam, seam + round(MELTS * RATE))]
    assert max(power) < 12 * min(power)


def test_a_whoosh_rises_falls_and_goes_from_left_to_right() -> None:
    samples = made("whoosh", 2.0)
    power = (samples.reshape(8, -1, 2) ** 2).mean(axis=1)
    whole = power.sum(axis=1)
    assert 3 <= whole.argmax() <= 5
    assert whole[0] < 0.05 * whole.max()
    assert whole[-1] < 0.05 * whole.max()
    assert power[2, 0] > power[2, 1]
    assert power[6, 1] > power[6, 0]
