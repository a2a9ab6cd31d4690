"""Cut: no move at all; the next frame stands at the next vantage."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.manners.manner import Manner, Move
from yaila.core.camera.track import Track


class Cut(Manner):
    """Straight to the next vantage, in no time."""

    kind: Literal["cut"] = "cut"

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        return Track.still(move.end, len(progress))
