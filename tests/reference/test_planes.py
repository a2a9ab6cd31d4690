"""Plates that float or shine, and what a mountain hides, against OpenCV's warps and light added by hand."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.reference.test_relief import SIDE, SIZE, Picture, hills, texture
from tests.truth import psnr
from yaila.core.camera import View
from yaila.core.colour import decoded, encoded
from yaila.core.film import Film, choreograph
from yaila.core.film import acts as do
from yaila.core.imagery import PageStore
from yaila.core.picture import Kit, Quality, Renderer, Request
from yaila.core.time import Time

LIES = {"kind": "similarity", "x": 0, "y": 0}
EYE = {"x": 20, "y": -30, "span": 500, "tilt": 40, "heading": 25}


def plate(key: str, **more: object) -> dict:
    picture = {"sha256": key * 64, "width": SIDE, "height": SIDE}
    return {"id": key, "name": key, "picture": picture, "placement": LIES, **more}


def film_of(*plates: dict, view: dict = EYE, **more: object) -> Film:
    return Film.model_validate({"plates": plates, "vantages": [{"hold": 1, **view}], "background": "#000000", **more})


class Turned(Picture):
    """The texture turned by a quarter, with a hole around its middle."""

    alpha = True

    def __init__(self) -> None:
        super().__init__()
        self.pixels = np.ascontiguousarray(np.rot90(self.pixels))
        self.pixels[412:612, 412:612] = 0


def drawn(film: Film, quality: Quality = Quality.FINAL, grid: np.ndarray | None = None) -> np.ndarray:
    pictures = {"a" * 64: Picture(), "b" * 64: Turned()}
    renderer = Renderer(lambda key: pictures[key], PageStore(64), Kit(heights=lambda key, codes: grid))
    return renderer.render(Request(film, Time(0), SIZE, quality)).rgb


def warped(pixels: np.ndarray, height: float, film: Film) -> np.ndarray:
    """Pixels of a plate as OpenCV draws them on a plane at a height, four times as large, then averaged."""
    view = View.of(choreograph(film).pose(Time(0)), SIZE)
    counted = np.array([[1.0, 0, -SIDE / 2], [0, -1.0, SIDE / 2], [0, 0, 1.0]])
    counted[:2, 2] -= view.target
    # OpenCV counts pixels from their middles.
    half = np.array([[1.0, 0, 0.5], [0, 1.0, 0.5], [0, 0, 1.0]])
    whole = np.linalg.inv(half) @ np.diag([4.0, 4.0, 1.0]) @ view.plane(height) @ counted @ half
    large = cv2.warpPerspective(pixels, whole, (4 * SIZE.width, 4 * SIZE.height), flags=cv2.INTER_LINEAR)
    return cv2.resize(large, tuple(SIZE), interpolation=cv2.INTER_AREA)


@pytest.mark.parametrize(("height", "view"), [(120.0, EYE), (60.0, EYE | {"tilt": 65, "roll": 12})])
def test_a_plate_that_floats_is_seen_on_the_plane_at_its_height(height: float, view: dict) -> None:
    film = film_of(plate("a"), plate("b", role="floats", height=height), view=view)
    ground = warped(texture(), 0, film).astype(float)
    above = warped(Turned().pixels, height, film).astype(float)
    truth = above[..., :3] + ground * (1 - above[..., 3:] / 255)
    assert psnr(truth, drawn(film)) >= 38
    assert psnr(truth, drawn(film, Quality.DRAFT)) >= 33
    # On the ground itself it is as any plate.
    lying = film_of(plate("a"), plate("b"), view=view)
    assert psnr(truth, drawn(lying)) < 25


def test_a_plate_that_floats_hides_even_where_it_is_black() -> None:
    pixels = np.zeros((SIDE, SIDE, 4), np.uint8)
    pixels[..., 3] = 255
    black = Picture()
    black.pixels = pixels
    made = film_of(plate("a"), plate("b", role="floats", height=50.0), view={"x": 0, "y": 0, "span": 400})
    renderer = Renderer({"a" * 64: Picture(), "b" * 64: black}.__getitem__, PageStore(64), Kit())
    assert renderer.render(Request(made, Time(0), SIZE, Quality.DRAFT)).rgb.max() == 0


def test_each_plane_has_its_own_blur() -> None:
    lens = {"lens": {"on": True, "f_number": 1.4, "nearness": 0.35, "focus": {"on": "place", "x": 0, "y": 0}}}
    height = 250.0
    plates = (plate("a"), plate("b", role="floats", height=height))

    def detail(film: Film) -> float:
        row = drawn(film).astype(float).mean(axis=2)[5:50, 100:380]
        return float(np.abs(np.diff(row, axis=1)).mean())

    straight = {"x": 0, "y": 0, "span": 800}
    far = film_of(*plates, view=straight, finish=lens)
    lens["lens"]["focus"] = {"on": "place", "x": 0, "y": 0, "height": height}
    near = film_of(*plates, view=straight, finish=lens)
    sharp = film_of(*plates, view=straight)
    assert detail(near) > 0.8 * detail(sharp)
    assert detail(far) < 0.55 * detail(sharp)


def test_it_goes_before_a_camera_that_comes_near_and_is_not_in_its_way() -> None:
    eye = choreograph(film_of(plate("a"))).pose(Time(0)).eye()[2]
    bare = drawn(film_of(plate("a")))
    shares = []
    for height in (eye / 4, eye / 1.4, eye / 1.2, eye / 1.02):
        off = np.abs(drawn(film_of(plate("a"), plate("b", role="floats", height=height))).astype(int) - bare)
        shares.append(float(off.mean()))
    assert shares[0] > shares[1] > shares[2] > shares[3]
    assert shares[3] < 0.5


def test_lights_are_added_to_the_night_and_are_nothing_by_day() -> None:
    night = {"on": True, "share": 1, "dark": 3, "colour": "#ffffff", "lights": 2}
    view = {"x": 0, "y": 0, "span": 600}
    base = film_of(plate("a"), view=view)
    lit = film_of(plate("a"), plate("b", role="lights"), view=view)
    assert np.array_equal(drawn(base), drawn(lit))
    dark = drawn(film_of(plate("a"), view=view, finish={"dusk": night}))
    bright = drawn(film_of(plate("a"), plate("b", role="lights"), view=view, finish={"dusk": night}))
    shown = drawn(film_of(plate("b"), view=view))
    # In the hole there is no light but the glow about it; elsewhere that of the plate comes twice, above white too.
    light = decoded(dark / 255) + 2 * decoded(shown / 255)
    middle = np.s_[SIZE.height // 2 - 20 : SIZE.height // 2 + 20, SIZE.width // 2 - 20 : SIZE.width // 2 + 20]
    assert np.abs(bright[middle].astype(int) - dark[middle]).mean() < 25
    low = 255 * encoded(np.clip(light, 0, 1))
    assert (bright >= low - 2).mean() > 0.999
    # The glow adds, and never more than the plate's own light.
    most = 255 * encoded(np.clip(decoded(dark / 255) + 2 * decoded(shown / 255) + 1.2, 0, 1))
    assert (bright <= most + 2).all()


def test_what_stands_behind_a_mountain_is_not_seen() -> None:
    grid = hills()
    top = np.unravel_index(int(np.argmax(grid)), grid.shape)
    x, y = float(top[1] + 0.5 - SIDE / 2), float(SIDE / 2 - top[0] - 0.5)
    dot = {"symbol": "dot", "size": 60, "edge": 0, "colour": "#ff00ff"}
    relief = {"on": True, "plate": "h", "times": 0.7, "shade": 0, "shadows": 0}
    heights = plate("c", id="h", role="heights")

    def seen(away: float) -> bool:
        mark = {"x": x, "y": y + away, "comes": {"how": "cut"}, "look": dot}
        view = {"x": x, "y": y, "span": 420, "tilt": 78}
        film = film_of(plate("a"), heights, view=view, markers=[mark], finish={"relief": relief})
        picture = drawn(film, grid=grid).astype(int)
        return bool(((picture[..., 0] > 200) & (picture[..., 1] < 60) & (picture[..., 2] > 200)).any())

    assert seen(0)
    assert seen(-60)
    assert not seen(90)


def test_acts_give_a_plate_a_height_and_let_night_fall() -> None:
    film = film_of(plate("a"), plate("b"))
    floating = do.FloatPlate(plate="b", frame=0).done_to(film)
    eye = choreograph(film).pose(Time(0)).eye()[2]
    assert floating.plate("b").role == "floats"
    assert 0.2 * eye < floating.plate("b").height < 0.3 * eye
    lit = do.LightPlate(plate="b").done_to(film)
    assert lit.plate("b").role == "lights"
    assert lit.finish.dusk.on
    assert not lit.plate("b").in_film


@pytest.mark.parametrize("height", [0.0, 1e-3, 1e8])
def test_a_plate_at_any_height_gives_a_clean_picture(height: float) -> None:
    for tilt in (0, 84):
        film = film_of(plate("a"), plate("b", role="floats", height=height), view=EYE | {"tilt": tilt})
        assert drawn(film, Quality.DRAFT).shape == (*SIZE[::-1], 3)
