"""Timecode counts as SMPTE ST 12-1 says, checked by its own counts and by OpenTimelineIO."""

from fractions import Fraction

import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yaila.core.time import RATES, Rate, frame_at_timecode, timecode

NTSC, FAST = Rate.parse("29.97"), Rate.parse("59.94")


def test_drop_frame_leaves_out_two_numbers_a_minute_but_not_every_tenth() -> None:
    # SMPTE ST 12-1: numbers ;00 and ;01 are left out each minute except minutes 0, 10, 20 …
    assert timecode(1799, NTSC) == "00:00:59;29"
    assert timecode(1800, NTSC) == "00:01:00;02"
    assert timecode(17982, NTSC) == "00:10:00;00"
    # 107,892 frames are one hour of drop-frame timecode.
    assert timecode(107892, NTSC) == "01:00:00;00"
    assert timecode(3600, FAST) == "00:01:00;04"
    assert timecode(215784, FAST) == "01:00:00;00"


def test_a_number_that_is_left_out_is_refused() -> None:
    with pytest.raises(ValueError, match="leaves this number out"):
        frame_at_timecode("00:01:00;01", NTSC)


@given(st.integers(0, 2_500_000), st.sampled_from(RATES))
def test_timecode_and_frame_are_inverse(frame: int, rate: Rate) -> None:
    text = timecode(frame % (rate.nominal * 3600 * 23), rate)
    assert timecode(frame_at_timecode(text, rate), rate) == text


@given(st.integers(0, 2_000_000), st.sampled_from([NTSC, FAST, Rate.parse("25"), Rate.parse("24"), Rate.parse("60")]))
def test_agrees_with_opentimelineio(frame: int, rate: Rate) -> None:
    theirs = otio.opentime.to_timecode(
        otio.opentime.RationalTime(frame, float(rate.value)), float(rate.value), rate.drop_frame
    )
    assert timecode(frame, rate) == theirs


def test_rates_are_exact() -> None:
    assert Rate.parse("23.976").value == Fraction(24000, 1001)
    assert NTSC.seconds(30000) == 1001
    assert [rate.name for rate in RATES] == ["23.976", "24", "25", "29.97", "30", "50", "59.94", "60"]


@pytest.mark.parametrize("text", ["0", "-25", "fast", "1/0", "1000"])
def test_what_is_no_rate_is_refused_with_a_sentence(text: str) -> None:
    with pytest.raises(ValueError, match="frame rate"):
        Rate.parse(text)
