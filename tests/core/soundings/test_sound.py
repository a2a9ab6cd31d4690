"""Soundings of the sound, each with a remedy that mends it."""

from __future__ import annotations

from yaila.core.film import Film, Inset, Vantage
from yaila.core.film.acts import AddSound
from yaila.core.film.heard import Soundtrack, silent
from yaila.core.film.sounds import FileSound, Lane, Sound
from yaila.core.soundings import Finding, Heard, Listening, soundings_of
from yaila.formats.loudness import levelled

KINDS = ("lost sound", "cut off", "silence", "loudness", "pressed")


def film(**levels: object) -> Film:
    views = [Vantage(id=name, x=1000.0 * k, span=800, hold=2) for k, name in enumerate("abc")]
    for view in views:
        view.passage.duration = view.passage.duration.model_copy(update={"unit": "seconds", "value": 4.0})
    return Film(vantages=views, lanes=[Lane(id="l")], levels={"loudness": None} | levels)


def heard(track: Soundtrack) -> Heard:
    level = levelled(track, silent)
    return Heard(level.loudness.integrated, level.free_peak)


def findings(made: Film, there: bool = True) -> dict[str, Finding]:
    listening = Listening(lambda use: there, heard)
    return {one.kind: one for one in soundings_of(made, listening=listening) if one.kind in KINDS}


def mended(made: Film, found: Finding) -> Film:
    assert found.remedy
    assert found.remedy.act
    return found.remedy.act.done_to(made)


def sound(effect: str, starts: float, ends: float | None = None, **more: object) -> Sound:
    source = {"kind": "made", "effect": effect}
    when = {"starts": {"on": "film", "seconds": starts}}
    if ends is not None:
        when["ends"] = {"on": "film", "seconds": ends}
    return Sound.model_validate({"lane": "l", "source": source, **when, **more})


def test_a_sound_that_is_cut_off_is_let_go_softly() -> None:
    made = film()
    made.sounds = [sound("bell", 1.0, 2.0)]
    found = findings(made)["cut off"]
    assert (found.frame, found.mark) == (49, made.sounds[0].id)
    assert "cut off" not in findings(mended(made, found))
    # One that takes any length is not cut off, nor one that has been heard to its end.
    made.sounds = [sound("whoosh", 1.0, 1.5), sound("bell", 3.0)]
    assert "cut off" not in findings(made)
    # At the film's end too.
    made.sounds = [sound("bell", 13.0)]
    assert "cut off" in findings(made)


def test_a_gap_in_a_film_that_is_heard_is_filled() -> None:
    made = film()
    made.sounds = [sound("sea", 0.0, 6.0), sound("sea", 9.0, 14.0)]
    found = findings(made)["silence"]
    assert (found.first, found.last) == (150, 224)
    assert "silence" not in findings(mended(made, found))
    # A film with a sound here and there is meant so.
    made.sounds = [sound("pop", 1.0), sound("pop", 9.0)]
    assert "silence" not in findings(made)


def test_a_film_that_is_much_too_loud_or_quiet_is_levelled() -> None:
    made = film()
    made.sounds = [sound("sea", 0.0, 14.0, gain=-40.0)]
    found = findings(made)["loudness"]
    assert "very quiet" in found.text
    assert "loudness" not in findings(mended(made, found))


def test_peaks_that_stand_too_far_out_are_told_and_less_is_asked_for() -> None:
    made = film(loudness=-8.0)
    made.sounds = [sound("tick", 0.5 * k) for k in range(28)]
    found = findings(made)
    told = found.get("loudness") or found["pressed"]
    for _ in range(6):
        made = mended(made, told)
        found = findings(made)
        if not (told := found.get("loudness") or found.get("pressed")):
            break
    assert told is None


def test_a_file_that_is_gone_is_grave() -> None:
    made = AddSound(frame=0, file=FileSound(sha256="a" * 64, seconds=5)).done_to(film())
    assert findings(made, there=False)["lost sound"].grave
    assert "lost sound" not in findings(made)


def test_an_inset_whose_clip_is_gone_is_grave() -> None:
    made = film()
    clip = {"kind": "clip", "sha256": "a" * 64, "width": 64, "height": 36, "seconds": 2}
    made.insets = [
        Inset.model_validate({"id": "i", "name": "Quay", "shows": clip, "starts": {"on": "film", "seconds": 2}})
    ]
    found = [one for one in soundings_of(made, listening=Listening(lambda use: False, heard)) if one.kind == "picture"]
    assert [(one.mark, one.first, one.grave) for one in found] == [("i", 50, True)]
    assert "The clip of “Quay” is gone" in found[0].text
