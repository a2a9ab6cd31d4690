"""Sounds in a film: where they are, what they hang on, and what becomes of them when other things change."""

from __future__ import annotations

import tracemalloc
from fractions import Fraction

import numpy as np
import pytest
from pydantic import ValidationError

from yaila.core.errors import BadEdit
from yaila.core.film import Film, Inset, Label, Marker, Route, RoutePoint, Vantage
from yaila.core.film.acts import (
    AddSound,
    BeatsOfSound,
    ChangeRate,
    DuplicateMark,
    DuplicateSound,
    FitSound,
    MoveSound,
    RemoveLane,
    RemoveMarks,
    RemoveSounds,
    RemoveVantages,
    Retime,
    SoundEverything,
    StretchTime,
)
from yaila.core.film.heard import Mix, Soundtrack, silent
from yaila.core.film.plan import plan_of
from yaila.core.film.sounds import FileSound, Lane, Sound
from yaila.core.sound import RATE
from yaila.core.time import Course, FilmMoment, MarkMoment, Stop, VantageMoment

CLICK = FileSound(sha256="c" * 64, seconds=2.0)


def film(rate: str = "25") -> Film:
    views = [Vantage(id=name, name=name, x=1000.0 * k, span=800, hold=1) for k, name in enumerate("abc")]
    for view in views:
        view.passage.duration = view.passage.duration.model_copy(update={"unit": "seconds", "value": 3.0})
    return Film(vantages=views, rate=rate, levels={"loudness": None})


def click(sha256: str) -> object:
    """A sound of two seconds that is silent but for its first sample."""
    samples = np.zeros((2 * RATE, 2), np.float32)
    samples[0] = 0.5
    return lambda first, count: samples[max(first, 0) : max(first + count, 0)]


def where(made: Film, key: str = "s") -> tuple[int, int]:
    found = Soundtrack(made).ranges[key]
    return found.start, found.end


@pytest.mark.parametrize("rate", ["24", "25", "30000/1001", "24000/1001", "60"])
def test_a_click_tied_to_an_arrival_is_at_its_sample_whatever_becomes_of_the_move(rate: str) -> None:
    made = AddSound(frame=0, file=CLICK, id="s").done_to(film(rate))
    made.sounds[0].starts = VantageMoment(vantage="b")
    for act in (
        Retime(vantage="a", passage=131),
        StretchTime(factor=1.37),
        Retime(vantage="a", hold=7),
        ChangeRate(rate="50"),
    ):
        made = act.done_to(made)
        arrives = next(one for one in plan_of(made).vantages if one.id == "b").start
        wanted = round(Fraction(arrives) * RATE / made.fps.value)
        heard = Mix(Soundtrack(made), click).read(0, Soundtrack(made).samples)  # type: ignore[arg-type]
        assert np.flatnonzero(heard[:, 0]).tolist() == [wanted]


def test_what_is_laid_near_an_event_hangs_on_it() -> None:
    made = AddSound(frame=26, effect="pop", id="s").done_to(film())
    assert made.sounds[0].starts == VantageMoment(vantage="a", edge="leaves")
    made = AddSound(frame=50, effect="pop", id="t").done_to(made)
    assert made.sounds[1].starts == FilmMoment(seconds=2.0)
    assert [lane.name for lane in made.lanes] == ["Details"]
    made = AddSound(frame=50, effect="sea", id="u").done_to(made)
    assert [lane.name for lane in made.lanes] == ["Details", "Ambience"]


