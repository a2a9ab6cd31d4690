"""What rides at the head of a route's line: small drawings of our own.

Each is a path of moves (M), lines (L), cubic curves (C) and closings (Z), as in SVG, and of circles (O: middle and
radius), filled by the even-odd rule. It lies in a square from -1 to 1. Those seen from above point to the right and are
turned along the way; upright ones stand on their feet and are only mirrored, so that nothing ever hangs upside down.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.quantities import (
    AidSha,
    Colour,
    Count,
    FrameLength,
    Frames,
    GroundLength,
    Height,
    MarkSize,
    Percent,
    Share,
)
from yaila.core.time import Changes, smoothstep

Drawing = Literal[
    "boat", "ferry", "plane", "helicopter", "car", "van", "train", "bicycle", "walker", "bird", "whale", "arrow",
    "dot", "ring", "picture",
]  # fmt: skip

PATHS: dict[str, str] = {
    "boat": "M-.9 -.3 C-.5 -.42 .3 -.42 .95 0 C.3 .42 -.5 .42 -.9 .3 Z M-.55 -.16 L-.05 -.16 L-.05 .16 L-.55 .16 Z",
    "ferry": "M-.95 -.4 L.5 -.4 C.8 -.3 .95 -.12 .95 0 C.95 .12 .8 .3 .5 .4 L-.95 .4 Z M-.8 -.22 L.25 -.22"
    " L.25 .22 L-.8 .22 Z M-.55 -.1 L-.3 -.1 L-.3 .1 L-.55 .1 Z",
    "plane": "M.95 0 C.9 -.1 .7 -.12 .4 -.12 L.05 -.85 L-.15 -.85 L0 -.12 L-.5 -.1 L-.72 -.38 L-.88 -.38 L-.78"
    " 0 L-.88 .38 L-.72 .38 L-.5 .1 L0 .12 L-.15 .85 L.05 .85 L.4 .12 C.7 .12 .9 .1 .95 0 Z",
    "helicopter": "M.55 0 C.55 -.3 .2 -.34 -.05 -.26 L-.85 -.07 L-.85 -.24 L-.97 -.24 L-.97 .24 L-.85 .24 L-.85 .07"
    " L-.05 .26 C.2 .34 .55 .3 .55 0 Z M-.4 -.74 L-.3 -.8 L.76 .64 L.66 .72 Z M.66 -.72 L.76 -.64 L-.3"
    " .8 L-.4 .74 Z",
    "car": "M-.85 -.36 C-.85 -.44 -.6 -.46 -.2 -.46 L.45 -.42 C.8 -.36 .9 -.2 .9 0 C.9 .2 .8 .36 .45 .42"
    " L-.2 .46 C-.6 .46 -.85 .44 -.85 .36 Z M.1 -.32 L.38 -.28 C.44 -.1 .44 .1 .38 .28 L.1 .32 Z M-.6"
    " -.28 L-.42 -.3 L-.42 .3 L-.6 .28 Z",
    "van": "M-.92 -.44 L.55 -.44 C.85 -.42 .92 -.3 .92 0 C.92 .3 .85 .42 .55 .44 L-.92 .44 Z M.4 -.32 L.62"
    " -.28 C.68 -.1 .68 .1 .62 .28 L.4 .32 Z",
    "train": "M-.97 -.26 L.55 -.26 C.85 -.24 .97 -.1 .97 0 C.97 .1 .85 .24 .55 .26 L-.97 .26 Z M-.36 -.26"
    " L-.28 -.26 L-.28 .26 L-.36 .26 Z M.22 -.26 L.3 -.26 L.3 .26 L.22 .26 Z",
    "bicycle": "O-.55 .4 .36 O-.55 .4 .25 O.55 .4 .36 O.55 .4 .25 M-.62 .4 L-.26 -.2 L-.34 -.36 L-.46 -.36 L-.46"
    " -.46 L-.1 -.46 L-.1 -.36 L-.22 -.36 L-.17 -.26 L.26 -.26 L.2 -.46 L.04 -.46 L.04 -.56 L.28 -.56"
    " L.62 .38 L.5 .43 L.32 -.06 L.06 .44 L-.05 .44 L-.22 -.06 L-.5 .46 Z",
    "walker": "O.06 -.76 .18 M-.1 -.5 L.14 -.5 L.28 -.22 L.5 -.1 L.44 .02 L.16 -.12 L.1 -.24 L.04 .08 L.28 .42"
    " L.34 .94 L.18 .94 L.1 .5 L-.14 .18 L-.2 .52 L-.42 .94 L-.58 .88 L-.38 .46 L-.26 -.16 L-.36 -.06"
    " L-.4 .14 L-.54 .12 L-.48 -.16 Z",
    "bird": "M.9 -.05 C.6 -.1 .45 -.2 .3 -.12 C.1 -.6 -.3 -.85 -.85 -.8 C-.5 -.6 -.3 -.3 -.25 0 C-.5 .05 -.75"
    " .2 -.95 .45 C-.5 .35 -.2 .35 .1 .28 C.4 .2 .6 .05 .9 -.05 Z",
    "whale": "M.92 -.05 C.8 -.4 .2 -.5 -.2 -.25 C-.5 -.05 -.7 -.1 -.8 -.4 C-.95 -.35 -1 -.2 -.97 -.05 C-.8 .05"
    " -.75 .1 -.6 .2 C-.2 .5 .5 .5 .78 .28 C.9 .18 .94 .08 .92 -.05 Z O.6 -.08 .06",
    "arrow": "M.95 0 L-.75 -.7 L-.35 0 L-.75 .7 Z",
    "dot": "O0 0 .7",
    "ring": "O0 0 .85 O0 0 .5",
}
"""The drawings."""

UPRIGHT = {"bicycle", "walker", "bird", "whale"}
"""Those that stand on their feet."""


class Traveller(BaseModel):
    """What rides at the head of a line: ``size`` in pixels of the frame, or ``ground`` units wide, as ``scales`` says;
    it faces the camera, or ``lies`` flat at its height. ``turning`` is the way over which its heading is averaged,
    percent of the frame's width; ``takes_off`` lets it grow at the start and shrink at the end, frames.

    ``height`` is how high it cruises, ground units, which it climbs to and comes down from over ``climb`` percent of
    each leg: ``above`` the ground, or the sea, whatever mountains there are; ``shadow`` is how dark its shadow on the
    ground is, which is softer the higher it is. ``trail`` is the length of a fading trail, percent of the frame's
    width. ``count`` of them go one behind the other, ``apart`` percent of the frame's width from each other.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    symbol: Drawing = "boat"
    picture: AidSha | None = None
    """The sign that is drawn if the symbol is a picture, by its SHA-256: what points ahead points to its right."""
    upright: bool = False
    """Whether a picture stands on its feet, and is mirrored only; else it is turned along the way."""
    colour: Changes[Colour] = "#ffffff"
    edge: Changes[FrameLength] = Field(2.0, ge=0, le=40)
    edge_colour: Changes[Colour] = "#14222a"
    lies: bool = Field(False, title="Lies on the ground")
    scales: Literal["frame", "ground"] = Field("frame", title="Size")
    size: Changes[MarkSize] = Field(46.0, ge=2, le=1000)
    ground: Changes[GroundLength] = Field(200.0, gt=0, ge=1e-3, le=1e8, title="Length on the ground")
    turning: Changes[Percent] = Field(3.0, ge=0.1, le=50, title="Turns within")
    takes_off: Frames = Field(8, ge=0, le=500, title="Grows within")
    height: Changes[Height] = Field(0.0, ge=0, le=1e7, title="Cruises at")
    above: Literal["ground", "sea"] = "ground"
    climb: Changes[Percent] = Field(25.0, ge=1, le=50, title="Climbs over")
    shadow: Changes[Share] = Field(0.0, ge=0, le=1)
    trail: Changes[Percent] = Field(0.0, ge=0, le=100)
    count: Count = Field(1, ge=1, le=30, title="How many")
    apart: Changes[Percent] = Field(5.0, ge=0.5, le=50)

    def height_at(self, way: NDArray[np.float64], ways: Sequence[float]) -> NDArray[np.float64]:
        """How high it is at lengths along a route (n,), whose legs begin and end at ``ways``: up, along and down on
        each, without a jerk at either end of the climb."""
        way = np.asarray(way, np.float64)
        if not self.height:
            return np.zeros_like(way)
        edges = np.asarray(ways, np.float64)
        leg = np.clip(np.searchsorted(edges, way, side="right") - 1, 0, len(edges) - 2)
        share = (way - edges[leg]) / np.maximum(edges[leg + 1] - edges[leg], 1e-12)
        return np.asarray(self.height * smoothstep(np.minimum(share, 1 - share) / (self.climb / 100)))
