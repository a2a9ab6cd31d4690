"""Insets: where their corners are, which picture of a clip is seen, and how they come."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import write_picture
from tests.formats.test_clips import even, number_of, written
from yaila.core.camera import FrameSize
from yaila.core.errors import BadEdit
from yaila.core.film import Film, Inset, Marker, Vantage
from yaila.core.film.acts import AddInset, AddSound, DragMark, RemoveMarks, Retime
from yaila.core.film.marked import ShownClip, ShownPicture
from yaila.core.film.plan import plan_of
from yaila.core.film.sounds import FileSound
from yaila.core.imagery import PageStore
from yaila.core.picture import Kit, Quality, Renderer, Request
from yaila.core.time import FilmMoment, MarkMoment, Time
from yaila.store import Store

SIZE = FrameSize(640, 360)
RED = (220, 30, 20)


def film(tilt: float = 0.0, **more: object) -> Film:
    views = [
        Vantage(id="a", x=0, y=0, span=1000, tilt=tilt, hold=3),
        Vantage(id="b", x=4000, y=0, span=1000, tilt=tilt, hold=1),
    ]
    return Film(frame={"width": 640, "height": 360}, background="#000000", vantages=views, **more)


@pytest.fixture
def red(store: Store, tmp_path: Path) -> ShownPicture:
    """A picture of 400 x 200 that is red all over."""
    pixels = np.full((200, 400, 3), RED, np.uint8)
    picture = store.pictures.add(write_picture(tmp_path / "red.png", pixels), "red.png")
    return ShownPicture(sha256=picture.sha256, width=400, height=200)


def drawn(store: Store, made: Film, frame: int, size: FrameSize = SIZE) -> np.ndarray:
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)
    return renderer.render(Request(made, Time(frame), size, Quality.FINAL)).pixels


def inset(shows: ShownPicture | ShownClip, **more: object) -> Inset:
    plain = {"edge": 0, "shadow": 0, "round": 0, "size": 200} | dict(more.pop("look", {}))  # type: ignore[call-overload]
    cut = {"how": "cut"}
    return Inset.model_validate({"id": "i", "shows": shows, "comes": cut, "goes": cut, "look": plain, **more})


def box(pixels: np.ndarray) -> tuple[int, int, int, int]:
    """The pixels that are red: left, top, right, bottom."""
    rows, columns = np.nonzero(pixels[..., 0] > 120)
    return int(columns.min()), int(rows.min()), int(columns.max()) + 1, int(rows.max()) + 1


def test_one_that_faces_the_camera_stands_over_its_place_as_wide_as_it_is_said(store: Store, red: ShownPicture) -> None:
    made = film(insets=[inset(red, x=100, y=50, gap=10)])
    # 640 pixels for 1,000 units: its place is at 384, 148 of the frame.
    assert box(drawn(store, made, 10)) == (284, 38, 484, 138)
    # As large in a frame of half the size.
    assert box(drawn(store, made, 10, FrameSize(320, 180))) == (142, 19, 242, 69)
    made.insets[0].look = made.insets[0].look.model_copy(update={"scales": "ground", "ground": 500.0})
    left, _, right, _ = box(drawn(store, made, 10))
    assert right - left == 320


def test_a_board_lies_where_the_ground_has_its_corners(store: Store, red: ShownPicture) -> None:
    board = inset(red, x=50, y=20, stands="board", turn=30, look={"scales": "ground", "ground": 300})
    for tilt in (0.0, 50.0):
        made = film(tilt, insets=[board])
        pixels = drawn(store, made, 10)
        turn = math.radians(30)
        across, ahead = np.array([math.cos(turn), -math.sin(turn)]), np.array([math.sin(turn), math.cos(turn)])
        from yaila.core.camera import View

        view = View.of(made.vantages[0].pose, SIZE)
        for u in (-1, 1):
            for v in (-1, 1):
                corner = np.array([50.0, 20.0]) + across * 150 * u + ahead * 75 * v
                inside, outside = (
                    view.project((np.array([50.0, 20.0]) + (corner - [50, 20]) * by)[None])[0, :2]
                    for by in (0.97, 1.03)
                )
                assert pixels[int(inside[1]), int(inside[0]), 0] > 150
                assert pixels[int(outside[1]), int(outside[0]), 0] < 60


def test_in_the_frame_and_over_all_of_it(store: Store, red: ShownPicture) -> None:
    made = film(insets=[inset(red, stands="frame", u=0.25, v=0.5)])
    assert box(drawn(store, made, 10)) == (60, 130, 260, 230)
    made.insets[0].stands = "full"
    assert box(drawn(store, made, 10)) == (0, 0, 640, 360)
    assert (drawn(store, made, 10)[..., 0] > 200).all()
    # Cut to half its width it is as high as before.
    made.insets[0].stands = "frame"
    made.insets[0].crop = made.insets[0].crop.model_copy(update={"left": 25.0, "right": 25.0})
    assert box(drawn(store, made, 10)) == (60, 80, 260, 280)


@pytest.mark.parametrize("how", ["fade", "grow", "unfold", "iris", "pop"])
def test_it_comes_and_goes_little_by_little(how: str, store: Store, red: ShownPicture) -> None:
    one = inset(red, stands="frame", starts=FilmMoment(seconds=0.4), ends=FilmMoment(seconds=2.0))
    arrival = {"how": how, "frames": 10}
    made = film(insets=[Inset.model_validate(one.model_dump() | {"comes": arrival, "goes": arrival})])

    def there(frame: int) -> float:
        return float(drawn(store, made, frame)[..., 0].astype(float).sum())

    assert there(9) == 0
    coming = [there(frame) for frame in (11, 14, 21)]
    assert 0 < coming[0] < coming[1] < coming[2] * 1.3
    assert there(30) == pytest.approx(200 * 100 * RED[0], rel=0.02)
    assert there(48) < there(43) < there(30) * 1.3
    assert there(50) == 0


def test_a_clip_shows_the_picture_of_the_moment(store: Store, tmp_path: Path) -> None:
    clip = store.clips.add(written(tmp_path / "a.mp4", even(50)), "a.mp4")
    made = AddInset(inset=inset(clip, stands="frame", look={"size": 320}), frame=10).done_to(film())
    assert made.insets[0].ends == MarkMoment(mark="i", offset=50)

    def shown(frame: int, of: Film = made) -> int:
        left, top = 160, 90
        return number_of(drawn(store, of, frame)[top : top + 180, left : left + 320])

    assert [shown(frame) for frame in (10, 11, 35, 59)] == [0, 1, 25, 49]
    fast = made.model_copy(deep=True)
    fast.insets[0].shows = clip.model_copy(update={"speed": 2.0, "skip": 0.4, "after": "again"})
    fast.insets[0].ends = None
    assert [shown(frame, fast) for frame in (10, 15, 29, 30)] == [10, 20, 48, 10]
    gone = made.model_copy(deep=True)
    gone.insets[0].shows = clip.model_copy(update={"after": "gone"})
    gone.insets[0].ends = None
    assert drawn(store, gone, 61).max() <= 255
    assert not drawn(store, gone, 62)[..., :3].any()
    waits = made.model_copy(deep=True)
    waits.insets[0].shows = clip.model_copy(update={"waits": True})
    waits.insets[0].comes = waits.insets[0].comes.model_copy(update={"how": "iris", "frames": 10})
    assert [shown(frame, waits) for frame in (21, 25)] == [1, 5]


def test_draft_and_final_show_the_same_and_what_is_gone_is_a_grey_card(store: Store, tmp_path: Path) -> None:
    clip = store.clips.add(written(tmp_path / "a.mp4", even(30), 1280, 720), "a.mp4")
    made = AddInset(inset=inset(clip, stands="frame", look={"size": 320}), frame=0).done_to(film())
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)
    request = Request(made, Time(12), SIZE, Quality.DRAFT)
    draft, final = (
        renderer.render(replace(request, quality=one)).rgb.astype(float) for one in (Quality.DRAFT, Quality.FINAL)
    )
    assert np.abs(draft - final).mean() < 1
    bare = Renderer(store.pictures.pyramid, PageStore(64), Kit()).render(request).rgb
    assert bare[180, 320].tolist() == [0x6F, 0x7C, 0x80]


def test_beside_a_marker_it_belongs_to_it_and_its_sound_goes_with_it(red: ShownPicture) -> None:
    made = film(markers=[Marker(id="m", x=10, y=10, starts=FilmMoment(seconds=1))])
    made = AddInset(inset=inset(red, x=12, y=11), reach=5, stays=2).done_to(made)
    one = made.insets[0]
    assert (one.x, one.y, one.starts) == (10, 10, MarkMoment(mark="m"))
    made = AddSound(frame=0, file=FileSound(sha256="a" * 64, seconds=9), hangs="i").done_to(made)
    assert [(plan.start, plan.end) for plan in plan_of(made).sounds] == [(25.0, 75.0)]
    assert made.lanes[0].name == "Clips"
    made.markers[0].starts = FilmMoment(seconds=1.4)
    assert plan_of(Retime(vantage="a", hold=90).done_to(made)).sounds[0].start == 35.0
    bare = RemoveMarks(marks=["i", "m"]).done_to(made)
    assert [(plan.start, plan.end) for plan in plan_of(bare).sounds] == [(35.0, 85.0)]


def test_it_is_dragged_in_the_viewfinder(red: ShownPicture) -> None:
    made = film(insets=[inset(red, stands="frame")])
    moved = DragMark(mark="i", frame=0, start=(0.5, 0.5), to=(0.6, 0.4)).done_to(made)
    assert (moved.insets[0].u, moved.insets[0].v) == pytest.approx((0.6, 0.4))
    made.insets[0].stands = "full"
    with pytest.raises(BadEdit, match="chart"):
        DragMark(mark="i", frame=0, start=(0.5, 0.5), to=(0.6, 0.4)).done_to(made)


def test_a_clip_that_was_spoilt_since_is_a_grey_card_and_no_error(store: Store, tmp_path: Path) -> None:
    clip = store.clips.add(written(tmp_path / "a.mp4", even(30)), "a.mp4")
    made = AddInset(inset=inset(clip, stands="frame", look={"size": 320}), frame=0).done_to(film())
    source = store.clips.source(clip.sha256)
    source.write_bytes(b"spoilt" * 100)
    pixels = Renderer(store.pictures.pyramid, PageStore(64), Store(store.home).kit).render(
        Request(made, Time(12), SIZE, Quality.DRAFT)
    )
    assert pixels.rgb[180, 320].tolist() == [0x6F, 0x7C, 0x80]
