"""Plates in store: pyramids of tiles, and the pages of them that drawing needs."""

from yaila.core.imagery.adjusted import AdjustedPyramid, Adjustments
from yaila.core.imagery.pages import PAGE, PageStore, Pyramid
from yaila.core.imagery.pyramid import PIXEL_LIMIT, PictureFacts, build_pyramid, open_pyramid, read_facts

__all__ = [
    "PAGE",
    "PIXEL_LIMIT",
    "AdjustedPyramid",
    "Adjustments",
    "PageStore",
    "PictureFacts",
    "Pyramid",
    "build_pyramid",
    "open_pyramid",
    "read_facts",
]
