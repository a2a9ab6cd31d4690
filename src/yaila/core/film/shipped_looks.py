"""The looks that come with the application, each from numbers alone."""

from __future__ import annotations

from typing import Any

from yaila.core.film.looks import SavedLook

_LOOKS: dict[str, dict[str, dict[str, Any]]] = {
    "Late post": {
        "surface": {"kind": "fine", "strength": 0.35, "folds": 0, "light": 0.2},
        "glow": {"strength": 0.3, "above": 0.6, "colour": "#ffe2b8"},
        "grade": {"warmth": 18, "contrast": 22, "shadows": "#1d3a5c", "shadows_by": 0.5, "lights": "#ffd39a",
                  "lights_by": 0.35, "saturation": -8},
        "vignette": {"by": 0.45},
        "grain": {"strength": 3.2},
        "bars": {"share": 0.06},
    },
    "Salt paper": {
        "surface": {"kind": "crumpled", "strength": 0.55, "folds": 4, "light": 0.4},
        "grade": {"saturation": -45, "contrast": 12, "warmth": 12, "wash": "#b08d57", "wash_by": 0.35},
        "vignette": {"by": 0.35, "colour": "#241a10"},
        "grain": {"strength": 2.4},
    },
    "Old survey": {
        "surface": {"kind": "parchment", "strength": 0.7, "own_colour": 0.7, "folds": 2, "light": 0.35},
        "grade": {"grey": 0.55, "grey_tint": "#f0dcb4", "contrast": 10, "black": 0.03},
        "vignette": {"by": 0.5, "colour": "#2b1c0c"},
    },
    "Cold harbour": {
        "grade": {"warmth": -22, "contrast": 28, "saturation": -18, "cyans": 30, "reds": 25, "shadows": "#0e2f4a",
                  "shadows_by": 0.6, "black": 0.02},
        "glow": {"strength": 0.2, "above": 0.75, "colour": "#d9ecff"},
        "vignette": {"by": 0.4},
        "grain": {"strength": 2.6},
    },
    "Noon linen": {
        "surface": {"kind": "linen", "strength": 0.4, "folds": 0, "light": 0.25},
        "grade": {"exposure": 0.25, "saturation": 8, "vibrance": 25, "warmth": 8, "middle": 1.1},
        "glow": {"strength": 0.25, "above": 0.8, "wide": 0.03, "colour": "#fffaf0"},
    },
    "Wet slate": {
        "surface": {"kind": "slate", "blend": "hard-light", "strength": 0.3, "own_colour": 0.4, "folds": 0,
                    "light": 0.5},
        "grade": {"saturation": -60, "contrast": 30, "warmth": -10, "shadows": "#16242c", "shadows_by": 0.6},
        "vignette": {"by": 0.55},
    },
    "Blue draft": {
        "surface": {"kind": "blueprint", "blend": "screen", "strength": 0.85, "own_colour": 1, "folds": 0, "light": 0},
        "grade": {"over": "ground", "grey": 1, "grey_tint": "#8fb2e8", "contrast": 30, "exposure": -0.9},
        "vignette": {"by": 0.3, "colour": "#05122b"},
    },
    "Morning paper": {
        "surface": {"kind": "newsprint", "strength": 0.6, "own_colour": 0.4, "folds": 0, "light": 0.1},
        "grade": {"grey": 1, "grey_tint": "#fbf4e4", "contrast": 38, "black": 0.05},
        "grain": {"strength": 1.5},
    },
    "Attic reel": {
        "grade": {"saturation": -25, "warmth": 26, "contrast": 18, "black": 0.0, "middle": 1.08, "lights": "#ffdf9e",
                  "lights_by": 0.5},
        "glow": {"strength": 0.4, "above": 0.55, "wide": 0.04, "colour": "#ffd9a8"},
        "glass": {"distortion": 5, "fringes": 2.5, "soft": 6},
        "vignette": {"by": 0.6},
        "wear": {"dust": 0.5, "scratches": 0.35, "flicker": 0.5, "weave": 2},
        "grain": {"strength": 6, "size": 2.2, "coloured": 0.1},
    },
    "Washed ashore": {
        "surface": {"kind": "wash", "blend": "multiply", "strength": 0.6, "folds": 2, "light": 0.35},
        "grade": {"saturation": 18, "vibrance": 20, "contrast": -18, "white": 0.95, "middle": 1.12, "lights": "#fff2df",
                  "lights_by": 0.3},
        "vignette": {"by": 0.25, "colour": "#ffffff", "soft": 0.9},
    },
}  # fmt: skip


def _look(name: str, effects: dict[str, dict[str, Any]]) -> SavedLook:
    finish = {effect: {"on": True, **values} for effect, values in effects.items()}
    return SavedLook.model_validate({"name": name, "holds": list(effects), "finish": finish})


SHIPPED = {f"own-{at}": _look(name, effects) for at, (name, effects) in enumerate(_LOOKS.items(), 1)}
"""By their keys."""
