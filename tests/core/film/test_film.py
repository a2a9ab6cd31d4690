"""The document, the acts of an editor, and the time they come to."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.drawing import track_of
from yaila.core.errors import BadEdit
from yaila.core.film import Film, Plate, Vantage, acts, choreograph
from yaila.core.film.model import VERSION
from yaila.core.film.plan import plan_of
from yaila.core.ground import Homography, Point, Similarity
from yaila.core.ground.placement import through
from yaila.core.soundings import soundings_of

PICTURE = {"sha256": "0" * 64, "width": 2000, "height": 1000}


def film(*holds: float, rate: str = "25") -> Film:
    return Film(
        rate=rate,
        plates=[Plate(id="p", name="Plate", picture=PICTURE, placement=Similarity(x=1000, y=500))],
        vantages=[
            Vantage(
                id=f"v{k}",
                x=400 * k,
                y=100,
                span=500 / (k + 1),
                hold=hold,
                passage={"duration": {"unit": "seconds", "value": 2}},
            )
            for k, hold in enumerate(holds)
        ],
    )


def test_the_document_survives_json_and_names_its_version() -> None:
    once = film(1, 1)
    assert Film.model_validate(json.loads(once.model_dump_json())) == once
    assert Film.model_json_schema()["properties"]["version"]["const"] == VERSION
    assert Film.model_validate({"version": 1, "plates": []}).version == VERSION


@pytest.mark.parametrize(
    "wrong",
    [
        {"frame": {"width": 1921, "height": 1080}},
        {"rate": "0"},
        {"background": "blue"},
        {"vantages": [{"span": -1}]},
        {"vantages": [{"tilt": 91}]},
        {"vantages": [{"x": math.nan}]},
        {"vantages": [{"id": "a"}, {"id": "a"}]},
        {"colour": "red"},
        {
            "plates": [
                {
                    "name": "flat",
                    "picture": PICTURE,
                    "placement": {"kind": "affine", "coefficients": [1, 2, 0, 2, 4, 0]},
                }
            ]
        },
    ],
)
def test_what_makes_no_sense_is_refused(wrong: dict) -> None:
    with pytest.raises(ValidationError):
        Film.model_validate(wrong)


@pytest.mark.parametrize("rate", ["23.976", "24", "25", "29.97", "30", "50", "59.94", "60"])
def test_holds_and_passages_come_to_whole_frames_one_after_the_other(rate: str) -> None:
    plan = choreograph(film(1.5, 0.5, 1, rate=rate))
    fps = film(rate=rate).fps
    assert [leg.hold for leg in plan.legs] == [fps.frames(1.5), fps.frames(0.5), fps.frames(1)]
    assert [leg.passage for leg in plan.legs] == [fps.frames(2), fps.frames(2), 0]
    assert plan.frames == sum(leg.hold + leg.passage for leg in plan.legs)
    arrival = plan.legs[1].start
    assert track_of(plan).span[arrival] == 250
    assert track_of(plan).span[arrival - 1] != 250


def test_natural_time_grows_with_the_path_and_shrinks_with_the_pace() -> None:
    def takes(span: float, pace: float) -> int:
        vantages = [
            Vantage(span=1000, hold=0, passage={"duration": {"unit": "natural", "value": pace}}),
            Vantage(span=span, hold=0),
        ]
        return choreograph(Film(vantages=vantages)).legs[0].passage

    # A plain zoom in by 2^6 is 6 doublings: 6 s at one doubling a second, 3 s at two.
    assert takes(1000 / 64, 1) == 150
    assert takes(1000 / 64, 2) == 75


def test_a_film_without_vantages_has_no_frames_and_a_plan_all_the_same() -> None:
    plan = plan_of(Film())
    assert (plan.frames, plan.vantages, plan.curve_spans) == (0, [], [])


def test_plan_tells_sharpness_and_softness() -> None:
    plan = plan_of(film(1, 1))
    # One plate pixel is one unit: sharp down to the film's width in units.
    assert plan.plates[0].sharp_span == pytest.approx(1920)
    (soft,) = [finding for finding in soundings_of(film(1, 1)) if finding.kind == "soft"]
    assert (soft.first, soft.last) == (0, plan.frames - 1)
    assert plan.sharpest[0].plate == "p"
    assert plan.vantages[0].outline[0] == pytest.approx((-250, 100 + 250 * 9 / 16))


points = st.builds(Point, st.floats(-1e4, 1e4), st.floats(-1e4, 1e4))


@given(points, st.floats(0.1, 10), st.floats(-180, 180))
def test_the_pivot_keeps_its_pixel_when_a_plate_is_scaled_and_turned(
    about: Point, factor: float, degrees: float
) -> None:
    before = film(1).plates[0].placement
    after = acts.MovePlate(plate="p", factor=factor, degrees=degrees, about=about).apply(film(1)).plates[0].placement
    pixel = through(np.linalg.inv(before.matrix(2000, 1000)), np.array(about))
    assert through(after.matrix(2000, 1000), pixel) == pytest.approx(np.array(about), abs=1e-5)
    assert after.scale == pytest.approx(before.scale * factor)


@given(points, points, points)
def test_pulling_a_feature_brings_it_to_its_match(about: Point, start: Point, to: Point) -> None:
    reach, wanted = math.dist(about, start), math.dist(about, to)
    if reach < 1 or wanted < 1 or not 1e-3 < wanted / reach < 1e3:
        return
    pixel = through(np.linalg.inv(film(1).plates[0].placement.matrix(2000, 1000)), np.array(start))
    pulled = acts.PullPlate(plate="p", about=about, start=start, to=to).apply(film(1)).plates[0].placement
    assert through(pulled.matrix(2000, 1000), pixel) == pytest.approx(np.array(to), abs=1e-4)


def test_a_plate_laid_by_homography_is_dragged_and_turned_like_any_other() -> None:
    once = film(1)
    once.plates[0].placement = Homography(coefficients=(1, 0, 0, 0, -1, 100, 0, 1e-5, 1))
    places = np.array([[10.0, 20.0], [90.0, 80.0]])
    before = through(once.plates[0].matrix, places)
    about = Point(*before[0].tolist())
    act = acts.MovePlate(
        plate=once.plates[0].id, by=Point(5, -3), factor=2, degrees=90, about=Point(about.x + 5, about.y - 3)
    )
    after = through(act.apply(once).plates[0].matrix, places)
    assert after[0] == pytest.approx(before[0] + [5, -3])
    way = before[1] - before[0]
    assert after[1] - after[0] == pytest.approx([2 * way[1], -2 * way[0]])


def test_first_plate_sets_the_units_and_later_ones_go_where_the_chart_looks() -> None:
    once = acts.LayPlate(picture=PICTURE, name="Wide").apply(Film())
    assert once.plates[0].placement == Similarity(x=1000, y=500, scale=1)
    twice = acts.LayPlate(picture=PICTURE, name="Close", at=Point(300, 200), width=400).apply(once)
    assert twice.plates[1].placement == Similarity(x=300, y=200, scale=0.2)
    assert [plate.name for plate in acts.RestackPlate(plate=twice.plates[1].id, to=0).apply(twice).plates] == [
        "Close",
        "Wide",
    ]
    assert [plate.name for plate in acts.RemovePlate(plate=twice.plates[0].id).apply(twice).plates] == ["Close"]


def test_vantages_are_added_doubled_moved_and_taken_out() -> None:
    once = film(1, 1)
    added = acts.AddVantage(at=Point(10, 20), width=900, height=450, after="v0", id="new").apply(once)
    assert [v.id for v in added.vantages] == ["v0", "new", "v1"]
    # 450 units of height hold a 16:9 frame 800 wide.
    assert added.vantages[1].span == pytest.approx(800)
    assert [v.id for v in acts.ReorderVantage(vantage="new", to=2).apply(added).vantages] == ["v0", "v1", "new"]
    assert [v.id for v in acts.DuplicateVantage(vantage="v0", id="twin").apply(added).vantages][:2] == ["v0", "twin"]
    assert [v.id for v in acts.RemoveVantages(vantages=["v0"]).apply(added).vantages] == ["new", "v1"]
    with pytest.raises(BadEdit, match="no longer in the film"):
        acts.RemoveVantages(vantages=["gone"]).apply(once)


def test_retiming_moves_along_what_follows() -> None:
    before = choreograph(film(1, 1, 1))
    after = choreograph(acts.Retime(vantage="v0", hold=40, passage=60).apply(film(1, 1, 1)))
    assert after.legs[0].hold == 40
    assert after.legs[0].passage == 60
    assert after.legs[2].start - before.legs[2].start == 15 + 10


def test_a_vantage_at_a_frame_leaves_the_length_of_the_film_and_its_place() -> None:
    once = film(1, 1)
    split = acts.VantageAtFrame(frame=50, id="mid").apply(once)
    assert choreograph(split).frames == choreograph(once).frames
    assert split.vantages[1].span == pytest.approx(track_of(choreograph(once)).span[50])


def test_frames_are_dragged_on_the_chart() -> None:
    once = film(1)
    target = (
        acts.PullVantage(vantage="v0", grip="target", start=Point(5, 105), to=Point(25, 65)).apply(once).vantages[0]
    )
    assert (target.x, target.y) == (20, 60)
    wider = (
        acts.PullVantage(vantage="v0", grip="size", start=Point(250, 100), to=Point(375, 900)).apply(once).vantages[0]
    )
    assert wider.span == pytest.approx(750)
    turned = acts.PullVantage(vantage="v0", grip="heading", to=Point(70, 100)).apply(once).vantages[0]
    assert turned.heading == pytest.approx(90)
    standing = acts.PullVantage(
        vantage="v0", grip="standing", to=Point(0, 100 - once.vantages[0].pose.distance / 2)
    ).apply(once)
    assert standing.vantages[0].tilt == pytest.approx(30, abs=1e-3)
    assert standing.vantages[0].heading == pytest.approx(0, abs=1e-9)
    eye = standing.vantages[0].pose.eye()
    assert eye[:2] == pytest.approx((0, 100 - once.vantages[0].pose.distance / 2), abs=0.01)
