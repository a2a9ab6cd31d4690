"""Films as files: one frame lasts exactly one period of the film's rate; the first starts at 0.

The picture is sRGB; in Y'CbCr it is encoded with the matrix of ITU-R BT.709 in limited range and tagged with its
primaries, transfer and matrix, which is how video for the web is made (common practice, no source). MP4 files have
their index in front; MOV, MP4 and Matroska carry the timecode of the first frame (SMPTE ST 12-1).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.filter
import numpy as np
from av.video.reformatter import ColorPrimaries, ColorRange, Colorspace, ColorTrc, Interpolation
from numpy.typing import NDArray

from yaila.core.camera import FrameSize
from yaila.core.sound import RATE, Read
from yaila.core.time import Rate
from yaila.formats.sequence import straight
from yaila.formats.whole import part_file


@dataclass(frozen=True)
class Coding:
    """How a film is encoded: the container, the encoder, its pixels, and options for it, in FFmpeg's names."""

    container: str
    codec: str
    pixels: str
    options: tuple[tuple[str, str], ...] = ()
    sound: str = ""
    """The encoder of its sound; none in what has none."""

    @property
    def alpha(self) -> bool:
        """Whether what is see-through stays so."""
        return self.pixels.startswith("yuva")

    @property
    def rgb(self) -> bool:
        """Whether it keeps red, green and blue as they are."""
        return self.pixels.startswith(("bgr", "pal"))


@dataclass(frozen=True)
class Track:
    """The sound of a film: what reads it, and how many samples it has."""

    read: Read
    samples: int


