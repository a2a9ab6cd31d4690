"""Frames as single pictures, stored in a ZIP one after the other: PNG (ISO/IEC 15948), TIFF 6.0, OpenEXR."""

from __future__ import annotations

import shutil
import tempfile
import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyvips
from numpy.typing import NDArray

from yaila.core.colour import LINEAR_OF_BYTE
from yaila.formats.whole import part_file

Pixels = NDArray[np.uint8]
Layers = Mapping[str, NDArray[Any]]
"""Parts of a frame by name: premultiplied RGBA, and floats of one channel."""


@dataclass(frozen=True)
class Picture:
    """A kind of picture: its ending, and what makes the bytes of one of premultiplied RGBA."""

    suffix: str
    bytes_of: Callable[[Any], bytes]
    layers: bool = False
    """Whether it is made of layers by name, not of one picture."""


def straight(frame: Pixels) -> Pixels:
    """Premultiplied RGBA with its colours as they are where they are seen."""
    alpha = frame[..., 3:].astype(np.float32)
    if frame[..., 3].min() == 255:
        return frame
    colours = np.minimum(frame[..., :3] * (255 / np.maximum(alpha, 1)) + 0.5, 255)
    return np.concatenate([np.where(alpha > 0, colours, 0).astype(np.uint8), frame[..., 3:]], axis=-1)


def _image(frame: NDArray[np.generic], interpretation: str) -> pyvips.Image:
    return pyvips.Image.new_from_array(frame, interpretation=interpretation)


def _png(frame: Pixels) -> bytes:
    return bytes(_image(straight(frame), "srgb").pngsave_buffer(compression=4))


def _png16(frame: Pixels) -> bytes:
    return bytes(_image(straight(frame).astype(np.uint16) * 257, "rgb16").pngsave_buffer(compression=4, bitdepth=16))


def _tiff(frame: Pixels) -> bytes:
    return bytes(_image(straight(frame), "srgb").tiffsave_buffer(compression="deflate", predictor="horizontal"))


def _exr(frame: Pixels) -> bytes:
    """Half floats of linear light with the primaries of sRGB, premultiplied, as OpenEXR has it."""
    return _exr_of({"RGBA": _half_light(frame)})


def _exr_layers(frame: Layers) -> bytes:
    """The same for each layer by its name, and floats for what is no picture; the whole is the layer without a name."""
    channels: dict[str, NDArray[Any]] = {}
    for name, values in frame.items():
        if values.ndim == 2:
            channels[name] = np.ascontiguousarray(values, np.float32)
            continue
        light = _half_light(values)
        for k, channel in enumerate("RGBA"):
            channels[f"{name}.{channel}" if name else channel] = np.ascontiguousarray(light[..., k])
    return _exr_of(channels)


def _half_light(frame: NDArray[Any]) -> NDArray[np.float16]:
    plain = straight(frame)
    alpha = plain[..., 3:].astype(np.float32) / 255
    light = LINEAR_OF_BYTE[plain[..., :3]].astype(np.float32) * alpha
    return np.concatenate([light, alpha], axis=-1).astype(np.float16)


def _exr_of(channels: Mapping[str, NDArray[Any]]) -> bytes:
    import OpenEXR

    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    # Its writer knows files alone.
    with tempfile.TemporaryDirectory() as room, OpenEXR.File(header, channels) as file:
        path = Path(room) / "frame.exr"
        file.write(str(path))
        return path.read_bytes()


PICTURES = {
    "png": Picture(".png", _png),
    "png16": Picture(".png", _png16),
    "tiff": Picture(".tif", _tiff),
    "exr": Picture(".exr", _exr),
    "exrlayers": Picture(".exr", _exr_layers, layers=True),
}
"""By how forms name them."""


EPOCH = (1980, 1, 1, 0, 0, 0)


SOUND = "sound.wav"


def join_sequences(paths: Sequence[Path], out: Path, sound: Callable[[Path], None] | None = None) -> None:
    """Join ZIPs of pictures, one after the other; ``sound`` writes the file of what is heard with them."""
    with part_file(out) as part, zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for path in paths:
            with zipfile.ZipFile(path) as piece:
                for entry in piece.infolist():
                    archive.writestr(zipfile.ZipInfo(entry.filename, EPOCH), piece.read(entry))
        if sound:
            with tempfile.TemporaryDirectory(dir=out.parent) as room:
                sound(Path(room) / SOUND)
                with (Path(room) / SOUND).open("rb") as wav, archive.open(zipfile.ZipInfo(SOUND, EPOCH), "w") as to:
                    shutil.copyfileobj(wav, to, 1 << 20)


class SequenceWriter:
    """Takes frames in order; made by :func:`sequence_writer`."""

    def __init__(self, archive: zipfile.ZipFile, kind: Picture, first: int) -> None:
        self._archive, self._kind, self._number = archive, kind, first

    def write(self, frame: Pixels | Layers) -> None:
        """Append a frame: (height, width, 4) uint8 premultiplied sRGB, or layers of that."""
        data = self._kind.bytes_of(frame)
        # The same frames are the same file, whenever it is written.
        self._archive.writestr(zipfile.ZipInfo(f"frame.{self._number:06d}{self._kind.suffix}", EPOCH), data)
        self._number += 1


@contextmanager
def sequence_writer(path: Path, kind: Picture, first: int) -> Iterator[SequenceWriter]:
    """Open a ZIP of single pictures for writing, numbered as the film's frames are. It appears under its name only when
    it is whole."""
    with part_file(path) as part, zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        yield SequenceWriter(archive, kind, first)
