"""The forms that a reel can be delivered in, and what writes each.

Frames come as premultiplied RGBA of 8 bits a channel. Forms of more bits hold no more than that: they are for programs
that ask for them. What is see-through is written straight (not premultiplied) in films, PNG and TIFF, premultiplied and
in linear light in OpenEXR, as each is read by other programs.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any, Literal, Protocol

import av
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import FrameSize
from yaila.core.errors import BadRender
from yaila.core.time import Rate
from yaila.formats.audio import write_wav
from yaila.formats.sequence import PICTURES, join_sequences, sequence_writer
from yaila.formats.video import Coding, Track, join_films, video_writer
from yaila.formats.whole import part_file

Pixels = NDArray[np.uint8]
Purpose = Literal["the web", "an editor", "transparency", "frame by frame", "one picture", "the archive", "a preview"]


class Writer(Protocol):
    """Takes frames in order."""

    def write(self, frame: Any) -> None:
        """Append a frame: (height, width, 4) uint8 premultiplied sRGB; to a form that has ``layers``, those by name."""


@dataclass(frozen=True)
class Form:
    """A way of delivering: what it is called and for, the ending of its file, how it is encoded, whether what is
    see-through stays so, and whether it has a quality (a constant rate factor)."""

    key: str
    name: str
    purpose: Purpose
    suffix: str
    media: str
    coding: Coding | None = None
    picture: str = ""
    alpha: bool = False
    quality: bool = False
    still: bool = False
    """Whether it is one picture, not a film."""
    room: float = 0.1
    """Bytes that a pixel of it takes at most, with some to spare."""
    least: tuple[int, int] = (2, 2)
    """The smallest frame that it is made for, pixels."""

    @property
    def whole(self) -> bool:
        """Whether it can only be written as a whole, not joined from pieces."""
        return self.coding is not None and self.coding.container in ("webp", "gif")

    @property
    def layers(self) -> bool:
        """Whether its frames are layers by name: the whole, the ground, the marks of each kind, depth."""
        return bool(self.picture) and PICTURES[self.picture].layers

    @property
    def available(self) -> bool:
        """Whether this machine's libraries can write it."""
        return self.coding is None or (_can(self.coding.codec) and (not self.coding.sound or _can(self.coding.sound)))

    @property
    def sounds(self) -> bool:
        """Whether the film's sound goes with it: in its file, or, with pictures, beside them."""
        return not self.still and (self.coding is None or bool(self.coding.sound))


@cache
def _can(codec: str) -> bool:
    try:
        av.codec.Codec(codec, "w")
    except (av.error.FFmpegError, ValueError):
        return False
    return True


SOUND = {"mp4": "aac", "webm": "libopus", "mov": "pcm_s24le", "matroska": "flac"}
"""How the sound of each container is encoded."""


def _film(container: str, codec: str, pixels: str, **options: str) -> Coding:
    return Coding(container, codec, pixels, tuple(options.items()), SOUND.get(container, ""))


