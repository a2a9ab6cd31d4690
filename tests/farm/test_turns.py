"""The line of jobs: how many at once, in which order."""

from __future__ import annotations

import threading
import time

import pytest

from yaila.core.errors import BadEdit
from yaila.farm.turns import Turns


class Bench:
    """Work that goes on until it is let go."""

    def __init__(self) -> None:
        self.turns = Turns("reel")
        self.begun: list[str] = []
        self._ends: dict[str, threading.Event] = {}

    def add(self, job: str, at_once: bool = False) -> None:
        self._ends[job] = threading.Event()

        def work() -> None:
            self.begun.append(job)
            self._ends[job].wait(10)

        self.turns.join(job, work, at_once)

    def end(self, job: str) -> None:
        self._ends[job].set()

    def until(self, *begun: str) -> None:
        end = time.monotonic() + 5
        while sorted(self.begun) != sorted(begun):
            assert time.monotonic() < end, self.begun
            time.sleep(0.005)


def test_jobs_come_in_the_order_of_the_line_which_can_be_changed() -> None:
    bench = Bench()
    for job in "abcd":
        bench.add(job)
    bench.until("a")
    bench.turns.move("d", 0)
    assert bench.turns.line == ["d", "b", "c"]
    bench.end("a")
    bench.until("a", "d")
    bench.turns.move("b", 99)
    bench.end("d")
    bench.until("a", "d", "c")
    with pytest.raises(BadEdit, match="does not wait"):
        bench.turns.move("a", 0)


def test_who_has_left_the_line_does_not_come() -> None:
    bench = Bench()
    for job in "abc":
        bench.add(job)
    bench.until("a")
    bench.turns.leave("b")
    assert bench.turns.line == ["c"]
    bench.end("a")
    bench.until("a", "c")


def test_more_are_worked_at_side_by_side_when_that_is_wanted() -> None:
    bench = Bench()
    for job in "abc":
        bench.add(job)
    bench.until("a")
    bench.turns.slots = 2
    bench.until("a", "b")
    # Fewer again: none begins before enough have ended.
    bench.turns.slots = 1
    bench.end("a")
    time.sleep(0.05)
    assert bench.begun == ["a", "b"]
    bench.end("b")
    bench.until("a", "b", "c")


def test_what_is_wanted_at_once_does_not_wait_and_takes_nobodys_turn() -> None:
    bench = Bench()
    bench.add("long")
    bench.add("next")
    bench.until("long")
    bench.add("small", at_once=True)
    bench.until("long", "small")
    bench.end("small")
    time.sleep(0.05)
    assert bench.turns.line == ["next"]
    bench.turns.close()
    bench.end("long")
    time.sleep(0.05)
    assert "next" not in bench.begun
