"""Fonts that ship with Yaila, and those that somebody brings."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import skia
import uharfbuzz as hb

from yaila.core.errors import BadEdit, YailaError

FOLDER = Path(__file__).parent / "fonts"

FINE = 1000.0
"""Outlines of glyphs are taken at this size, in pixels, and scaled."""


class Family(NamedTuple):
    """The files of a family; none where it has no such face of its own."""

    regular: str
    bold: str | None = None
    italic: str | None = None


FAMILIES: dict[str, Family] = {
    "Noto Sans": Family("NotoSans-Regular.ttf", "NotoSans-Bold.ttf", "NotoSans-Italic.ttf"),
    "Noto Serif": Family("NotoSerif-Regular.ttf", "NotoSerif-Bold.ttf", "NotoSerif-Italic.ttf"),
    "EB Garamond": Family("EBGaramond12-Regular.otf", None, "EBGaramond12-Italic.otf"),
    "Lato": Family("Lato-Regular.ttf", "Lato-Bold.ttf", "Lato-Italic.ttf"),
    "Roboto Slab": Family("RobotoSlab-Regular.otf", "RobotoSlab-Bold.otf"),
    "Quicksand": Family("Quicksand-Medium.ttf", "Quicksand-Bold.ttf"),
    "Dosis": Family("Dosis-Medium.otf", "Dosis-Bold.otf"),
}
"""Families that ship with Yaila."""

SPARE = (
    Family("NotoSans-Regular.ttf", "NotoSans-Bold.ttf", "NotoSans-Italic.ttf"),
    Family("NotoNaskhArabic-Regular.ttf", "NotoNaskhArabic-Bold.ttf"),
    *(
        Family(f"NotoSans{script}-Regular.ttf", f"NotoSans{script}-Bold.ttf")
        for script in ("Hebrew", "Armenian", "Georgian", "Devanagari", "Bengali", "Tamil", "Thai", "Symbols")
    ),
    Family("NotoSansSymbols2-Regular.ttf"),
)
"""Where letters come from that a family does not have."""


@dataclass(frozen=True)
class Face:
    """One font, for shaping and for drawing. Lengths are in its em."""

    key: str
    name: str
    shaper: hb.Font
    drawer: skia.Font
    ascent: float
    descent: float
    """Below the line, positive."""

    def __hash__(self) -> int:
        return hash(self.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Face) and other.key == self.key

    def has(self, letter: str) -> bool:
        """Whether it has a glyph for a letter."""
        return self.shaper.get_nominal_glyph(ord(letter)) is not None

    @lru_cache(maxsize=8192)  # noqa: B019 - faces live as long as the program
    def outline(self, glyph: int) -> skia.Path:
        """The outline of a glyph, an em high, y down from the line; empty for a space."""
        with _drawing:
            path = self.drawer.getPath(glyph)
        small = skia.Path()
        if path is not None:
            path.transform(skia.Matrix.Scale(1 / FINE, 1 / FINE), small)
        return small


_drawing = threading.Lock()


def read_face(data: bytes, key: str) -> Face:
    """A face from the bytes of a TrueType or OpenType file.

    Raises:
        BadEdit: it is none.
    """
    kinds = (b"\x00\x01\x00\x00", b"OTTO", b"true", b"ttcf")
    if data[:4] not in kinds:
        raise BadEdit(f"“{key}” is no font that can be read: it must be a TrueType or OpenType file (.ttf, .otf).")
    typeface = skia.FontMgr.New_Custom_Empty().makeFromData(skia.Data.MakeWithCopy(data), 0)
    shaper = hb.Font(hb.Face(data))
    name = typeface.getFamilyName() if typeface else ""
    if not name or not shaper.face.glyph_count or not _whole(data):
        raise BadEdit(f"“{key}” begins like a font but cannot be read. It may be damaged: fetch it again.")
    style = (shaper.face.get_name(SUBFAMILY) or "").strip()
    if style and style.lower() not in ("regular", "normal", "book") and style.lower() not in name.lower():
        name = f"{name} {style}"
    upem = shaper.face.upem
    shaper.scale = (upem, upem)
    drawer = skia.Font(typeface, FINE)
    drawer.setHinting(skia.FontHinting.kNone)
    drawer.setSubpixel(True)
    drawer.setLinearMetrics(True)
    metrics = drawer.getMetrics()
    return Face(key, name, shaper, drawer, -metrics.fAscent / FINE, metrics.fDescent / FINE)


SUBFAMILY = 2
"""The name of a face within its family (OpenType, name table)."""


def _whole(data: bytes) -> bool:
    """Whether all tables that a font lists lie within the file (OpenType, table directory): a font that was cut in half
    opens, and draws nothing."""
    start = int.from_bytes(data[12:16], "big") if data[:4] == b"ttcf" else 0
    count = int.from_bytes(data[start + 4 : start + 6], "big")
    ends = []
    for k in range(count):
        entry = data[start + 12 + 16 * k : start + 28 + 16 * k]
        if len(entry) < 16:
            return False
        ends.append(int.from_bytes(entry[8:12], "big") + int.from_bytes(entry[12:16], "big"))
    return bool(ends) and max(ends) <= len(data)


@lru_cache(maxsize=64)
def shipped(file: str) -> Face:
    """A face that ships with Yaila."""
    return read_face((FOLDER / file).read_bytes(), file)


Brought = Callable[[str], bytes]
"""Gives the bytes of a font that somebody brought, by its SHA-256."""


@dataclass(frozen=True)
class Faces:
    """Finds faces by what a label asks for; ``brought`` gives the fonts that do not ship with Yaila."""

    brought: Brought | None = None

    def has(self, family: str) -> bool:
        """Whether there is such a font."""
        try:
            self.wanted(family, False, False)
        except YailaError:
            return False
        return True

    def wanted(self, family: str, bold: bool, italic: bool) -> Face:
        """The face of a family that comes nearest: the regular one where it has no other.

        ``family`` is a name of ``FAMILIES``, or the SHA-256 of a font that was brought.

        Raises:
            BadEdit: there is no such font.
        """
        if family in FAMILIES:
            return shipped(_file(FAMILIES[family], bold, italic))
        if self.brought is None:
            raise BadEdit(f"There is no family “{family}”. Choose one of {', '.join(FAMILIES)}, or bring a font.")
        return _brought(self.brought, family)

    def spare(self, bold: bool, italic: bool) -> list[Face]:
        """Faces for letters that the wanted one lacks."""
        return [shipped(_file(family, bold, italic)) for family in SPARE]


def _file(family: Family, bold: bool, italic: bool) -> str:
    return (bold and family.bold) or (italic and family.italic) or family.regular


_faces: dict[str, Face] = {}


def _brought(fetch: Brought, key: str) -> Face:
    if key not in _faces:
        _faces[key] = read_face(fetch(key), key)
    return _faces[key]
