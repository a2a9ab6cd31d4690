"""Loads what processes of jobs need, into the one that they are forked from: whoever imports this has all of it."""

from __future__ import annotations

from importlib import import_module

import numpy as np

from yaila.core.time.bezier import parameters
from yaila.farm.processes import KINDS

for kind in KINDS.values():
    import_module(kind.module)
# Whatever is compiled and called first loads half a second's worth of what all that is compiled needs.
parameters(0.0, 1.0, np.zeros(1))
