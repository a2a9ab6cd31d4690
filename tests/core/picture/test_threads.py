"""Rows drawn side by side: each once, whoever draws them, and no more of them once nobody waits."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from yaila.core.picture.threads import FEW, in_threads
from yaila.core.stopping import Stop, Stopped, under


@pytest.mark.parametrize("shape", [(1, 1), (108, 192), (540, 960), (97, 1001), (3000, 31)])
def test_each_row_is_drawn_once_and_a_small_picture_in_one_go(shape: tuple[int, int]) -> None:
    drawn, parts, lock = np.zeros(shape, np.int64), [], threading.Lock()

    def rows(first: int, last: int) -> None:
        with lock:
            drawn[first:last] += 1
            parts.append((first, last))

    in_threads(rows, drawn)
    assert (drawn == 1).all()
    assert (len(parts) == 1) == (drawn.size <= FEW)

    drawn[:] = 0
    in_threads(rows, drawn, shape[0] // 3, shape[0])
    assert (drawn[: shape[0] // 3] == 0).all()
    assert (drawn[shape[0] // 3 :] == 1).all()


def test_what_goes_wrong_in_a_part_is_heard_and_the_next_picture_is_drawn() -> None:
    def fails(first: int, last: int) -> None:
        raise ValueError(f"rows {first} to {last}")

    wide = np.zeros((1000, 1000))
    with pytest.raises(ValueError, match="rows"):
        in_threads(fails, wide)
    in_threads(lambda first, last: wide[first:last].fill(1), wide)
    assert (wide == 1).all()


def test_rows_that_nobody_waits_for_are_left() -> None:
    stop, seen = Stop(), []

    def rows(first: int, last: int) -> None:
        seen.append((first, last))
        stop.stop()

    with under(stop), pytest.raises(Stopped):
        in_threads(rows, np.zeros((1000, 1000)))
    # Those that had begun already may be done with.
    assert len(seen) <= 2 * 8 // 4
