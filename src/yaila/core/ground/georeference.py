"""Georeference: where a picture says itself that it lies, in a coordinate reference system that PROJ knows."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Any

import numpy as np
import pyproj
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator
from pyproj.exceptions import CRSError, ProjError

from yaila.core.errors import BadGeoreference
from yaila.core.quantities import NUMBER

Coefficient = Annotated[float, Field(allow_inf_nan=False)]

MERCATOR = "EPSG:3857"


class Georeference(BaseModel):
    """Pixels of a picture (from the outer corner of the first, y down) in a coordinate reference system.

    ``affine`` is [a, b, c, d, e, f]: x' = a x + b y + c, y' = d x + e y + f, x' being the system's easting or
    longitude. ``crs`` is a code such as EPSG:32633, or WKT.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    crs: Annotated[str, Field(min_length=1, max_length=20000)]
    affine: Annotated[tuple[Coefficient, ...], NUMBER, Field(min_length=6, max_length=6)]

    @field_validator("crs")
    @classmethod
    def _known(cls, crs: str) -> str:
        _to_mercator(crs)
        return crs

    @property
    def name(self) -> str:
        """What the coordinate reference system is called."""
        return str(pyproj.CRS.from_user_input(self.crs).name)

    def on_mercator(self, places: NDArray[Any]) -> NDArray[np.float64]:
        """Web Mercator metres of pixels (n, 2).

        Raises:
            BadGeoreference: some lie where the system or Web Mercator has no place for them.
        """
        a, b, c, d, e, f = self.affine
        x, y = places[:, 0], places[:, 1]
        try:
            east, north = _to_mercator(self.crs).transform(a * x + b * y + c, d * x + e * y + f, errcheck=True)
        except ProjError as error:
            raise BadGeoreference(
                f"The picture lies partly outside what {self.name} can say on a map: {error}. Cut it to its area."
            ) from error
        ground = np.column_stack([east, north])
        if not np.isfinite(ground).all() or np.abs(ground).max() > 2.1e7:
            raise BadGeoreference("The picture lies where Web Mercator ends, beyond 85° of latitude. Cut it first.")
        return ground


def _to_mercator(crs: str) -> pyproj.Transformer:
    known = _transformer(crs)
    if known is None:
        raise ValueError(f"“{crs[:60]}” is no coordinate reference system that is known.")
    return known


@lru_cache(maxsize=64)
def _transformer(crs: str) -> pyproj.Transformer | None:
    """To Web Mercator; none from what is no system: looking for a name through all there are takes 0.2 s."""
    try:
        return pyproj.Transformer.from_crs(pyproj.CRS.from_user_input(crs), MERCATOR, always_xy=True)
    except (CRSError, ProjError):
        return None
