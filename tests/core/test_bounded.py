"""What is remembered of parts of a document: found by these very parts, for as long as there is room."""

from __future__ import annotations

import gc

from yaila.core.bounded import Bounded, Remembered


class Part:
    """A part that equals every other."""

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Part)

    __hash__ = None  # type: ignore[assignment]


def test_what_is_remembered_is_found_by_the_very_part_and_by_the_value_of_the_rest() -> None:
    made: list[int] = []

    def make() -> int:
        made.append(len(made))
        return made[-1]

    known, one, other = Remembered[int](8), Part(), Part()
    assert [known.of((one,), (1, "a"), make), known.of((one,), (1, "a"), make)] == [0, 0]
    # Another that equals it is another, and so is the same for something else.
    assert [known.of((other,), (1, "a"), make), known.of((one,), (2, "a"), make)] == [1, 2]
    assert known.of((one, None), (1, "a"), make) == 3
    assert known.of((one,), (1, "a"), make) == 0


def test_no_part_takes_the_place_of_one_that_is_gone() -> None:
    known: Remembered[object] = Remembered(4)
    for number in range(200):
        # Each would lie where the one before lay, were that not kept.
        assert known.of((Part(),), (), lambda number=number: number) == number
        gc.collect(0)


def test_the_longest_unused_goes_first_by_weight_and_the_newest_stays() -> None:
    kept = Bounded[str, bytes](10, len)
    for name in "abc":
        kept.put(name, bytes(4))
    assert [kept.get(name) is not None for name in "abc"] == [False, True, True]
    kept.get("b")
    kept.put("d", bytes(4))
    assert [kept.get(name) is not None for name in "bcd"] == [True, False, True]
    kept.put("large", bytes(50))
    assert (kept.bytes, kept.get("large") is not None) == (50, True)
