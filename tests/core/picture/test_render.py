"""One renderer: parts that give the whole again, regions of a frame, several plates uncovered at once."""

from __future__ import annotations

import time
from dataclasses import replace
from functools import partial

import numpy as np
import pytest
from skia import BlendMode, ColorBLACK, Image, Paint, Rect, Surface, kPremul_AlphaType, kRGBA_8888_ColorType

from tests.core.film.test_walk import SIZE, Texture, full
from yaila.core.camera import FrameSize, Pose
from yaila.core.colour import decoded, encoded
from yaila.core.film import Film, choreograph
from yaila.core.film.finish import EFFECTS
from yaila.core.film.marked import Label, Marker, Reveal
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request, render
from yaila.core.picture.layers import put_over
from yaila.core.picture.render import PAINTERS, PASSES, marks_on_the_ground
from yaila.core.picture.stage import Easel, Piece
from yaila.core.stopping import Stop, under
from yaila.core.time import FilmMoment, Time


@pytest.fixture
def renderer() -> Renderer:
    """One over plates of a fine texture."""
    return Renderer(lambda key: Texture(600, 400), PageStore(32))


@pytest.mark.parametrize("time", [27, 58, 82.5])
def test_ground_and_marks_laid_over_one_another_give_the_whole_again(renderer: Renderer, time: float) -> None:
    """As another library composes them (Skia's source-over)."""
    made = renderer.in_layers(Request(full(), Time(time), SIZE))
    pixels = made["ground"].copy()
    with Surface(pixels, colorType=kRGBA_8888_ColorType, alphaType=kPremul_AlphaType) as canvas:
        picture = Image.fromarray(made["marks"], colorType=kRGBA_8888_ColorType, alphaType=kPremul_AlphaType)
        canvas.drawImage(picture, 0, 0, paint=Paint(BlendMode=BlendMode.kSrcOver))
    opaque = made["ground"][..., 3] == 255
    assert opaque.mean() > 0.5
    assert np.abs(pixels.astype(int) - made[""])[opaque].max() <= 2


def test_what_lies_is_under_all_that_stands_and_depth_is_counted_from_the_eye(renderer: Renderer) -> None:
    film = full()
    film.labels += [Label(id="f", text="Title", stands="frame"), Label(id="g2", text="Below", stands="frame", v=0.7)]
    work = renderer._begun(Request(film, Time(90), SIZE))
    for one in PASSES[: PASSES.index(marks_on_the_ground) + 1]:
        one(work)
    depths = {piece.of: piece.depth for piece in work.standing}
    # Board, way and signs lie on the ground or are gone; the traveller, the high name and the title stand.
    assert set(depths) == {"r", "t", "f", "g2"}
    assert depths["f"] == 0
    # The pinhole camera: how far along its line of sight the name's place is.
    pose = choreograph(film).pose(Time(90))
    forward, distance = pose.axes()[2], pose.span * pose.focal / 36
    eye = np.array([pose.x, pose.y, 0]) - distance * np.array(forward)
    assert depths["t"] == pytest.approx(float((np.array([350, 210, 60]) - eye) @ forward) / distance, rel=1e-6)


@pytest.mark.parametrize("quality", list(Quality))
def test_a_region_of_a_frame_is_what_the_whole_shows_there(renderer: Renderer, quality: Quality) -> None:
    film = full()
    film.labels.append(Label(id="f", text="Title", stands="frame", u=0.5, v=0.5))
    whole = renderer.render(Request(film, Time(84), SIZE, quality)).pixels.astype(int)
    for left, top, width, height in ((100, 60, 200, 120), (0, 130, 480, 140), (333, 7, 60, 50)):
        part = renderer.render(Request(film, Time(84), SIZE, quality, region=(left, top, width, height))).pixels
        off = np.abs(whole[top : top + height, left : left + width] - part).max(axis=2)
        assert part.shape == (height, width, 4)
        assert (off > 3).mean() < 0.003


def test_without_a_background_what_no_plate_covers_is_clear(renderer: Renderer) -> None:
    film = Film(background="#204060", plates=full().plates[:1], vantages=[{"x": 300, "y": 200, "span": 900}])
    film.plates[0].reveal = None
    clear = renderer.render(Request(film, Time(0), FrameSize(90, 90), clear=True, pose=Pose(0, 200, 200))).pixels
    solid = renderer.render(Request(film, Time(0), FrameSize(90, 90), pose=Pose(0, 200, 200))).pixels
    # The plate's edge runs down the middle.
    assert (clear[:, :40] == 0).all()
    assert (clear[:, 50:, 3] == 255).all()
    assert (solid[:, :40] == (0x20, 0x40, 0x60, 255)).all()
    assert (solid[:, 50:] == clear[:, 50:]).all()