def test_a_whoosh_is_as_long_as_its_passage_and_goes_along_with_it() -> None:
    made = SoundEverything(what="passage", effect="whoosh").done_to(film())
    assert [plan.end - plan.start for plan in plan_of(made).sounds] == [75.0, 75.0]
    made = Retime(vantage="a", passage=40).done_to(made)
    assert [(plan.start, plan.end) for plan in plan_of(made).sounds] == [(25.0, 65.0), (90.0, 165.0)]
    with pytest.raises(BadEdit, match="no whoosh yet"):
        SoundEverything(what="passage", effect="whoosh").done_to(made)
    made = FitSound(sound=made.sounds[0].id, vantage="b").done_to(made)
    assert plan_of(made).sounds[0].start == plan_of(made).sounds[1].start
    with pytest.raises(BadEdit, match="no passage"):
        FitSound(sound=made.sounds[0].id, vantage="c").done_to(made)


def test_everything_of_a_kind_is_given_its_sound() -> None:
    made = film()
    made.markers = [Marker(id="m", x=0, y=0), Marker(id="hidden", x=0, y=0, shown=False)]
    made.labels = [Label(id="n", name="Name", text="Name", x=0, y=0, comes={"how": "fade", "frames": 10})]
    made.routes = [
        Route(
            id="r",
            points=(RoutePoint(x=0, y=0, stop="One"), RoutePoint(x=10, y=0), RoutePoint(x=20, y=0, stop="Two")),
            draws={"shown": True},
        )
    ]
    for what, effect, count in (("pin", "pop", 1), ("name", "typing", 1), ("stop", "tick", 2), ("arrival", "low", 2)):
        before = len(made.sounds)
        made = SoundEverything(what=what, effect=effect).done_to(made)
        assert len(made.sounds) - before == count
    typing = next(sound for sound in made.sounds if sound.name.startswith("Typing"))
    assert typing.ends == MarkMoment(mark="n", offset=10)
    # What hung on a mark that is taken away stays where it was.
    laid = {plan.id: (plan.start, plan.end) for plan in plan_of(made).sounds}
    after = RemoveMarks(marks=["m", "n", "r"]).done_to(made)
    assert {plan.id: (plan.start, plan.end) for plan in plan_of(after).sounds} == laid
    after = RemoveVantages(vantages=["c"]).done_to(after)
    assert Film.model_validate(after.model_dump(mode="json")) == after


