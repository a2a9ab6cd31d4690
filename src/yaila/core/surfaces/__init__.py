"""Surfaces: textures that stick to the ground."""

from yaila.core.surfaces.kinds import GRAIN, KINDS, Material, SurfaceKind, TableKind, material
from yaila.core.surfaces.noise import SIDE
from yaila.core.surfaces.own import material_of

__all__ = ["GRAIN", "KINDS", "SIDE", "Material", "SurfaceKind", "TableKind", "material", "material_of"]
