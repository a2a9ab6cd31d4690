"""How loops over pixels are compiled: by Numba, for the processor that they run on.

Whoever sets Yaila up waits for it, so it is kept short:

- Small functions are inlined by LLVM (``forceinline``), which sees each once, and not by Numba (``inline``), which
  takes their text into every place that calls them and tells the types of all of it anew.
- A function that is called with numbers that stand in the code says what it takes (``@njit((float64, int64))``): it
  would be compiled for each number.
- Parts of arrays are not assigned to one another: the error that could have is more code than most loops.
- Nobody hands compiled functions to others: what that would take is not compiled.
- Nobody counts who holds arrays (see :func:`njit`).

What was compiled is kept for the person, by all that it was made of (:class:`Kept`): another copy of Yaila, or a newer
one, compiles only what is different in it.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import sys
import time
from functools import cache
from pathlib import Path
from typing import Any

import numba
import numpy as np
from llvmlite.binding import get_host_cpu_features, get_host_cpu_name
from numba.core import config as numba_config
from numba.core.caching import InTreeCacheLocator
from numba.core.compiler import Compiler
from numba.core.dispatcher import Dispatcher
from numba.misc.appdirs import AppDirs

_NUMBA: Any = numba
"""Its types do not name all options."""


def njit(*signature: Any, allocates: bool = False, **options: Any) -> Any:
    """Numba's, without the counting of who holds an array, and with numbers divided as NumPy does, without an error
    where that is by nothing.

    Numba counts that up and down wherever a function is called with an array, in inner loops too, by instructions that
    two threads wait for one another in. Whoever calls a compiled function holds its arrays until it ends; only one that
    makes arrays of its own (``allocates``) has to count.
    """
    return _NUMBA.njit(*signature, _nrt=allocates, error_model="numpy", no_cfunc_wrapper=True, **options)


class Apart(Compiler):
    """Compiles a function whose array arguments never overlap, so that its loops can become vector code."""

    def define_pipelines(self) -> Any:
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


LONG = 60
"""Days for which what nobody has used is kept."""


def kept_in() -> Path:
    """The folder in which what was compiled is kept."""
    return Path(_CONFIG.CACHE_DIR or AppDirs("yaila", False).user_cache_dir) / "loops"


@cache
def made_of(name: str) -> str:
    """What the compiled functions of a module are made of, as a hash: its file and this one, the constants that it has,
    which become part of them, and the same of the modules of compiled functions that it calls."""
    module = sys.modules[name]
    found = hashlib.sha256(Path(__file__).read_bytes() + Path(str(module.__file__)).read_bytes())
    others = set()
    for key, value in sorted(vars(module).items()):
        if isinstance(value, Dispatcher):
            others.add(value.py_func.__module__)
        elif key.isupper() and isinstance(value, int | float | str | tuple | np.generic | np.ndarray):
            found.update(f"{key}={value!r}".encode())
            found.update(value.tobytes() if isinstance(value, np.ndarray) else b"")
    for other in sorted(others - {name}):
        found.update(made_of(other).encode())
    return found.hexdigest()


class Kept(InTreeCacheLocator):
    """Where Numba keeps a compiled function: in a folder of what its module is made of. By itself it would look at the
    function's own file alone, and go on with what it has when a function that this one calls is changed."""

    def __init__(self, py_func: Any, py_file: str) -> None:
        super().__init__(py_func, py_file)
        self._made_of = made_of(py_func.__module__)
        self._cache_path = str(self._folder() / f"{py_func.__module__}-{self._made_of[:16]}")

    def _folder(self) -> Path:
        return kept_in()

    def ensure_cache_path(self) -> None:
        super().ensure_cache_path()
        # It is in use.
        os.utime(self._cache_path)

    def get_source_stamp(self) -> Any:
        return self._made_of


class KeptBeside(Kept):
    """The same beside the function's file, where the person has no folder that could be written into."""

    def _folder(self) -> Path:
        return Path(self._py_file).parent / "__pycache__"


_CONFIG.CACHE_LOCATOR_CLASSES = ",".join(f"{__name__}.{one.__name__}" for one in (Kept, KeptBeside))


def forget_old(days: float = LONG) -> None:
    """Remove what was compiled and was not used for long."""
    for folder in kept_in().glob("*"):
        if folder.stat().st_mtime < time.time() - days * 86_400:
            shutil.rmtree(folder, ignore_errors=True)
