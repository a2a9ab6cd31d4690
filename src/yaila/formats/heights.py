"""Heights as they come: GeoTIFFs of metres, grey pictures of any depth, and pictures whose colours code them."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import numpy as np
import tifffile
from numpy.typing import NDArray

from yaila.core.errors import BadPicture
from yaila.core.film.finish import MOST_HEIGHTS

Codes = Literal["metres", "grey", "packed"]

NO_HEIGHTS = "That picture holds no heights. Bring a GeoTIFF, or a PNG of 8 or 16 bits."


def kept_shape(height: int, width: int) -> tuple[int, int]:
    """How many heights are kept of a picture, rows and columns."""
    shrunk = max(max(height, width) / MOST_HEIGHTS, 1.0)
    return max(round(height / shrunk), 1), max(round(width / shrunk), 1)


def keep_values(layers: list[NDArray[np.float32]], target: Path) -> None:
    """Append values as they stand to a TIFF of colours that was made of them, as a second page: the first of the layers
    that has one counts."""
    made = layers[0].copy()
    for layer in layers[1:]:
        lacking = np.isnan(made)
        made[lacking] = layer[lacking]
    tifffile.imwrite(target, made, append=True, metadata=None)


def _kept_values(path: Path) -> NDArray[np.float32] | None:
    """The values that a picture was made of, if they were kept with it."""
    if path.suffix != ".tif":
        return None
    try:
        with tifffile.TiffFile(path) as file:
            if len(file.pages) < 2 or file.pages[1].dtype != np.float32:
                return None
            values = np.asarray(file.pages[1].asarray(), np.float32)
    except (tifffile.TiffFileError, OSError, ValueError) as error:
        raise BadPicture("The heights of that picture are damaged. Bring it again.") from error
    values[~np.isfinite(values)] = np.nan
    return values


LOOKED_AT = 512
"""Pixels along a side by which a picture is judged."""


def likely_codes(path: Path) -> Codes:
    """How a picture most likely holds heights: metres if they came with it or are no whole shades, grey if it has no
    colours, else coded in its colours.

    Raises:
        BadPicture: it cannot be read.
    """
    if _kept_values(path) is not None:
        return "metres"
    import rasterio
    from rasterio.errors import RasterioError

    try:
        with rasterio.open(path) as file:
            if file.count < 3:
                return "grey" if np.issubdtype(np.dtype(file.dtypes[0]), np.unsignedinteger) else "metres"
            shape = (min(file.height, LOOKED_AT), min(file.width, LOOKED_AT))
            red, green, blue = (file.read(k, out_shape=shape).astype(np.int64) for k in (1, 2, 3))
            return "grey" if (red == green).all() and (green == blue).all() else "packed"
    except RasterioError as error:
        raise BadPicture(NO_HEIGHTS) from error


def read_heights(path: Path, codes: Codes) -> NDArray[np.float32]:
    """Heights of a file, (rows, columns) float32, NaN where it has none: metres as they stand; the share of white,
    0..1, of grey ones; or tenths of a metre above -500 in red, green and blue together, as the practice survey has
    them.

    Raises:
        BadPicture: it cannot be read.
    """
    if codes == "metres" and (kept := _kept_values(path)) is not None:
        return kept
    # Few films have heights.
    import rasterio
    from rasterio.enums import Resampling
    from rasterio.errors import RasterioError

    try:
        with rasterio.open(path) as file:
            shape = kept_shape(file.height, file.width)
            # A mean of coded colours would be none of their heights.
            how = Resampling.nearest if codes == "packed" else Resampling.average
            if codes == "packed":
                if file.count < 3:
                    raise BadPicture("Heights coded in colours need red, green and blue. Take them as grey instead.")
                red, green, blue = (file.read(k, out_shape=shape, resampling=how).astype(np.float64) for k in (1, 2, 3))
                metres = np.asarray((red * 65536 + green * 256 + blue) / 10 - 500, np.float32)
                if file.count > 3:
                    # Tiles that a survey lacked are see-through.
                    metres[file.read(4, out_shape=shape, resampling=how) == 0] = np.nan
                return metres
            band = file.read(1, out_shape=shape, resampling=how, masked=True)
            values = np.asarray(np.ma.filled(band.astype(np.float32), np.nan), np.float32)
            values[~np.isfinite(values)] = np.nan
            if codes == "grey" and np.issubdtype(np.dtype(file.dtypes[0]), np.integer):
                values /= np.float32(np.iinfo(file.dtypes[0]).max)
            return values
    except RasterioError as error:
        raise BadPicture(NO_HEIGHTS) from error
