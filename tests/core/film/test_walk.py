"""Every value of the document says what it is, and a film that is changed as a whole shows the same picture."""

from __future__ import annotations

import typing
from collections.abc import Iterator

import numpy as np
import pytest
from pydantic import BaseModel, ValidationError

from tests.truth import fine_texture
from yaila.core.camera import FrameSize
from yaila.core.errors import BadEdit
from yaila.core.film import Film, Route, choreograph
from yaila.core.film import acts as do
from yaila.core.film.marked import Circle, Label, Marker, Region, Reveal
from yaila.core.film.model import VERSION
from yaila.core.film.walk import found, parts_of, slots_of
from yaila.core.ground import Point
from yaila.core.ground.mercator import lonlat_of
from yaila.core.imagery import PageStore
from yaila.core.imagery.pages import PADDED, PAGE
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.quantities import Ref
from yaila.core.time import FilmMoment, Hung, MarkMoment, PassageMoment, RouteMoment, Time, VantageMoment

SIZE = FrameSize(480, 270)


def parts_of_schema(part: type[BaseModel], seen: set[type[BaseModel]]) -> Iterator[type[BaseModel]]:
    """All kinds of parts that a document can hold."""
    if part in seen:
        return
    seen.add(part)
    yield part

    def inside(annotation: object) -> Iterator[type[BaseModel]]:
        if isinstance(annotation, type) and issubclass(annotation, BaseModel):
            yield from parts_of_schema(annotation, seen)
        for inner in typing.get_args(annotation):
            yield from inside(inner)

    for field in part.model_fields.values():
        yield from inside(field.annotation)


def holds(annotation: object, kinds: tuple[type, ...]) -> bool:
    """Whether plain values of some kinds stand in a type."""
    return annotation in kinds or any(holds(inner, kinds) for inner in typing.get_args(annotation))


def test_every_number_and_every_name_of_the_schema_says_its_kind() -> None:
    silent, names = [], 0
    for part in parts_of_schema(Film, set()):
        slots = {slot.name: slot for slot in slots_of(part)}
        for name, field in part.model_fields.items():
            slot = slots.get(name)
            if holds(field.annotation, (int, float)) and (slot is None or slot.kind is None):
                silent.append(f"{part.__name__}.{name}")
            # Whatever is called as things are called that have an id is a name of one.
            called = name in (
                "route",
                "routes",
                "vantage",
                "mark",
                "style",
                "on",
                "other",
                "sha256",
                "picture",
                "family",
            )
            if called and holds(field.annotation, (str,)):
                names += 1
                if not (slot and isinstance(slot.kind, Ref)):
                    silent.append(f"{part.__name__}.{name}")
    # “on” of a moment says its kind, and is one of some words.
    assert [one for one in silent if not one.endswith("Moment.on")] == []
    assert names > 10


