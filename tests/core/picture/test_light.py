"""Light and air by hand: dusk, lamps, haze, clouds and their shadows; and that drafts show what finals show."""

from __future__ import annotations

import math

import numpy as np
import pytest
from colour.models import eotf_sRGB
from pydantic import ValidationError
from skimage.metrics import structural_similarity

from tests.core.film.test_walk import Texture
from yaila.core.camera import FrameSize, Pose, View
from yaila.core.film import Film, choreograph, scene_at
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.picture.decks import MOONLIT, Sky, density_of
from yaila.core.picture.light import Places
from yaila.core.picture.linear import on_a_grid
from yaila.core.time import Time

SIZE = FrameSize(320, 180)
GREY = "#808080"
PLACE = {"x": 0.0, "y": 0.0}


def film_of(*views: dict, **more: object) -> Film:
    """A grey ground under a camera that rests, straight down and 320 wide, if nothing else is said."""
    views = views or ({"span": 320.0},)
    rest = [{"x": 0, "y": 0, "span": 320, "hold": 2, **view} for view in views]
    return Film.model_validate({"background": GREY, "vantages": rest, **more})


def light(film: Film, frame: float = 0, size: FrameSize = SIZE, **how: object) -> np.ndarray:
    """Linear light of a frame, (height, width, 3) (IEC 61966-2-1)."""
    renderer = Renderer(lambda key: Texture(600, 400), PageStore(32))
    values = renderer.render(Request(film, Time(frame), size, **({"quality": Quality.FINAL} | how))).rgb / 255
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)


DECK = {"cover": 0.5, "size": 60, "soft": 0.3, "opacity": 1, "colour": "#000000", "shadow": 0, "parts": 1.2}

BASE = float(light(film_of())[0, 0, 0])


def test_night_is_so_many_stops_darker_and_as_blue_as_it_is_said_to_be() -> None:
    night = light(film_of(finish={"dusk": {"on": True, "dark": 2.0, "colour": "#ffffff"}}))
    assert np.abs(night / (BASE / 4) - 1).max() < 0.03
    # Half way there, half of the stops.
    half = light(film_of(finish={"dusk": {"on": True, "share": 0.5, "dark": 2.0, "colour": "#ffffff"}}))
    assert half.mean() == pytest.approx(BASE / 2, rel=0.02)
    blue = light(film_of(finish={"dusk": {"on": True, "dark": 2.0, "colour": "#4060c0"}})).mean(axis=(0, 1))
    # Its luminance is that of the stops, in the weights of ITU-R BT.709.
    assert blue @ [0.2126, 0.7152, 0.0722] == pytest.approx(BASE / 4, rel=0.04)
    assert blue[2] > 3 * blue[0]


def test_a_lamp_lights_the_ground_by_the_cube_of_its_cosine_and_no_further_than_it_reaches() -> None:
    look = {"bright": 2.0, "reach": 100, "warmth": 6500, "edge": 0.0, "glow": 0, "burns": "always"}
    lamp = {**PLACE, "height": 40.0, "comes": {"how": "cut"}, "look": look}
    # A light that is no bluer and no redder than white is brightest in red: a black body is not quite daylight.
    row = light(film_of(lamps=[lamp]))[90, :, 0] / BASE
    for away in (0, 20, 40, 80):
        # The inverse square of the way, and the slope at which it meets the ground (Lambert's cosine).
        assert row[160 + away] - 1 == pytest.approx(2 * math.cos(math.atan2(away, 40)) ** 3, rel=0.04)
    assert row[160 + 110 :] == pytest.approx(1.0, abs=0.02)
    # A beam to the east.
    beam = {**lamp, "look": look | {"beam": 40, "points": 90, "edge": 1.0}}
    lit = light(film_of(lamps=[beam]))[..., 1] / BASE
    assert lit[90, 210] > 1.2
    assert lit[90, 110] == pytest.approx(1.0, abs=0.02)
    assert lit[40, 160] == pytest.approx(1.0, abs=0.02)
    # It turns by six degrees a second for each turn a minute: after two seconds at 7.5 it points to the south.
    turning = {**beam, "look": beam["look"] | {"turns": 7.5}}
    after = light(film_of({"hold": 4}, lamps=[turning]), 50)[..., 1] / BASE
    assert after[140, 160] > 1.2
    assert after[90, 210] == pytest.approx(1.0, abs=0.02)