def uncovered(*names: str) -> Film:
    """Three plates over one another, in one colour each, of which some are uncovered from left to right."""
    plates = [
        {"id": key, "name": key, "picture": {"sha256": key * 64, "width": 100, "height": 100},
         "placement": {"kind": "similarity", "x": 0, "y": 0}} for key in "abc"
    ]  # fmt: skip
    film = Film(frame={"width": 100, "height": 100}, plates=plates, vantages=[{"span": 100, "hold": 10}])
    for plate in film.plates:
        if plate.id in names:
            starts = FilmMoment(seconds=1 if plate.id == "b" else 3)
            plate.reveal = Reveal(how="wipe", direction=90, frames=100, soft=0, starts=starts)
    return film


class Plain(Texture):
    """A picture of one colour."""

    def __init__(self, colour: tuple[int, int, int]) -> None:
        self._pixels = np.full((100, 100, 4), (*colour, 255), np.uint8)
        self.sizes = ((100, 100),)


COLOURS = {"a": (200, 0, 0), "b": (0, 200, 0), "c": (0, 0, 200)}


def test_where_an_upper_plate_is_open_a_lower_one_shows_only_as_far_as_it_is_uncovered() -> None:
    renderer = Renderer(lambda key: Plain(COLOURS[key[0]]), PageStore(16))
    film = uncovered("b", "c")
    shown = renderer.render(Request(film, Time(95), FrameSize(100, 100))).rgb[50]
    # b is there from the left up to where its edge is, c up to a quarter or so.
    assert tuple(shown[2]) == COLOURS["c"]
    assert tuple(shown[98]) == COLOURS["a"]
    seen = {colour: sum(tuple(pixel) == colour for pixel in shown) for colour in COLOURS.values()}
    assert seen[COLOURS["b"]] > 20
    edges = [int(np.flatnonzero((shown == colour).all(axis=1)).max()) for colour in (COLOURS["c"], COLOURS["b"])]
    # Each is where the ease of its own time has it (smoothstep, over 102 % of its width and a rim of 5 %).
    for edge, start in zip(edges, (75, 25), strict=True):
        share = (95 - start) / 100
        assert edge == pytest.approx(102 * share * share * (3 - 2 * share) - 1, abs=2)


def test_the_quick_way_for_one_opaque_plate_and_the_general_one_give_the_same_pixels() -> None:
    # A see-through speck of another plate in the stack makes no difference where it does not show.
    pose = Pose(300, 200, 350, 20, 15)
    film = full()
    film.plates = film.plates[:1]
    film.plates[0].reveal = None
    film = film.model_copy(update={"routes": [], "regions": [], "markers": [], "labels": []})
    renderer = Renderer(lambda key: Texture(600, 400), PageStore(32))
    quick = renderer.render(Request(film, Time(0), SIZE, Quality.DRAFT, pose)).pixels.astype(int)
    film.plates[0] = film.plates[0].model_copy(update={"opacity": 0.9998})
    general = Renderer(lambda key: Texture(600, 400), PageStore(32)).render(
        Request(film.model_copy(), Time(0), SIZE, Quality.DRAFT, pose)
    )
    assert np.abs(quick - general.pixels).max() <= 1


def test_every_kind_of_mark_has_its_painter_and_passes_stand_in_one_list() -> None:
    assert set(PAINTERS) == {"regions", "routes", "markers", "insets", "labels"}
    passes = [
        "optics_made_ready",
        "marks_made_ready",
        "light_made_ready",
        "finish_made_ready",
        "plates",
        "surface",
        "grade_of_the_ground",
        "under_the_map",
        "backdrop",
        "light_and_air",
        "marks_on_the_ground",
        "raised",
        "lens_and_shutter",
        "what_stands",
        "on_the_frame",
    ]
    assert [one.__name__ for one in PASSES] == passes
    film = full()
    film.markers.append(Marker(id="z", x=0, y=0))
    assert {mark.kind for mark in film.marks} == {"region", "route", "marker", "inset", "label"}


