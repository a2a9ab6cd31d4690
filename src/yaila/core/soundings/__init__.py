"""The automatic checks of a whole film, with time, place and remedy, and the imagery it asks for."""

from yaila.core.soundings.budget import Budget, budget_of
from yaila.core.soundings.capture import CapturePlan, PlannedPlate, plan_captures
from yaila.core.soundings.findings import Finding, soundings_of
from yaila.core.soundings.pieces import Pieces
from yaila.core.soundings.sound import Heard, Listening

__all__ = ["Budget", "CapturePlan", "Finding", "Heard", "Listening", "Pieces", "PlannedPlate", "budget_of",
           "plan_captures", "soundings_of"]  # fmt: skip