def test_lamps_burn_by_as_much_as_it_is_dark_and_warm_light_is_warm() -> None:
    lamp = {**PLACE, "height": 40, "comes": {"how": "cut"}, "look": {"reach": 100, "warmth": 2200, "glow": 0}}
    assert light(film_of(lamps=[lamp]))[90, 160] == pytest.approx(np.full(3, BASE), rel=0.02)
    night = light(film_of(lamps=[lamp], finish={"dusk": {"on": True, "colour": "#ffffff"}}))
    red, green, blue = night[90, 160]
    assert red > 1.5 * green > 1.5 * blue
    assert red > 4 * night[90, 20, 0]


def test_a_lamp_goes_along_with_the_mark_it_hangs_on() -> None:
    route = {
        "id": "r", "points": [{"x": -100, "y": 0}, {"x": 100, "y": 0}], "look": {"opacity": 0, "edge": 0},
        "draws": {"shown": True, "seconds": 2.0}, "traveller": {"size": 2, "edge": 0},
    }  # fmt: skip
    look = {"bright": 8, "reach": 60, "glow": 0, "burns": "always"}
    lamp = {**PLACE, "hangs": "r", "height": 30, "comes": {"how": "cut"}, "look": look}
    film = film_of({"hold": 4}, routes=[route], lamps=[lamp])
    for frame in (10, 25, 40):
        way = choreograph(film).timeline.way("r", Time(frame))
        row = light(film, frame)[60, :, 0] - BASE
        brightest = float((row * np.arange(320)).sum() / row.sum())
        assert brightest == pytest.approx(160 - 100 + way, abs=2)


def test_haze_hides_by_distance() -> None:
    haze = {"on": True, "clear": 1.0, "sees": 0.5, "colour": "#ffffff"}
    view = {"span": 320, "tilt": 60}
    hazy = light(film_of(view, finish={"haze": haze}))
    pose = Pose(0, 0, 320, 60)
    for v in (40, 70, 130):
        nearness = (pose.ground_from_frame(SIZE) @ [160.5, v + 0.5, 1])[2]
        left = math.exp(-max(1 / nearness - 1.0, 0) / 0.5)
        assert hazy[v, 160, 1] == pytest.approx(BASE * left + (1 - left), rel=0.02)


def test_night_is_as_dark_and_as_blue_on_the_ground_as_in_the_air_and_on_clouds() -> None:
    dusk = {"on": True, "dark": 2.0, "colour": "#4060c0"}
    luminance = np.array([0.2126, 0.7152, 0.0722])
    ground = light(film_of(finish={"dusk": dusk})).mean(axis=(0, 1)) / BASE
    haze = {"on": True, "clear": 0.0, "sees": 0.01, "colour": "#ffffff"}
    air = light(film_of(finish={"dusk": dusk, "haze": haze})).mean(axis=(0, 1))
    assert air == pytest.approx(ground, rel=0.08)
    assert air @ luminance == pytest.approx(1 / 4, rel=0.05)
    # Clouds are lit from above: less dark than the ground by the share that is said.
    look = DECK | {"cover": 1.0, "soft": 0.0, "colour": "#ffffff", "parts": 1.01}
    days, nights = (
        light(film_of(decks=[{"height": 10.0, "look": look}], finish=finish)).mean(axis=(0, 1))
        for finish in ({}, {"dusk": dusk})
    )
    assert nights / days == pytest.approx(ground**MOONLIT, rel=0.08)


@pytest.mark.parametrize("cover", [0.25, 0.5, 0.75])
def test_a_deck_covers_as_much_of_the_sky_as_it_says(cover: float) -> None:
    # From far above, so that many clouds are seen; black cloud without light and shade of its own to hide in.
    look = {"cover": cover, "size": 20, "soft": 0.2, "opacity": 1, "colour": "#000000", "shadow": 0}
    shares = []
    for seed in range(6):
        deck = {"height": 10, "look": look | {"seed": seed}}
        shares.append([1 - light(film_of({"span": span}, decks=[deck])).mean() / BASE for span in (400, 1500, 6000)])
    # However far away they are: where single clouds are finer than a pixel, their mean is drawn.
    assert np.mean(shares, axis=0) == pytest.approx(np.full(3, cover), abs=0.06)


def shift(one: np.ndarray, other: np.ndarray) -> int:
    """How many pixels a picture's columns are to the right of another's."""
    scores = {}
    for by in range(-60, 61):
        a = one[:, max(by, 0) : 320 + min(by, 0)]
        b = other[:, max(-by, 0) : 320 + min(-by, 0)]
        scores[by] = float(np.corrcoef(a.ravel(), b.ravel())[0, 1])
    return max(scores, key=lambda by: scores[by])


