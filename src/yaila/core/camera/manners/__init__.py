"""The manners of passage, a module each."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from yaila.core.camera.manners.cut import Cut
from yaila.core.camera.manners.follow import Follow
from yaila.core.camera.manners.glide import Glide
from yaila.core.camera.manners.hop import Hop
from yaila.core.camera.manners.manner import Manner, Move
from yaila.core.camera.manners.orbit import Orbit
from yaila.core.camera.manners.rail import Rail, RailPoint
from yaila.core.camera.manners.skim import Skim
from yaila.core.camera.manners.steps import Steps

AnyManner = Annotated[Glide | Hop | Steps | Follow | Orbit | Skim | Rail | Cut, Field(discriminator="kind")]

__all__ = [
    "AnyManner", "Cut", "Follow", "Glide", "Hop", "Manner", "Move", "Orbit", "Rail", "RailPoint", "Skim", "Steps",
]  # fmt: skip
