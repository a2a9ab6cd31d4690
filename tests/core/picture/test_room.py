"""Labels that make room for one another: none hides another, nothing jumps, and nobody else moves."""

from __future__ import annotations

import numpy as np
import pytest

from tests.drawing import draw_scene
from yaila.core.camera import FrameSize, Pose, View
from yaila.core.film import Film, Label, Scene, acts, choreograph
from yaila.core.film.model import Vantage
from yaila.core.film.scene import Present
from yaila.core.marks import Lettering
from yaila.core.picture.grasps import grasps_of
from yaila.core.picture.labels import box_of
from yaila.core.picture.room import room_made
from yaila.core.soundings import soundings_of
from yaila.core.time import Time
from yaila.core.type import Faces

SIZE = FrameSize(1920, 1080)
LOOK = Lettering(size=44, family="Noto Sans", halo=0)


def label(text: str, x: float, y: float, gives_way: bool = True, **more: object) -> Present:
    made = Label(id=text.replace(" ", ""), text=text, x=x, y=y, sits="over", look=LOOK, gives_way=gives_way, **more)
    return Present(made, made.look)


def boxes(presents: list[Present], view: View) -> dict[str, np.ndarray]:
    away = room_made(presents, view, Faces())
    return {one.mark.id: box_of(one, view, Faces())[0] + [0, away.get(one.mark.id, 0.0)] for one in presents}


def hidden(found: dict[str, np.ndarray]) -> list[tuple[str, str]]:
    pairs = []
    for one, a in found.items():
        for other, b in found.items():
            if one < other and (a.min(axis=0) < b.max(axis=0)).all() and (b.min(axis=0) < a.max(axis=0)).all():
                pairs.append((one, other))
    return pairs


def view_of(pose: Pose) -> View:
    return View.of(pose, SIZE)


@pytest.mark.parametrize("count", [2, 5, 9])
def test_none_hides_another_however_many_stand_close(count: int) -> None:
    rng = np.random.default_rng(count)
    names = [label(f"Name {k}", *rng.uniform(-60, 60, 2)) for k in range(count)]
    view = view_of(Pose(0, 0, 1920))
    still = {one.mark.id: box_of(one, view, Faces())[0] for one in names}
    assert hidden(still)
    assert hidden(boxes(names, view)) == []
    # Only up and down, and no further than it takes.
    moved = [boxes(names, view)[key] - still[key] for key in still]
    assert all(np.abs(one[:, 0]).max() == 0 for one in moved)
    assert max(np.abs(one[:, 1]).max() for one in moved) < count * 62


def test_who_is_not_asked_stays_and_who_is_far_does_too() -> None:
    view = view_of(Pose(0, 0, 1920))
    asked, other, far = label("Asked", 0, 0), label("Stays", 10, 8, gives_way=False), label("Far", 700, 300)
    away = room_made([asked, other, far], view, Faces())
    assert set(away) == {"Asked"}
    assert hidden(boxes([asked, other, far], view)) == []
    assert room_made([label("One", 0, 0, gives_way=False), other], view, Faces()) == {}
    # One that is hardly there yet takes hardly any room.
    coming = Present(other.mark, other.look, opacity=0.02)
    assert abs(room_made([asked, coming], view, Faces()).get("Asked", 0.0)) < 0.2 * abs(away["Asked"])


def test_nothing_jumps_as_the_camera_comes_down_turns_and_passes() -> None:
    rng = np.random.default_rng(7)
    names = [label(f"Name {k}", *rng.uniform(-300, 300, 2)) for k in range(8)]
    share = np.linspace(0, 1, 1500)
    shifts = []
    for t in share:
        pose = Pose(200 * t, -80 * t, 6000 * (500 / 6000) ** t, tilt=50 * t, heading=120 * t)
        away = room_made(names, view_of(pose), Faces())
        shifts.append([away.get(one.mark.id, 0.0) for one in names])
    shifts = np.array(shifts)
    assert np.abs(shifts).max() > 30
    # A minute's flight in steps of a 25th of a second: nothing moves by more than a few pixels a frame of itself.
    assert np.abs(np.diff(shifts, axis=0)).max() < 9


def test_it_is_drawn_grasped_and_checked_where_it_is() -> None:
    one, other = label("Upper", 0, 10), label("Lower", 0, -10)
    black = np.zeros((1080, 1920, 3), np.uint8)
    light = draw_scene(black, Scene(labels=(one, other)), Pose(0, 0, 1920), Film())[..., 0] > 128
    rows = np.flatnonzero(light.any(axis=1))
    gaps = np.diff(rows)
    # Two lines of letters with clear ground between them.
    assert (gaps > 4).sum() == 1
    film = Film(labels=[one.mark, other.mark], vantages=[Vantage(x=0, y=0, span=1920, hold=4)])
    upper, lower = (grasp.corners for grasp in grasps_of(film, choreograph(film), Time(50), Faces()))
    assert upper[:, 1].max() < lower[:, 1].min()
    still = film.model_copy(update={"labels": [mark.model_copy(update={"gives_way": False}) for mark in film.labels]})
    (covered,) = [found for found in soundings_of(still) if found.kind == "covered"]
    assert covered.remedy.act == acts.MakeRoom(marks=["Upper", "Lower"])
    mended = covered.remedy.act.apply(still)
    assert not [found for found in soundings_of(mended) if found.kind == "covered"]
    assert mended == film
