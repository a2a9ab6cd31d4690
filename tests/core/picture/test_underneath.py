"""What lies under the map: seen where no plate covers and through regions that open it, by W3C Compositing Level 1."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import write_picture
from yaila.core.camera import FrameSize
from yaila.core.errors import BadEdit
from yaila.core.film import Film, Inset, Plate, Region, Vantage
from yaila.core.film.acts import OpenMap
from yaila.core.film.marked import ShownPicture
from yaila.core.film.model import PictureRef
from yaila.core.ground import Point, Similarity
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.soundings import soundings_of
from yaila.core.time import FilmMoment, Time
from yaila.store import Store

SIZE = FrameSize(640, 360)
RED, GREEN = (220, 30, 20), (20, 180, 60)


@pytest.fixture
def brought(store: Store, tmp_path: Path) -> tuple[ShownPicture, PictureRef]:
    """A picture that is red all over, to be shown, and a green one, to be laid."""
    refs = []
    for name, colour in (("red", RED), ("green", GREEN)):
        pixels = np.full((200, 400, 3), colour, np.uint8)
        refs.append(store.pictures.add(write_picture(tmp_path / f"{name}.png", pixels), f"{name}.png"))
    return ShownPicture(sha256=refs[0].sha256, width=400, height=200), refs[1]


def film(
    brought: tuple[ShownPicture, PictureRef], opens: float = 0.0, plate: dict | None = None, **more: object
) -> Film:
    """A green plate over all of the frame, a square in its middle that opens it, and red under it."""
    shows, green = brought
    square = tuple(Point(x, y) for x, y in ((-100, -100), (100, -100), (100, 100), (-100, 100)))
    look = {"opens": opens, "filled": 0.0}
    still = {"how": "cut"}
    inset = {"id": "i", "shows": shows, "stands": "full", "under": True, "comes": still, "goes": still, "look": {}}
    return Film(
        frame={"width": 640, "height": 360},
        background="#000000",
        vantages=[Vantage(id="a", x=0, y=0, span=1000, hold=2), Vantage(id="b", x=1, y=0, span=1000, hold=1)],
        plates=[Plate(id="p", name="P", picture=green, placement=Similarity(x=0, y=0, scale=4), **(plate or {}))],
        regions=[Region(id="r", rings=(square,), look=look, comes=still)],
        insets=[Inset.model_validate(inset | more)],
    )


def drawn(store: Store, made: Film, **more: object) -> np.ndarray:
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)
    return renderer.render(Request(made, Time(10), SIZE, Quality.FINAL, **more)).pixels  # type: ignore[arg-type]


def test_it_is_seen_through_what_a_region_cuts_out(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    closed, half, wide = (drawn(store, film(brought, share)) for share in (0.0, 0.5, 1.0))
    assert np.abs(closed[..., :3].astype(int) - GREEN).max() <= 1
    mean = (np.array(RED) + GREEN) / 2
    assert np.abs(half[180, 320, :3] - mean).max() <= 1
    assert np.abs(wide[180, 320, :3].astype(int) - RED).max() <= 1
    # The square is 200 of 1,000 units: 128 of 640 pixels about the middle.
    reds = np.flatnonzero(wide[180, :, 0] > 120)
    assert (reds[0], reds[-1] + 1) == pytest.approx((256, 384), abs=1)
    assert np.abs(wide[180, 200, :3].astype(int) - GREEN).max() <= 1


def test_it_is_seen_where_plates_are_see_through(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    faint = drawn(store, film(brought, plate={"opacity": 0.25}))
    assert np.abs(faint[180, 320, :3] - (0.25 * np.array(GREEN) + 0.75 * np.array(RED))).max() <= 1
    assert (faint[..., 3] == 255).all()


def test_what_is_cut_out_with_nothing_under_it_shows_the_background(
    store: Store, brought: tuple[ShownPicture, PictureRef]
) -> None:
    made = film(brought, 1.0).model_copy(update={"insets": []})
    assert drawn(store, made)[180, 320].tolist() == [0, 0, 0, 255]
    assert drawn(store, made, clear=True)[180, 320].tolist() == [0, 0, 0, 0]


def test_the_ground_and_the_marks_give_the_whole(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    made = film(brought, 1.0)
    made.regions[0].look = made.regions[0].look.model_copy(update={"border": 6.0})
    whole, ground, marks = (drawn(store, made, part=part, clear=True) for part in ("all", "ground", "marks"))
    over = marks + ground.astype(float) * (255 - marks[..., 3:]) / 255
    assert np.abs(over - whole).max() <= 1
    assert np.abs(ground[180, 320, :3].astype(int) - RED).max() <= 1


def test_what_lies_under_is_in_the_layer_of_the_ground(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    made = film(brought, 1.0)
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)
    ground = renderer.in_layers(Request(made, Time(10), SIZE, Quality.FINAL))["ground"]
    assert np.abs(ground.astype(int) - drawn(store, made)).max() <= 1


def test_one_that_lies_on_the_ground_goes_with_it(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    look = {"scales": "ground", "ground": 150, "edge": 0, "round": 0, "shadow": 0}
    lying = drawn(store, film(brought, 1.0, stands="board", look=look))
    reds = np.flatnonzero(lying[180, :, 0] > 120)
    assert reds[-1] + 1 - reds[0] == pytest.approx(150 * 0.64, abs=1)
    # Around it, within what is cut out, is the background.
    assert lying[180, 262].tolist() == [0, 0, 0, 255]


def test_as_light_it_hides_nothing_by_its_black(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    look = {"size": 300, "edge": 0, "round": 0, "lies": "light"}
    seen = drawn(store, film(brought, stands="frame", under=False, look=look))[180, 320, :3]
    below, above = np.array(GREEN) / 255, np.array(RED) / 255
    # Screen: B + S - B x S (W3C Compositing and Blending Level 1, 9.1.3).
    assert np.abs(seen - 255 * (below + above - below * above)).max() <= 2


def test_a_soft_edge_melts_inwards(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    look = {"size": 400, "edge": 0, "round": 0, "shadow": 0, "soft": 80}
    row = drawn(store, film(brought, stands="frame", under=False, look=look))[180, 120:321, 0].astype(int)
    assert (np.diff(row) >= -1).all()
    assert row[0] <= 24
    assert abs(row[40] - (RED[0] + GREEN[0]) / 2) < 12
    assert abs(row[120] - RED[0]) <= 1


def test_what_nothing_opens_is_said_with_what_mends_it(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    closed = film(brought)
    found = [one for one in soundings_of(closed) if one.id == "unseen-i"]
    assert [one.kind for one in found] == ["unseen"]
    assert found[0].remedy
    assert found[0].remedy.act
    mended = found[0].remedy.act.apply(closed)
    assert not [one for one in soundings_of(mended) if one.id == "unseen-i"]
    assert mended.regions[0].look.opens == 1
    # It has to be open while the inset is there.
    mended.regions[0].ends, mended.insets[0].starts = FilmMoment(seconds=0.5), FilmMoment(seconds=1.0)
    assert [one for one in soundings_of(mended) if one.id == "unseen-i"]


def test_ground_that_it_fills_is_not_bare(brought: tuple[ShownPicture, PictureRef]) -> None:
    made = film(brought).model_copy(update={"plates": []})
    away = made.model_copy(update={"insets": []})
    assert [one.kind for one in soundings_of(away) if one.kind == "bare"]
    assert not [one.kind for one in soundings_of(made) if one.kind == "bare"]
    # Only while it is there.
    late = made.model_copy(deep=True)
    late.insets[0].starts = FilmMoment(seconds=1.0)
    bare = [one for one in soundings_of(late) if one.kind == "bare"]
    assert [(one.first, one.last) for one in bare] == [(0, late.fps.frames(1.0) - 1)]


def test_what_stands_upright_is_over_the_map(brought: tuple[ShownPicture, PictureRef]) -> None:
    with pytest.raises(ValueError, match="over the map"):
        film(brought, stands="facing")
    made = film(brought)
    with pytest.raises(BadEdit, match="Only a region"):
        OpenMap(regions=["i"]).apply(made)
    opened = OpenMap(regions=["r"]).apply(made)
    assert opened.regions[0].look.opens == 1
    assert OpenMap(regions=["r"], open=False).apply(opened).regions[0].look.opens == 0


def test_night_falls_on_it_as_on_the_ground(store: Store, brought: tuple[ShownPicture, PictureRef]) -> None:
    made = film(brought, 1.0)
    dark = made.model_copy(
        update={
            "finish": made.finish.model_copy(
                update={"dusk": made.finish.dusk.model_copy(update={"on": True, "share": 1.0})}
            )
        }
    )
    assert drawn(store, dark)[180, 320, 0] < 0.6 * drawn(store, made)[180, 320, 0]