def test_cloud_slides_against_the_ground_as_what_is_at_its_height() -> None:
    high = 100.0
    deck = {"height": high, "look": DECK}
    pictures = [light(film_of({"x": x, "span": 320}, decks=[deck]))[..., 1] for x in (0.0, 20.0)]
    # The pinhole: 20 units of the camera's way are 20 pixels on the ground, and more of what is nearer.
    eye = 320 * 35 / 36
    assert shift(pictures[0], pictures[1]) == pytest.approx(20 * eye / (eye - high), abs=1)


def test_the_wind_carries_cloud_and_its_shadow_falls_where_the_sun_throws_it() -> None:
    blown = {"height": 1.0, "look": DECK | {"wind": 10.0, "towards": 90.0}}
    film = film_of({"hold": 4}, decks=[blown])
    first, later = (light(film, frame)[..., 1] for frame in (0, 50))
    assert shift(later, first) == pytest.approx(20, abs=1)
    # The sun stands in the west, as high as 45 degrees: a cloud's shadow lies as far east as it is high.
    high = 30.0
    sun = {"on": True, "azimuth": 270.0, "height": 45.0, "tints": 0}
    deck = {"height": high, "look": DECK | {"shadow": 1.0}}
    shaded = film_of({"span": 300}, decks=[deck], finish={"sun": sun})
    view = View.of(Pose(0, 0, 300), SIZE)
    scene = scene_at(shaded, choreograph(shaded), Time(0))
    sky = Sky(scene, view, 0.0)
    shade = sky.shade()
    assert shade is not None
    places = Places.of(view)
    west = Places(places.x - high, places.y, places.nearness)
    dense = density_of(*sky.noise(scene.decks[0], west, np.full(places.x.shape, 60 / 12)), scene.decks[0].look)
    assert np.abs((1 - dense) - shade).max() < 0.02


def test_cloud_parts_before_the_camera_and_lies_over_what_is_below_it() -> None:
    look = DECK | {"cover": 1.0, "opacity": 1.0, "parts": 3.0}
    through = []
    for eye in (400, 150, 110, 101):
        # The eye of a 36 mm lens is as high as the span is wide.
        film = film_of({"span": float(eye), "focal": 36}, decks=[{"height": 100.0, "look": look}])
        through.append(float(light(film)[..., 1].mean() / BASE))
    assert through == sorted(through)
    assert through[0] < 0.05
    assert through[-1] > 0.98
    # White as one passes.
    veiled = film_of(
        {"span": 101.0, "focal": 36}, decks=[{"height": 100.0, "look": look | {"white": 1.0, "colour": "#ffffff"}}]
    )
    assert light(veiled).mean() > 0.8
    # A name below it is hidden, one above it is not.
    names = {"comes": {"how": "cut"}, "look": {"colour": "#ff0000", "halo": 0, "size": 300}, "sits": "over"}
    deck = {"height": 50.0, "look": look}
    for height, seen in ((10.0, False), (80.0, True)):
        label = {"text": "HHH", **PLACE, "height": height, **names}
        picture = light(film_of(labels=[label], decks=[deck]))
        assert bool(picture[..., 0].max() > 0.5) == seen


EVERYTHING = {
    "sun": {"on": True, "warmth": 3500}, "dusk": {"on": True, "share": 0.7}, "haze": {"on": True},
    "lens": {"on": True, "f_number": 2.0}, "shutter": {"on": True},
}  # fmt: skip


def rich() -> Film:
    """A film with everything on, over a fine texture."""
    picture = {"sha256": "a" * 64, "width": 600, "height": 400}
    plates = [{"name": "p", "picture": picture, "placement": {"kind": "similarity", "x": 0, "y": 0, "scale": 4}}]
    passage = {"duration": {"unit": "seconds", "value": 2}}
    views = [
        {"span": 900.0, "passage": passage, "hold": 0.4},
        {"span": 400.0, "tilt": 50, "heading": 30, "x": 90, "passage": passage, "hold": 0.4},
        {"span": 700.0, "tilt": 35, "x": -200, "y": 60, "roll": 12, "hold": 0.4},
    ]
    lamps = [{"x": x, "y": 30, "height": 30, "look": {"reach": 150, "flicker": 0.3}} for x in (0.0, 120.0, -150.0)]
    decks = [{"height": 150.0, "look": {"size": 300, "cover": 0.4}}]
    labels = [{"text": "Name", "x": 20, "y": 10, "height": 40}]
    return film_of(*views, plates=plates, lamps=lamps, decks=decks, labels=labels, finish=EVERYTHING)


