"""Every form of delivery is read back by a reader of its own: size, rate, count, tags, timecode, alpha, and how near
the frames are to what was drawn."""

from __future__ import annotations

import io
import subprocess
import zipfile
from pathlib import Path

import av
import cv2
import imageio.v3 as imageio
import numpy as np
import OpenEXR
import pytest
import tifffile

from tests.truth import fine_texture, psnr
from yaila.core.camera import FrameSize
from yaila.core.colour import LINEAR_OF_BYTE
from yaila.core.errors import BadRender
from yaila.core.time import Rate, timecode
from yaila.formats.delivery import FORMS, Slate, Writer, delivery, form_of, joined
from yaila.formats.sequence import straight
from yaila.formats.stills import write_still

SIZE = FrameSize(256, 128)
RATE = Rate.parse("30000/1001")
COUNT = 7
FILMS = [key for key, form in FORMS.items() if form.coding and not form.whole]
PICTURES = [key for key, form in FORMS.items() if form.picture and not form.layers]


def frames() -> list[np.ndarray]:
    """A picture that moves, see-through to the right, premultiplied."""
    whole = cv2.GaussianBlur(fine_texture(288, 128, seed=3), (0, 0), 2.0)
    made = []
    for k in range(COUNT):
        rgba = np.zeros((128, 256, 4), np.uint8)
        rgba[..., 3] = np.clip(np.linspace(500, -60, 256), 0, 255).astype(np.uint8)[None]
        rgba[..., :3] = (whole[:, 4 * k : 4 * k + 256].astype(float) * rgba[..., 3:] / 255 + 0.5).astype(np.uint8)
        made.append(rgba)
    return made


def written(path: Path, key: str) -> Path:
    slate = Slate(timecode(1800, RATE), 1800)
    with delivery(FORMS[key], path, SIZE, RATE, 12, slate) as writer:
        for frame in frames():
            writer.write(frame)
    return path


@pytest.mark.parametrize("key", FILMS)
def test_a_film_comes_back_in_rate_count_tags_and_pictures(key: str, tmp_path: Path) -> None:
    form = FORMS[key]
    assert form.coding
    path = written(tmp_path / f"film{form.suffix}", key)
    assert not list(tmp_path.glob("*.part*"))
    with av.open(str(path)) as file:
        stream = file.streams.video[0]
        assert stream.average_rate == RATE.value
        code = {**file.metadata, **stream.metadata}
        context = stream.codec_context
        if key in ("vp9alpha",):
            # FFmpeg's own reader of VP9 leaves alpha out; libvpx's has it.
            context = av.codec.CodecContext.create("libvpx-vp9", "r")
            decoded = [one for packet in file.demux(stream) for one in context.decode(packet if packet.size else None)]
        else:
            decoded = list(file.decode(stream))
        times = [float(frame.pts * stream.time_base) for frame in decoded]
        own = stream.codec_context
        tags = (own.color_primaries, own.color_trc, own.colorspace)
        tall = (stream.codec_context.width, stream.codec_context.height)
        pixels = [frame.to_ndarray(format="rgba" if form.alpha else "rgb24") for frame in decoded]
    assert len(decoded) == COUNT
    assert tall == (SIZE.width, SIZE.height)
    # Matroska and WebM count milliseconds.
    assert times == pytest.approx([float(k / RATE.value) for k in range(COUNT)], abs=6e-4)
    if not form.coding.rgb:
        assert tags == (1, 1, 1)
    if form.suffix in (".mov", ".mp4", ".mkv"):
        found = {name.lower(): value for name, value in code.items()}
        if form.suffix != ".mkv":
            with av.open(str(path)) as file:
                for one in file.streams:
                    found |= {name.lower(): value for name, value in one.metadata.items()}
        assert found["timecode"] == "00:01:00;02"
    for got, frame in zip(pixels, frames(), strict=True):
        wanted = straight(frame) if form.alpha else frame[..., :3]
        if form.alpha:
            assert np.abs(got[..., 3].astype(int) - wanted[..., 3]).max() <= 3
            there = wanted[..., 3] > 200
            assert psnr(got[there][:, :3], wanted[there][:, :3]) > 30
        else:
            assert psnr(got, wanted) > 31
    if key == "ffv1":
        assert all(np.array_equal(got, frame[..., :3]) for got, frame in zip(pixels, frames(), strict=True))


