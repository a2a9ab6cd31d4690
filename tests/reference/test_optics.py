"""Lens and shutter against handbook formulas and brute force: rays from many points of the lens, many whole frames."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import write_picture
from tests.truth import fine_texture, mean_light, psnr, true_lens_picture
from yaila.core.camera import Aperture, FrameSize, Pose, View
from yaila.core.camera.lens import circle_of_confusion, hyperfocal, limits
from yaila.core.film import Film, Marker, choreograph
from yaila.core.imagery import PageStore, build_pyramid, open_pyramid
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.picture.linear import MOST, Light
from yaila.core.picture.optics import Exposed, Optics
from yaila.core.time import Time

SIZE = FrameSize(480, 270)
LEAST = {Quality.DRAFT: 40, Quality.FINAL: 46}
"""What pictures must come to against brute force, dB."""


def test_depth_of_field_is_that_of_the_handbook() -> None:
    # The worked example found in most handbooks (from memory): 50 mm at f/8 with 0.03 mm is hyperfocal at 10.47 m.
    assert hyperfocal(50, 8, 0.03) == pytest.approx(10_467, abs=1)
    # Focused there, all is sharp from half of that to infinity.
    near, far = limits(50, 8, hyperfocal(50, 8, 0.03), 0.03)
    assert near == pytest.approx(10_467 / 2, rel=1e-3)
    assert math.isinf(far)
    # At a limit the circle is the one that still looks sharp: both formulas come from the same lens.
    for focal, stop, focus in ((35, 2.0, 660), (100, 2.8, 3_000), (24, 5.6, 1_200)):
        near, far = limits(focal, stop, focus, 0.025)
        assert circle_of_confusion(focal, stop, focus, near) == pytest.approx(0.025, rel=1e-9)
        assert circle_of_confusion(focal, stop, focus, far) == pytest.approx(0.025, rel=1e-9)
    # By the thin lens, 1/f = 1/s + 1/v: cones from the opening that meet behind or before the picture.
    focal, stop, focus, far = 85.0, 1.8, 2_000.0, 9_000.0
    picture, image = 1 / (1 / focal - 1 / focus), 1 / (1 / focal - 1 / far)
    cone = focal / stop * abs(picture - image) / image
    assert circle_of_confusion(focal, stop, focus, far) == pytest.approx(cone, rel=1e-12)
    # In frame pixels, and signed.
    aperture = Aperture(focal, stop, 1.0, focus)
    assert 2 * aperture.radius(far / focus, 1920) / 1920 * 36 == pytest.approx(cone, rel=1e-12)
    assert aperture.radius(0.5, 1920) < 0


@pytest.fixture(scope="module")
def plate() -> np.ndarray:
    return fine_texture(2048, 2048)


@pytest.fixture(scope="module")
def renderer(plate: np.ndarray, tmp_path_factory: pytest.TempPathFactory) -> Renderer:
    """One whose only picture is the plate."""
    folder: Path = tmp_path_factory.mktemp("optics")
    build_pyramid(write_picture(folder / "plate.png", plate), folder / "plate.tif", "plate.png")
    pyramid = open_pyramid(folder / "plate.tif")
    return Renderer(lambda key: pyramid, PageStore(64))


def film_of(*views: dict, **finish: dict) -> Film:
    """A film over the plate, whose lower left corner lies at the origin."""
    picture = {"sha256": "a" * 64, "width": 2048, "height": 2048}
    plates = [{"name": "plate", "picture": picture, "placement": {"kind": "similarity", "x": 1024, "y": 1024}}]
    return Film.model_validate({"rate": "25", "plates": plates, "vantages": list(views), "finish": finish})


@pytest.mark.parametrize(
    ("pose", "nearness", "focus"),
    [
        pytest.param({"tilt": 55, "heading": 20}, 0.45, 1.0, marks=pytest.mark.thorough),
        pytest.param({"tilt": 60, "heading": 0}, 0.9, 1.4, marks=pytest.mark.thorough),
        ({"tilt": 40, "heading": -70, "roll": 30}, 0.3, 0.9),
        pytest.param({"tilt": 0}, 0.8, 0.85, marks=pytest.mark.thorough),
    ],
)
def test_depth_of_field_is_what_many_rays_through_the_lens_see(
    renderer: Renderer, plate: np.ndarray, pose: dict, nearness: float, focus: float
) -> None:
    view = {"x": 1000, "y": 900, "span": 400, **pose}
    distance = 400 * 35 / 36
    free = {"on": "free", "distance": distance * focus}
    film = film_of(view, lens={"on": True, "f_number": 2, "nearness": nearness, "focus": free})
    # The opening, ground units: of a lens of which the target is ``nearness`` metres away, and whose picture is where
    # its focus is sharp.
    focused = focus * nearness * 1000
    diameter = 35 / 2 / (nearness * 1000) * distance * focused / (focused - 35)
    truth = true_lens_picture(plate, 1.0, choreograph(film).pose(Time(0)), *SIZE, diameter, distance * focus)
    for quality, least in LEAST.items():
        assert psnr(truth, renderer.render(Request(film, Time(0), SIZE, quality)).rgb) >= least


def focus_for(radius: float, target: float, width: int) -> float:
    """Where a 35 mm lens at f/2 is to be focused so that the target, mm away, becomes a disc of a radius, pixels."""
    low, high = 36.0, target
    for _ in range(60):
        middle = (low + high) / 2
        wider = circle_of_confusion(35, 2, middle, target) > 2 * radius / width * 36
        low, high = (middle, high) if wider else (low, middle)
    return low


def radius_of(light: np.ndarray) -> float:
    """The radius of an even disc of light about the middle of a picture: the mean square distance is half of its
    square."""
    height, width = light.shape
    rows, columns = np.mgrid[0:height, 0:width]
    far = (columns + 0.5 - width / 2) ** 2 + (rows + 0.5 - height / 2) ** 2
    return math.sqrt(2 * (light * far).sum() / light.sum())


@pytest.mark.parametrize("radius", [8, 15, 30, 60])
def test_a_point_becomes_a_disc_of_the_formulas_size(renderer: Renderer, radius: float) -> None:
    # On the ground, the smallest point there is: two pixels square, eight times as bright as white.
    size = FrameSize(960, 540)
    focused = focus_for(radius, 700, 960)
    view = View.of(Pose(1000, 900, 400), size)
    optics = Optics(view, Quality.FINAL, Aperture(35, 2, focused / 700, 700))
    margin = optics.margin
    light = np.zeros((540 + 2 * margin, 960 + 2 * margin), np.uint64)
    light[269 + margin : 271 + margin, 479 + margin : 481 + margin] = MOST
    seen = optics.through(Light(light), view.wider(margin)).colours
    assert radius_of(seen.astype(float)) == pytest.approx(radius, rel=0.05)
    # What stands: a sign with a radius of 6.
    free = {"on": "free", "distance": focused / 700 * 400 * 35 / 36}
    lens = {"on": True, "f_number": 2, "nearness": 0.7, "focus": free}
    film = film_of({"x": 1000, "y": 900, "span": 400}, lens=lens)
    film.plates.clear()
    film.background = "#000000"
    look = {"symbol": "dot", "size": 24, "edge": 0, "colour": "#ffffff"}
    film.markers = [Marker.model_validate({"x": 1000, "y": 900, "comes": {"how": "cut"}, "look": look})]
    pictures = [
        decoded(renderer.render(Request(film, Time(0), size, Quality.FINAL, without=frozenset(off))).rgb)
        for off in ((), ("lens",))
    ]
    blurred, sharp = map(radius_of, pictures)
    assert math.sqrt(blurred**2 - sharp**2) == pytest.approx(radius, rel=0.05)


def test_what_is_focused_on_is_the_sharpest(renderer: Renderer) -> None:
    place = {"on": "place", "x": 1080.0, "y": 1040.0}
    view = {"x": 1000, "y": 900, "span": 400, "tilt": 58, "heading": 25}
    sharp = film_of(view)
    blurred = film_of(view, lens={"on": True, "f_number": 1.4, "nearness": 0.5, "focus": place})
    kept, made = (
        renderer.render(Request(film, Time(0), FrameSize(960, 540), Quality.FINAL)).rgb.astype(float).mean(axis=2)
        for film in (sharp, blurred)
    )
    pose = choreograph(sharp).pose(Time(0))
    _, v, w = pose.frame_from_ground(FrameSize(960, 540)) @ np.array([1080, 1040, 1.0])
    # How much of the fine detail of each row is left.
    left = np.std(np.diff(made, axis=1), axis=1) / np.std(np.diff(kept, axis=1), axis=1)
    smooth = np.convolve(left, np.ones(9) / 9, mode="same")[10:-10]
    assert int(np.argmax(smooth)) + 10 == pytest.approx(v / w, abs=12)
    assert left[int(v / w)] > 0.9


MOVES = {
    "dive": ({"x": 1000, "y": 900, "span": 1600}, {"x": 1000, "y": 900, "span": 100}, 0.5),
    "skim": ({"x": 800, "y": 600, "span": 300, "tilt": 55}, {"x": 1000, "y": 1200, "span": 300, "tilt": 55}, 0.6),
    "pan": ({"x": 700, "y": 900, "span": 400}, {"x": 1200, "y": 950, "span": 400}, 1.2),
    "turn": ({"x": 1000, "y": 900, "span": 500}, {"x": 1000, "y": 900, "span": 500, "heading": 120}, 1.2),
}


def moving(move: str, angle: float = 180, **more: dict) -> Film:
    """A film that rests half a second and then moves."""
    start, end, seconds = MOVES[move]
    passage = {"duration": {"unit": "seconds", "value": seconds}}
    views = [start | {"hold": 0.4, "passage": passage}, end | {"hold": 0.4}]
    return film_of(*views, shutter={"on": True, "angle": angle}, **more)


def full_frames(renderer: Renderer, film: Film, frame: float, open_for: float, count: int = 64) -> np.ndarray:
    """The mean, in linear light, of whole frames at moments of the exposure."""
    plain = film.model_copy(update={"finish": film.finish.without({"shutter"})})
    times = [Time(frame + open_for * ((k + 0.5) / count - 0.5)) for k in range(count)]
    return mean_light([renderer.render(Request(plain, time, SIZE, Quality.FINAL)).rgb for time in times])


@pytest.mark.parametrize("move", list(MOVES))
def test_motion_blur_is_the_mean_of_many_whole_frames(renderer: Renderer, move: str) -> None:
    film = moving(move)
    frame = 10 + round(MOVES[move][2] * 25 / 2)
    truth = full_frames(renderer, film, frame, 0.5)
    for quality, least in ((Quality.FINAL, 46), (Quality.DRAFT, 33)):
        ours = renderer.render(Request(film, Time(frame), SIZE, quality)).rgb
        assert psnr(truth, ours) >= least


def test_a_rest_is_sharp_and_a_cut_is_not_blurred_across(renderer: Renderer) -> None:
    film = moving("pan", 360)
    rest = renderer.render(Request(film, Time(3), SIZE, Quality.FINAL)).pixels
    plain = renderer.render(Request(film, Time(3), SIZE, Quality.FINAL, without=frozenset({"shutter"}))).pixels
    assert np.array_equal(rest, plain)
    cut = {"manner": {"kind": "cut"}}
    here, there = ({"x": x, "y": 900, "span": 400, "hold": 0.4} for x in (700, 1300))
    film = film_of(here | {"passage": cut}, there, shutter={"on": True, "angle": 360})
    for frame in (9, 10):
        both = [
            renderer.render(Request(film, Time(frame), SIZE, Quality.FINAL, without=frozenset(off))).pixels
            for off in ((), ("shutter",))
        ]
        assert np.array_equal(*both)


def test_a_streak_is_as_long_as_the_way_and_does_not_comb(renderer: Renderer) -> None:
    # A white line, a pixel wide, that lies across the way of a pan.
    film = moving("pan", 180)
    frame = 10 + 15
    film.plates.clear()
    film.background = "#000000"
    pose = choreograph(film).pose(Time(frame))
    ends = [{"x": pose.x, "y": pose.y - 60}, {"x": pose.x, "y": pose.y + 60}]
    look = {"width": 1.0 * 1920 / 480, "edge": 0, "colour": "#ffffff"}
    route = {"points": ends, "look": look, "draws": {"shown": True, "seconds": 0.01}}
    film = Film.model_validate(film.model_dump(mode="json") | {"routes": [route]})
    camera = choreograph(film).camera.at(np.array([frame - 0.25, frame + 0.25]))
    way = abs(camera.x[1] - camera.x[0]) * 480 / 400
    assert way > 8
    light, sharp = (
        decoded(renderer.render(Request(film, Time(frame), SIZE, Quality.FINAL, without=frozenset(off))).rgb[135])
        for off in ((), ("shutter",))
    )
    # An even streak of a length has a variance of a twelfth of its square; the line itself and the moments add little.
    at = np.arange(480)
    middle = (light * at).sum() / light.sum()
    spread = (light * (at - middle) ** 2).sum() / light.sum()
    assert math.sqrt(12 * spread) == pytest.approx(way, rel=0.03)
    inside = light[int(middle - way / 2) + 3 : int(middle + way / 2) - 2]
    assert inside.std() / inside.mean() < 0.15
    # In linear light, what is seen for a share of the exposure has that share of the light.
    assert light.sum() == pytest.approx(sharp.sum(), rel=0.03)


def decoded(pixels: np.ndarray) -> np.ndarray:
    """The light of grey 8-bit pixels (IEC 61966-2-1)."""
    values = pixels.mean(axis=-1) / 255
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)


def test_an_exposure_goes_as_far_as_the_ground_between_its_first_and_last_moment() -> None:
    vantages = [{"x": 0, "y": 0, "span": 960, "hold": 0}, {"x": 1920, "y": 0, "span": 960, "hold": 0}]
    film = Film.model_validate({"frame": {"width": 960, "height": 540}, "vantages": vantages})
    choreography, size = choreograph(film), FrameSize(960, 540)
    time = Time(choreography.frames // 2)
    view = View.of(choreography.pose(time), size, 1.0)
    exposed = Exposed.of(choreography.camera, time.frames - 0.25, time.frames + 0.25, view)
    assert exposed.motion > 1
    for count in (2, 4, 8):
        some = replace(exposed, count=count)
        # A pixel is a ground unit here, straight down.
        assert some.across == pytest.approx(some.poses[-1].x - some.poses[0].x, rel=0.01)
