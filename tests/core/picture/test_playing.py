"""Plates that play a clip: the right picture of it lies where the plate's own would, with all that is done to that."""

from __future__ import annotations

import gc
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.formats.test_clips import even, number_of, picture, written
from tests.truth import psnr
from yaila.core.camera import FrameSize, View
from yaila.core.film import Film, Plate, Vantage, choreograph
from yaila.core.film.acts import LayInset, RemoveVantages, SwapPicture, TiePlate
from yaila.core.film.marked import Inset, Plays, ShownClip
from yaila.core.film.model import PictureRef, Tie
from yaila.core.film.scene import scene_at
from yaila.core.ground import Homography, Point, Similarity
from yaila.core.imagery import PageStore
from yaila.core.imagery.moving import MovingPyramid
from yaila.core.picture import Kit, Quality, Renderer, Request
from yaila.core.soundings.budget import budget_of
from yaila.core.time import FilmMoment, Time, VantageMoment
from yaila.formats.stills import write_still
from yaila.store import Store

SIZE = FrameSize(640, 360)


@pytest.fixture
def clip(store: Store, tmp_path: Path) -> tuple[ShownClip, PictureRef]:
    """A clip of 50 pictures that say their numbers, and its first picture."""
    shown = store.clips.add(written(tmp_path / "a.mp4", even(50), crf="4"), "a.mp4")
    pixels = store.clips.open(shown.sha256).at(0.0, 320)
    still = tmp_path / "first.png"
    write_still(still, FrameSize(320, 180), lambda out: np.copyto(out, pixels), tmp_path / "raw")
    return shown, store.pictures.add(still, "first.png")


def film(clip: tuple[ShownClip, PictureRef], starts: float = 0.4, **more: object) -> Film:
    """A plate that plays, as wide as the frame."""
    shown, still = clip
    plays = Plays(clip=shown.model_copy(update=more.pop("shown", {})), starts=FilmMoment(seconds=starts))
    placed = {"placement": Similarity(x=0, y=0, scale=1000 / 320)} | more
    plate = Plate.model_validate({"id": "p", "name": "Rain", "picture": still, "plays": plays, **placed})
    views = [Vantage(id=name, x=0, y=0, span=1000, hold=2) for name in ("a", "b")]
    frame = {"width": 640, "height": 360}
    return Film(frame=frame, background="#000000", vantages=views, plates=[plate])


def renderer_of(store: Store, kit: Kit | None = None) -> Renderer:
    return Renderer(store.pictures.pyramid, PageStore(64), kit or store.kit)


def shown(renderer: Renderer, made: Film, frame: int, quality: Quality = Quality.FINAL) -> np.ndarray:
    return renderer.render(Request(made, Time(frame), SIZE, quality)).pixels


def test_the_picture_of_the_moment_is_seen_and_before_it_begins_the_first(
    store: Store, clip: tuple[ShownClip, PictureRef]
) -> None:
    made, renderer = film(clip), renderer_of(store)
    assert [number_of(shown(renderer, made, frame)) for frame in (0, 9, 10, 11, 40, 11)] == [0, 0, 0, 1, 30, 1]
    fast = film(clip, shown={"speed": 2.0, "skip": 0.4, "after": "again"})
    assert [number_of(shown(renderer, fast, frame)) for frame in (10, 15, 29, 30)] == [10, 20, 48, 10]
    assert number_of(shown(renderer, film(clip), 90)) == 49
    draft = shown(renderer, made, 25, Quality.DRAFT)
    assert psnr(draft[..., :3], shown(renderer, made, 25)[..., :3]) > 30


def test_one_that_is_gone_after_its_end_is_bare_ground(store: Store, clip: tuple[ShownClip, PictureRef]) -> None:
    made, renderer = film(clip, shown={"after": "gone"}), renderer_of(store)
    assert shown(renderer, made, 59)[..., :3].any()
    assert not shown(renderer, made, 60)[..., :3].any()
    seen = budget_of(made, choreograph(made))
    assert seen.bare_share[seen.frames < 60].max() < 0.05
    assert seen.bare_share[seen.frames >= 60].min() == 1


