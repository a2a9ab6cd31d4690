"""Older versions of the film document, brought up to date when they are read."""

from __future__ import annotations

from typing import Any


def upgraded(document: Any) -> Any:
    """The document in the newest version; what is not a document is left for validation to refuse.

    Version 2 gave plates a fit, a bend, a tone, land, edges, a role and a credit, and feathers an outline; what a
    plate of version 1 lacks has a default that leaves it as it was.
    """
    if isinstance(document, dict) and document.get("version") == 1:
        return document | {"version": 2}
    return document
