"""The automatic checks of a whole film, with time, place and remedy, and the imagery it asks for."""

from yaila.core.soundings.budget import Budget, Veils, budget_of
from yaila.core.soundings.capture import CapturePlan, PlannedPlate, plan_captures
from yaila.core.soundings.findings import Finding, soundings_of

__all__ = ["Budget", "CapturePlan", "Finding", "PlannedPlate", "Veils", "budget_of", "plan_captures", "soundings_of"]
