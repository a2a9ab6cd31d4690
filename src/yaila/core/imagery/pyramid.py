"""Pictures made into pyramids: tiled TIFF files in which every level halves the one before.

libvips reads the picture as a stream, so memory stays bounded however large it is. The pyramid is 8-bit sRGB,
with straight alpha where the picture has it, not compressed: the eye jumps about in a film, and unpacking would
cost more than reading. Level L covers plate coordinates scaled
by 2**-L exactly: each of its pixels is the mean of 2x2 pixels of the level before (alpha weighs in).
"""

from __future__ import annotations

import logging
import os
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import cast

import numpy as np
import pyvips
import tifffile
from numpy.typing import NDArray

from yaila.core.compiling import Apart, njit
from yaila.core.errors import BadPicture, Damaged
from yaila.core.imagery.pages import PAGE

# What is wrong with a file is said by what is raised.
logging.getLogger("tifffile").setLevel(logging.CRITICAL)

PIXEL_LIMIT = 2_000_000_000
"""The largest picture taken, pixels (48,000 x 24,000 is 1,152,000,000)."""


def _format_of(head: bytes) -> str | None:
    """The format that a file's first bytes announce."""
    if head.startswith(b"\x89PNG\r\n\x1a\n"):
        return "PNG"
    if head.startswith(b"\xff\xd8\xff"):
        return "JPEG"
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "WebP"
    if head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return "TIFF"
    return None


@dataclass(frozen=True)
class PictureFacts:
    """What a picture is once it stands upright: size in pixels, whether it has alpha, and its format."""

    width: int
    height: int
    alpha: bool
    format: str


def read_facts(path: Path, name: str) -> PictureFacts:
    """Size and kind of a picture file, from its header.

    Raises:
        BadPicture: not a picture Yaila reads, of no size, or over the pixel limit.
    """
    if path.stat().st_size == 0:
        raise BadPicture(f"“{name}” is empty: it has no bytes. Save it again and drop it once more.")
    with path.open("rb") as file:
        format_name = _format_of(file.read(16))
    if format_name is None:
        raise BadPicture(f"“{name}” is not a picture Yaila reads. Save it as PNG, JPEG, WebP or TIFF.")
    try:
        image = pyvips.Image.new_from_file(str(path), access="sequential")
    except pyvips.Error as error:
        raise BadPicture(f"“{name}” is damaged: its header cannot be read. Export it again.") from error
    width, height = image.width, image.height
    if image.get_typeof("orientation") and cast(int, image.get("orientation")) >= 5:
        width, height = height, width
    if width < 1 or height < 1:
        raise BadPicture(f"“{name}” has no size: {width} × {height} pixels. Export it again.")
    if width * height > PIXEL_LIMIT:
        raise BadPicture(
            f"“{name}” is {width:,} × {height:,} pixels, over the limit of {PIXEL_LIMIT:,}. "
            "Cut it in parts or make it smaller."
        )
    return PictureFacts(width, height, bool(image.hasalpha()), format_name)


def small_picture(data: bytes, name: str) -> NDArray[np.uint8]:
    """A picture from the bytes of its file, no larger than 256 pixels, (height, width, 3) uint8 sRGB over black.

    Raises:
        BadPicture: it is none that can be read.
    """
    if _format_of(data[:16]) is None:
        raise BadPicture(f"“{name}” is not a picture Yaila reads. Choose a PNG, JPEG, WebP or TIFF.")
    try:
        image = pyvips.Image.new_from_buffer(data, "", fail_on="error").thumbnail_image(256, size="down")
        image = upright_srgb(image).flatten() if image.hasalpha() else upright_srgb(image)
        pixels = np.asarray(image.numpy(), np.uint8)
    except pyvips.Error as error:
        raise BadPicture(f"“{name}” cannot be read: it is damaged, or cut off.") from error
    return pixels[..., :3] if pixels.shape[2] >= 3 else np.repeat(pixels[..., :1], 3, axis=2)


