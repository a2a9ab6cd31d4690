"""Chromium as the distribution packages it: the browser without a window, which paints with less ado than the whole
one."""

from __future__ import annotations

import os
from typing import Any

QUIET = ["--disable-background-networking", "--disable-component-update"]
"""No calls home."""


def launching() -> dict[str, Any]:
    """How Playwright starts it."""
    arguments = [*QUIET, "--no-sandbox"] if os.geteuid() == 0 else QUIET
    return {"executable_path": "/usr/bin/chromium-headless-shell", "args": arguments}
