"""How much memory the server keeps things in, and how it gives back what it no longer uses."""

from __future__ import annotations

import asyncio
import ctypes
import sys
import time

from yaila.core.errors import BadStore
from yaila.core.quantities import is_count
from yaila.core.stopping import LINGERS, is_watched

MEMORY = 960
"""Megabytes that the server keeps things in, unless ``YAILA_MEMORY`` says otherwise: two fifths of it pages of plates,
a fifth films and trials, a tenth pieces of soundings; the rest is for outlines, letters, curves and the work itself."""

EVERY = 30.0
"""Seconds after which unused memory is given back again."""

PUT_OFF = 60.0
"""How much later it is given back at most, as somebody looks at what is made, s."""


def memory_of(text: str) -> int:
    """How many megabytes all that is kept in memory may take, as ``YAILA_MEMORY`` says it.

    Raises:
        BadStore: it says something else.
    """
    if not text:
        return MEMORY
    if not is_count(text) or not 128 <= int(text) <= 1_000_000:
        raise BadStore(f"YAILA_MEMORY is “{text}”: write how many megabytes, 128 at least.")
    return int(text)


async def give_back() -> None:
    """Give freed memory back to the system, again and again: the GNU allocator keeps what many threads freed in between
    (``malloc_trim(3)``), and a server at work grows by it for hours. Elsewhere there is nothing to do."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None) if sys.platform == "linux" else None
    while trim:
        await asyncio.sleep(EVERY)
        until = time.monotonic() + PUT_OFF
        # Whoever needs memory meanwhile waits for some hundredths of a second.
        while is_watched() and time.monotonic() < until:
            await asyncio.sleep(LINGERS)
        await asyncio.to_thread(trim, 0)
