"""What is compiled is kept by all that it was made of."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

from yaila.core import compiling

CONSTANTS = "TIMES = {times}\n"
INNER = "from yaila.core.compiling import njit\n@njit(cache=True)\ndef more(x):\n    return x + {by}\n"
OUTER = """
from yaila.core.compiling import njit
from constants import TIMES
from inner import more
@njit(cache=True)
def whole(x):
    return TIMES * more(x)
"""
RUN = "import json, outer; print(json.dumps([outer.whole(1), sum(outer.whole.stats.cache_hits.values())]))"


@pytest.mark.parametrize("writable", [True, pytest.param(False, marks=pytest.mark.thorough)])
def test_a_loop_is_compiled_anew_when_one_that_it_calls_or_a_constant_changes(tmp_path: Path, writable: bool) -> None:
    kept = tmp_path / "kept"
    if not writable:
        kept.write_text("No folder can be made here.")

    def made(where: str, times: int, by: int) -> list[int]:
        folder = tmp_path / where
        folder.mkdir(exist_ok=True)
        (folder / "constants.py").write_text(CONSTANTS.format(times=times))
        (folder / "inner.py").write_text(INNER.format(by=by))
        (folder / "outer.py").write_text(OUTER)
        env = os.environ | {"NUMBA_CACHE_DIR": str(kept), "PYTHONPATH": str(folder)}
        return json.loads(subprocess.run([sys.executable, "-c", RUN], env=env, capture_output=True, check=True).stdout)

    assert made("one", 10, 2) == [30, 0]
    assert made("one", 10, 3) == [40, 0]
    assert made("one", 100, 3) == [400, 0]
    # What is kept serves again, and another copy of the same too, where it is not kept beside the file.
    assert made("one", 10, 2) == [30, 1]
    assert made("other", 10, 2) == [30, int(writable)]


def test_what_nobody_uses_any_more_goes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(compiling._CONFIG, "CACHE_DIR", str(tmp_path))
    old, new = tmp_path / "loops" / "old", tmp_path / "loops" / "new"
    for folder in (old, new):
        folder.mkdir(parents=True)
    os.utime(old, (0, time.time() - 61 * 86_400))
    compiling.forget_old()
    assert [folder.name for folder in (tmp_path / "loops").iterdir()] == ["new"]