_FORMS = (
    # At the same quality as "medium" to the eye and in figures, in little more than half its time (docs/formats.md).
    Form("h264", "H.264, MP4", "the web", ".mp4", "video/mp4",
         _film("mp4", "libx264", "yuv420p", preset="faster"), quality=True),
    Form("h265", "H.265 of 10 bits, MP4", "the web", ".mp4", "video/mp4",
         _film("mp4", "libx265", "yuv420p10le", preset="medium", tag="hvc1", **{"x265-params": "log-level=error"}),
         quality=True),
    Form("vp9", "VP9, WebM", "the web", ".webm", "video/webm",
         _film("webm", "libvpx-vp9", "yuv420p", b="0", **{"row-mt": "1", "cpu-used": "3"}), quality=True),
    Form("av1", "AV1, WebM", "the web", ".webm", "video/webm",
         _film("webm", "libsvtav1", "yuv420p10le", preset="7"), quality=True),
    Form("prores", "ProRes 422 HQ, MOV", "an editor", ".mov", "video/quicktime",
         _film("mov", "prores_ks", "yuv422p10le", profile="3"), room=0.9),
    Form("dnxhr", "DNxHR HQX, MOV", "an editor", ".mov", "video/quicktime",
         _film("mov", "dnxhd", "yuv422p10le", profile="dnxhr_hqx"), least=(256, 120), room=0.9),
    Form("prores4444", "ProRes 4444 with alpha, MOV", "transparency", ".mov", "video/quicktime",
         _film("mov", "prores_ks", "yuva444p10le", profile="4", alpha_bits="16"), alpha=True, room=5.5),
    Form("vp9alpha", "VP9 with alpha, WebM", "transparency", ".webm", "video/webm",
         _film("webm", "libvpx-vp9", "yuva420p", b="0", **{"auto-alt-ref": "0", "cpu-used": "3"}), alpha=True,
         quality=True, room=0.2),
    Form("png", "PNG with alpha, ZIP", "frame by frame", ".zip", "application/zip", picture="png", alpha=True,
         room=4.5),
    Form("png16", "PNG of 16 bits with alpha, ZIP", "frame by frame", ".zip", "application/zip", picture="png16",
         alpha=True, room=9.0),
    Form("tiff", "TIFF with alpha, ZIP", "frame by frame", ".zip", "application/zip", picture="tiff", alpha=True,
         room=4.5),
    Form("exr", "OpenEXR, linear light, half float, ZIP", "frame by frame", ".zip", "application/zip", picture="exr",
         alpha=True, room=8.5),
    Form("exrlayers", "OpenEXR with layers and depth, ZIP", "frame by frame", ".zip", "application/zip",
         picture="exrlayers", alpha=True, room=70.0),
    Form("still", "PNG of this frame", "one picture", ".png", "image/png", still=True, room=6.2),
    Form("stilltiff", "TIFF of this frame", "one picture", ".tif", "image/tiff", still=True, room=6.2),
    Form("ffv1", "FFV1 without loss, MKV", "the archive", ".mkv", "video/x-matroska",
         _film("matroska", "ffv1", "bgr0", level="3", slicecrc="1", slices="16"), room=4.0),
    Form("gif", "Animated GIF", "a preview", ".gif", "image/gif", _film("gif", "gif", "pal8", loop="0"), room=1.6),
    Form("webp", "Animated WebP", "a preview", ".webp", "image/webp",
         _film("webp", "libwebp_anim", "yuva420p", quality="70", loop="0"), room=0.5),
)  # fmt: skip

FORMS = {form.key: form for form in _FORMS}
"""All of them, by their keys."""


def form_of(key: str, size: FrameSize | None = None) -> Form:
    """A form that this machine can write, in a size.

    Raises:
        BadRender: there is none by that name, its libraries are not here, or the size is too small for it.
    """
    form = FORMS.get(key)
    if form is None:
        raise BadRender(f"There is no form “{key}”. There are {', '.join(FORMS)}.")
    if not form.available:
        raise BadRender(f"{form.name} cannot be written here: this machine's FFmpeg has no encoder for it.")
    if size and (size.width < form.least[0] or size.height < form.least[1]):
        raise BadRender(f"{form.name} is made for frames of {form.least[0]} × {form.least[1]} pixels or more.")
    return form


@dataclass(frozen=True)
class Slate:
    """What is written on a reel's file: the timecode of its first frame, and its number."""

    timecode: str
    first: int = 0
    title: str = field(default="", compare=False)


def joined(
    form: Form, pieces: Sequence[Path], path: Path, rate: Rate, slate: Slate, track: Track | None = None
) -> None:
    """Join the pieces of a reel, each written by :func:`delivery` without a timecode, and give them their sound."""
    if form.coding is None:
        join_sequences(pieces, path, (lambda wav: write_wav(wav, track.read, track.samples)) if track else None)
    elif form.whole:
        with part_file(path) as part:
            shutil.copyfile(pieces[0], part)
    else:
        join_films(pieces, path, form.coding, rate, slate.timecode, track)


@contextmanager
def delivery(form: Form, path: Path, size: FrameSize, rate: Rate, crf: int, slate: Slate) -> Iterator[Writer]:
    """Open a reel's file for writing, in a form. It appears under its name only when it is whole.

    Args:
        crf: the constant rate factor of forms that have a quality, 0 (best) to 51.
    """
    if form.coding is None:
        with sequence_writer(path, PICTURES[form.picture], slate.first) as pictures:
            yield pictures
        return
    with video_writer(path, form.coding, size, rate, crf if form.quality else None, slate.timecode) as film:
        yield film