def test_a_draft_shows_all_that_the_final_shows() -> None:
    film = rich()
    renderer = Renderer(lambda key: Texture(600, 400), PageStore(32))
    frames = np.random.default_rng(3).integers(0, choreograph(film).frames, 10)
    for frame in frames.tolist():
        draft, final = (
            renderer.render(Request(film, Time(frame), FrameSize(640, 360), quality)).rgb for quality in Quality
        )
        assert structural_similarity(draft, final, channel_axis=2) > 0.9


def test_the_same_frame_is_drawn_the_same_by_anybody_and_a_part_of_it_as_in_the_whole() -> None:
    film = rich()
    one, other = (Renderer(lambda key: Texture(600, 400), PageStore(32)) for _ in range(2))
    other.render(Request(film, Time(3), SIZE))
    request = Request(film, Time(40), SIZE)
    whole = one.render(request).pixels
    assert np.array_equal(whole, other.render(request).pixels)
    left, top, width, height = 64, 32, 128, 96
    part = one.render(Request(film, Time(40), SIZE, region=(left, top, width, height))).pixels
    off = np.abs(whole[top : top + height, left : left + width].astype(int) - part).max(axis=2)
    assert (off > 12).mean() < 0.01


def test_each_effect_can_be_left_out_of_a_picture() -> None:
    film = rich()
    plain = film.model_copy(update={"finish": film.finish.without(EVERYTHING)})
    assert np.array_equal(light(film, 40, without=frozenset(EVERYTHING)), light(plain, 40))
    for name in EVERYTHING:
        assert not np.array_equal(light(film, 40, without=frozenset({name})), light(film, 40))


@pytest.mark.parametrize(
    ("finish", "says"),
    [
        ({"lens": {"f_number": 0}}, "greater than or equal to 0.5"),
        ({"lens": {"f_number": math.nan}}, "f_number"),
        ({"lens": {"focus": {"on": "free", "distance": -5}}}, "greater than"),
        ({"shutter": {"angle": 720}}, "less than or equal to 360"),
        ({"sun": {"date": "2026-02-30"}}, "day is out of range"),
        ({"haze": {"sees": 0}}, "greater than or equal to 0.01"),
    ],
)
def test_what_no_lens_and_no_sky_has_is_refused(finish: dict, says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        film_of(finish=finish)
    with pytest.raises(ValidationError, match="20 items"):
        film_of(decks=[{"name": f"{k}"} for k in range(50)])


@pytest.mark.parametrize(
    "more",
    [
        {"lamps": [{"x": 1e9, "y": -1e9, "height": 1e7, "look": {"reach": 1e8, "bright": 50, "beam": 1}}]},
        {"decks": [{"height": 1e-3, "look": {"size": 1e-3}}, {"height": 1e8, "look": {"size": 1e8}}]},
        {"finish": {"lens": {"on": True, "f_number": 0.5, "nearness": 0.05}, "shutter": {"on": True, "samples": 64}}},
        {"finish": {"lens": {"on": True, "model": "scale", "scale": 1e9, "focus": {"on": "free", "distance": 1e-6}}}},
    ],
)
def test_the_utmost_that_may_be_set_gives_a_clean_picture(more: dict) -> None:
    film = film_of({"span": 320, "tilt": 84}, **more)
    picture = light(film)
    assert np.isfinite(picture).all()


@pytest.mark.parametrize(("size", "cell"), [((40, 60), 4), ((41, 63), 4), ((7, 3), 2), ((3, 2), 8)])
def test_light_on_a_grid_is_the_mean_of_its_pixels(size: tuple[int, int], cell: int) -> None:
    """By hand, in the decoding of colour-science."""
    pixels = np.random.default_rng(7).integers(0, 256, (*size, 4), np.uint8)
    light = eotf_sRGB(pixels[..., :3] / 255)
    found = on_a_grid(pixels, cell)
    for row in range(-(-size[0] // cell)):
        for column in range(-(-size[1] // cell)):
            part = light[row * cell : (row + 1) * cell, column * cell : (column + 1) * cell]
            assert found[row, column] == pytest.approx(part.mean(axis=(0, 1)), abs=1e-5)
    assert found.shape == (-(-size[0] // cell), -(-size[1] // cell), 3)