def full(**more: object) -> Film:
    """A plain film with marks of every kind, ties of every kind and a plate that is uncovered."""
    picture = {"sha256": "a" * 64, "width": 600, "height": 400}
    # Seconds that are whole frames both at 25 and when they take twice as long.
    return Film(
        frame={"width": 480, "height": 270},
        plates=[
            {
                "id": "p", "name": "Ground", "picture": picture,
                "placement": {"kind": "similarity", "x": 300, "y": 200},
                "reveal": {"how": "wipe", "starts": {"on": "film", "seconds": 0.4}, "frames": 8, "direction": 60},
            },
            {
                "id": "q", "name": "Bit", "picture": picture | {"width": 120, "height": 80},
                "placement": {"kind": "affine", "coefficients": [0.9, 0.1, 320, -0.1, -0.9, 260]},
                "feather": {"shape": "outline", "width": 20, "outline": [[5, 5], [110, 8], [60, 75]]},
                "fit": {"by": "ties", "ties": [{"x": 3, "y": 4, "to": [320, 250]},
                                               {"x": 9, "y": 9, "other": "p", "to": [330, 150]}]},
            },
        ],
        routes=[
            {
                "id": "r", "name": "Way",
                "points": [{"x": 120, "y": 120}, {"x": 220, "y": 260, "stop": "Quay", "wait": 0.4},
                           {"x": 380, "y": 150, "before": [-40, -10], "after": [40, 10]}, {"x": 480, "y": 240}],
                "draws": {"shown": True, "seconds": 2.4, "starts": {"on": "vantage", "vantage": "a", "edge": "leaves"}},
                "look": {"scales": "ground", "ground": 7, "edge": 0},
                "traveller": {"symbol": "dot", "size": 14, "height": 12},
            }
        ],
        regions=[
            Region(id="g", rings=((Point(60, 60), Point(160, 70), Point(110, 150)),), starts=FilmMoment(seconds=0.8)),
            Region(id="c", circle=Circle(x=430, y=110, radius=40), starts=FilmMoment(seconds=0.4),
                   look={"fill": "#c02020", "filled": 0.6}),
        ],
        markers=[
            Marker(id="m", x=250, y=240, starts=RouteMoment(route="r"), comes={"how": "cut"},
                   look={"scales": "ground", "ground": 24, "symbol": "square"}),
            Marker(id="n", x=300, y=90, starts=MarkMoment(mark="m", offset=3), ends=FilmMoment(seconds=3.2),
                   comes={"how": "cut"}, goes={"how": "cut"},
                   reveal=Reveal(how="circle", x=300, y=90, frames=6, starts=FilmMoment(seconds=1.6))),
        ],
        labels=[
            Label(id="b", text="Board", stands="board", x=200, y=170, tilt=0, turn=35, comes={"how": "cut"},
                  look={"scales": "ground", "ground": 30, "halo": 0}, widest=900),
            Label(id="w", text="Way", stands="route", route="r", along=0.3, comes={"how": "cut"},
                  starts=PassageMoment(vantage="a", share=0.5), look={"scales": "ground", "ground": 20, "halo": 0}),
            Label(id="t", text="High", x=350, y=210, height=60, comes={"how": "cut"}, starts=VantageMoment(vantage="b"),
                  look={"halo": 0}),
        ],
        insets=[
            {"id": "i", "shows": picture | {"kind": "picture"}, "x": 340, "y": 130, "stands": "board", "turn": 20,
             "comes": {"how": "cut"}, "starts": {"on": "film", "seconds": 0.4},
             "look": {"scales": "ground", "ground": 60, "edge": 0, "shadow": 0, "round": 0}},
        ],
        lanes=[{"id": "l"}, {"id": "k", "under": "l"}],
        sounds=[
            {"id": "s", "lane": "l", "source": {"kind": "made", "effect": "pop"},
             "starts": {"on": "mark", "mark": "m", "offset": 2}},
            {"id": "u", "lane": "k", "source": {"kind": "file", "sha256": "b" * 64, "seconds": 40},
             "ends": {"on": "vantage", "vantage": "b"}, "fade_out": 0.4},
        ],
        vantages=[
            {"id": "a", "x": 280, "y": 190, "span": 520, "heading": 10, "hold": 0.8,
             "passage": {"duration": {"unit": "seconds", "value": 2.4}, "manner": {
                 "kind": "rail", "points": [
                     {"x": 300, "y": 100, "z": 420, "before": [-30, 0, 20], "after": [30, 0, -20]}],
                 "look": [[310, 200]]}}},
            {"id": "b", "x": 330, "y": 200, "span": 300, "tilt": 40, "heading": 40, "hold": 0.8},
        ],
        **more,
    )  # fmt: skip


class Texture:
    """A picture of two levels made of arrays."""

    alpha = False

    def __init__(self, width: int, height: int) -> None:
        grey = fine_texture(width, height)
        self._pixels = np.dstack([grey, np.full((height, width), 255, np.uint8)])
        self.sizes = ((width, height),)

    def page(self, level: int, column: int, row: int, out: np.ndarray) -> None:
        ys = np.clip(np.arange(PADDED) + row * PAGE - 1, 0, self.sizes[0][1] - 1)
        xs = np.clip(np.arange(PADDED) + column * PAGE - 1, 0, self.sizes[0][0] - 1)
        out[:] = self._pixels[np.ix_(ys, xs)]

    def window(self, level: int, x: int, y: int, width: int, height: int) -> np.ndarray:
        return self._pixels[y : y + height, x : x + width]