def test_a_frame_whose_time_is_over_shows_the_marks_that_there_was_time_for(
    renderer: Renderer, monkeypatch: pytest.MonkeyPatch
) -> None:
    # Marks that take a tenth of a second each to be worked out, side by side.
    def painting(k: int, easel: Easel) -> None:
        time.sleep(0.1)
        easel.canvas.drawRect(Rect(8 * k, 0, 8 * k + 8, 8), Paint(Color=ColorBLACK))

    slow = [Piece("slow", True, 0.0, partial(painting, k)) for k in range(40)]
    monkeypatch.setattr(render, "PAINTERS", {"markers": lambda scene, stage: slow})
    film = full()
    renderer.render(Request(film, Time(0), SIZE, part="ground"))
    with under(Stop(seconds=2.0)):
        made = renderer.render(Request(film, Time(0), SIZE, without=frozenset(EFFECTS)))
    black = [not made.pixels[2:6, 8 * k + 2 : 8 * k + 6, :3].any() for k in range(40)]
    assert made.unfinished
    assert black[:4] == [True] * 4
    assert not black[-1]


def test_what_is_played_back_is_what_is_painted_at_once(renderer: Renderer, monkeypatch: pytest.MonkeyPatch) -> None:
    film, times = full(), (20, 58, 82.5)
    played = [renderer.render(Request(film, Time(time), SIZE)).pixels for time in times]
    monkeypatch.setattr(Piece, "recorded", lambda self, seen: self)
    painted = [renderer.render(Request(film, Time(time), SIZE)).pixels for time in times]
    # Layers of one thing alone are done without, and there is one for all of a piece: each rounds once.
    assert np.abs(np.array(played).astype(int) - painted).max() <= 2


@pytest.mark.parametrize("at", [(-7, -5), (3, 4), (30, 20)])
def test_light_laid_over_pixels_is_over_in_linear_light(at: tuple[int, int]) -> None:
    """As NumPy works it out from the curves of sRGB ("over", W3C Compositing and Blending Level 1)."""
    random = np.random.default_rng(4)
    cover = random.random((20, 25, 1), np.float32) * (random.random((20, 25, 1)) > 0.3)
    light = np.concatenate([random.random((20, 25, 3), np.float32) * cover, cover], axis=-1).astype(np.float32)
    alpha = random.choice([0, 90, 255], (32, 40, 1)).astype(np.uint8)
    pixels = np.concatenate([(random.random((32, 40, 3)) * alpha).astype(np.uint8), alpha], axis=-1)
    left, top = at
    above = np.zeros((72, 80, 4))
    above[20 + top : 40 + top, 20 + left : 45 + left] = light
    above, share = above[20:52, 20:60], pixels[..., 3:] / 255
    below = decoded(np.where(share > 0, pixels[..., :3] / 255 / np.maximum(share, 1e-9), 0)) * share
    covered = above[..., 3:] + share * (1 - above[..., 3:])
    colour = above[..., :3] + below * (1 - above[..., 3:])
    want = np.concatenate([encoded(np.clip(colour / np.maximum(covered, 1e-9), 0, 1)) * covered, covered], -1) * 255
    put_over(pixels, light, at)
    assert np.abs(pixels - want).max() <= 1


def test_pages_of_the_next_frame_are_read_while_a_film_plays() -> None:
    """And not while somebody looks at one frame here and one there."""
    read: list[tuple[int, int]] = []

    class Wide(Texture):
        def page(self, level: int, column: int, row: int, out: np.ndarray) -> None:
            read.append((column, row))
            super().page(level, column, row, out)

    wide = {"sha256": "a" * 64, "width": 8000, "height": 400}
    lies = {"kind": "similarity", "x": 4000, "y": 200}
    places = {"a": (500, {"manner": {"kind": "skim"}, "duration": {"unit": "frames", "value": 60}}), "b": (7500, {})}
    film = Film(
        frame={"width": 480, "height": 270},
        plates=[{"id": "p", "name": "Coast", "picture": wide, "placement": lies}],
        vantages=[
            {"id": id, "name": id, "x": x, "y": 200, "span": 400, "hold": 0, "passage": passage}
            for id, (x, passage) in places.items()
        ],
    )
    picture, request = Wide(8000, 400), Request(film, Time(30), SIZE, Quality.DRAFT)

    def drawn(*frames: int) -> set[tuple[int, int]]:
        """Which pages have been read once these are drawn, and it is quiet."""
        read.clear()
        renderer = Renderer(lambda key: picture, PageStore(32))
        for frame in frames:
            renderer.render(replace(request, time=Time(frame)))
        quiet = time.monotonic() + 0.3
        while (known := len(read)) and time.monotonic() < quiet:
            time.sleep(0.02)
            quiet = quiet if known == len(read) else time.monotonic() + 0.3
        return set(read)

    both, next_one = drawn(28) | drawn(30), drawn(32)
    assert next_one - both
    assert drawn(28, 30) >= next_one
    assert drawn(2, 30) == drawn(2) | drawn(30)
