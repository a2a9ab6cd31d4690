"""Parts of a film: the ground and the marks laid over one another ("over", W3C Compositing Level 1) give the whole."""

from __future__ import annotations

import numpy as np

from tests.drawing import over
from tests.reference.test_planes import film_of, plate
from tests.reference.test_relief import SIZE, Picture
from yaila.core.film import Film
from yaila.core.imagery import PageStore
from yaila.core.picture import Part, Quality, Renderer, Request
from yaila.core.picture.render import FRAME_EFFECTS
from yaila.core.time import Time

MARKS = {
    "regions": [{"circle": {"x": 60, "y": -30, "radius": 70}, "look": {"filled": 0.6, "border": 4}}],
    "markers": [{"x": -40, "y": 10, "comes": {"how": "cut"}}],
    "labels": [{"text": "Quay", "x": 20, "y": -90, "comes": {"how": "cut"}, "look": {"size": 110}}],
    "routes": [{"points": [{"x": -200, "y": -100}, {"x": 180, "y": 60}], "draws": {"shown": True, "seconds": 0.5}}],
}


def film(**finish: object) -> Film:
    return film_of(plate("a"), finish=finish, **MARKS)


def drawn(one: Film, part: Part = "all", **more: object) -> np.ndarray:
    renderer = Renderer(lambda key: Picture(), PageStore(64))
    return renderer.render(Request(one, Time(20), SIZE, Quality.FINAL, part=part, **more)).pixels


def test_ground_and_marks_give_the_whole_to_a_code_of_255() -> None:
    lit = film(dusk={"on": True, "share": 0.6}, sun={"on": True}, surface={"on": True, "kind": "linen"},
               grade={"on": True, "contrast": 40}, vignette={"on": True}, bars={"on": True})  # fmt: skip
    ground, marks = drawn(lit, "ground"), drawn(lit, "marks")
    whole = drawn(lit, without=FRAME_EFFECTS)
    assert (ground[..., 3] == 255).all()
    assert 0.02 < (marks[..., 3] > 0).mean() < 0.6
    assert (marks[..., :3] <= marks[..., 3:]).all()
    # By night the whole goes through linear light once more, which may cost another code.
    assert np.abs(over([ground, marks]).astype(int) - whole).max() <= 2
    plain = film(surface={"on": True, "kind": "linen"}, grade={"on": True, "contrast": 40}, bars={"on": True})
    both = over([drawn(plain, "ground"), drawn(plain, "marks")]).astype(int)
    away = np.abs(both - drawn(plain, without=FRAME_EFFECTS))
    # Where several marks lie on one another each is rounded once more.
    assert away.max() <= 2
    assert (away > 1).mean() < 1e-3
    # And each of them shows something of its own.
    assert np.abs(ground.astype(int) - whole).max() > 60


def test_marks_alone_are_what_is_drawn_and_nothing_of_the_ground() -> None:
    marks = drawn(film(), "marks")
    bare = drawn(film_of(**MARKS), "marks")
    assert np.array_equal(marks, bare)
    nothing = drawn(film_of(plate("a")), "marks")
    assert not nothing.any()


def test_over_mountains_marks_lie_as_they_do_in_the_whole() -> None:
    from tests.reference.test_relief import hills
    from yaila.core.picture import Kit

    raised = film_of(plate("a"), plate("b", role="heights"),
                     finish={"relief": {"on": True, "plate": "b", "times": 1.0}}, **MARKS)  # fmt: skip
    renderer = Renderer(lambda key: Picture(), PageStore(64), Kit(heights=lambda key, codes: hills()))
    ground, marks, whole = (
        renderer.render(Request(raised, Time(20), SIZE, Quality.FINAL, part=part, without=FRAME_EFFECTS)).pixels
        for part in ("ground", "marks", "all")
    )
    away = np.abs(over([ground, marks]).astype(int) - whole)
    # Light and shade of the slopes are done in linear light, so edges of marks differ by some codes.
    assert np.quantile(away, 0.99) <= 3
    assert (marks[..., 3] > 0).mean() > 0.01


def test_a_matte_is_what_the_marks_cover_and_one_mark_may_be_alone() -> None:
    one = film()
    assert np.array_equal(drawn(one, "matte")[..., 0], drawn(one, "marks")[..., 3])
    assert (drawn(one, "matte")[..., 3] == 255).all()
    alone = [drawn(one, "marks", only=frozenset({mark.id})) for mark in one.marks]
    assert all((part[..., 3] > 0).any() for part in alone)
    covered = np.max([part[..., 3] for part in alone], axis=0)
    assert np.array_equal(covered > 0, drawn(one, "marks")[..., 3] > 0)


def test_depth_is_how_far_the_ground_is_along_the_line_of_sight() -> None:
    tilted = film_of(plate("a"), vantages=[{"x": 30, "y": -20, "span": 300, "tilt": 50, "heading": 25, "hold": 2}])
    renderer = Renderer(lambda key: Picture(), PageStore(64))
    away = renderer.depth(Request(tilted, Time(3), SIZE))
    # By hand: the camera is so far from its target that the frame there is as wide as the span (36 mm film width).
    focal, span, tilt = tilted.vantages[0].focal, 300.0, np.radians(50)
    distance = span * focal / 36
    row = np.broadcast_to(np.arange(SIZE.height)[:, None] + 0.5, (SIZE.height, SIZE.width))
    up = (SIZE.height / 2 - row) * span / SIZE.width / distance
    # A ray that rises by ``up`` for each unit along the line of sight meets the ground where its fall is the height.
    fall = np.cos(tilt) - up * np.sin(tilt)
    wanted = np.where(fall > 0, distance * np.cos(tilt) / fall, np.inf)
    assert np.isfinite(wanted).any()
    assert np.allclose(away, wanted, rtol=1e-4)
    # As a picture it is white at the camera, and half at the target.
    grey = drawn(tilted, "depth")
    near = np.isfinite(wanted)
    assert np.abs(grey[..., 0][near] - 255 * distance / (distance + wanted[near])).max() <= 0.51
    level = film_of(plate("a"), vantages=[{"x": 0, "y": 0, "span": 300, "tilt": 85, "hold": 2}])
    assert np.isinf(renderer.depth(Request(level, Time(3), SIZE))[0]).all()


def test_the_depth_of_a_mountain_is_that_of_a_plane_at_its_height() -> None:
    from yaila.core.picture import Kit

    flat = np.full((300, 300), 40.0, np.float32)
    raised = film_of(plate("a"), plate("b", role="heights"),
                     finish={"relief": {"on": True, "plate": "b", "times": 1.0, "sea": 0}},
                     vantages=[{"x": 0, "y": 0, "span": 200, "hold": 2}])  # fmt: skip
    renderer = Renderer(lambda key: Picture(), PageStore(64), Kit(heights=lambda key, codes: flat))
    distance = 200 * raised.vantages[0].focal / 36
    middle = renderer.depth(Request(raised, Time(3), SIZE))[SIZE.height // 2, SIZE.width // 2]
    assert abs(middle - (distance - 40)) < 0.1