def drawn(film: Film, *times: float) -> list[np.ndarray]:
    """Frames of a film at times in its frames."""
    renderer = Renderer(lambda key: Texture(600, 400) if key[0] == "a" else Texture(1200, 800), PageStore(32))
    return [renderer.render(Request(film, Time(time), SIZE, Quality.FINAL)).rgb.astype(float) for time in times]


def same(before: Film, after: Film, *times: float, later: float = 1.0) -> None:
    """The same picture at some times, but for rounding at edges."""
    for one, other in zip(drawn(before, *times), drawn(after, *(time * later for time in times)), strict=True):
        off = np.abs(one - other).max(axis=2)
        assert off.mean() < 1
        assert (off > 40).mean() < 0.002


TIMES = (5, 19, 27, 41, 58, 80, 95)


def test_georeferencing_a_plain_ground_moves_everything_and_the_picture_stays() -> None:
    film = full()
    places = [(0.0, 0.0), (600.0, 400.0)]
    # A turn of 33 degrees and a pixel of 21 metres, at 48 degrees north.
    turn, base = 21 * np.exp(-1j * np.radians(33)), complex(1.1e6, 6.1e6)
    known = [(x, y, *lonlat_of(*_pair(base + turn * complex(x, y)))) for x, y in places]
    after = do.GroundByPoints(points=known).apply(film)
    assert after.ground.kind == "mercator"
    assert after.markers[0].x == pytest.approx(_pair(base + turn * complex(250, 240))[0])
    assert after.regions[1].circle.radius == pytest.approx(40 * 21 / np.cosh(after.regions[1].circle.y / 6378137), 1e-6)
    assert after.plates[1].fit.ties[1].to == film.plates[1].fit.ties[1].to
    # On the Earth a line keeps its pace in true metres: over so short a way that is the same.
    same(film, after, *TIMES)


def _pair(place: complex) -> tuple[float, float]:
    return place.real, place.imag


def test_stretching_time_moves_all_that_hangs_on_it() -> None:
    film = full()
    # What comes and goes keeps its own pace; where that is none, every frame is there twice as late.
    film.plates[0].reveal = None
    film.markers[1].reveal = None
    after = do.StretchTime(factor=2).apply(film)
    same(film, after, *TIMES, later=2)
    assert do.StretchTime(factor=0.5).apply(after) == film


def test_another_rate_keeps_everything_at_its_time() -> None:
    film = full()
    after = do.ChangeRate(rate="50").apply(film)
    assert choreograph(after).frames == 2 * choreograph(film).frames
    assert [mark.comes.frames for mark in after.labels] == [2 * mark.comes.frames for mark in film.labels]
    same(film, after, *TIMES, later=2)
    with pytest.raises(BadEdit, match="between 1 and 240"):
        do.ChangeRate(rate="1000").apply(film)


def test_a_route_is_cut_in_two_and_nothing_on_it_jumps() -> None:
    film = full()
    film.plates[0].reveal = Reveal(how="route", routes=("r",), width=150)
    after = do.SplitRoute(route="r", point=1, id="s").apply(film)
    assert after.plates[0].reveal.routes == ("r", "s")
    before, times = choreograph(film).timeline, choreograph(after).timeline
    assert times.ranges["m"].start == before.ranges["m"].start
    assert after.markers[0].starts.route == "s"
    line = [route.curve.along(np.array([label.along * route.curve.length]))[0]
            for one in (film, after) for label in one.labels if label.route
            for route in [one.route(label.route)]]  # fmt: skip
    assert np.hypot(*(line[0] - line[1])) < 1e-6
    joined = do.JoinRoutes(route="r", other="s").apply(after)
    assert joined.plates[0].reveal.routes == ("r",)
    assert joined.labels[1].along == pytest.approx(0.3, abs=0.02)
    assert {moment.route for moment, _ in parts_of(joined, RouteMoment)} == {"r"}


