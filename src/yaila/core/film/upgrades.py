"""Older versions of the film document, brought up to date when they are read."""

from __future__ import annotations

from itertools import pairwise
from typing import Any


def upgraded(document: Any) -> Any:
    """The document in the newest version; what is not a document is left for validation to refuse.

    Version 2 gave plates a fit, a bend, a tone, land, edges, a role and a credit, and feathers an outline; version 3
    gave the manner of a passage settings of its own, and films routes, beats, a locked length, an opening and a
    closing; version 4 gave routes a stroke and a time, and films markers; version 5 gave films labels and styles,
    regions a time, and called the looks of all marks ``look``; version 6 let values change over the film, and refuses
    names of what is not there; version 7 lets an orbit to the same heading go all the way round; version 8 gave films a
    finish; version 9 gave plates and regions a thickness, and let plates float or be light; version 10 gave films a
    surface, more that sticks to the frame, and looks; version 11 gave films sound and insets. What an older
    document lacks has a default that leaves it as it was.
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
    if isinstance(document, dict) and document.get("version") == 5:
        document = _names_that_are(document) | {"version": 6}
    if isinstance(document, dict) and document.get("version") == 6:
        document = document | {"version": 7}
        if isinstance(document.get("vantages"), list):
            document["vantages"] = _without_turn(document["vantages"])
    if isinstance(document, dict) and document.get("version") == 7:
        document = document | {"version": 8}
    if isinstance(document, dict) and document.get("version") == 8:
        document = document | {"version": 9}
    if isinstance(document, dict) and document.get("version") == 9:
        document = document | {"version": 10}
    if isinstance(document, dict) and document.get("version") == 10:
        document = document | {"version": 11}
    return document


def _without_turn(vantages: list[Any]) -> list[Any]:
    """Orbits to the same heading with a whole turn less: none before is a glide now."""
    made = list(vantages)
    for k, (one, after) in enumerate(pairwise(vantages)):
        passage = one.get("passage") if isinstance(one, dict) else None
        manner = passage.get("manner") if isinstance(passage, dict) else None
        if not isinstance(manner, dict) or manner.get("kind") != "orbit" or not isinstance(after, dict):
            continue
        assert isinstance(passage, dict)
        headings, turns = [v.get("heading", 0) for v in (one, after)], manner.get("turns", 0)
        if isinstance(turns, int) and all(isinstance(v, int | float) for v in headings):
            off = abs((headings[1] - headings[0] + 180) % 360 - 180)
            if off < 1e-6:
                fresh = manner | {"turns": turns - 1} if turns else {"kind": "glide"}
                made[k] = one | {"passage": passage | {"manner": fresh}}
    return made


def _names_that_are(document: dict[str, Any]) -> dict[str, Any]:
    """Without names of plates, styles and routes that were gone: they were passed over before, and are refused now."""
    kinds = ("plates", "styles", "routes")
    if not all(isinstance(document.get(kind, []), list) for kind in kinds):
        return document
    plates, styles, routes = (
        {one.get("id") for one in document.get(kind, []) if isinstance(one, dict)} for kind in kinds
    )

    def mended(part: Any) -> Any:
        if not isinstance(part, dict):
            return part
        part = dict(part)
        if part.get("style") is not None and part["style"] not in styles:
            part |= {"style": None, "own": []}
        if part.get("route") is not None and part["route"] not in routes:
            part["route"] = None
        if part.get("stands") == "route" and not part.get("route"):
            part["stands"] = "facing"
        fit = part.get("fit")
        if isinstance(fit, dict):
            ties = [
                tie for tie in fit.get("ties", []) if not isinstance(tie, dict) or tie.get("other") in {None, *plates}
            ]
            part["fit"] = fit | {"ties": ties, "on": fit.get("on") if fit.get("on") in plates else None}
        reveal = part.get("reveal")
        if isinstance(reveal, dict) and "routes" not in reveal:
            route = reveal.get("route") if reveal.get("route") in routes else None
            rest = {name: value for name, value in reveal.items() if name != "route"}
            gone = route is None and reveal.get("how") == "route"
            part["reveal"] = None if gone else rest | {"routes": [route] if route else []}
        return part

    lists = ("plates", "regions", "routes", "markers", "labels")
    return document | {
        name: [mended(one) for one in document[name]] for name in lists if isinstance(document.get(name), list)
    }


def _renamed(part: Any, before: str, after: str) -> Any:
    if isinstance(part, dict) and before in part:
        return {after if key == before else key: value for key, value in part.items()}
    return part


def _with_manner(vantage: Any) -> Any:
    passage = vantage.get("passage") if isinstance(vantage, dict) else None
    if isinstance(passage, dict) and isinstance(passage.get("manner"), str):
        return vantage | {"passage": passage | {"manner": {"kind": passage["manner"]}}}
    return vantage
