"""The coordinate reference system that GeoTIFF keys spell out without a code (OGC 19-008r4, 7.5 and annex B)."""

from __future__ import annotations

from typing import Any

import pyproj
from pyproj.crs import ProjectedCRS
from pyproj.exceptions import CRSError

from yaila.core.errors import BadGeoreference

USER_DEFINED = 32767

Parameters = dict[str, tuple[str, ...]]

ORIGIN: Parameters = {"lon_0": ("ProjNatOriginLong", "ProjOriginLong", "ProjCenterLong", "ProjFalseOriginLong")}
ORIGIN |= {"lat_0": ("ProjNatOriginLat", "ProjOriginLat", "ProjCenterLat", "ProjFalseOriginLat")}
SHIFT: Parameters = {
    "x_0": ("ProjFalseEasting", "ProjFalseOriginEasting", "ProjCenterEasting"),
    "y_0": ("ProjFalseNorthing", "ProjFalseOriginNorthing", "ProjCenterNorthing"),
}
SCALE: Parameters = {"k_0": ("ProjScaleAtNatOrigin", "ProjScaleAtOrigin", "ProjScaleAtCenter")}
PARALLELS: Parameters = {"lat_1": ("ProjStdParallel1", "ProjStdParallel"), "lat_2": ("ProjStdParallel2",)}
POLE: Parameters = {
    "lon_0": ("ProjStraightVertPoleLong", "ProjNatOriginLong"),
    "lat_ts": ("ProjNatOriginLat", "ProjStdParallel1"),
}
PROJECTIONS: dict[int, tuple[str, Parameters]] = {
    1: ("tmerc", ORIGIN | SHIFT | SCALE),
    7: ("merc", ORIGIN | SHIFT | SCALE | {"lat_ts": ("ProjStdParallel1",)}),
    8: ("lcc", ORIGIN | SHIFT | PARALLELS),
    9: ("lcc", ORIGIN | SHIFT | SCALE | {"lat_1": ("ProjNatOriginLat", "ProjOriginLat")}),
    10: ("laea", ORIGIN | SHIFT),
    11: ("aea", ORIGIN | SHIFT | PARALLELS),
    12: ("aeqd", ORIGIN | SHIFT),
    13: ("eqdc", ORIGIN | SHIFT | PARALLELS),
    14: ("stere", ORIGIN | SHIFT | SCALE),
    15: ("stere", POLE | SHIFT | SCALE),
    16: ("sterea", ORIGIN | SHIFT | SCALE),
    17: ("eqc", ORIGIN | SHIFT | {"lat_ts": ("ProjStdParallel1",)}),
    18: ("cass", ORIGIN | SHIFT),
    21: ("ortho", ORIGIN | SHIFT),
    22: ("poly", ORIGIN | SHIFT | SCALE),
    23: ("robin", ORIGIN | SHIFT),
    24: ("sinu", ORIGIN | SHIFT),
}
"""PROJ's name of each coordinate transformation code of GeoTIFF, and which keys give its parameters."""

METRES = {9001: 1.0, 9002: 0.3048, 9003: 1200 / 3937, 9036: 1000.0}
"""Metres in the linear units that pictures are kept in (EPSG unit codes)."""

ELLIPSOIDS = {7030: "WGS84", 7019: "GRS80", 7022: "intl", 7008: "clrk66", 7004: "bessel", 7001: "airy", 7024: "krass"}
"""PROJ's names of EPSG's ellipsoids."""


def crs_of_keys(keys: dict[str, Any], name: str) -> str:
    """A code such as EPSG:32633, or WKT put together from the projection and its parameters.

    Args:
        keys: GeoTIFF keys by name.
        name: of the file, for errors.

    Raises:
        BadGeoreference: neither a code nor a projection that can be put together.
    """
    projected = int(keys.get("ProjectedCSTypeGeoKey", USER_DEFINED))
    geographic = int(keys.get("GeographicTypeGeoKey", USER_DEFINED))
    if projected != USER_DEFINED:
        return f"EPSG:{projected}"
    if "ProjCoordTransGeoKey" not in keys:
        if geographic != USER_DEFINED:
            return f"EPSG:{geographic}"
        raise BadGeoreference(
            f"“{name}” has a projection of its own making and does not say which. Save it in one with an EPSG code."
        )
    method = int(keys["ProjCoordTransGeoKey"])
    if method not in PROJECTIONS:
        raise BadGeoreference(
            f"“{name}” has a projection (GeoTIFF method {method}) that cannot be put together here. Save it in one "
            "with an EPSG code."
        )
    projection, parameters = PROJECTIONS[method]
    unit = _metres(keys, name)
    parts: dict[str, Any] = {"proj": projection, "no_defs": True, "type": "crs", "to_meter": unit}
    for parameter, candidates in parameters.items():
        value = next((keys[f"{key}GeoKey"] for key in candidates if f"{key}GeoKey" in keys), None)
        if value is not None:
            # False eastings come in the system's own unit; PROJ wants metres.
            parts[parameter] = float(value) * (unit if parameter in SHIFT else 1.0)
    if method == 15:
        # A scale at the pole means no parallel of true scale.
        parts["lat_0"] = 90.0 if parts.get("lat_ts", 90.0) > 0 else -90.0
        if parts.get("k_0", 1.0) != 1.0 or abs(parts.get("lat_ts", 90.0)) == 90.0:
            parts.pop("lat_ts", None)
    try:
        if geographic == USER_DEFINED:
            return str(pyproj.CRS.from_dict(parts | _figure(keys)).to_wkt())
        loose = pyproj.CRS.from_dict(parts)
        return str(
            ProjectedCRS(
                conversion=loose.coordinate_operation,
                geodetic_crs=pyproj.CRS.from_epsg(geographic),
                cartesian_cs=loose.coordinate_system,
            ).to_wkt()
        )
    except CRSError as error:
        raise BadGeoreference(
            f"“{name}” has a projection whose parameters make none: {error}. Save it in one with an EPSG code."
        ) from error


def _metres(keys: dict[str, Any], name: str) -> float:
    if "ProjLinearUnitSizeGeoKey" in keys:
        return float(keys["ProjLinearUnitSizeGeoKey"])
    code = int(keys.get("ProjLinearUnitsGeoKey", 9001))
    if code not in METRES:
        raise BadGeoreference(f"“{name}” is measured in a unit (code {code}) that is not known. Save it in metres.")
    return METRES[code]


def _figure(keys: dict[str, Any]) -> dict[str, Any]:
    """The figure of the earth, as PROJ's parameters; WGS 84 where none is given."""
    if "GeogSemiMajorAxisGeoKey" in keys:
        major = float(keys["GeogSemiMajorAxisGeoKey"])
        flattening = float(keys.get("GeogInvFlatteningGeoKey", 0))
        return {"a": major} | (
            {"rf": flattening} if flattening else {"b": float(keys.get("GeogSemiMinorAxisGeoKey", major))}
        )
    return {"ellps": ELLIPSOIDS.get(int(keys.get("GeogEllipsoidGeoKey", 7030)), "WGS84")}
