"""Parts of a film as reels of their own, and as layers of one picture."""

from __future__ import annotations

import zipfile
from pathlib import Path

import av
import imageio.v3 as imageio
import numpy as np
import OpenEXR
import pytest

from yaila.core.camera import FrameSize
from yaila.core.colour import LINEAR_OF_BYTE
from yaila.core.errors import BadRender
from yaila.core.film import Film, Label, Marker
from yaila.core.film.marked import Lamp
from yaila.core.imagery import PageStore
from yaila.core.picture import Renderer, Request
from yaila.core.picture.render import FRAME_EFFECTS
from yaila.core.time import Time
from yaila.farm.reel import ReelSettings, render
from yaila.store import Store


@pytest.fixture
def marked(small_film: Film) -> Film:
    cut = {"how": "cut"}
    small_film.labels = [Label.model_validate({"text": "Quay", "x": 600, "y": 400, "comes": cut})]
    small_film.markers = [Marker.model_validate({"name": "Pin", "x": 720, "y": 430, "comes": cut})]
    return small_film


def reel(film: Film, store: Store, path: Path, **settings: object) -> list[bytes]:
    """The files of a reel of single pictures."""
    made = ReelSettings.model_validate({"first": 4, "last": 5, **settings})
    render(film, store.pictures.pyramid, path, made, pages=PageStore(64), kit=store.kit)
    with zipfile.ZipFile(path) as archive:
        return [archive.read(name) for name in archive.namelist() if name.startswith("frame")]


def test_a_picture_with_layers_holds_the_parts_and_how_far_the_ground_is(
    marked: Film, store: Store, tmp_path: Path
) -> None:
    marked.finish.vignette.on = True
    files = reel(marked, store, tmp_path / "layers.zip", form="exrlayers")
    assert len(files) == 2
    path = tmp_path / "one.exr"
    path.write_bytes(files[0])
    with OpenEXR.File(str(path), separate_channels=True) as file:
        found = {name: channel.pixels for name, channel in file.channels().items()}
    layers = {name.rpartition(".")[0] for name in found if name[-1] in "RGBA"}
    assert layers == {"", "ground", "marks", "markers", "labels"}
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)
    request = Request(marked, Time(4), FrameSize(320, 180), clear=True)

    def layer(name: str) -> np.ndarray:
        return np.dstack([found[f"{name}.{one}" if name else one].astype(np.float32) for one in "RGBA"])

    # "Over" in codes of 255, as the whole is made.
    def codes(name: str) -> np.ndarray:
        light = layer(name)
        alpha = light[..., 3:]
        shades = np.interp(light[..., :3] / np.maximum(alpha, 1e-6), LINEAR_OF_BYTE, np.arange(256))
        return np.concatenate([shades * alpha, alpha * 255], axis=-1)

    marks, ground = codes("marks"), codes("ground")
    whole = renderer.render(Request(marked, Time(4), FrameSize(320, 180), clear=True, without=FRAME_EFFECTS)).pixels
    assert np.abs(marks + ground * (1 - marks[..., 3:] / 255) - whole).max() <= 2
    assert np.abs(codes("") - renderer.render(request).pixels).max() <= 1
    assert found["Z"].dtype == np.float32
    assert np.allclose(found["Z"], renderer.depth(request))
    # Another reader finds them by their names too.
    with av.open(str(path)) as file:
        file.streams.video[0].codec_context.options = {"layer": "marks"}
        frame = next(file.decode(video=0))
    assert (frame.width, frame.height) == (320, 180)
    other = frame.reformat(format="gbrapf32le")
    alpha = np.frombuffer(other.planes[3], np.float32).reshape(180, -1)[:, :320]
    assert np.allclose(alpha, layer("marks")[..., 3], atol=1e-3)


def test_a_reel_of_one_mark_or_of_what_marks_cover(marked: Film, store: Store, tmp_path: Path) -> None:
    pin = marked.markers[0].id
    alone = imageio.imread(reel(marked, store, tmp_path / "pin.zip", form="png", part="marks", only=[pin])[0])
    both = imageio.imread(reel(marked, store, tmp_path / "both.zip", form="png", part="marks")[0])
    matte = imageio.imread(reel(marked, store, tmp_path / "matte.zip", form="png", part="matte")[0])
    assert 0 < (alone[..., 3] > 0).sum() < (both[..., 3] > 0).sum()
    assert np.array_equal(matte[..., 0], both[..., 3])
    depth = imageio.imread(reel(marked, store, tmp_path / "depth.zip", form="png", part="depth")[0])
    assert np.array_equal(depth[..., 0], depth[..., 2])
    assert abs(int(depth[90, 160, 0]) - 128) <= 1


def test_parts_that_cannot_be_are_refused_in_a_sentence(marked: Film, store: Store, tmp_path: Path) -> None:
    with pytest.raises(BadRender, match="A mark is gone"):
        reel(marked, store, tmp_path / "gone.zip", form="png", part="marks", only=["gone"])
    # A lamp is light on the ground: a reel of it would be empty.
    marked.lamps = [Lamp(id="lamp", name="Quay lamp", x=0, y=0)]
    with pytest.raises(BadRender, match="“Quay lamp” is light or air"):
        reel(marked, store, tmp_path / "lamp.zip", form="png", part="marks", only=["lamp"])
    # Of all of the film nothing is left out without a word.
    for part in ("all", "ground", "depth"):
        with pytest.raises(BadRender, match="Only a reel of marks"):
            reel(marked, store, tmp_path / "some.zip", form="png", part=part, only=[marked.markers[0].id])
    with pytest.raises(BadRender, match="holds all of the film in parts"):
        reel(marked, store, tmp_path / "half.zip", form="exrlayers", part="ground")
