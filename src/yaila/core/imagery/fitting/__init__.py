"""Fitting: flat maps from point pairs, and finding them automatically."""

from yaila.core.imagery.fitting.finding import Found, NotFitted, find_fit
from yaila.core.imagery.fitting.maps import FLAT, LEAST, cross_validated, solve_map
from yaila.core.imagery.fitting.sampling import resampled

__all__ = ["FLAT", "LEAST", "Found", "NotFitted", "cross_validated", "find_fit", "resampled", "solve_map"]
