"""Text set into glyphs: bidirectional order (Unicode UAX 9, by python-bidi), letters that a font lacks from others,
kerning, ligatures and joining by HarfBuzz. All lengths in the type size."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from itertools import groupby
from typing import Any, Literal

import uharfbuzz as hb
from bidi import algorithm

from yaila.core.type.faces import Face, Faces

Align = Literal["left", "middle", "right"]

LEADING = 1.18
"""From line to line, in type sizes (common practice, no source)."""


@dataclass(frozen=True)
class Glyph:
    """A glyph of a face at a place, y down from the first line; ``letter`` is the index in the text it stands for,
    ``word`` the word, counted from 0."""

    face: Face
    number: int
    x: float
    y: float
    advance: float
    letter: int
    word: int


@dataclass(frozen=True)
class SetText:
    """Text set: from x 0 to ``width``, y from ``-ascent`` above the first line to ``depth`` below it.

    ``missing`` are letters that no font has.
    """

    glyphs: tuple[Glyph, ...]
    width: float
    ascent: float
    depth: float
    letters: int
    words: int
    missing: str


def set_text(text: str, family: str, bold: bool, italic: bool, tracking: float, align: Align, faces: Faces) -> SetText:
    """Set a text, one line for each of its lines.

    Args:
        tracking: room between letters, in type sizes. With any, ligatures are not used, and scripts whose letters
            join are set without it.

    Raises:
        BadEdit: there is no such family.
    """
    wanted = faces.wanted(family, bold, italic)
    # Most texts need no other face, and reading them all takes a while.
    lacks = any(not (letter.isspace() or wanted.has(letter)) for letter in text)
    spare = [face for face in faces.spare(bold, italic) if face != wanted] if lacks else []
    missing: list[str] = []
    glyphs: list[list[Glyph]] = []
    widths: list[float] = []
    start = 0
    word = -1
    inside = False
    words = []
    for letter in text:
        if letter.isspace():
            inside = False
        elif not inside:
            inside, word = True, word + 1
        words.append(max(word, 0))
    for row, line in enumerate(text.split("\n")):
        made, width = _line(line, start, row * LEADING, wanted, spare, tracking, words, missing)
        glyphs.append(made)
        widths.append(width)
        start += len(line) + 1
    broad = max(widths, default=0.0)
    shift = {"left": 0.0, "middle": 0.5, "right": 1.0}[align]
    placed = [
        Glyph(g.face, g.number, g.x + (broad - width) * shift, g.y, g.advance, g.letter, g.word)
        for made, width in zip(glyphs, widths, strict=True)
        for g in made
    ]
    depth = wanted.descent + (len(widths) - 1) * LEADING
    return SetText(tuple(placed), broad, wanted.ascent, depth, len(text), word + 1, "".join(dict.fromkeys(missing)))


def _levels(line: str) -> list[int]:
    """The embedding level of each letter of a line."""
    storage: dict[str, Any] = algorithm.get_empty_storage()
    storage["base_level"] = base = algorithm.get_base_level(line)
    storage["base_dir"] = ("L", "R")[base]
    algorithm.get_embedding_levels(line, storage)
    count = len(storage["chars"])
    algorithm.explicit_embed_and_overrides(storage)
    if len(storage["chars"]) != count:
        # Explicit marks were taken out; such a line is set in its base direction.
        return [base] * len(line)
    algorithm.resolve_weak_types(storage)
    algorithm.resolve_neutral_types(storage, False)
    algorithm.resolve_implicit_levels(storage, False)
    return [char["level"] for char in storage["chars"]]


def _face_of(letter: str, before: Face, wanted: Face, spare: list[Face], missing: list[str]) -> Face:
    if letter.isspace() or unicodedata.category(letter) in ("Cf", "Cc"):
        return before
    if unicodedata.combining(letter) and before.has(letter):
        return before
    for face in (wanted, *spare):
        if face.has(letter):
            return face
    missing.append(letter)
    return wanted


def _line(
    line: str,
    start: int,
    y: float,
    wanted: Face,
    spare: list[Face],
    tracking: float,
    words: list[int],
    missing: list[str],
) -> tuple[list[Glyph], float]:
    if not line.strip():
        return [], 0.0
    levels = _levels(line)
    faces: list[Face] = []
    for letter in line:
        faces.append(_face_of(letter, faces[-1] if faces else wanted, wanted, spare, missing))
    runs = []
    for _, group in groupby(range(len(line)), key=lambda i: (levels[i], faces[i].key)):
        places = list(group)
        runs.append((levels[places[0]], places[0], places[-1] + 1))
    glyphs: list[Glyph] = []
    x = room = 0.0
    for level, first, end in _in_sight(runs):
        face = faces[first]
        for number, cluster, advance, dx, dy in _shaped(face, line[first:end], level % 2 == 1, tracking != 0):
            at = start + first + cluster
            glyphs.append(Glyph(face, number, x + dx, y - dy, advance, at, words[at]))
            if advance > 0:
                room = 0.0 if _joins(line[first + cluster]) else tracking
            x += advance + (room if advance > 0 else 0.0)
    return glyphs, max(x - room, 0.0)


def _in_sight(runs: list[tuple[int, int, int]]) -> list[tuple[int, int, int]]:
    """Runs from left to right: from the highest level down, stretches at it or above are turned round (UAX 9, L2)."""
    shown = list(runs)
    for level in range(max(run[0] for run in runs), 0, -1):
        turned: list[tuple[int, int, int]] = []
        for high, group in groupby(shown, key=lambda run: run[0] >= level):
            stretch = list(group)
            turned += reversed(stretch) if high else stretch
        shown = turned
    return shown


def _joins(letter: str) -> bool:
    return 0x0600 <= ord(letter) <= 0x08FF or ord(letter) >= 0xFB50


def _shaped(face: Face, text: str, backwards: bool, apart: bool) -> list[tuple[int, int, float, float, float]]:
    """Glyph, index in the text, advance and offset of each, from left to right."""
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    buffer.direction = "rtl" if backwards else "ltr"
    hb.shape(face.shaper, buffer, {"liga": not apart, "clig": not apart, "kern": True})
    em = face.shaper.face.upem
    return [
        (info.codepoint, info.cluster, place.x_advance / em, place.x_offset / em, place.y_offset / em)
        for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True)
    ]
