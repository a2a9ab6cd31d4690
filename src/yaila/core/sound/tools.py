"""What sound is made and measured with, loaded before it is needed."""

from __future__ import annotations

from importlib import import_module

from yaila.core.stopping import go_on

TOOLS = (
    "scipy.special",
    "scipy.linalg",
    "scipy.spatial",
    "scipy.optimize",
    "scipy.interpolate",
    "scipy.ndimage",
    "scipy.stats",
    "scipy.signal",
)
"""SciPy's signal processing, and what it loads itself, each after what it needs: a second of work in all."""


def load_tools() -> None:
    """Load what takes a second when sound is first made, where nobody waits: nothing else is done by the interpreter
    while it loads a module, so it gives way between them.

    Raises:
        Stopped: it is not to go on.
    """
    for name in TOOLS:
        go_on()
        import_module(name)
