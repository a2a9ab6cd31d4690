"""The soundings of pace: what is too fast, too short, strobes, misses a beat or jerks."""

from __future__ import annotations

import pytest

from yaila.core.camera.manners import Cut, Orbit, Steps
from yaila.core.film import Duration, Film, Marker, Passage, Vantage
from yaila.core.soundings import soundings_of
from yaila.core.soundings.findings import Finding
from yaila.core.time import Ease, FilmMoment, VantageMoment


def film(frames: float, first: dict, second: dict, **passage: object) -> Film:
    way = Passage(duration=Duration(unit="frames", value=frames), **passage)
    return Film(
        vantages=[
            Vantage(id="a", **{"hold": 1, "span": 1000} | first, passage=way),
            Vantage(id="b", **{"hold": 1, "span": 1000} | second),
        ]
    )


def kinds(film: Film) -> dict[str, Finding]:
    pace = {"fast", "strobe", "turn", "rest", "miss", "jump", "still"}
    return {finding.kind: finding for finding in soundings_of(film) if finding.kind in pace}


def test_too_fast_a_zoom_is_found_and_mended_by_the_time_it_asks_for() -> None:
    hasty = film(20, {}, {"span": 1000 / 2**12})
    found = kinds(hasty)["fast"]
    assert found.figure > 8
    assert found.remedy
    mended = found.remedy.act.apply(hasty)
    assert "fast" not in kinds(mended)
    assert "fast" not in kinds(film(200, {}, {"span": 1000 / 2**12}))


def test_a_pan_that_strobes_says_how_long_a_thing_takes_to_cross() -> None:
    # Three frame widths in 10 s: 3.3 s to cross, where 24 frames a second want 7.
    pan = film(250, {}, {"x": 3000}, ease=Ease(x1=0, y1=0, x2=1, y2=1))
    found = kinds(pan)["strobe"]
    assert found.figure == pytest.approx(0.3, rel=0.01)
    assert "3.3 s" in found.text
    assert "strobe" not in kinds(film(600, {}, {"x": 3000}, ease=Ease(x1=0, y1=0, x2=1, y2=1)))


def test_quick_turns_and_short_rests_and_rests_between_steps() -> None:
    assert kinds(film(25, {}, {"heading": 170}, manner=Orbit()))["turn"].figure > 100
    short = film(50, {}, {"span": 900})
    short.vantages.insert(1, Vantage(id="c", span=950, hold=0.2, passage=Passage()))
    assert kinds(short)["rest"].remedy.act.hold == 12
    assert "rest 11 instead of 20 frames" in kinds(film(25, {}, {"span": 300}, manner=Steps(rest=20)))["rest"].text
    assert "5 frames between steps" in kinds(film(60, {}, {"span": 300}, manner=Steps(rest=5)))["rest"].text
    assert "rest" not in kinds(film(90, {}, {"span": 300}, manner=Steps(rest=20)))


def test_an_arrival_just_beside_a_beat_is_a_near_miss() -> None:
    near = film(50, {}, {"span": 900}).model_copy(update={"beats": (3.08,)})
    assert "2 frames before a beat" in kinds(near)["miss"].text
    assert "miss" not in kinds(near.model_copy(update={"beats": (3.0,)}))
    assert "miss" not in kinds(near.model_copy(update={"beats": (3.4,)}))


def test_a_marker_that_comes_all_but_as_the_camera_arrives_is_one_too_unless_the_offset_is_meant() -> None:
    def with_marker(starts: object) -> Film:
        return film(50, {}, {"span": 900}).model_copy(
            update={"markers": [Marker(name="Ring", x=0, y=0, starts=starts)]}
        )

    assert "2 frames after Ring comes" in kinds(with_marker(FilmMoment(seconds=2.92)))["miss"].text
    assert "miss" not in kinds(with_marker(FilmMoment(seconds=2.0)))
    assert "miss" not in kinds(with_marker(VantageMoment(vantage="b")))
    assert "miss" not in kinds(with_marker(VantageMoment(vantage="b", offset=-2)))


def test_a_sudden_start_is_a_jump_unless_a_hard_ease_or_a_cut_asks_for_it() -> None:
    sudden = Ease(x1=0.2, y1=0.2, x2=0.2, y2=1)
    assert kinds(film(50, {}, {"x": 2000}, ease=sudden))["jump"].frame == 25
    assert "jump" not in kinds(film(50, {}, {"x": 2000}, ease=Ease(x1=0, y1=0, x2=0.2, y2=1)))
    assert "jump" not in kinds(film(50, {}, {"x": 2000}))
    assert kinds(film(50, {}, {"x": 90000, "span": 10}, manner=Cut())) == {}


def mended(film: Film, kind: str) -> Film:
    """The film after the remedy of a finding, which is then gone."""
    found = kinds(film)[kind]
    assert found.remedy
    after: Film = found.remedy.act.apply(film)
    assert kind not in kinds(after), kinds(after)[kind].text
    return after


EVEN = Ease(x1=0, y1=0, x2=1, y2=1)


def test_a_pace_is_brisk_fast_or_unreadable() -> None:
    def zoom(doublings: float) -> Film:
        return film(50, {}, {"span": 1000 / 2 ** (doublings * 2)}, ease=EVEN)

    assert "fast" not in kinds(zoom(2.5))
    for doublings, level in ((4, "Brisk"), (6, "Fast"), (9, "Unreadable")):
        assert kinds(zoom(doublings))["fast"].text.startswith(level)
        mended(zoom(doublings), "fast")
    # A second of speed in the middle of a move is no fault.
    assert "fast" not in kinds(film(20, {}, {"span": 1000 / 2**2.8}, ease=EVEN))


def test_a_pan_too_quick_to_see_is_found_unless_it_is_a_whip() -> None:
    long = film(125, {}, {"x": 6500}, ease=EVEN)
    assert "1.3 frame widths a second" in kinds(long)["fast"].text
    mended(long, "fast")
    assert "fast" not in kinds(film(15, {}, {"x": 1200}, ease=EVEN))


def test_a_stop_of_no_time_is_passed_through() -> None:
    stop = film(50, {}, {"span": 900})
    stop.vantages.insert(1, Vantage(id="c", x=400, span=950, hold=0, passage=Passage()))
    assert "goes on at once" in kinds(stop)["rest"].text
    assert mended(stop, "rest").vantages[1].flow


@pytest.mark.parametrize("turned", ["tilt", "roll"])
def test_whips_of_tilt_and_roll_are_turns_too(turned: str) -> None:
    quick = film(10, {}, {turned: 80})
    assert turned in kinds(quick)["turn"].text
    mended(quick, "turn")


def test_dead_time_is_found_and_what_happens_in_it_ends_it() -> None:
    still = film(50, {"hold": 90}, {"span": 900})
    assert "for 90 s" in kinds(still)["still"].text
    mended(still, "still")
    slow = film(4 * 60 * 25, {}, {"span": 500})
    mended(slow, "still")
    names = [Marker(name=f"Ring {k}", x=0, y=0, starts=FilmMoment(seconds=10 * k)) for k in range(1, 9)]
    assert "still" not in kinds(still.model_copy(update={"markers": names}))


def test_a_long_strobing_pan_is_let_hop_over() -> None:
    long = film(1000, {}, {"x": 20_000}, ease=EVEN)
    assert mended(long, "strobe").vantages[0].passage.manner.kind == "hop"
