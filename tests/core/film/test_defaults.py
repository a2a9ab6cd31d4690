"""What acts decide for a person who has said no more than a place, a colour or a route."""

from __future__ import annotations

import pytest

from yaila.core.errors import BadEdit
from yaila.core.film import Film, acts
from yaila.core.film.acts import FlownPose


def film(tilt: float = 0.0) -> Film:
    plate = {
        "id": "p", "name": "Ground", "picture": {"sha256": "a" * 64, "width": 600, "height": 400},
        "placement": {"kind": "similarity", "x": 300, "y": 200},
    }  # fmt: skip
    points = [{"x": 0, "y": 0}, {"x": 100, "y": 50}]
    return Film.model_validate(
        {"plates": [plate], "routes": [{"id": "r", "points": points}],
         "vantages": [{"id": "a", "span": 500}, {"id": "b", "span": 300, "tilt": tilt}, {"id": "c", "span": 200}]}
    )  # fmt: skip


@pytest.mark.parametrize(("tilt", "heading"), [(0, "kept"), (40, "along")])
def test_a_tilted_camera_looks_along_the_route_that_it_follows(tilt: float, heading: str) -> None:
    followed = acts.FollowRoute(vantage="a", route="r").apply(film(tilt))
    assert followed.vantages[0].passage.manner.model_dump(include={"kind", "route", "heading"}) == {
        "kind": "follow", "route": "r", "heading": heading,
    }  # fmt: skip
    # A route that is drawn for it is laid and followed in one edit.
    route = followed.routes[0].model_copy(update={"id": "s"})
    drawn = acts.AddRoute(route=route, follower="b").apply(film(tilt))
    assert (drawn.vantages[1].passage.manner.route, drawn.vantages[1].passage.manner.heading) == ("s", heading)
    with pytest.raises(BadEdit, match="no longer"):
        acts.FollowRoute(vantage="a", route="gone").apply(film())


def test_colours_picked_leave_a_plate_the_newest_of_them_if_there_are_many() -> None:
    one = film()
    for grey in range(30):
        one = acts.PickColour(plate="p", colour=(grey, grey, grey)).apply(one)
    land = one.plates[0].land
    assert (land.by, land.tolerance, land.softness) == ("colour", 6, 2)
    assert land.samples[0] == (6, 6, 6)
    assert land.samples[-1] == (29, 29, 29)
    assert len(acts.PickColour(plate="p", colour=(29, 29, 29)).apply(one).plates[0].land.samples) == 24


def test_a_region_that_is_drawn_lets_the_map_shine_through_and_an_imported_one_is_as_it_says() -> None:
    ring = [(0, 0), (100, 0), (0, 100)]
    drawn = acts.AddRegion.model_validate({"region": {"rings": [ring]}, "frame": 10}).apply(film()).regions[0]
    assert (drawn.look.filled, drawn.look.border, drawn.comes.how) == (0.35, 4, "fade")
    circle = {"circle": {"x": 0, "y": 0, "radius": 40}}
    assert acts.AddRegion.model_validate({"region": circle, "frame": 10}).apply(film()).regions[0].comes.how == "grow"
    own = {"rings": [ring], "look": {"filled": 1}, "comes": {"how": "cut"}}
    kept = acts.AddRegion.model_validate({"region": own, "frame": 10}).apply(film()).regions[0]
    assert (kept.look.filled, kept.comes.how) == (1, "cut")


def test_a_beat_lies_on_its_frame_once_and_a_flown_heading_is_counted_anew() -> None:
    tapped = acts.TapBeat(frame=50).apply(acts.TapBeat(frame=25).apply(acts.TapBeat(frame=50).apply(film())))
    assert tapped.beats == (1.0, 2.0)
    pose = FlownPose(x=1, y=2, span=3, heading=725)
    assert acts.FlyVantage(vantage="b", pose=pose).apply(film()).vantages[1].heading == pytest.approx(5)
