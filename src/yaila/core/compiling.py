"""How loops over pixels are compiled: by Numba, for the processor that they run on.

Whoever sets Yaila up waits for it, so it is kept short:

- Small functions are inlined by LLVM (``forceinline``), which sees each once, and not by Numba (``inline``), which
  takes their text into every place that calls them and tells the types of all of it anew.
- A function that is called with numbers that stand in the code says what it takes (``@njit((float64, int64))``): it
  would be compiled for each number.
- Parts of arrays are not assigned to one another: the error that could have is more code than most loops.
- Nobody counts who holds arrays (see :func:`njit`).
"""

from __future__ import annotations

from typing import Any

import numba
from llvmlite.binding import get_host_cpu_features, get_host_cpu_name
from numba.core import config as numba_config
from numba.core.compiler import Compiler

_NUMBA: Any = numba
"""Its types do not name all options."""


def njit(*signature: Any, allocates: bool = False, **options: Any) -> Any:
    """Numba's, without the counting of who holds an array.

    Numba counts that up and down wherever a function is called with an array, in inner loops too, by instructions that
    two threads wait for one another in. Whoever calls a compiled function holds its arrays until it ends; only one that
    makes arrays of its own (``allocates``) has to count.
    """
    return _NUMBA.njit(*signature, _nrt=allocates, **options)


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
