"""The flat coordinate surface that all things are placed on, and how things are placed."""

from yaila.core.ground.mercator import GroundBox, lonlat_of, mercator_of, tile_box, tile_of, units_per_pixel
from yaila.core.ground.placement import Affine, Homography, Placement, Point, Similarity
from yaila.core.ground.tiles import TileBlock

__all__ = [
    "Affine",
    "GroundBox",
    "Homography",
    "Placement",
    "Point",
    "Similarity",
    "TileBlock",
    "lonlat_of",
    "mercator_of",
    "tile_box",
    "tile_of",
    "units_per_pixel",
]
