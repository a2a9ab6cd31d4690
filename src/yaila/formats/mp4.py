"""MP4 files: H.264 (ITU-T H.264) in yuv 4:2:0, tagged as ITU-R BT.709 with limited range, index in front.

The picture is sRGB; it is encoded with the matrix of BT.709 and tagged with its primaries, transfer and matrix,
which is how video for the web is made (common practice, no source). One frame lasts exactly one period of the
film's rate; the first starts at 0.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import av
import numpy as np
from av.video.reformatter import ColorPrimaries, ColorRange, Colorspace, ColorTrc, Interpolation
from numpy.typing import NDArray

from yaila.core.camera import FrameSize
from yaila.core.time import Rate


class Mp4Writer:
    """Takes frames in order; made by :func:`mp4_writer`."""

    def __init__(self, container: av.container.OutputContainer, size: FrameSize, rate: Rate, crf: int) -> None:
        self._container = container
        stream = container.add_stream("libx264", rate=rate.value, options={"crf": str(crf), "preset": "medium"})
        stream.width, stream.height = size
        stream.pix_fmt = "yuv420p"
        stream.time_base = 1 / rate.value
        context = stream.codec_context
        context.time_base = 1 / rate.value
        context.color_primaries = ColorPrimaries.BT709
        context.color_trc = ColorTrc.BT709
        context.colorspace = Colorspace.ITU709
        context.color_range = ColorRange.MPEG
        context.thread_count = 0
        self._stream = stream
        self._rate = rate
        self._count = 0

    def write(self, frame: NDArray[np.uint8]) -> None:
        """Append a frame: (height, width, 3) uint8 sRGB."""
        video = av.VideoFrame.from_ndarray(frame, format="rgb24")
        video.color_range = ColorRange.JPEG
        video = video.reformat(
            format="yuv420p",
            src_colorspace=Colorspace.ITU709,
            dst_colorspace=Colorspace.ITU709,
            src_color_range=ColorRange.JPEG,
            dst_color_range=ColorRange.MPEG,
            interpolation=Interpolation.AREA,
        )
        video.pts = self._count
        # Not the stream's own: that becomes finer once the file's header is written.
        video.time_base = 1 / self._rate.value
        self._count += 1
        self._container.mux(self._stream.encode(video))

    def finish(self) -> None:
        """Write what the encoder still holds."""
        self._container.mux(self._stream.encode(None))


@contextmanager
def mp4_writer(path: Path, size: FrameSize, rate: Rate, crf: int) -> Iterator[Mp4Writer]:
    """Open an MP4 file for writing. It appears under its name only when it is whole.

    Args:
        crf: x264's constant rate factor, 0 (best) to 51; 18 is hard to tell from the original.
    """
    part = path.with_suffix(".part.mp4")
    try:
        # A clock that the rate divides, or the length would be rounded to milliseconds.
        clock = str(rate.value.numerator * (1 if rate.value.numerator > 1000 else 100))
        options = {"movflags": "faststart", "movie_timescale": clock}
        with av.open(str(part), "w", format="mp4", options=options) as container:
            writer = Mp4Writer(container, size, rate, crf)
            yield writer
            writer.finish()
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
