"""Text is set as the standards of writing ask: kerning, accents, both directions, and what a font lacks is told.

Shaping is checked against the fonts' own tables, read by fontTools, and against examples of Unicode UAX 9.
"""

from __future__ import annotations

import numpy as np
import pytest
from fontTools.ttLib import TTFont

from yaila.core.errors import BadEdit
from yaila.core.type import FAMILIES, Faces, SetText, read_face, set_text
from yaila.core.type.faces import FOLDER

FACES = Faces()


def line(text: str, family: str = "Noto Sans", tracking: float = 0.0) -> SetText:
    return set_text(text, family, False, False, tracking, "left", FACES)


def order(text: str) -> str:
    """Letters from left to right."""
    made = line(text)
    return "".join(text[glyph.letter] for glyph in sorted(made.glyphs, key=lambda glyph: glyph.x))


def test_every_family_has_its_files_and_names_letters_of_many_scripts() -> None:
    assert len(FAMILIES) >= 6
    for name in FAMILIES:
        for text in ("Marrowick 24", "Šárka Łódź Ångström", "Μαρμαρένια Ακτή", "Северный маяк", "نمل", "נמל"):
            made = set_text(text, name, True, True, 0, "middle", FACES)
            assert made.missing == ""
            assert made.width > 0.4 * len(text.replace(" ", "")) * 0.5
    assert line("漢字 a").missing == "漢字"


@pytest.mark.parametrize("text", [
    "देवनागरी", "বাংলা", "தமிழ்", "ไทย", "ქართული", "Հայերեն", "עברית", "العربية", "→ ← ★ ☂ ⚓ ✈ ⛰ ✓ ♨ ⛪", "50 € · №7",
])  # fmt: skip
def test_names_in_many_scripts_have_their_letters_in_either_weight(text: str) -> None:
    for bold in (False, True):
        made = set_text(text, "Lato", bold, False, 0.0, "left", Faces())
        assert made.missing == ""
        assert made.glyphs
        assert all(glyph.number for glyph in made.glyphs)


def test_a_vowel_sign_that_is_written_after_its_letter_and_read_before_it_stands_before_it() -> None:
    # Devanagari i (U+093F) is typed after the consonant and drawn to its left (The Unicode Standard, 12.1).
    ka, ki = (set_text(text, "Noto Sans", False, False, 0.0, "left", Faces()).glyphs for text in ("क", "कि"))
    assert len(ki) == 2
    assert ki[1].number == ka[0].number
    assert ki[0].x < ki[1].x


def test_advances_are_those_of_the_font_and_pairs_are_kerned() -> None:
    font = TTFont(FOLDER / "Lato-Regular.ttf")
    widths, names, upem = font["hmtx"], font.getBestCmap(), font["head"].unitsPerEm
    alone = sum(widths[names[ord(letter)]][0] for letter in "AV") / upem
    assert sum(line(letter, "Lato").width for letter in "AV") == pytest.approx(alone, abs=1e-9)
    assert line("AV", "Lato").width < alone - 0.02
    assert line("HH", "Lato").width == pytest.approx(2 * line("H", "Lato").width, abs=0.01)


def test_letters_are_spaced_between_and_not_after() -> None:
    assert line("HHH", tracking=0.2).width == pytest.approx(line("HHH").width + 0.4)
    # Ligatures come apart, and letters that join are not pulled apart.
    assert len(line("fi", "Noto Serif").glyphs) == 1
    assert len(line("fi", "Noto Serif", 0.1).glyphs) == 2
    assert line("نمل", tracking=0.3).width == pytest.approx(line("نمل").width, abs=1e-6)


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("car", "car"),
        ("ABG 12", "ABG 12"),
        # UAX 9: numbers go on from left to right within what runs from right to left.
        ("שלום 12", "12 םולש"),
        ("car שלום", "car םולש"),
        ("(שלום)", "(םולש)"),
    ],
)
def test_both_directions(text: str, shown: str) -> None:
    mirrored = {"(": ")", ")": "("}
    found = order(text)
    assert found.replace(" ", "") in (
        shown.replace(" ", ""), "".join(mirrored.get(letter, letter) for letter in shown.replace(" ", "")),
    )  # fmt: skip


def test_brackets_are_mirrored_in_text_that_runs_from_right_to_left() -> None:
    made = line("(שלום)")
    left = min(made.glyphs, key=lambda glyph: glyph.x)
    assert left.number == left.face.shaper.get_nominal_glyph(ord("("))


def test_an_accent_stands_over_its_letter() -> None:
    apart, whole = line("e\u0301"), line("é")
    assert apart.width == pytest.approx(whole.width)
    bounds = [line(text).glyphs[0].face.outline(line(text).glyphs[0].number).getBounds() for text in ("e", "é")]
    assert bounds[1].top() < bounds[0].top() - 0.1


def test_lines_words_and_alignment() -> None:
    made = set_text("one\nlonger line", "Lato", False, False, 0, "right", FACES)
    first = [glyph for glyph in made.glyphs if glyph.letter < 3]
    assert first[-1].x + first[-1].advance == pytest.approx(made.width)
    assert made.words == 3
    assert [glyph.word for glyph in made.glyphs if glyph.letter in (0, 4, 11)] == [0, 1, 2]
    assert np.ptp([glyph.y for glyph in made.glyphs]) == pytest.approx(1.18)


@pytest.mark.parametrize(("data", "says"), [(b"%PDF-1.7 no font", "no font"), (b"OTTO" + bytes(60), "cannot be read")])
def test_what_is_no_font_is_refused(data: bytes, says: str) -> None:
    with pytest.raises(BadEdit, match=says):
        read_face(data, "Thing.otf")


@pytest.mark.parametrize("file", ["Lato-Regular.ttf", "Dosis-Bold.otf"])
@pytest.mark.parametrize("share", [0.1, 0.5, 0.97])
def test_a_font_that_was_cut_short_is_refused(file: str, share: float) -> None:
    data = (FOLDER / file).read_bytes()
    with pytest.raises(BadEdit, match="damaged"):
        read_face(data[: int(len(data) * share)], file)
    assert read_face(data, file).name


def test_faces_of_one_family_have_names_of_their_own() -> None:
    names = {
        read_face((FOLDER / f"Lato-{style}.ttf").read_bytes(), style).name for style in ("Regular", "Bold", "Italic")
    }
    assert len(names) == 3


def test_a_family_that_is_not_there_is_told() -> None:
    with pytest.raises(BadEdit, match="Choose one of"):
        line("a", "Nothing Sans")
