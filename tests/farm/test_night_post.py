"""The demo film, with coarse pictures, in five forms and as a still: as `yaila still` draws it, and others read it."""

from __future__ import annotations

import json
import subprocess
import zipfile
from pathlib import Path

import av
import imageio.v3 as imageio
import numpy as np
import pytest
import rasterio

from tests.truth import psnr
from yaila.core.camera import FrameSize
from yaila.core.errors import BadRender
from yaila.core.film import Film
from yaila.core.imagery import PageStore
from yaila.core.picture import Part, Quality, Renderer, Request
from yaila.core.picture import render as rendering
from yaila.core.time import Time, timecode
from yaila.farm.reel import ReelSettings, counted_of, folder_of, render
from yaila.standin.night_post import ensure_night_post
from yaila.store import Store

FIRST, LAST, WIDTH = 738, 745, 320


@pytest.fixture(scope="module")
def post(tmp_path_factory: pytest.TempPathFactory) -> tuple[Store, Film]:
    store = Store(tmp_path_factory.mktemp("post"))
    ensure_night_post(store, lambda text: None, fine=1 / 14)
    return store, store.films.find("The Night Post").film


def reel(post: tuple[Store, Film], path: Path, form: str, part: Part = "all") -> Path:
    store, film = post
    settings = ReelSettings(first=FIRST, last=LAST, width=WIDTH, form=form, part=part, crf=12)
    render(
        film, store.pictures.pyramid, path, settings, pages=PageStore(64), kit=store.kit, open_sound=store.sounds.read
    )
    return path