def test_it_lies_as_its_picture_is_fitted(store: Store, clip: tuple[ShownClip, PictureRef]) -> None:
    """Against OpenCV's warp by the same map, which knows nothing of pyramids."""
    corners = np.array([[-480, 260], [430, 200], [470, -240], [-400, -230]], np.float32)
    square = np.array([[0, 0], [320, 0], [320, 180], [0, 180]], np.float32)
    map_ = cv2.getPerspectiveTransform(square, corners).astype(float)
    made = film(clip, placement=Homography(coefficients=tuple(map_.ravel().tolist())))
    pose = choreograph(made).pose(Time(30))
    to_frame = np.linalg.inv(View.of(pose, SIZE).ground_from_frame) @ map_
    pixels = picture(20, 320, 180)
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1]])
    truth = cv2.warpPerspective(pixels, half @ to_frame @ np.linalg.inv(half), (640, 360), flags=cv2.INTER_LINEAR)
    inner = cv2.erode((truth.max(axis=2) > 0).astype(np.uint8), np.ones((15, 15))) > 0
    # The edges of bars are a pixel of the clip wide, whose colour is at half of its size (4:2:0).
    assert psnr(shown(renderer_of(store), made, 30)[inner][:, :3], truth[inner]) > 30


def test_what_is_done_to_a_plate_is_done_to_its_clip(store: Store, clip: tuple[ShownClip, PictureRef]) -> None:
    renderer = renderer_of(store)
    plain = shown(renderer, film(clip), 40).astype(int)
    half = shown(renderer, film(clip, opacity=0.5), 40).astype(int)
    assert np.abs(half[..., :3] * 2 - plain[..., :3]).max() <= 2
    darker = shown(renderer, film(clip, tone={"exposure": -1.0}), 40)
    assert number_of(np.where(darker > 60, 255, 0).astype(np.uint8)) == 30
    assert darker[100].mean() < plain[100].mean() * 0.85
    land = {"land": {"by": "brightness", "gamma": 1.0}}
    cut = shown(renderer, film(clip, **land), 40)
    seen = plain[270, :, 0] > 200
    assert cut[270, seen, 0].min() > 200
    assert cut[270, plain[270, :, 0] < 40, :3].max() == 0


def test_only_the_pictures_of_the_moment_are_held(store: Store, clip: tuple[ShownClip, PictureRef]) -> None:
    def held() -> int:
        gc.collect()
        return sum(isinstance(one, MovingPyramid) for one in gc.get_objects())

    made, renderer, before = film(clip), renderer_of(store), held()
    for frame in range(10, 20):
        shown(renderer, made, frame)
    assert held() == before + 1


def test_a_clip_that_is_gone_leaves_its_picture(store: Store, clip: tuple[ShownClip, PictureRef]) -> None:
    bare = renderer_of(store, replace(store.kit, clips=None))
    assert number_of(shown(bare, film(clip), 40)) == 0


def test_the_clip_of_an_inset_is_laid_and_goes_on_as_before(clip: tuple[ShownClip, PictureRef]) -> None:
    shown_clip, still = clip
    made = film(clip).model_copy(update={"plates": []})
    starts = VantageMoment(vantage="b", edge="arrives", offset=5)
    look = {"scales": "ground", "ground": 700}
    made.insets.append(
        Inset.model_validate({"id": "i", "name": "Rain", "x": 40, "y": -30, "shows": shown_clip, "starts": starts,
                              "stands": "board", "look": look})
    )  # fmt: skip
    laid = LayInset(inset="i", picture=still, id="q").done_to(made)
    assert not laid.insets
    (plate,) = laid.plates
    assert plate.plays == Plays(clip=shown_clip, starts=starts)
    corners = plate.matrix @ np.array([[0, 0, 1], [320, 180, 1]]).T
    assert np.allclose((corners / corners[2])[:2], [[-310, 390], [-30 + 700 * 9 / 32, -30 - 700 * 9 / 32]])
    begins = choreograph(laid).timeline.plays["q"]
    assert begins == choreograph(made).timeline.ranges["i"].start
    assert scene_at(laid, choreograph(laid), Time(begins.frame + 12)).playing == {"q": pytest.approx(12 / 25)}
    # What it hung on may go: it keeps its time. Another picture in its place stands still.
    alone = RemoveVantages(vantages=["b"]).done_to(laid)
    assert isinstance(alone.plates[0].plays.starts, FilmMoment)
    assert choreograph(alone).timeline.plays["q"] == begins
    assert SwapPicture(plate="q", picture=still.model_copy(update={"width": 640})).done_to(laid).plates[0].plays is None


def test_ties_move_the_clip(store: Store, clip: tuple[ShownClip, PictureRef]) -> None:
    pairs = [((0, 0), (-400, 300)), ((320, 0), (400, 300)), ((0, 180), (-400, -150))]
    ties = [Tie(x=x, y=y, to=Point(*to)) for (x, y), to in pairs]
    made = TiePlate(plate="p", ties=ties, model="affine").done_to(film(clip))
    corner = made.plates[0].matrix @ [320, 0, 1]
    assert (corner / corner[2])[:2] == pytest.approx([400, 300], abs=1e-6)
    # It reaches from above the frame to 96 pixels below its middle.
    assert number_of(shown(renderer_of(store), made, 40)[:272, 64:576]) == 30