def build_pyramid(
    source: Path, target: Path, name: str, progress: Callable[[float], None] | None = None
) -> PictureFacts:
    """Write the pyramid of a picture file.

    Args:
        source: PNG, JPEG, WebP or TIFF, 8 or 16 bit, grey, RGB or CMYK; an embedded profile is converted to
            sRGB, and the orientation its EXIF asks for is obeyed.
        target: the TIFF to write. It appears only when it is whole.
        progress: called with 0..1 now and then.

    Raises:
        BadPicture: as :func:`read_facts`, or the picture's data end too early or are damaged.
    """
    facts = read_facts(source, name)
    part = target.with_suffix(".part")
    try:
        image = pyvips.Image.new_from_file(str(source), access="sequential", fail_on="warning")
        image = upright_srgb(image)
        if progress:
            # libvips tells its progress per stream; the pyramid is written in one.
            image.set_progress(True)
            image.signal_connect("eval", lambda _, report: progress(min(report.percent / 100, 1.0)))
        image.tiffsave(
            str(part),
            tile=True,
            pyramid=True,
            tile_width=PAGE,
            tile_height=PAGE,
            compression="none",
            bigtiff=True,
            region_shrink="mean",
            keep=pyvips.ForeignKeep.NONE,
        )
    except pyvips.Error as error:
        part.unlink(missing_ok=True)
        rows = _rows_of(source)
        far = f"about the upper {rows:,} of {facts.height:,} rows are whole" if rows else "none of it can be read"
        raise BadPicture(
            f"“{name}” is cut short or damaged: its picture data end too early; {far}. Copy or export it again."
        ) from error
    part.replace(target)
    return facts


def _rows_of(source: Path) -> int:
    """How many rows of a damaged picture are there, from the top: below them decoders write one value."""
    try:
        image = pyvips.Image.new_from_file(str(source), access="sequential", fail_on="none").extract_band(0)
        changes = image.conv(pyvips.Image.new_from_array([[-1, 1]])).abs().project()[1].numpy().ravel()
    except pyvips.Error:
        return 0
    return int(np.flatnonzero(changes)[-1]) + 1 if changes.any() else 0


def upright_srgb(image: pyvips.Image) -> pyvips.Image:
    """The picture upright, as 8-bit sRGB with three bands, or four with alpha."""
    image = image.autorot()
    if image.get_typeof("icc-profile-data") or image.interpretation == "cmyk":
        # A CMYK picture without a profile gets libvips' own; depth 8 rounds 16-bit values.
        image = image.icc_transform("srgb", input_profile="cmyk", embedded=True, intent="relative", depth=8)
    elif image.interpretation in ("rgb16", "grey16", "scrgb") or image.format != "uchar":
        if image.format not in ("uchar", "ushort"):
            image = image.cast("uchar")
        elif image.format == "ushort":
            # 65535 / 255 = 257: round to nearest, where a shift would darken.
            image = ((image + 128) / 257).floor().cast("uchar")
        image = image.copy(interpretation="srgb" if image.bands >= 3 else "b-w")
    if image.bands <= 2:
        grey = image.extract_band(0)
        colour = grey.bandjoin([grey, grey])
        image = colour.bandjoin(image.extract_band(1)) if image.bands == 2 else colour
    elif image.bands > 4:
        image = image.extract_band(0, n=4)
    return image.copy(interpretation="srgb")


