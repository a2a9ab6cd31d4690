"""Spoilt files of every kind that Yaila reads: each is read or refused in a sentence, soon."""

from __future__ import annotations

import random
import time
from collections import Counter
from pathlib import Path
from typing import Any

from tests.formats.test_hostile_files import KINDS, LONG
from tests.hostile import spoilt
from yaila.core.errors import YailaError


def run(count: int, number: int, folder: Path) -> dict[str, Any]:
    """Read so many files."""
    rng, wrong, outcomes, slowest = random.Random(number), [], Counter(), 0.0
    for kind, (make, read) in KINDS.items():
        whole = make(folder)
        for k in range(count // len(KINDS) + 1):
            begin = time.monotonic()
            try:
                read(spoilt(whole, rng), folder)
                outcomes["read"] += 1
            except YailaError:
                outcomes["refused"] += 1
            except Exception as error:
                wrong.append(f"{kind} {k}: {type(error).__name__} {error}"[:200])
            slowest = max(slowest, time.monotonic() - begin)
    if slowest > LONG:
        wrong.append(f"{slowest:.1f} s for one file")
    return {"files": sum(outcomes.values()) + len(wrong), **outcomes, "slowest, s": round(slowest, 2), "wrong": wrong}
