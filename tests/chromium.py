"""Chromium as the distribution packages it: the browser without a window, which paints with less ado than the whole
one."""

from __future__ import annotations

import os
from typing import Any

QUIET = ["--disable-background-networking", "--disable-component-update"]
"""No calls home."""

PLAIN = ["--disable-gpu", "--disable-software-rasterizer"]
"""No graphics processor, nor one that is made believe: that costs more than it gives."""


def launching() -> dict[str, Any]:
    """How Playwright starts it."""
    arguments = [*QUIET, *PLAIN, *(["--no-sandbox"] if os.geteuid() == 0 else [])]
    return {"executable_path": "/usr/bin/chromium-headless-shell", "args": arguments}
