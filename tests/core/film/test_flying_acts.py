"""Acts on vantages, time and routes, and whole choreographies from recipes."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.drawing import track_of
from tests.stopwatch import quickest
from yaila.core.camera.manners import Follow, Glide, Orbit, Rail, RailPoint, Steps
from yaila.core.errors import BadEdit
from yaila.core.film import Duration, Film, Passage, Route, RoutePoint, Vantage, acts, choreograph, recipes
from yaila.core.film.plan import plan_of
from yaila.core.time import Ease, SpeedPoint

PLACES = [
    recipes.Stopover(name=name, x=x, y=y, size=size)
    for name, x, y, size in (("One", 0, 0, 800), ("Two", 30000, 8000, 1200), ("Three", 52000, -20000, 600))
]
ROUTE = Route(id="r", points=[RoutePoint(x=0, y=0), RoutePoint(x=900, y=300), RoutePoint(x=2000, y=0)])


def film(*spans: float, frames: int = 50, hold: float = 1.0) -> Film:
    passage = Passage(duration=Duration(unit="frames", value=frames))
    return Film(
        vantages=[
            Vantage(id=f"v{k}", x=1000 * k, span=span, hold=hold, passage=passage.model_copy(deep=True))
            for k, span in enumerate(spans)
        ],
        routes=[ROUTE],
    )


def starts(film: Film) -> list[int]:
    return [leg.start for leg in choreograph(film).legs]


def test_with_ripple_what_follows_moves_along_without_it_keeps_its_time() -> None:
    before = film(1000, 500, 2000, 800)
    assert starts(before) == [0, 75, 150, 225]
    longer = acts.Retime(vantage="v0", passage=60).apply(before)
    assert starts(longer) == [0, 85, 160, 235]
    alone = acts.Retime(vantage="v0", passage=60, ripple=False).apply(before)
    assert starts(alone) == [0, 85, 150, 225]
    assert choreograph(alone).legs[1].hold == 15
    # More than the rest can give is taken from the passage behind it.
    far = acts.Retime(vantage="v0", passage=90, ripple=False).apply(before)
    assert starts(far) == [0, 115, 150, 225]
    assert [choreograph(far).legs[1].hold, choreograph(far).legs[1].passage] == [0, 35]
    assert starts(acts.Retime(vantage="v0", passage=900, ripple=False).apply(before)) == [0, 149, 150, 225]
    rest = acts.Retime(vantage="v1", hold=40, ripple=False).apply(before)
    assert starts(rest) == [0, 75, 150, 225]
    assert choreograph(rest).legs[1].passage == 35


def test_a_stretch_of_some_vantages_moves_the_beats_behind_it_along() -> None:
    before = film(1000, 500, 2000, 800).model_copy(update={"beats": (1.0, 4.0, 8.0)})
    after = acts.StretchTime(factor=2, first="v1", last="v2").apply(before)
    # v1 is reached after 3 s, v2 left after 7 s; the 4 s between become 8.
    assert [v.hold for v in after.vantages] == [1, 2, 2, 1]
    assert after.beats == (1.0, 5.0, 12.0)
    assert starts(after) == [0, 75, 225, 325]


def test_a_drawn_speed_runs_as_the_ease_did() -> None:
    before = film(1000, 500)
    drawn = acts.DrawSpeed(vantage="v0", points=13).apply(before)
    t = np.linspace(0, 1, 101)
    assert drawn.vantages[0].passage.ease.speed
    assert drawn.vantages[0].passage.ease.at(t) == pytest.approx(before.vantages[0].passage.ease.at(t), abs=0.012)


def test_beats_are_read_from_seconds_and_timecode_and_a_bad_line_is_named() -> None:
    read = acts.ImportBeats(text="time,label\n2.48, snare\n00:00:04:12\n# a note\n\n1.2\n").apply(film(1000))
    assert read.beats == (1.2, 2.48, 4.48)
    for text, says in (("1.0\nthen", "Line 2"), ("", "no time in it"), ("-4", "outside a film"), ("1\nnan", "Line 2")):
        with pytest.raises(BadEdit, match=says):
            acts.ImportBeats(text=text).apply(film(1000))


def test_copied_vantages_bring_their_routes_to_another_film_and_get_fresh_ids() -> None:
    source = film(1000, 500)
    source.vantages[0].passage.manner = Follow(route="r")
    clip = acts.Clip(vantages=source.vantages, routes=[ROUTE])
    there = acts.PasteVantages(clip=clip, ids=["a", "b"]).apply(Film())
    assert [v.id for v in there.vantages] == ["a", "b"]
    assert [route.id for route in there.routes] == ["r"]
    twice = acts.PasteVantages(clip=clip, after="a").apply(there)
    assert len({v.id for v in twice.vantages}) == 4
    assert len(twice.routes) == 1
    assert choreograph(twice).frames
    # Without its route a passage glides.
    bare = acts.PasteVantages(clip=acts.Clip(vantages=source.vantages)).apply(Film())
    assert bare.vantages[0].passage.manner == Glide()


def test_a_route_taken_away_leaves_its_passages_gliding_in_the_same_time() -> None:
    before = film(1000, 1000)
    before.vantages[0].passage.manner = Follow(route="r")
    after = acts.RemoveMarks(marks=["r"]).apply(before)
    assert after.vantages[0].passage.manner == Glide()
    assert starts(after) == starts(before)
    with pytest.raises(BadEdit, match="no longer in the film"):
        acts.RemoveMarks(marks=["r"]).apply(after)


def test_moving_the_camera_keeps_what_it_says_it_keeps() -> None:
    before = film(1000, 500)
    before.vantages[0].tilt, before.vantages[0].heading, before.vantages[0].roll = 50, 30, 15
    pose = before.vantages[0].pose
    up = acts.MoveCamera(vantage="v0", part="camera", by=(0, 0, 200)).apply(before).vantages[0].pose
    assert up.eye() == pytest.approx((pose.eye()[0], pose.eye()[1], pose.eye()[2] + 200))
    assert (up.x, up.y) == (pose.x, pose.y)
    target = acts.MoveCamera(vantage="v0", part="target", by=(100, 50, 0)).apply(before).vantages[0].pose
    assert target.eye() == pytest.approx(pose.eye())
    assert (target.x, target.y) == (100, 50)
    both = acts.MoveCamera(vantage="v0", part="both", by=(100, 0, 80)).apply(before).vantages[0].pose
    assert both.eye() == pytest.approx((pose.eye()[0] + 100, pose.eye()[1], pose.eye()[2] + 80))
    assert (both.tilt, both.heading) == pytest.approx((50, 30))
    # Along the camera's own axes a move to the right goes along the right of the frame, tilt or roll notwithstanding.
    right = acts.MoveCamera(vantage="v0", part="both", axes="camera", by=(100, 0, 0)).apply(before).vantages[0].pose
    assert np.subtract(right.eye(), pose.eye()) == pytest.approx(100 * pose.axes()[0])
    for by, says in (((0.0, 0.0, -5000.0), "below the ground"), ((0.0, 0.0, -pose.eye()[2] * 0.99), "too flat")):
        with pytest.raises(BadEdit, match=says):
            acts.MoveCamera(vantage="v0", part="camera", by=by).apply(before)


def test_rail_handles_turn_together_each_in_its_own_length() -> None:
    before = film(1000, 900)
    before.vantages[0].passage.manner = Rail(points=(RailPoint(x=300, y=500, z=700), RailPoint(x=700, y=400, z=900)))
    on = acts.RailHandles(vantage="v0", on=True).apply(before)
    first = on.vantages[0].passage.manner.points[0]
    eye = before.vantages[0].pose.eye()
    assert first.after == pytest.approx(np.subtract((700, 400, 900), eye) / 6)
    pulled = acts.PullRailHandle(vantage="v0", point=0, which="after", to=(500, 900)).apply(on)
    point = pulled.vantages[0].passage.manner.points[0]
    assert point.after == pytest.approx((200, 400, first.after[2]))
    assert np.linalg.norm(point.before) == pytest.approx(np.linalg.norm(first.before))
    assert np.linalg.norm(np.cross(point.before, point.after)) == pytest.approx(0, abs=1e-6)
    # From the side, up and down too.
    raised = acts.PullRailHandle(vantage="v0", point=0, which="after", to=(500, 900), up=first.z + 300).apply(pulled)
    higher = raised.vantages[0].passage.manner.points[0]
    assert higher.after == pytest.approx((200, 400, 300))
    assert np.dot(higher.before, higher.after) == pytest.approx(
        -np.linalg.norm(higher.before) * np.linalg.norm(higher.after)
    )
    assert acts.RailHandles(vantage="v0", on=False).apply(pulled) == before
    with pytest.raises(BadEdit, match="no handles"):
        acts.PullRailHandle(vantage="v0", point=0, which="after", to=(0, 0)).apply(before)
    with pytest.raises(BadEdit, match="no rail"):
        acts.RailHandles(vantage="v1", on=True).apply(before)


def test_a_levelled_vantage_has_the_height_and_tilt_of_the_one_before() -> None:
    before = film(1000, 90)
    before.vantages[0].tilt, before.vantages[1].focal = 70, 60
    after = acts.LevelVantage(vantage="v1").apply(before)
    assert after.vantages[1].pose.eye()[2] == pytest.approx(after.vantages[0].pose.eye()[2])
    assert after.vantages[1].tilt == 70


@pytest.mark.parametrize(
    "recipe",
    [
        recipes.StepAcross(), recipes.StepAcross(steps=2, rest=8, room=2), recipes.GrandDescent(tilt=55),
        recipes.IslandHops(height=160), recipes.RouteFollow(), recipes.RouteFollow(hold=0, tilt=0),
        recipes.TableTop(turn=-80), recipes.LowSkim(),
    ],
)  # fmt: skip
def test_every_recipe_goes_to_every_place_and_can_be_changed_on(recipe: recipes.Recipe) -> None:
    made = acts.BuildRecipe(recipe=recipe, places=PLACES).apply(Film())
    plan = choreograph(made)
    assert plan.frames / 25 < 60
    assert np.isfinite(track_of(plan).channels()).all()
    goals = PLACES[-1:] if recipe.kind == "grand_descent" else PLACES
    for place in goals:
        near = np.hypot(track_of(plan).x - place.x, track_of(plan).y - place.y) / track_of(plan).span
        assert near.min() < 0.02
    # It is an ordinary film: it can be built behind, and stretched.
    twice = acts.BuildRecipe(recipe=recipe, places=PLACES).apply(made)
    assert len(twice.vantages) == 2 * len(made.vantages)
    assert choreograph(acts.StretchTime(factor=0.8).apply(made)).frames == pytest.approx(plan.frames * 0.8, abs=6)


@pytest.mark.parametrize("kind", recipes.RECIPES)
def test_recipes_show_nothing_bare_where_the_imagery_reaches(kind: type) -> None:
    places = [recipes.Stopover(name=name, x=x, y=y, size=60) for name, x, y in (("A", 200, 300), ("B", 1750, 900))]
    ground = Film(plates=[{"name": "G", "picture": {"sha256": "0" * 64, "width": 2000, "height": 1200},
                           "placement": {"kind": "similarity", "x": 1000, "y": 600}}])  # fmt: skip
    made = acts.BuildRecipe(recipe=kind(), places=places).apply(ground)
    for vantage in made.vantages:
        seen = vantage.pose.ground_outline(made.frame.size)
        if vantage.tilt < 30:
            assert seen.min() >= -1e-6, (vantage.name, seen)
            assert (seen.max(axis=0) <= [2000 + 1e-6, 1200 + 1e-6]).all(), (vantage.name, seen)
        # What it was made for is in the frame.
        near = min(math.hypot(vantage.x - place.x, vantage.y - place.y) / vantage.span for place in places)
        assert near <= 0.5 or "Far above" in vantage.name or kind is recipes.RouteFollow


def test_an_orbit_to_the_same_heading_goes_all_the_way_round() -> None:
    views = [Vantage(span=500, heading=20, hold=0, passage=Passage(manner=Orbit(way=way, turns=turns)))
             for way, turns in (("clockwise", 0), ("counterclockwise", 0), ("clockwise", 2))]  # fmt: skip
    turns = [passage.turn for passage in plan_of(Film(vantages=[*views, Vantage(span=500, heading=20)])).passages]
    assert turns == pytest.approx([360, -360, 1080])
    # Films of before go on as they went.
    old = Film(vantages=[*views, Vantage(span=500, heading=20)]).model_dump(mode="json") | {"version": 6}
    now = Film.model_validate(old)
    assert [vantage.passage.manner for vantage in now.vantages[:3]] == [Glide(), Glide(), Orbit(turns=1)]


def test_a_new_point_of_a_rail_stands_aside_and_apart_from_what_it_looks_at() -> None:
    before = film(1000, 500)
    before.vantages[0].passage.manner = Rail()
    before.vantages[1].x = 4000
    one = acts.AddRailPoint(vantage="v0").apply(before)
    two = acts.AddRailPoint(vantage="v0").apply(one)
    (first,), points = one.vantages[0].passage.manner.points, two.vantages[0].passage.manner.points
    assert math.dist((first.x, first.y), (2000, 0)) > 300
    assert len(points) == 2
    assert math.dist(points[0].place, points[1].place) > 500


def test_a_recipe_without_enough_places_says_so() -> None:
    with pytest.raises(BadEdit, match="needs 2 places"):
        acts.BuildRecipe(recipe=recipes.IslandHops(), places=PLACES[:1]).apply(Film())


def test_documents_of_earlier_versions_keep_their_manners() -> None:
    old = film(1000, 500).model_dump(mode="json") | {"version": 2}
    old["vantages"][0]["passage"]["manner"] = "hop"
    old["vantages"][1]["passage"]["manner"] = "glide"
    assert [v.passage.manner.kind for v in Film.model_validate(old).vantages] == ["hop", "glide"]


def test_two_hundred_vantages_are_choreographed_anew_in_the_time_of_a_frame_or_two() -> None:
    long = film(*[500 + 40 * (k % 50) for k in range(200)])
    for k, vantage in enumerate(long.vantages):
        vantage.passage.manner = Steps() if k % 3 == 0 else Glide()
        vantage.passage.ease = Ease(speed=(SpeedPoint(0, 0), SpeedPoint(0.5, 1), SpeedPoint(1, 0))) if k % 5 else Ease()
    choreograph(long)

    def edited() -> None:
        long.vantages[100].span += 1
        choreograph(long)

    assert quickest(edited) < 0.12