def test_a_route_that_runs_the_other_way_keeps_its_names_in_place() -> None:
    film = full()
    after = do.ReverseRoute(route="r").apply(film)
    assert after.labels[1].along == pytest.approx(0.7)
    again = do.ReverseRoute(route="r").apply(after)
    assert again.labels[1].along == pytest.approx(0.3)
    assert again.routes == film.routes


def test_a_stop_put_in_bends_no_line_and_takes_no_time() -> None:
    film = full()
    draws = film.routes[0].draws.model_copy(update={"pace": "legs", "legs": (1.2, 2.0)})
    film.routes[0].draws = draws
    route = film.routes[0]
    at = route.curve.along(np.array([0.8 * route.curve.length]))[0]
    after = do.SplitLeg(route="r", at=tuple(at), stop="Pier").apply(film)
    assert [point.stop for point in after.routes[0].points] == [None, "Quay", None, "Pier", None]
    ways = np.linspace(0, route.curve.length, 60)
    assert after.routes[0].curve.length == pytest.approx(route.curve.length, rel=1e-9)
    assert np.abs(after.routes[0].curve.along(ways) - route.curve.along(ways)).max() < 1e-6
    assert choreograph(after).timeline.runs["r"].end == pytest.approx(choreograph(film).timeline.runs["r"].end)
    same(film, after, 30, 60)


def test_a_vantage_put_into_a_passage_or_a_rest_changes_nothing_that_is_seen() -> None:
    film = full()
    film.vantages[0].passage.manner = film.vantages[1].passage.manner
    film.labels[1].starts = PassageMoment(vantage="a", share=0.75)
    for frame in (12, 50):
        after = do.VantageAtFrame(frame=frame, id="k").apply(film)
        assert choreograph(after).frames == choreograph(film).frames
        there = [choreograph(one).timeline.ranges["w"].start.frame for one in (film, after)]
        assert abs(there[0] - there[1]) <= 1
        spans = [choreograph(one).camera.spans(np.arange(100.0)) for one in (film, after)]
        assert np.abs(np.log(spans[0] / spans[1])).max() < 0.004


def test_a_swapped_picture_covers_the_same_ground() -> None:
    film = full()
    film.plates[0].georeference = {"crs": "EPSG:3857", "affine": [2, 0, 100, 0, -2, 900]}
    large = {"sha256": "b" * 64, "width": 1200, "height": 800}
    after = do.SwapPicture(plate="p", picture=large).apply(film)
    assert after.plates[0].georeference.affine == (1, 0, 100, 0, -1, 900)
    assert after.plates[1].fit.ties[1].to == (660, 300)
    assert after.plates[1].fit.ties[0].to == (320, 250)
    corner = np.array([1200.0, 0.0, 1.0])
    assert after.plates[0].matrix @ corner == pytest.approx(film.plates[0].matrix @ np.array([600.0, 0.0, 1.0]))


def test_a_swapped_picture_of_another_shape_is_not_squashed_and_its_fit_is_known_no_more() -> None:
    film = full()
    plate = film.plates[1]
    width, height = plate.picture.width, plate.picture.height
    wide = {"sha256": "b" * 64, "width": 4 * width, "height": height}
    after = do.SwapPicture(plate=plate.id, picture=wide).apply(film).plates[1]
    before, now = plate.matrix, after.matrix
    # A pixel is as wide as high, the middle stays, and so does the area.
    assert np.linalg.norm(now[:2, 0]) == pytest.approx(np.linalg.norm(now[:2, 1]))
    assert now @ [2 * width, height / 2, 1] == pytest.approx(before @ [width / 2, height / 2, 1])
    assert np.linalg.det(now) * 4 == pytest.approx(np.linalg.det(before))
    assert after.fit.by == "hand"
    assert "another shape" in after.fit.note
    assert plate.fit.ties
    assert [tie.used for tie in after.fit.ties] == [False] * len(plate.fit.ties)
    # What was tied shows the same ground as before.
    for old, new in zip(plate.fit.ties, after.fit.ties, strict=True):
        assert now @ [new.x, new.y, 1] == pytest.approx(before @ [old.x, old.y, 1])


