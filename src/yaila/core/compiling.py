"""How loops over pixels are compiled: by Numba, for the processor that they run on.

Whoever sets Yaila up waits for it, so it is kept short (all of it: 270 s of work once, 150 now, on the same processor):

- Small functions are inlined by LLVM (``forceinline``), which sees each once, and not by Numba (``inline``), which
  takes their text into every place that calls them and tells the types of all of it anew. Only the height of a ray's
  place is, as rays are followed in four fifths of the time then.
- A function that is called with numbers that stand in the code says what it takes (``@njit((float64, int64))``): it
  would be compiled for each number.
- Parts of arrays are not assigned to one another: the error that could have is more code than most loops.
- Functions in inner loops take arrays, and not a tuple of them, whose parts are counted at every call.
"""

from __future__ import annotations

from typing import Any

from llvmlite.binding import get_host_cpu_features, get_host_cpu_name
from numba import njit
from numba.core import config as numba_config
from numba.core.compiler import Compiler

__all__ = ["Apart", "njit"]


class Apart(Compiler):
    """Compiles a function whose array arguments never overlap, so that its loops can become vector code."""

    def define_pipelines(self):
        self.state.flags.noalias = True
        return super().define_pipelines()


_CONFIG: Any = numba_config
"""What it has is made when it is loaded."""


def _load_one_by_one() -> None:
    """Let vector code load from tables one by one and not by the processor's own gathering, which the compiler takes to
    be quicker than it is: plates are drawn in a tenth less time, a grade in a third less."""
    features = get_host_cpu_features()
    if features.get("avx2") and _CONFIG.CPU_FEATURES is None:
        _CONFIG.CPU_NAME = get_host_cpu_name()
        _CONFIG.CPU_FEATURES = f"{features.flatten()},+prefer-no-gather"


_load_one_by_one()
