"""A rectangle of tiles of a survey (OGC 17-083r4, WebMercatorQuad)."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from yaila.core.ground.mercator import GroundBox, tile_box
from yaila.core.quantities import Count


class TileBlock(BaseModel):
    """Tiles ``column``, ``row`` and on, ``columns`` x ``rows`` of them, at a zoom level."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    zoom: Count = Field(ge=0, le=30)
    column: Count = Field(ge=0)
    row: Count = Field(ge=0)
    columns: Count = Field(ge=1, le=4096)
    rows: Count = Field(ge=1, le=4096)

    @property
    def ground(self) -> GroundBox:
        """The ground it covers, Web Mercator metres."""
        first = tile_box(self.column, self.row, self.zoom)
        last = tile_box(self.column + self.columns - 1, self.row + self.rows - 1, self.zoom)
        return GroundBox(first.west, last.south, last.east, first.north)

    @property
    def names(self) -> list[tuple[int, int, int]]:
        """Zoom, column and row of each tile, row by row."""
        return [
            (self.zoom, self.column + column, self.row + row)
            for row in range(self.rows)
            for column in range(self.columns)
        ]