class _Sound:
    """A track that is encoded beside the packets of a film."""

    def __init__(self, container: av.container.OutputContainer, codec: str, track: Track) -> None:
        self._container, self._track, self._at = container, track, 0
        stream = container.add_stream(codec, rate=RATE)
        assert isinstance(stream, av.AudioStream)
        context = stream.codec_context
        context.layout = "stereo"
        context.format = FORMATS[codec]
        if codec in BITS:
            context.bit_rate = BITS[codec]
        self._stream = stream

    def until(self, seconds: Fraction | None) -> None:
        """Write what is heard before a moment, or all that is left."""
        end = self._track.samples if seconds is None else min(int(seconds * RATE), self._track.samples)
        while self._at < end:
            count = min(STEP, self._track.samples - self._at)
            block = np.ascontiguousarray(self._track.read(self._at, count).T, np.float32)
            frame = av.AudioFrame.from_ndarray(block, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = RATE, self._at, Fraction(1, RATE)
            self._container.mux(self._stream.encode(frame))
            self._at += count
        if seconds is None:
            self._container.mux(self._stream.encode(None))


STEP = RATE // 2
"""Samples that are encoded at once."""

FORMATS = {"aac": "fltp", "libopus": "flt", "pcm_s24le": "s32", "flac": "s32"}
"""The samples that each encoder takes."""

BITS = {"aac": 256_000, "libopus": 192_000}
"""Bits a second of sound that is packed with a loss."""


class VideoWriter:
    """Takes frames in order; made by :func:`video_writer`."""

    def __init__(
        self,
        container: av.container.OutputContainer,
        coding: Coding,
        size: FrameSize,
        rate: Rate,
        crf: int | None,
        timecode: str,
    ) -> None:
        self._container, self._coding, self._rate, self._count = container, coding, rate, 0
        options = dict(coding.options)
        tag = options.pop("tag", None)
        if crf is not None:
            options["crf"] = str(crf)
        stream = container.add_stream(coding.codec, rate=rate.value, options=options)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height = size
        stream.pix_fmt = coding.pixels
        stream.time_base = 1 / rate.value
        if timecode and coding.container in ("mov", "mp4", "matroska"):
            stream.metadata["timecode"] = timecode
        context = stream.codec_context
        context.time_base = 1 / rate.value
        context.thread_count = 0
        if tag:
            context.codec_tag = tag
        if not coding.rgb:
            context.color_primaries = ColorPrimaries.BT709
            context.color_trc = ColorTrc.BT709
            context.colorspace = Colorspace.ITU709
            context.color_range = ColorRange.MPEG
        self._stream = stream
        self._palette: av.filter.Graph | None = None

    def write(self, frame: NDArray[np.uint8]) -> None:
        """Append a frame: (height, width, 4) uint8 premultiplied sRGB; where the form has no alpha, over black."""
        if self._coding.alpha:
            video = av.VideoFrame.from_ndarray(straight(frame), format="rgba")
        else:
            video = av.VideoFrame.from_ndarray(np.ascontiguousarray(frame[..., :3]), format="rgb24")
        if self._coding.pixels == "pal8":
            video = self._few(np.ascontiguousarray(frame[..., :3]))
        elif self._coding.rgb:
            video = video.reformat(format=self._coding.pixels)
        else:
            video.color_range = ColorRange.JPEG
            video = video.reformat(
                format=self._coding.pixels,
                src_colorspace=Colorspace.ITU709,
                dst_colorspace=Colorspace.ITU709,
                src_color_range=ColorRange.JPEG,
                dst_color_range=ColorRange.MPEG,
                interpolation=Interpolation.AREA,
            )
            # Some encoders read the frame's own tags.
            video.color_primaries, video.color_trc = ColorPrimaries.BT709, ColorTrc.BT709
        video.pts = self._count
        # Not the stream's own: that becomes finer once the file's header is written.
        video.time_base = 1 / self._rate.value
        self._count += 1
        self._container.mux(self._stream.encode(video))

    def _few(self, frame: NDArray[np.uint8]) -> av.VideoFrame:
        """A frame in the 256 colours that suit it best."""
        if self._palette is None:
            graph = av.filter.Graph()
            height, width = frame.shape[:2]
            source = graph.add_buffer(
                width=width, height=height, format=av.VideoFormat("rgb24"), time_base=1 / self._rate.value
            )
            split = graph.add("split")
            colours = graph.add("palettegen", "stats_mode=single:reserve_transparent=0")
            used, sink = graph.add("paletteuse", "new=1:dither=sierra2_4a"), graph.add("buffersink")
            source.link_to(split)
            split.link_to(used, 0, 0)
            split.link_to(colours, 1, 0)
            colours.link_to(used, 0, 1)
            used.link_to(sink)
            graph.configure()
            self._palette = graph
        video = av.VideoFrame.from_ndarray(frame, format="rgb24")
        video.pts, video.time_base = self._count, 1 / self._rate.value
        self._palette.push(video)
        made = self._palette.pull()
        assert isinstance(made, av.VideoFrame)
        return made

    def finish(self) -> None:
        """Write what the encoder still holds."""
        self._container.mux(self._stream.encode(None))


def _options(coding: Coding, rate: Rate) -> dict[str, str]:
    if coding.container in ("mov", "mp4"):
        # A clock that the rate divides, or the length would be rounded to milliseconds.
        clock = str(rate.value.numerator * (1 if rate.value.numerator > 1000 else 100))
        return {"movflags": "faststart", "movie_timescale": clock}
    # The same film is the same file: no number of chance in it.
    return {"fflags": "+bitexact"}


def join_films(
    paths: Sequence[Path], out: Path, coding: Coding, rate: Rate, timecode: str, track: Track | None = None
) -> None:
    """Join films of one coding, one after the other, without encoding them again, and give them their sound. The file
    appears under its name only when it is whole."""
    with part_file(out) as part, av.open(str(part), "w", format=coding.container, options=_options(coding, rate)) as to:
        joined: av.VideoStream | None = None
        sound: _Sound | None = None
        before = 0
        for path in paths:
            with av.open(str(path)) as piece:
                stream = piece.streams.video[0]
                if joined is None:
                    joined = to.add_stream_from_template(stream)
                    # By this others tell the kinds of one codec apart; a container would choose its own.
                    joined.codec_context.codec_tag = stream.codec_context.codec_tag
                    joined.time_base = 1 / rate.value
                    if timecode and coding.container in ("mov", "mp4", "matroska"):
                        joined.metadata["timecode"] = timecode
                    if track and coding.sound:
                        sound = _Sound(to, coding.sound, track)
                count = 0
                for packet in piece.demux(stream):
                    if packet.pts is None or packet.dts is None or packet.time_base is None:
                        continue
                    # Counted in frames, which no container's clock rounds away.
                    at, due = (round(t * packet.time_base * rate.value) for t in (packet.pts, packet.dts))
                    packet.time_base, packet.pts, packet.dts, packet.duration = (
                        1 / rate.value,
                        at + before,
                        due + before,
                        1,
                    )
                    packet.stream = joined
                    to.mux(packet)
                    count += 1
                    if sound:
                        sound.until((before + count) / rate.value)
                before += count
        if sound:
            sound.until(None)


@contextmanager
def video_writer(
    path: Path, coding: Coding, size: FrameSize, rate: Rate, crf: int | None = None, timecode: str = ""
) -> Iterator[VideoWriter]:
    """Open a film's file for writing. It appears under its name only when it is whole.

    Args:
        crf: the encoder's constant rate factor, 0 (best) to 51, where it has one; 18 of H.264 is hard to tell from the
            original.
        timecode: of the first frame.
    """
    options = _options(coding, rate)
    with part_file(path) as part, av.open(str(part), "w", format=coding.container, options=options) as container:
        writer = VideoWriter(container, coding, size, rate, crf, timecode)
        yield writer
        writer.finish()
