"""The difference of colours as the eye sees it: CIEDE2000 (CIE 142-2001), by scikit-image."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def ciede2000(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> NDArray[np.float64]:
    """CIEDE2000 of two arrays of 8-bit sRGB colours, (..., 3) each, white D65: an array of the shape (...).

    About 1 is the least that an eye sees side by side.
    """
    # Slow to import, and seldom needed.
    from skimage.color import deltaE_ciede2000, rgb2lab

    return np.asarray(
        deltaE_ciede2000(rgb2lab(one / 255), rgb2lab(other / 255)),
        np.float64,
    )
