"""Loads what processes of jobs need, into the one that they are forked from: whoever imports this has all of it.

What is loaded stays, so nobody looks through it for what could go: neither while it is loaded, nor in the processes
that share its memory.
"""

from __future__ import annotations

import gc
from importlib import import_module

import numpy as np

from yaila.core.time.bezier import parameters
from yaila.farm.processes import KINDS

gc.disable()
for kind in KINDS.values():
    import_module(kind.module)
# Whatever is compiled and called first loads half a second's worth of what all that is compiled needs.
parameters(0.0, 1.0, np.zeros(1))
gc.freeze()
gc.enable()
