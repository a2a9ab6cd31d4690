"""Older versions of the film document, brought up to date when they are read."""

from __future__ import annotations

from typing import Any


def upgraded(document: Any) -> Any:
    """The document in the newest version; what is not a document is left for validation to refuse.

    Version 2 gave plates a fit, a bend, a tone, land, edges, a role and a credit, and feathers an outline; version 3
    gave the manner of a passage settings of its own, and films routes, beats, a locked length, an opening and a
    closing; version 4 gave routes a stroke and a time, and films markers; version 5 gave films labels and styles,
    regions a time, and called the looks of all marks ``look``. What an older document lacks has a default that leaves
    it as it was.
    """
    if isinstance(document, dict) and document.get("version") == 1:
        document = document | {"version": 2}
    if isinstance(document, dict) and document.get("version") == 2:
        document = document | {"version": 3}
        if isinstance(document.get("vantages"), list):
            document["vantages"] = [_with_manner(vantage) for vantage in document["vantages"]]
    if isinstance(document, dict) and document.get("version") == 3:
        document = document | {"version": 4}
    if isinstance(document, dict) and document.get("version") == 4:
        document = document | {"version": 5}
        for marks, before in (("routes", "stroke"), ("regions", "style")):
            if isinstance(document.get(marks), list):
                document[marks] = [_renamed(mark, before, "look") for mark in document[marks]]
    return document


def _renamed(part: Any, before: str, after: str) -> Any:
    if isinstance(part, dict) and before in part:
        return {after if key == before else key: value for key, value in part.items()}
    return part


def _with_manner(vantage: Any) -> Any:
    passage = vantage.get("passage") if isinstance(vantage, dict) else None
    if isinstance(passage, dict) and isinstance(passage.get("manner"), str):
        return vantage | {"passage": passage | {"manner": {"kind": passage["manner"]}}}
    return vantage