class TiffPyramid:
    """A pyramid file opened for reading; safe to read from several threads.

    Raises:
        Damaged: it is cut short, or no pyramid, when it is opened or at any time while it is read.
    """

    def __init__(self, path: Path) -> None:
        try:
            with tifffile.TiffFile(path) as tiff:
                levels = [page.aspage() for page in tiff.pages]
                self._sizes = tuple((page.imagewidth, page.imagelength) for page in levels)
                self._offsets = [np.asarray(page.dataoffsets, np.int64) for page in levels]
                self._bands = int(levels[0].samplesperpixel)
                self._ends = max(
                    int(a) + int(b)
                    for page in levels
                    for a, b in zip(page.dataoffsets, page.databytecounts, strict=True)
                )
            tiles = [-(-width // PAGE) * -(-height // PAGE) for width, height in self._sizes]
            if self._bands not in (3, 4) or tiles != [len(one) for one in self._offsets]:
                raise Damaged(path)
            self._file = path.open("rb")
        except (OSError, ValueError, IndexError, KeyError, TypeError) as error:
            raise Damaged(path) from error
        self._whole()
        self._data: NDArray[np.uint8] = np.memmap(self._file, np.uint8, mode="r").view(np.ndarray)
        self.alpha = self._bands == 4

    def _whole(self) -> None:
        """See that what is about to be read is there: reading beyond the end of a mapped file ends the process."""
        if os.fstat(self._file.fileno()).st_size < self._ends:
            raise Damaged(Path(self._file.name))

    @property
    def sizes(self) -> tuple[tuple[int, int], ...]:
        """Width and height of every level, the full picture first."""
        return self._sizes

    def page(self, level: int, column: int, row: int, out: NDArray[np.uint8]) -> None:
        """Fill ``out``, shape (258, 258, 4), with a page and its border: premultiplied RGBA."""
        self._whole()
        width, height = self._sizes[level]
        x, y = column * PAGE - 1, row * PAGE - 1
        pixels = out.view(np.uint32)[..., 0]
        _fill(pixels, self._data, self._offsets[level], self._bands, width, height, x, y)

    def window(self, level: int, x: int, y: int, width: int, height: int) -> NDArray[np.uint8]:
        """Part of a level, (height, width, 4) premultiplied RGBA; beyond the picture its edge is repeated."""
        self._whole()
        out = np.empty((height, width, 4), np.uint8)
        level_width, level_height = self._sizes[level]
        pixels = out.view(np.uint32)[..., 0]
        _fill(pixels, self._data, self._offsets[level], self._bands, level_width, level_height, x, y)
        return out

    def read(self, level: int) -> NDArray[np.uint8]:
        """A whole level, shape (height, width, 4), premultiplied RGBA; for levels that are not large."""
        return self.window(level, 0, 0, *self._sizes[level])


@njit(cache=True, nogil=True, pipeline_class=Apart)
def _opaque(n, data, out):
    """Pixels of three bytes each as whole ones."""
    for k in range(n):
        red, green, blue = np.uint32(data[3 * k]), np.uint32(data[3 * k + 1]), np.uint32(data[3 * k + 2])
        out[k] = red | (green << np.uint32(8)) | (blue << np.uint32(16)) | np.uint32(0xFF000000)


@njit(cache=True, nogil=True, pipeline_class=Apart)
def _premultiplied(n, data, out):
    """Pixels of four bytes each, premultiplied."""
    half, full = np.uint32(127), np.uint32(255)
    for k in range(n):
        alpha = np.uint32(data[4 * k + 3])
        red = (np.uint32(data[4 * k]) * alpha + half) // full
        green = (np.uint32(data[4 * k + 1]) * alpha + half) // full
        blue = (np.uint32(data[4 * k + 2]) * alpha + half) // full
        out[k] = red | (green << np.uint32(8)) | (blue << np.uint32(16)) | (alpha << np.uint32(24))


@njit(cache=True, nogil=True)
def _fill(out, data, offsets, bands, width, height, left, top):
    """Copy a window from the tiles of a level, (height, width) uint32, the edge of the picture repeated beyond it."""
    columns = (width + PAGE - 1) // PAGE
    for y in range(out.shape[0]):
        gy = min(max(top + y, 0), height - 1)
        x = 0
        while x < out.shape[1]:
            gx = min(max(left + x, 0), width - 1)
            # Runs of neighbours in one tile; beyond the picture, pixel by pixel.
            run = min(PAGE - gx % PAGE, width - gx, out.shape[1] - x) if left + x >= 0 and left + x < width else 1
            at = offsets[(gy // PAGE) * columns + gx // PAGE] + ((gy % PAGE) * PAGE + gx % PAGE) * bands
            if bands == 4:
                _premultiplied(run, data[at:], out[y, x:])
            else:
                _opaque(run, data[at:], out[y, x:])
            x += run


def open_pyramid(path: Path) -> TiffPyramid:
    """Open a pyramid that :func:`build_pyramid` wrote; kept open for as long as it is the same file.

    Raises:
        Damaged: it is not whole, or gone.
    """
    try:
        facts = path.stat()
    except OSError as error:
        raise Damaged(path) from error
    return _opened(path, facts.st_ino, facts.st_mtime_ns, facts.st_size)


@lru_cache(maxsize=256)
def _opened(path: Path, number: int, changed: int, size: int) -> TiffPyramid:
    return TiffPyramid(path)