def still(post: tuple[Store, Film], frame: int, part: Part = "all", clear: bool = False) -> np.ndarray:
    store, film = post
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)
    size = FrameSize(WIDTH, WIDTH * film.frame.height // film.frame.width)
    return renderer.render(Request(film, Time(frame), size, Quality.FINAL, clear=clear, part=part)).pixels


def probed(path: Path) -> dict[str, dict]:
    """What ffprobe, of the distribution, says of a film: its picture, its sound, and the whole."""
    asked = ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-count_frames", "-of", "json", str(path)]
    said = json.loads(subprocess.run(asked, check=True, capture_output=True, text=True).stdout)
    return {one["codec_type"]: one for one in said["streams"]} | {"format": said["format"]}


def test_for_the_web_with_its_sound(post: tuple[Store, Film], tmp_path: Path) -> None:
    path = reel(post, tmp_path / "film.mp4", "h264")
    found = probed(path)
    video, sound = found["video"], found["audio"]
    assert (video["codec_name"], video["width"], video["height"]) == ("h264", 320, 180)
    assert (video["avg_frame_rate"], int(video["nb_read_frames"])) == ("25/1", 8)
    assert (video["color_space"], video["color_transfer"], video["color_primaries"]) == ("bt709",) * 3
    assert video["color_range"] == "tv"
    assert (sound["codec_name"], sound["sample_rate"], sound["channels"]) == ("aac", "48000", 2)
    assert video["tags"]["timecode"] == timecode(FIRST, post[1].fps)
    with av.open(str(path)) as film:
        frames = [frame.to_ndarray(format="rgb24") for frame in film.decode(video=0)]
    for k in (0, 4, 7):
        assert psnr(frames[k], still(post, FIRST + k)[..., :3]) > 34


def test_for_an_editor_with_transparency(post: tuple[Store, Film], tmp_path: Path) -> None:
    path = reel(post, tmp_path / "marks.mov", "prores4444", "marks")
    video = probed(path)["video"]
    assert (video["codec_name"], video["profile"], int(video["nb_read_frames"])) == ("prores", "4444", 8)
    assert video["pix_fmt"].startswith("yuva444p")
    with av.open(str(path)) as film:
        first = next(film.decode(video=0)).to_ndarray(format="rgba")
    wanted = still(post, FIRST, "marks")
    assert wanted[..., 3].max() == 255
    assert np.abs(first[..., 3].astype(int) - wanted[..., 3]).max() <= 4


def test_for_the_archive_without_loss(post: tuple[Store, Film], tmp_path: Path) -> None:
    path = reel(post, tmp_path / "film.mkv", "ffv1")
    found = probed(path)
    assert (found["video"]["codec_name"], found["audio"]["codec_name"]) == ("ffv1", "flac")
    with av.open(str(path)) as film:
        frames = [frame.to_ndarray(format="rgb24") for frame in film.decode(video=0)]
    assert np.array_equal(frames[5], still(post, FIRST + 5)[..., :3])


def test_frame_by_frame_with_its_sound_beside(post: tuple[Store, Film], tmp_path: Path) -> None:
    with zipfile.ZipFile(reel(post, tmp_path / "film.zip", "png")) as archive:
        names = archive.namelist()
        assert names[:8] == [f"frame.{number:06d}.png" for number in range(FIRST, LAST + 1)]
        assert names[8:] == ["sound.wav"]
        picture = imageio.imread(archive.read(names[3]))
    wanted = still(post, FIRST + 3, clear=True)
    assert np.array_equal(picture[..., 3], wanted[..., 3])
    assert np.array_equal(picture[wanted[..., 3] == 255], wanted[wanted[..., 3] == 255])


def test_as_a_preview(post: tuple[Store, Film], tmp_path: Path) -> None:
    pictures = imageio.imread(reel(post, tmp_path / "film.gif", "gif"), plugin="pillow")
    assert len(pictures) == 8
    assert psnr(pictures[4], still(post, FIRST + 4)[..., :3]) > 27


def rendered_still(post: tuple[Store, Film], path: Path, frame: int, width: int = WIDTH, **more: object) -> list[int]:
    store, film = post
    settings = ReelSettings.model_validate({"first": frame, "width": width, "form": "still", **more})
    done: list[int] = []
    render(film, store.pictures.pyramid, path, settings, done.append, pages=PageStore(64), kit=store.kit)
    assert not folder_of(path).exists()
    assert done[-1] == counted_of(film, settings)
    return done


@pytest.mark.parametrize("frame", [360, 738, 900, 1050])
def test_in_tiles_it_is_the_same_as_in_one_piece(
    post: tuple[Store, Film], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, frame: int
) -> None:
    monkeypatch.setattr(rendering, "TILE", (120, 60))
    done = rendered_still(post, tmp_path / "still.png", frame)
    assert done == list(range(10))
    found, whole = imageio.imread(tmp_path / "still.png"), still(post, frame)[..., :3]
    assert found.shape == whole.shape
    assert psnr(found, whole) > 46
    # No seam: along the tiles' edges it differs no more than elsewhere.
    off = np.abs(found.astype(int) - whole).mean(axis=2)
    seams = np.concatenate([off[:, [119, 120, 239, 240]].ravel(), off[[59, 60, 119, 120]].ravel()])
    assert seams.mean() < 2 * off.mean() + 0.2


def test_as_tiff_other_programs_read_it(post: tuple[Store, Film], tmp_path: Path) -> None:
    rendered_still(post, tmp_path / "still.tif", 738, form="stilltiff")
    with rasterio.open(tmp_path / "still.tif") as file:
        found = np.moveaxis(file.read(), 0, -1)
    assert psnr(found, still(post, 738)[..., :3]) > 46


def test_marks_alone_keep_what_is_see_through(post: tuple[Store, Film], tmp_path: Path) -> None:
    rendered_still(post, tmp_path / "marks.png", 1080, part="marks")
    found, marks = imageio.imread(tmp_path / "marks.png"), still(post, 1080, part="marks", clear=True)
    assert found.shape == (180, 320, 4)
    assert np.abs(found[..., 3].astype(int) - marks[..., 3]).max() <= 2
    # Straight: what is half there has all of its colour.
    opaque = marks[..., 3] > 250
    assert np.abs(found[opaque][:, :3].astype(int) - marks[opaque][:, :3]).max() <= 6


def test_what_is_too_large_is_refused_with_what_is_the_most(post: tuple[Store, Film], tmp_path: Path) -> None:
    assert counted_of(post[1], ReelSettings(first=5, width=16384, form="still")) > 50
    with pytest.raises(BadRender, match="8,192 a side"):
        counted_of(post[1], ReelSettings(width=16384))
    narrow = post[1].model_copy(update={"frame": post[1].frame.model_copy(update={"width": 400, "height": 4000})})
    with pytest.raises(BadRender, match="32,768 a side"):
        counted_of(narrow, ReelSettings(width=8192, form="still"))
    with pytest.raises(BadRender, match="is not among them"):
        rendered_still(post, tmp_path / "still.png", 9999)
    assert not list(tmp_path.glob("*.png"))
