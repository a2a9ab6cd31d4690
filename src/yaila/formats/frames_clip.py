"""Clips that come as single pictures: a ZIP of numbered frames (ISO/IEC 21320-1) becomes one clip, losslessly, in FFV1
(RFC 9043) and Matroska. The same frames always become the same file."""

from __future__ import annotations

import re
import zipfile
import zlib
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path, PurePosixPath

import av
import numpy as np
import pyvips
from numpy.typing import NDArray

from yaila.core.errors import BadClip
from yaila.core.imagery.pyramid import upright_srgb
from yaila.formats.clips import MOST_SIDE
from yaila.formats.whole import part_file

ENDINGS = (".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff")

MOST_FRAMES = 50_000

MOST_BYTES = 512 * 2**20
"""Of one frame's file, unpacked."""

Pixels = NDArray[np.uint8]


def clip_of_frames(
    source: Path, out: Path, name: str, rate: Fraction, progress: Callable[[float], None] = lambda share: None
) -> str:
    """Write the clip of a ZIP of pictures, in the order of the numbers in their names. Where numbers are left out, the
    picture before stays.

    Args:
        out: the Matroska file to write; it is whole or absent.
        rate: frames a second.

    Returns:
        What is to be said of it, or nothing.

    Raises:
        BadClip: it holds no frames, too many, or some that cannot be read or are not as large as the first.
    """
    try:
        with zipfile.ZipFile(source) as archive:
            frames = _frames_of(archive, name)
            lacking = frames[-1][0] - frames[0][0] + 1 - len(frames)
            with (
                part_file(out) as part,
                av.open(str(part), "w", format="matroska", options={"fflags": "+bitexact"}) as to,
            ):
                _write(archive, frames, to, name, rate, progress)
    except (zipfile.BadZipFile, zipfile.LargeZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError) as error:
        raise BadClip(f"“{name}” cannot be unpacked ({error}). Pack it again, as ZIP.") from error
    return f"{lacking:,} of its frames are missing: the ones before them stay for as long." if lacking else ""


def _frames_of(archive: zipfile.ZipFile, name: str) -> list[tuple[int, zipfile.ZipInfo]]:
    """The pictures in an archive, by their numbers, rising."""
    found: dict[int, zipfile.ZipInfo] = {}
    for entry in archive.infolist():
        path = PurePosixPath(entry.filename)
        if path.suffix.lower() not in ENDINGS or path.name.startswith(".") or "__MACOSX" in path.parts:
            continue
        digits = re.findall(r"\d{1,12}", path.stem)
        if not digits:
            raise BadClip(f"“{path.name}” in “{name}” has no number. Number the frames in their order.")
        number = int(digits[-1])
        if number in found:
            raise BadClip(f"Two frames in “{name}” have the number {number:,}. Pack one sequence at a time.")
        found[number] = entry
    if len(found) < 2:
        raise BadClip(f"There are no numbered pictures in “{name}”. Pack PNG, JPEG, WebP or TIFF frames as ZIP.")
    frames = sorted(found.items())
    if frames[-1][0] - frames[0][0] >= MOST_FRAMES:
        raise BadClip(f"“{name}” runs over more than {MOST_FRAMES:,} frames. Pack it in parts.")
    return frames


def _write(
    archive: zipfile.ZipFile,
    frames: list[tuple[int, zipfile.ZipInfo]],
    to: av.container.OutputContainer,
    name: str,
    rate: Fraction,
    progress: Callable[[float], None],
) -> None:
    first, stream = frames[0][0], None
    for done, (number, entry) in enumerate(frames):
        pixels = _pixels(archive, entry, name)
        if stream is None:
            options = {"level": "3", "slicecrc": "1", "slices": "4", "flags": "+bitexact"}
            made = to.add_stream("ffv1", rate=rate, options=options)
            assert isinstance(made, av.VideoStream)
            stream = made
            stream.height, stream.width = pixels.shape[:2]
            stream.pix_fmt = "bgra" if pixels.shape[2] == 4 else "bgr0"
            stream.thread_count = 1
        if pixels.shape[:2] != (stream.height, stream.width):
            raise BadClip(
                f"“{entry.filename}” in “{name}” is {pixels.shape[1]} × {pixels.shape[0]} pixels, and the first frame "
                f"{stream.width} × {stream.height}. Give all of them one size."
            )
        clear = stream.pix_fmt == "bgra"
        if clear and pixels.shape[2] == 3:
            pixels = np.dstack([pixels, np.full(pixels.shape[:2], 255, np.uint8)])
        frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="rgba" if clear else "rgb24")
        frame = frame.reformat(format=stream.pix_fmt)
        frame.pts, frame.time_base = number - first, 1 / rate
        to.mux(stream.encode(frame))
        progress((done + 1) / len(frames))
    assert stream is not None
    to.mux(stream.encode(None))


def _pixels(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, name: str) -> Pixels:
    """A frame, (height, width, 3 or 4) uint8, straight alpha."""
    if entry.file_size > MOST_BYTES:
        raise BadClip(f"“{entry.filename}” in “{name}” is over {MOST_BYTES // 2**20:,} MB.")
    try:
        image = pyvips.Image.new_from_buffer(archive.read(entry), "", fail_on="warning")
        if max(image.width, image.height) > MOST_SIDE or min(image.width, image.height) < 2:
            raise BadClip(
                f"“{entry.filename}” in “{name}” is {image.width} × {image.height} pixels; clips have 2 to "
                f"{MOST_SIDE:,} a side."
            )
        return np.asarray(upright_srgb(image).numpy(), np.uint8)
    except pyvips.Error as error:
        raise BadClip(f"“{entry.filename}” in “{name}” cannot be read: it is damaged, or cut off.") from error
