"""Curves of eases, solved by SciPy's root finder as well."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from yaila.core.time.bezier import parameters

HANDLE = st.floats(0, 1)


@given(HANDLE, HANDLE, st.lists(st.floats(1e-6, 1 - 1e-6), min_size=1, max_size=6))
def test_a_time_lies_where_a_root_finder_finds_it(x1: float, x2: float, times: list[float]) -> None:
    def x(s: float) -> float:
        # The Bernstein form, as the standard of CSS easing functions (W3C, level 1) defines it.
        return 3 * (1 - s) ** 2 * s * x1 + 3 * (1 - s) * s**2 * x2 + s**3

    found = parameters(x1, x2, np.array(times))
    for time, s in zip(times, found.tolist(), strict=True):
        assert 0 <= s <= 1
        assert x(s) == pytest.approx(time, abs=1e-14)
        # Where the curve is steep enough to tell, it is the same place.
        if (x(min(s + 1e-6, 1)) - x(max(s - 1e-6, 0))) / 2e-6 > 1e-2:
            assert s == pytest.approx(brentq(lambda s, time=time: x(s) - time, 0, 1, xtol=1e-15), abs=1e-11)