def test_the_start_of_a_file_takes_what_is_heard_with_it() -> None:
    made = AddSound(frame=60, file=FileSound(sha256="c" * 64, seconds=8.0), id="s", near=0).done_to(film())
    made = MoveSound(sound="s", edge="starts", by=10).done_to(made)
    assert (made.sounds[0].source.skip, where(made)[0]) == (0.4, 70 * RATE // 25)
    # Not before its own beginning, and not beyond its end.
    made = MoveSound(sound="s", edge="starts", by=-500).done_to(made)
    assert (made.sounds[0].source.skip, where(made)[0]) == (0.0, 60 * RATE // 25)
    made = MoveSound(sound="s", edge="ends", by=-100).done_to(made)
    assert where(made)[1] == 125 * RATE // 25
    moved = MoveSound(sound="s", by=5).done_to(made)
    assert where(moved) == (65 * RATE // 25, 130 * RATE // 25)
    with pytest.raises(BadEdit, match="end before it begins"):
        MoveSound(sound="s", edge="ends", by=-200).done_to(made)


def test_sounds_and_lanes_go_and_leave_a_film_that_holds() -> None:
    made = AddSound(frame=50, effect="pop", id="s").done_to(film())
    made = DuplicateSound(sound="s", frame=80, id="t").done_to(made)
    assert [plan.start for plan in plan_of(made).sounds] == [50.0, 80.0]
    made.lanes.append(Lane(id="music", name="Music", under=made.lanes[0].id))
    assert RemoveSounds(sounds=["s"]).done_to(made).sounds[0].id == "t"
    bare = RemoveLane(lane=made.lanes[0].id).done_to(made)
    assert bare.sounds == []
    assert [(lane.id, lane.under) for lane in bare.lanes] == [("music", None)]
    for act in (RemoveSounds(sounds=["x"]), RemoveLane(lane="x"), MoveSound(sound="x"), AddSound(frame=0)):
        with pytest.raises(BadEdit):
            act.done_to(made)


def test_a_lane_gives_way_while_another_is_heard() -> None:
    made = AddSound(frame=100, effect="horn", id="s", near=0).done_to(film())
    made.lanes.append(Lane(id="bed", under=made.lanes[0].id, gives=20))
    made.sounds.append(Sound(id="b", lane="bed", source=FileSound(sha256="d" * 64, seconds=60)))
    ones = lambda key: lambda first, count: np.ones((count, 2), np.float32) * 0.1  # noqa: E731
    made.sounds[0].gain = -60.0
    level = Mix(Soundtrack(made), ones).read(0, 8 * RATE)[:, 0]
    assert abs(20 * np.log10(level[RATE] / level[5 * RATE]) - 20) < 0.01


def test_a_gain_may_run_over_the_film() -> None:
    made = AddSound(frame=0, file=FileSound(sha256="d" * 64, seconds=60), id="s").done_to(film())
    stops = (Stop(id="x", at=FilmMoment(seconds=1), value=0.0), Stop(id="y", at=FilmMoment(seconds=3), value=-20.0))
    made.sounds[0].gain = Course[float](stops=stops)  # type: ignore[assignment]
    made = Film.model_validate(made.model_dump(mode="json"))
    ones = lambda key: lambda first, count: np.ones((count, 2), np.float32) * 0.1  # noqa: E731
    level = 20 * np.log10(Mix(Soundtrack(made), ones).read(0, 5 * RATE)[:, 0] / 0.1)
    assert np.allclose(level[[0, RATE, 2 * RATE, 3 * RATE, 4 * RATE]], [0, 0, -10, -20, -20], atol=0.02)
    # The key by which a measured loudness is kept knows of it.
    keys = {Soundtrack(made).key}
    keys.add(Soundtrack(StretchTime(factor=1.5).done_to(made)).key)
    assert len(keys) == 2


def test_beats_of_a_sound_count_where_it_is_heard() -> None:
    made = AddSound(frame=50, file=FileSound(sha256="d" * 64, seconds=60, skip=1.0), id="s", near=0).done_to(film())
    made = BeatsOfSound(sound="s", beats=[0.5, 1.5, 2.0, 59.0]).done_to(made)
    assert made.beats == (2.5, 3.0)
    with pytest.raises(BadEdit, match="No beat"):
        BeatsOfSound(sound="s", beats=[0.1]).done_to(made)


def test_a_day_of_film_is_placed_and_heard_at_any_moment_at_once() -> None:
    made = film("60")
    made.vantages[1].hold = 86_000
    made = AddSound(frame=0, effect="sea", id="s").done_to(made)
    made.sounds[0].loops = True
    track = Soundtrack(made)
    assert track.samples > 86_000 * RATE
    assert np.abs(Mix(track, silent).read(85_000 * RATE, 4800)).max() > 0.001


def test_what_makes_no_sense_is_refused_in_words() -> None:
    made = film()
    for lanes, sounds, told in (
        ([], [{"lane": "x"}], "names a lane"),
        ([{"id": "x", "under": "x"}], [], "cannot give way to itself"),
        ([{"id": "x", "under": "y"}], [], "names a lane"),
        ([{"id": "x"}, {"id": "x"}], [], "same id"),
        ([{"id": "x"}], [{"lane": "x", "gain": float("nan")}], "gain"),
        ([{"id": "x"}], [{"lane": "x", "source": {"kind": "made", "effect": "thunder"}}], "effect"),
    ):
        with pytest.raises(ValidationError, match=told):
            Film.model_validate(made.model_dump(mode="json") | {"lanes": lanes, "sounds": sounds})
    old = made.model_dump(mode="json") | {"version": 10}
    for name in ("lanes", "sounds", "levels"):
        old.pop(name)
    assert Film.model_validate(old).sounds == []


def test_hours_of_what_is_made_take_no_more_room_than_a_moment_of_it() -> None:
    made = film()
    made.vantages[1].hold = 7200
    made = AddSound(frame=0, effect="sea", id="s", near=0).done_to(made)
    made.sounds[0].ends = FilmMoment(seconds=7000)
    track = Soundtrack(made)
    tracemalloc.start()
    heard = Mix(track, silent).read(5000 * RATE, RATE)
    most = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert np.abs(heard).max() > 0.01
    assert most < 150 * 2**20


def test_a_whoosh_of_a_long_passage_is_one_whoosh() -> None:
    made = film()
    made.vantages[0].passage.duration = made.vantages[0].passage.duration.model_copy(update={"value": 50.0})
    made = SoundEverything(what="passage", effect="whoosh").done_to(made)
    level = np.abs(Mix(Soundtrack(made), silent).read(RATE, 50 * RATE)).max(axis=1).reshape(50, -1).max(axis=1)
    # It rises once, and falls once.
    peak = int(level.argmax())
    assert 22 <= peak <= 38
    assert (np.diff(level[: peak - 4 : 4]) > -0.01).all()
    assert (np.diff(level[peak + 4 :: 4]) < 0.01).all()


def clip_film(**shows: object) -> Film:
    """A film with a clip of four seconds at its second, and the clip's own sound."""
    clip = {"kind": "clip", "sha256": "c" * 64, "width": 64, "height": 36, "seconds": 4.0, **shows}
    made = film()
    made.insets = [Inset.model_validate({"id": "i", "shows": clip, "starts": {"on": "film", "seconds": 1.0}})]
    return AddSound(frame=0, file=FileSound(sha256="c" * 64, seconds=4.0), hangs="i", id="s").done_to(made)


def slope(sha256: str) -> object:
    """A sound whose level says how far into it one is: a tenth a second."""
    samples = np.repeat((np.arange(4 * RATE) / RATE / 10).astype(np.float32)[:, None], 2, axis=1)
    return lambda first, count: samples[max(first, 0) : max(first + count, 0)]


@pytest.mark.parametrize(
    ("shows", "at"),
    [
        # (moments of the film, s, and of the clip that is heard then; none where it is silent)
        ({}, [(1.5, 0.5), (4.5, 3.5), (5.5, None)]),
        ({"skip": 2.0}, [(1.5, 2.5), (2.5, 3.5), (3.5, None)]),
        ({"speed": 2.0}, [(1.5, 1.0), (2.5, 3.0), (3.5, None)]),
        ({"speed": 0.5}, [(2.0, 0.5), (7.0, 3.0)]),
        ({"skip": 3.0, "after": "again"}, [(1.5, 3.5), (2.5, 3.5), (6.2, 3.2)]),
        ({"waits": True}, [(1.2, None), (2.06, 0.5)]),
    ],
)
def test_the_sound_of_a_clip_goes_as_the_clip_does(shows: dict, at: list[tuple[float, float | None]]) -> None:
    made = clip_film(**shows)
    heard = Mix(Soundtrack(made), slope)  # type: ignore[arg-type]
    for moment, wanted in at:
        level = float(heard.read(round(moment * RATE), 1)[0, 0]) * 10
        assert level == pytest.approx(wanted or 0.0, abs=0.002)


def test_a_clip_that_is_taken_away_or_doubled_takes_its_sound_along() -> None:
    made = AddSound(frame=0, effect="pop", id="p").done_to(clip_film())
    made.sounds[1].starts = MarkMoment(mark="i")
    twice = DuplicateMark(mark="i", id="j").done_to(made)
    assert [sound.starts for sound in twice.sounds] == [
        MarkMoment(mark="i"),
        MarkMoment(mark="j"),
        MarkMoment(mark="i"),
    ]
    assert [sound.id for sound in RemoveMarks(marks=["i"]).done_to(made).sounds] == ["p"]
