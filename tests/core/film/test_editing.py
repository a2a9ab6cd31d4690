"""An editor who does anything in any order: whatever is accepted leaves a film that holds together."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any

import jsonpatch
import numpy as np
import pytest
from pydantic import TypeAdapter

from tests.drawing import draw_scene, scene_at
from yaila.core.camera import Pose
from yaila.core.errors import YailaError
from yaila.core.film import Film, Plate, choreograph
from yaila.core.film.acts import Act
from yaila.core.film.model import PictureRef
from yaila.core.soundings import Pieces, soundings_of
from yaila.core.time import Time

ACTS: TypeAdapter[Any] = TypeAdapter(Act)
PICTURE = {"sha256": "a" * 64, "width": 4000, "height": 3000}
LOOKS = ({"width": 9}, {"size": 40}, {"colour": "#aa3311"}, {"opacity": 0.5}, {"text": "?"})
RECIPES = ("step_across", "grand_descent", "island_hops", "route_follow", "table_top", "low_skim")


class Hand:
    """Makes up acts that fit a film, most of them sensible."""

    def __init__(self, film: Film, chance: np.random.Generator) -> None:
        self.film, self.chance = film, chance
        self.routes = [route.id for route in film.routes] or ["none"]
        self.marks = [mark.id for mark in (*film.routes, *film.timed)]

    def one(self, of: list[Any]) -> Any:
        return of[int(self.chance.integers(len(of)))]

    def real(self, low: float, high: float) -> float:
        return float(self.chance.uniform(low, high))

    def whole(self, low: int, high: int) -> int:
        return int(self.chance.integers(low, high + 1))

    def yes(self) -> bool:
        return bool(self.chance.random() < 0.5)

    def at(self) -> list[float]:
        return [self.real(-3000, 3000), self.real(-3000, 3000)]

    def vantage(self) -> str:
        return str(self.one([vantage.id for vantage in self.film.vantages]))

    def route(self) -> Any:
        return self.one(self.film.routes)

    def moment(self) -> dict[str, Any]:
        """Something to hang on."""
        kinds: list[Callable[[], dict[str, Any]]] = [
            lambda: {"on": "film", "seconds": self.real(0, 8)},
            lambda: {"on": "vantage", "vantage": self.vantage(), "edge": self.one(["arrives", "leaves"])},
            lambda: {"on": "passage", "vantage": self.vantage(), "share": self.real(0, 1)},
            lambda: {"on": "route", "route": self.one(self.routes), "point": self.one([None, 0, 1])},
            lambda: {"on": "mark", "mark": self.one(self.marks), "edge": self.one(["starts", "ends"])},
        ]
        return self.one(kinds)() | {"offset": self.whole(-10, 20)}

    def act(self) -> dict[str, Any]:
        film = self.film
        routes, marks = film.routes, self.marks
        timed = [mark.id for mark in film.timed]
        flown: list[Callable[[], dict[str, Any]]] = [
            lambda: {"act": "add_vantage", "at": self.at(), "width": self.real(50, 4000), "height": 300.0},
            lambda: {"act": "vantage_at_frame", "frame": self.whole(0, 300)},
            lambda: {"act": "duplicate_vantage", "vantage": self.vantage()},
            lambda: {"act": "remove_vantages", "vantages": [self.vantage()]},
            lambda: {"act": "reorder_vantage", "vantage": self.vantage(), "to": self.whole(0, 4)},
            lambda: {"act": "move_vantages", "vantages": [self.vantage()], "by": self.at(), "factor": 1.5},
            lambda: {
                "act": "pull_vantage", "vantage": self.vantage(), "to": self.at(),
                "grip": self.one(["target", "size", "heading", "standing"]),
            },
            lambda: {
                "act": "move_camera", "vantage": self.vantage(), "part": self.one(["camera", "target", "both"]),
                "axes": self.one(["world", "camera"]), "by": [*self.at(), self.real(-500, 500)],
            },
            lambda: {"act": "level_vantage", "vantage": self.vantage()},
            lambda: {"act": "retime", "vantage": self.vantage(), "hold": self.whole(0, 60), "ripple": self.yes()},
            lambda: {"act": "retime", "vantage": self.vantage(), "passage": self.whole(1, 90), "ripple": self.yes()},
            lambda: {"act": "stretch_time", "factor": self.real(0.5, 2)},
            lambda: {"act": "draw_speed", "vantage": self.vantage()},
            lambda: {
                "act": "build_recipe", "recipe": {"kind": self.one(list(RECIPES))}, "instead": self.yes(),
                "places": [{"x": self.at()[0], "y": self.at()[1], "size": 300} for k in range(self.whole(1, 3))],
            },
        ]  # fmt: skip
        placed: list[Callable[[], dict[str, Any]]] = [
            lambda: {
                "act": "add_route", "frame": self.whole(0, 100),
                "route": {
                    "points": [dict(zip("xy", self.at(), strict=True)) for _ in range(self.whole(2, 5))],
                    "draws": {"pace": self.one(["whole", "screen", "legs", "camera"])},
                },
            },
            lambda: {
                "act": "add_marker", "frame": self.whole(0, 100), "reach": 300.0,
                "marker": {"x": self.at()[0], "y": self.at()[1], "starts": self.moment()},
            },
            lambda: {
                "act": "add_label", "frame": self.whole(0, 100), "reach": 300.0,
                "label": {"text": "Ærø", "x": self.at()[0], "y": self.at()[1], "ends": self.moment()},
            },
            lambda: {
                "act": "add_region",
                "region": {"rings": [[self.at() for _ in range(4)]], "starts": self.moment()},
            },
            lambda: {"act": "restack_plate", "plate": film.plates[0].id, "to": self.whole(0, 2)},
            lambda: {"act": "move_plate", "plate": film.plates[0].id, "by": self.at(), "degrees": self.real(-20, 20)},
            lambda: {"act": "uncover", "of": self.one([film.plates[0].id, *timed]),
                     "how": self.one([None, "circle", "wipe", "route"])},
        ]  # fmt: skip
        drawn: list[Callable[[], dict[str, Any]]] = [
            lambda: {"act": "remove_marks", "marks": [self.route().id]},
            lambda: {"act": "reverse_route", "route": self.route().id},
            lambda: {"act": "shortest_way", "route": self.route().id},
            lambda: {"act": "join_routes", "route": self.route().id, "other": self.route().id},
            lambda: {"act": "split_route", "route": self.route().id, "point": self.whole(0, 4)},
            lambda: {"act": "offset_route", "route": self.route().id, "by": self.real(-200, 200)},
            lambda: {"act": "route_handles", "route": self.route().id, "point": self.whole(0, 3), "on": self.yes()},
            lambda: {"act": "split_leg", "route": self.route().id, "at": self.at(), "stop": self.one([None, "Halt"])},
        ]
        marked: list[Callable[[], dict[str, Any]]] = [
            lambda: {"act": "remove_marks", "marks": [self.one(marks)]},
            lambda: {"act": "duplicate_mark", "mark": self.one(marks), "by": self.at()},
            lambda: {"act": "restack_mark", "mark": self.one(marks), "to": self.whole(0, 3)},
            lambda: {"act": "move_mark", "mark": self.one(marks), "edge": self.one(["starts", "ends", "both"]),
                     "by": self.whole(-40, 40)},
            lambda: {"act": "shift_marks", "marks": [self.one(marks)], "by": self.at()},
            lambda: {"act": "set_look", "marks": [self.one(marks)], "look": self.one(list(LOOKS))},
            lambda: {"act": "reset_look", "mark": self.one(marks)},
            lambda: {"act": "make_style", "mark": self.one(marks), "name": "Style"},
            lambda: {"act": "copy_look", "mark": self.one(marks), "to": [self.one(marks)]},
            lambda: {"act": "use_style", "marks": [self.one(marks)], "style": self.one(self.styles() or [None])},
            lambda: {"act": "remove_style", "style": self.one(self.styles() or ["none"])},
            lambda: {
                "act": "set_value", "of": self.one(marks), "field": "look/opacity", "frame": self.whole(0, 200),
                "value": self.real(0, 1), "change": True,
            },
            lambda: {"act": "keep_value", "of": self.one(marks), "field": "look/opacity", "frame": self.whole(0, 200)},
        ]  # fmt: skip
        if not film.vantages:
            return flown[0]()
        return self.one(self.one([flown] + [placed] * bool(marks) + [drawn] * bool(routes) + [marked] * bool(marks)))()

    def styles(self) -> list[str]:
        return [style.id for style in self.film.styles]


def first_film(ground: str) -> Film:
    plate = Plate(id="p", name="Sea", picture=PictureRef(**PICTURE), placement={"kind": "similarity", "scale": 1})
    film = Film(plates=[plate], ground={"kind": ground})
    for at in ([0, 0], [1500, 600], [-900, 200]):
        film = ACTS.validate_python({"act": "add_vantage", "at": at, "width": 900, "height": 500}).apply(film)
    points = [{"x": 0, "y": 0, "stop": "Here"}, {"x": 700, "y": 500, "stop": "There"}, {"x": 1500, "y": 600}]
    return ACTS.validate_python({"act": "add_route", "route": {"points": points}, "frame": 5}).apply(film)


def holds_together(film: Film) -> None:
    """What every film promises, however it came about."""
    document = film.model_dump(mode="json")
    assert Film.model_validate(json.loads(json.dumps(document))).model_dump(mode="json") == document
    found = choreograph(film)
    assert all(start.frame >= 0 for start in found.timeline.reveals.values())
    assert set(found.timeline.runs) == {route.id for route in film.routes}
    assert set(found.timeline.ranges) == {mark.id for mark in film.timed}
    for frame in (0, found.frames // 2, found.frames - 1) if found.frames else ():
        pose = found.pose(Time(frame))
        assert isinstance(pose, Pose)
        assert all(map(math.isfinite, (pose.x, pose.y, pose.span, pose.tilt, pose.heading, pose.roll)))
        assert pose.span > 0
        scene = scene_at(film, found, frame)
        assert draw_scene(np.zeros((90, 160, 3), np.uint8), scene, pose, film).shape == (90, 160, 3)


def done_to(film: Film, wanted: dict[str, Any]) -> Film | None:
    """The film after an act; none if it was refused, in a sentence."""
    try:
        after: Film = ACTS.validate_python(wanted).apply(film)
        choreograph(after)
    except YailaError as refused:
        says = str(refused)
    else:
        return after
    assert says.endswith("."), says
    return None


@pytest.mark.parametrize("seed", [*range(6), *(pytest.param(k, marks=pytest.mark.thorough) for k in range(6, 14))])
def test_any_acts_in_any_order_leave_a_film_that_holds_together_and_can_be_taken_back(seed: int) -> None:
    chance = np.random.default_rng(seed)
    film, done = first_film(("plain", "mercator")[seed % 2]), 0
    pieces = Pieces()
    for number in range(25):
        wanted = Hand(film, chance).act()
        before = film.model_dump(mode="json")
        after = done_to(film, wanted)
        assert film.model_dump(mode="json") == before, f"{wanted} changed the film it was given"
        if after is None:
            continue
        document = after.model_dump(mode="json")
        there, back = jsonpatch.make_patch(before, document), jsonpatch.make_patch(document, before)
        assert jsonpatch.apply_patch(before, there) == document
        assert jsonpatch.apply_patch(document, back) == before
        holds_together(after)
        film, done = after, done + 1
        if number % 8 == seed % 8:
            # What is kept from one edit to the next never tells of another film.
            assert soundings_of(film, pieces) == soundings_of(film)
    assert done > 16
