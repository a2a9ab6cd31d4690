"""What rests is not drawn again, and whatever does not rest is."""

from __future__ import annotations

import numpy as np
import pytest
import skia

from tests.core.film.test_walk import SIZE, Texture, full
from yaila.core.camera import Pose
from yaila.core.errors import NotFound
from yaila.core.film import Film
from yaila.core.film.marked import Marker, Region
from yaila.core.ground import Point
from yaila.core.imagery import PageStore
from yaila.core.picture import Kit, Renderer, Request, regions, render
from yaila.core.time import Time

REST = Pose(310, 190, 420, 35, 20)


def picture(key: str) -> Texture:
    return Texture(600, 400)


def fresh(kit: Kit = Kit(pictures=picture)) -> Renderer:  # noqa: B008 - frozen
    return Renderer(picture, PageStore(32), kit)


def busy() -> Film:
    """Marks of every kind, and such as go on while they are there."""
    film = full()
    rings = ((Point(340, 120), Point(430, 130), Point(390, 220)),)
    film.regions.append(Region(id="h", rings=rings, look={"lift": 12, "sides": 8, "rest": "grey", "rest_by": 0.5}))
    film.markers += [
        Marker(id="p", x=270, y=150, look={"symbol": "star", "pulses": 1.0}),
        Marker(id="s", x=200, y=200, look={"symbol": "star", "spin": 0.5}),
    ]
    return film


@pytest.mark.parametrize("pose", [REST, None])
def test_frames_one_after_the_other_are_those_that_each_would_be_alone(pose: Pose | None) -> None:
    kept, film = fresh(), busy()
    for time in (*range(0, 90, 6), 90, 90.5, 91, 91, 40, 41):
        request = Request(film, Time(time), SIZE, pose=pose)
        assert np.array_equal(kept.render(request).pixels, fresh().render(request).pixels), time


def test_an_edit_is_seen_while_the_camera_rests() -> None:
    kept, film = fresh(), busy()
    drawn = [kept.render(Request(film, Time(86), SIZE, pose=REST)).pixels]
    for kind in ("labels", "markers", "regions", "routes", "insets"):
        film = film.model_copy(deep=True)
        mark = getattr(film, kind)[-1]
        mark.look = mark.look.model_copy(update={"opacity": 0.3})
        request = Request(film, Time(86), SIZE, pose=REST)
        drawn.append(kept.render(request).pixels)
        assert np.array_equal(drawn[-1], fresh().render(request).pixels), kind
        assert (drawn[-1] != drawn[-2]).any(), kind


def test_a_sign_that_comes_late_is_seen_while_the_camera_rests() -> None:
    signs: dict[str, bytes] = {}

    def read(key: str) -> bytes:
        if key not in signs:
            raise NotFound("It is not there.")
        return signs[key]

    film = full()
    film.markers.append(Marker(id="x", x=310, y=190, look={"symbol": "picture", "picture": "d" * 64, "size": 60}))
    kept = fresh(Kit(read=read))
    request = Request(film, Time(60), SIZE, pose=REST)
    without = kept.render(request).pixels
    red = skia.Image.fromarray(np.full((40, 40, 4), (200, 10, 10, 255), np.uint8), colorType=skia.kRGBA_8888_ColorType)
    signs["d" * 64] = bytes(red.encodeToData(skia.kPNG, 100))
    middle = kept.render(request).pixels[SIZE.height // 2, SIZE.width // 2]
    assert middle.tolist() == [200, 10, 10, 255]
    assert without[SIZE.height // 2, SIZE.width // 2].tolist() != middle.tolist()


def test_nothing_is_painted_while_all_rests(monkeypatch: pytest.MonkeyPatch) -> None:
    film = full()
    film.routes[0].draws.shown = False
    for mark in (*film.regions, *film.labels, *film.markers):
        mark.starts, mark.reveal = film.regions[1].starts, None
    kept = fresh()
    last = kept.render(Request(film, Time(88), SIZE, pose=REST)).pixels
    painted: list[object] = []
    monkeypatch.setattr(render, "_paint", lambda work, pieces, ground: painted.append(pieces))
    assert np.shares_memory(kept.render(Request(film, Time(89), SIZE, pose=REST)).pixels, last)
    assert not painted


@pytest.mark.parametrize("pose", [REST, Pose(380, 160, 90, 60, -30)])
def test_a_lifted_piece_is_painted_as_it_is_where_nothing_is_clipped(
    pose: Pose, monkeypatch: pytest.MonkeyPatch
) -> None:
    film = full()
    rings = ((Point(340, 120), Point(430, 130), Point(390, 220)),)
    look = {"lift": 14, "sides": 9, "shadow": 22, "border": 4, "glow": 12, "soft": 0}
    film.regions.append(Region(id="h", rings=rings, look=look, comes={"how": "cut"}))
    request = Request(film, Time(50), SIZE, pose=pose)
    clipped = fresh().render(request).pixels
    monkeypatch.setattr(regions._Outline, "reach", None)
    assert np.array_equal(clipped, fresh().render(request).pixels)
