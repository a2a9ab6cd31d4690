"""Mixing, sample for sample, and the limiter: checked against what is worked out by hand and by SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import resample

from yaila.core.sound import RATE, Placed, limited, mixed
from yaila.core.sound.limiter import EDGE
from yaila.core.sound.mixing import DUCK_IN, DUCK_OUT, faster


def of(samples: np.ndarray, start: int = 0, **what: object) -> Placed:
    """A sound of these samples from one on."""
    both = np.repeat(samples[:, None], 2, axis=1).astype(np.float32) if samples.ndim == 1 else samples
    return Placed(start, start + len(both), lambda first, count: both[first : first + count], **what)  # type: ignore[arg-type]


def noise(count: int, seed: int = 0) -> np.ndarray:
    return np.random.default_rng(seed).uniform(-0.5, 0.5, (count, 2)).astype(np.float32)


def test_a_click_lands_on_its_sample_and_blocks_are_the_whole() -> None:
    click = np.zeros(100)
    click[7] = 1.0
    placed = [of(click, 1234), of(noise(5000), 700, fade_in=900, fade_out=1100, gain=-3.0, pan=0.4)]
    whole = mixed(placed, 0, 8000)
    assert np.array_equal(np.concatenate([mixed(placed, k, 333) for k in range(0, 7992, 333)]), whole[:7992])
    alone = mixed(placed[:1], 0, 8000)
    assert alone[:, 0].argmax() == 1234 + 7
    assert alone[1241, 0] == 1.0
    assert np.count_nonzero(alone) == 2


def test_gains_and_sides_are_what_decibels_say() -> None:
    ones = np.ones(1000)
    level = mixed([of(ones, gain=-6.0206, lane=-6.0206)], 0, 1000)
    assert np.allclose(level, 0.25, atol=1e-5)
    left = mixed([of(ones, pan=-1.0)], 0, 1000)
    assert np.allclose(left, [np.sqrt(2), 0.0], atol=1e-6)
    # Equal power at any side.
    for pan in (-0.7, -0.2, 0.0, 0.5):
        both = mixed([of(ones, pan=pan)], 0, 10)
        assert np.allclose((both**2).sum(axis=1), 2.0, atol=1e-5)


def test_two_fades_over_one_another_keep_their_power() -> None:
    first, second = noise(48_000, 1), noise(48_000, 2)
    over = 24_000
    whole = mixed([of(first, fade_out=over), of(second, 48_000 - over, fade_in=over)], 0, 72_000)
    power = (whole**2).mean(axis=1)
    middle, before = power[24_000:48_000].reshape(6, -1).mean(axis=1), power[:24_000].mean()
    assert np.abs(middle / before - 1).max() < 0.05


def test_a_lane_gives_way_before_another_is_heard_and_comes_back() -> None:
    ones = np.ones(10 * RATE)
    there = ((3 * RATE, 4 * RATE),)
    level = mixed([of(ones, ducked=(there, 12.0))], 0, 10 * RATE)[:, 0]
    low = 10 ** (-12 / 20)
    assert np.allclose(level[3 * RATE : 4 * RATE], low, atol=1e-4)
    assert np.allclose(level[: 3 * RATE - DUCK_IN], 1.0)
    assert np.allclose(level[4 * RATE + DUCK_OUT :], 1.0)
    assert np.abs(np.diff(level)).max() < 2e-4


@pytest.mark.parametrize("speed", [0.5, 1.37, 2.0, 7.5])
def test_what_is_played_faster_is_as_much_higher_and_nothing_folds_back(speed: float) -> None:
    seconds = np.arange(RATE) / RATE

    def read(start: int, count: int) -> np.ndarray:
        return np.column_stack([low, high])[start : start + count].astype(np.float32)

    low, high = np.sin(2 * np.pi * 500 * seconds), np.sin(2 * np.pi * 20_000 * seconds)
    played, count = faster(read, speed), int(RATE / speed)
    whole = played(0, count)
    assert len(whole) == count
    assert len(played(0, 3 * count)) - count in (0, 1)
    middle = slice(count // 8, -count // 8)
    wanted = np.sin(2 * np.pi * 500 * speed * np.arange(count) / RATE)
    assert np.abs(whole[middle, 0] - wanted[middle]).max() < 1e-3
    heard = np.sqrt((whole[middle, 1] ** 2).mean())
    assert heard < 1e-3 if 20_000 * speed > RATE / 2 else heard == pytest.approx(np.sqrt(0.5), rel=1e-3)
    # Any stretch is as it is in the whole.
    parts = [played(0, 700), played(700, 1), played(701, 2000)]
    assert np.array_equal(np.concatenate(parts), whole[:2701])


def test_what_comes_round_is_the_same_again() -> None:
    one = noise(1000)
    placed = Placed(50, 3550, lambda first, count: one[first : first + count], loops=1000)
    whole = mixed([placed], 0, 3600)
    assert np.array_equal(whole[50:3550], np.concatenate([one, one, one, one[:500]]))
    assert np.array_equal(mixed([placed], 1777, 900), whole[1777 : 1777 + 900])


def heard(samples: np.ndarray) -> np.ndarray:
    """What of samples lies below 20 kHz."""
    spectrum = np.fft.rfft(samples)
    spectrum[np.fft.rfftfreq(len(samples), 1 / RATE) > 20_000] = 0
    return np.fft.irfft(spectrum, len(samples))


@pytest.mark.parametrize("ceiling", [-1.0, -6.0])
def test_no_true_peak_comes_above_the_ceiling(ceiling: float) -> None:
    rng = np.random.default_rng(3)
    time = np.arange(RATE) / RATE
    # Between its samples a sine at a quarter of the rate is 3 dB higher than at them.
    loud = np.stack([1.3 * np.sin(2 * np.pi * 12_000 * time + np.pi / 4), heard(rng.uniform(-1.2, 1.2, RATE))], axis=1)
    loud = (loud * np.sin(2 * np.pi * 1.5 * time)[:, None]).astype(np.float32)
    held = limited(loud, 10 ** (ceiling / 20))
    peak = np.abs(resample(held, 16 * len(held), axis=0)).max()
    assert 20 * np.log10(peak) < ceiling + 0.3
    # What is quiet is left as it is.
    assert np.array_equal(limited(loud * np.float32(0.1), 1.0), loud * np.float32(0.1))


def test_limited_blocks_that_overlap_fit_together() -> None:
    loud = noise(30_000) * 3
    whole = limited(loud, 0.9)
    for first in (0, 7000, 20_000):
        low = max(first - EDGE, 0)
        block = limited(loud[low : first + 5000 + EDGE], 0.9)[first - low :][:5000]
        assert np.allclose(block, whole[first : first + 5000], atol=2e-6)