@pytest.mark.parametrize("key", PICTURES)
def test_single_pictures_come_back_to_the_last_code(key: str, tmp_path: Path) -> None:
    path = written(tmp_path / "frames.zip", key)
    with zipfile.ZipFile(path) as archive:
        names = archive.namelist()
        files = [archive.read(name) for name in names]
    assert [name[:12] for name in names] == [f"frame.{1800 + k:06d}" for k in range(COUNT)]
    for data, frame in zip(files, frames(), strict=True):
        plain = straight(frame)
        if key == "exr":
            (tmp_path / "one.exr").write_bytes(data)
            with OpenEXR.File(str(tmp_path / "one.exr")) as file:
                got = file.channels()["RGBA"].pixels
            assert got.dtype == np.float16
            light = LINEAR_OF_BYTE[plain[..., :3]] * (plain[..., 3:] / 255)
            assert np.abs(got[..., :3] - light).max() < 1e-3
            assert np.abs(got[..., 3] - plain[..., 3] / 255).max() < 1e-3
        elif key == "tiff":
            assert np.array_equal(tifffile.imread(io.BytesIO(data)), plain)
        elif key == "png16":
            got = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)[..., [2, 1, 0, 3]]
            assert got.dtype == np.uint16
            assert np.array_equal(got // 257, plain)
        else:
            assert np.array_equal(imageio.imread(data), plain)


@pytest.mark.parametrize("key", [key for key, form in FORMS.items() if not form.quality and not form.still])
def test_no_form_takes_more_room_than_is_asked_for(key: str, tmp_path: Path) -> None:
    """Fine noise over all of the frame, which nothing compresses: a disk that fits it is asked for before."""
    form, random = FORMS[key], np.random.default_rng(1)
    path = tmp_path / f"film{form.suffix}"
    with delivery(form, path, SIZE, RATE, 18, Slate("")) as writer:
        for _ in range(4):
            frame = random.integers(0, 256, (SIZE.height, SIZE.width, 4), np.uint8)
            frame[..., 3] = 255
            depth = random.random((SIZE.height, SIZE.width), np.float32)
            kinds = ("", "ground", "marks", "regions", "routes", "markers", "insets", "labels")
            writer.write({**dict.fromkeys(kinds, frame), "Z": depth} if form.layers else frame)
    head = 40_000
    assert path.stat().st_size <= form.room * SIZE.width * SIZE.height * 4 + head


@pytest.mark.parametrize("ending", [".png", ".tif"])
def test_no_still_takes_more_room_than_is_asked_for(ending: str, tmp_path: Path) -> None:
    def noise(out: np.ndarray) -> None:
        out[...] = np.random.default_rng(1).integers(0, 256, out.shape, np.uint8)
        out[..., 3] = 255

    path, raw = tmp_path / f"still{ending}", tmp_path / "raw"
    write_still(path, SIZE, noise, raw)
    form = next(form for form in FORMS.values() if form.still and form.suffix == ending)
    # Twice its room is asked for: its pixels lie beside it while it is written, once as tiles and once as a whole.
    assert path.stat().st_size + 2 * SIZE.width * SIZE.height * 4 <= 2 * form.room * SIZE.width * SIZE.height + 4096
    assert not raw.exists()
    with pytest.raises(BadRender, match=r"end in \.png"):
        write_still(tmp_path / "still.jpg", SIZE, noise, raw)


def test_a_preview_moves_and_goes_round(tmp_path: Path) -> None:
    path = written(tmp_path / "preview.webp", "webp")
    found, animation = cv2.imreadanimation(str(path))
    pictures = animation.frames
    assert found
    assert len(pictures) == COUNT
    assert pictures[0].shape[:2] == (SIZE.height, SIZE.width)
    assert np.abs(pictures[0].astype(int) - pictures[-1]).mean() > 3


def test_what_cannot_be_written_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(BadRender, match="There is no form"):
        form_of("vhs")
    with pytest.raises(BadRender, match="256 × 120"):
        form_of("dnxhr", FrameSize(128, 72))
    assert all(form.available for form in FORMS.values())
    monkeypatch.setattr("yaila.formats.delivery._can", lambda codec: False)
    with pytest.raises(BadRender, match="cannot be written here"):
        form_of("prores")
    assert form_of("png").available


def _break_off(writer: Writer) -> None:
    writer.write(frames()[0])
    raise RuntimeError


def test_a_broken_off_delivery_leaves_nothing(tmp_path: Path) -> None:
    for key in ("h264", "png"):
        path = tmp_path / f"film{FORMS[key].suffix}"
        with pytest.raises(RuntimeError), delivery(FORMS[key], path, SIZE, RATE, 20, Slate("")) as writer:
            _break_off(writer)
        assert list(tmp_path.iterdir()) == []


def test_a_gif_plays_as_long_as_the_film_and_is_near_to_it(tmp_path: Path) -> None:
    path = tmp_path / "film.gif"
    moving = [cv2.GaussianBlur(frame, (0, 0), 3) for frame in frames()]
    with delivery(FORMS["gif"], path, SIZE, Rate.parse("25"), 18, Slate("")) as writer:
        for frame in moving:
            writer.write(frame)
    got = imageio.imread(path, plugin="pillow")
    assert got.shape == (COUNT, SIZE.height, SIZE.width, 3)
    assert all(psnr(one, frame[..., :3]) > 30 for one, frame in zip(got, moving, strict=True))
    with av.open(str(path)) as file:
        times = [float(frame.pts * frame.time_base) for frame in file.decode(video=0)]
    assert times == pytest.approx([k / 25 for k in range(COUNT)])


@pytest.mark.parametrize(("key", "kind", "tag"), [("prores4444", "4444", "ap4h"), ("h265", "Main 10", "hvc1")])
def test_what_is_joined_is_still_told_apart_by_its_kind(key: str, kind: str, tag: str, tmp_path: Path) -> None:
    form = FORMS[key]
    pieces = [written(tmp_path / f"{name}{form.suffix}", key) for name in "ab"]
    joined(form, pieces, tmp_path / f"film{form.suffix}", RATE, Slate("00:01:00;02"))
    asked = ["ffprobe", "-v", "error", "-select_streams", "v", "-show_entries", "stream=profile,codec_tag_string"]
    said = subprocess.run(
        [*asked, "-of", "csv=p=0", str(tmp_path / f"film{form.suffix}")], check=True, capture_output=True
    )
    assert said.stdout.decode().strip() == f"{kind},{tag}"