@pytest.mark.parametrize("act", [
    do.RemoveMarks(marks=["r"]), do.RemoveMarks(marks=["m"]), do.RemovePlate(plate="p"),
    do.RemoveVantages(vantages=["a"]),
])  # fmt: skip
def test_what_is_taken_away_is_named_no_more_and_all_else_keeps_its_time(act: do.Act) -> None:
    film = full()
    after = act.apply(film)
    gone = (film.ids["mark"] | film.ids["plate"] | film.ids["vantage"]) - (
        after.ids["mark"] | after.ids["plate"] | after.ids["vantage"]
    )
    assert len(gone) == 1
    assert not [name for name in found(after, Ref) if name.value in gone]
    assert Film.model_validate(after.model_dump(mode="json")) == after
    before, now = choreograph(film).timeline, choreograph(after).timeline
    # What hangs on the other vantage comes when that is reached now.
    moved = "t" if isinstance(act, do.RemoveVantages) else None
    for key, range_ in now.ranges.items():
        if key != moved:
            assert range_.start == before.ranges[key].start


def test_a_name_of_nothing_is_refused_when_the_film_is_read() -> None:
    document = full().model_dump(mode="json")
    for path, kind in ((("labels", 1, "route"), "route"), (("plates", 1, "fit", "on"), "plate"),
                       (("markers", 1, "starts", "mark"), "mark"), (("regions", 0, "style"), "style")):  # fmt: skip
        broken = Film.model_validate(document).model_dump(mode="json")
        part = broken
        for name in path[:-1]:
            part = part[name]
        part[path[-1]] = "gone"
        with pytest.raises(ValidationError, match=f"names a {kind} that is not in the film"):
            Film.model_validate(broken)


def test_a_film_of_version_5_with_names_of_nothing_still_opens() -> None:
    document = full().model_dump(mode="json") | {"version": 5}
    for reveal in (document["plates"][0]["reveal"], document["markers"][1]["reveal"]):
        del reveal["routes"]
        reveal["route"] = None
    document["plates"][0]["reveal"] |= {"how": "route", "route": "r"}
    document["labels"][1] |= {"style": "gone", "own": ["size"], "route": "gone"}
    document["plates"][1]["fit"]["ties"][1]["other"] = "gone"
    film = Film.model_validate(document)
    assert film.version == VERSION
    assert film.plates[0].reveal.routes == ("r",)
    assert (film.labels[1].stands, film.labels[1].style, len(film.plates[1].fit.ties)) == ("facing", None, 1)


def test_ties_are_judged_by_their_ends_and_chains_may_be_long() -> None:
    film = full()
    # It ends some frames after its own start; and one goes when another comes, which comes after it.
    film.markers[0].ends = MarkMoment(mark="m", edge="starts", offset=12)
    film.markers[1].ends = MarkMoment(mark="b", edge="starts")
    film.labels[0].starts = MarkMoment(mark="n", edge="starts", offset=9)
    timeline = choreograph(film).timeline
    assert (timeline.ranges["m"].end - timeline.ranges["m"].start).frames == 12
    assert (timeline.ranges["n"].end - timeline.ranges["n"].start).frames == 9
    chain = [Marker(id="m0", x=0, y=0, starts=FilmMoment(seconds=1))]
    chain += [Marker(id=f"m{k}", x=0, y=0, starts=MarkMoment(mark=f"m{k - 1}", offset=1)) for k in range(1, 1500)]
    film = full().model_copy(update={"markers": chain[::-1], "labels": []})
    assert choreograph(film).timeline.ranges["m1499"].start.frame == 25 + 1499
    film.markers[-1].starts = MarkMoment(mark="m1499")
    with pytest.raises(BadEdit, match="in a circle"):
        choreograph(film)
    assert sum(1 for _ in parts_of(film, Hung)) > 1500
    assert isinstance(film.routes[0], Route)
