"""Clips: films that are shown in a film. The moments of their pictures stand in a table, so that any moment is found
exactly, whatever the rate, even or not; drafts are drawn from a small copy."""

from __future__ import annotations

import threading
from bisect import bisect_right
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.video.reformatter import Interpolation
from numpy.typing import NDArray

from yaila.core.errors import BadClip

PROXY = 640
"""Pixels wide of the small copy; a clip that is not much larger needs none."""

GROUP = 12
"""Pictures of the small copy from one that stands by itself to the next."""

MOST_SIDE = 8192

LONGEST = 86_400.0

AHEAD = 40
"""Pictures that are read on to, rather than looked for anew."""

MOST_KEPT = 48 * 2**20
"""Bytes of pictures that an open clip keeps."""

Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class ClipFacts:
    """What is known of a clip: its size as it is seen, its length, how many pictures, whether it has alpha and sound,
    and by how many quarter turns its pictures are turned to be seen."""

    width: int
    height: int
    seconds: float
    frames: int
    alpha: bool
    sound: bool
    quarters: int


def read_clip(path: Path, name: str) -> tuple[ClipFacts, NDArray[np.float64]]:
    """What is in a clip, and the moment of each of its pictures, seconds from the first, rising.

    Raises:
        BadClip: it holds no moving picture that can be read.
    """
    try:
        with av.open(str(path)) as container:
            if not container.streams.video:
                raise BadClip(f"There is no moving picture in “{name}”.")
            stream = container.streams.video[0]
            times = _times(container, stream)
            container.seek(0)
            first = next(_decoded(container, stream), None)
            if first is None or not len(times):
                raise BadClip(f"No picture of “{name}” can be read. Save it anew, as MP4 or MOV.")
            quarters = round(getattr(first, "rotation", 0) / 90) % 4
            width, height = first.width, first.height
            ratio = stream.sample_aspect_ratio
            if ratio and ratio != 1:
                width = round(width * float(ratio))
            if max(width, height) > MOST_SIDE or min(width, height) < 2:
                raise BadClip(f"“{name}” is {width} × {height} pixels; clips have 2 to {MOST_SIDE:,} a side.")
            if quarters % 2:
                width, height = height, width
            step = float(np.median(np.diff(times))) if len(times) > 1 else 0.04
            seconds = float(times[-1] + step)
            if seconds > LONGEST:
                raise BadClip(f"“{name}” is longer than a day. Cut it in parts.")
            alpha = _has_alpha(stream, first)
            return ClipFacts(width, height, seconds, len(times), alpha, bool(container.streams.audio), quarters), times
    except (av.error.FFmpegError, ValueError, OverflowError) as error:
        raise BadClip(f"“{name}” cannot be read as a clip ({error}). Save it anew, as MP4 or MOV.") from error


def _times(container: av.container.InputContainer, stream: av.VideoStream) -> NDArray[np.float64]:
    """The moments of a stream's pictures, from its packets; where a file is broken off, those before."""
    found: list[int] = []
    try:
        # Broken off somewhere, all before that is kept.
        for packet in container.demux(stream):
            found += [packet.pts] if packet.pts is not None and packet.size else []
    except av.error.FFmpegError:
        pass
    base = float(stream.time_base or Fraction(1, 1000))
    times = np.unique(np.array(found, np.float64)) * base
    return times - times[0] if len(times) else times


def _has_alpha(stream: av.VideoStream, frame: av.VideoFrame) -> bool:
    return stream.metadata.get("alpha_mode") == "1" or any(c.is_alpha for c in frame.format.components)


def _decoder(stream: av.VideoStream) -> av.VideoCodecContext | None:
    """A decoder of its own, where the usual one leaves alpha away."""
    if stream.metadata.get("alpha_mode") != "1":
        return None
    name = {"vp9": "libvpx-vp9", "vp8": "libvpx"}.get(stream.codec_context.name)
    if name is None:
        return None
    made = av.CodecContext.create(name, "r")
    made.extradata = stream.codec_context.extradata
    assert isinstance(made, av.VideoCodecContext)
    return made


def _decoded(container: av.container.InputContainer, stream: av.VideoStream) -> Iterator[av.VideoFrame]:
    """Pictures in their order; what is damaged is passed over."""
    own = _decoder(stream)
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets, None)
        except av.error.FFmpegError:
            packet = None
        if packet is None:
            return
        try:
            frames = own.decode(packet) if own else packet.decode()
        except av.error.EOFError:
            return
        except av.error.FFmpegError:
            continue
        for frame in frames:
            if isinstance(frame, av.VideoFrame) and frame.pts is not None:
                yield frame


def write_proxy(
    path: Path, out: Path, facts: ClipFacts, progress: Callable[[float], None] = lambda share: None
) -> bool:
    """Write a small copy of a clip, its pictures at the same moments; whether it needs one."""
    if facts.alpha or facts.width <= PROXY * 3 // 2:
        return False
    width = PROXY
    height = max(round(PROXY * facts.height / facts.width / 2) * 2, 2)
    if facts.quarters % 2:
        width, height = height, width
    with av.open(str(path)) as container, av.open(str(out), "w", format="mp4", options={"movflags": "faststart"}) as to:
        source = container.streams.video[0]
        source.thread_type = "AUTO"
        options = {"crf": "20", "preset": "veryfast", "g": f"{GROUP}", "bf": "0"}
        stream = to.add_stream("libx264", rate=30, options=options)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        clock = Fraction(1, 90_000)
        stream.time_base = stream.codec_context.time_base = clock
        first, last = None, -1
        for frame in _decoded(container, source):
            assert frame.pts is not None
            assert frame.time_base is not None
            first = frame.pts if first is None else first
            at = round((frame.pts - first) * frame.time_base / clock)
            if at <= last:
                continue
            last = at
            small = frame.reformat(width=width, height=height, format="yuv420p", interpolation=Interpolation.AREA)
            small.pts, small.time_base = at, clock
            to.mux(stream.encode(small))
            progress(min(float(at * clock) / max(facts.seconds, 1e-3), 1.0))
        to.mux(stream.encode(None))
    return True


class OpenClip:
    """A clip that is looked into at any moment, by any number of threads."""

    def __init__(self, source: Path, proxy: Path | None, facts: ClipFacts, times: NDArray[np.float64]) -> None:
        self._facts, self._times = facts, times.tolist()
        self._whole = _Reader(source, facts, self._times)
        self._small = _Reader(proxy, facts, self._times) if proxy else None

    def at(self, seconds: float, width: int) -> Pixels:
        """What it shows at a moment, premultiplied RGBA, about so many pixels wide.

        Raises:
            BadClip: its file was spoilt since it was taken in.
        """
        number = max(bisect_right(self._times, seconds + 1e-6) - 1, 0)
        reader = self._small if self._small and width <= PROXY else self._whole
        try:
            return reader.picture(number, width)
        except (av.error.FFmpegError, IndexError) as error:
            raise BadClip(f"The clip cannot be read there ({error}). Drop its file again.") from error


class _Reader:
    """Pictures of a file by their number."""

    def __init__(self, path: Path, facts: ClipFacts, times: list[float]) -> None:
        self._path, self._facts, self._times = path, facts, times
        self._lock = threading.Lock()
        self._container: av.container.InputContainer | None = None
        self._frames: Iterator[av.VideoFrame] = iter(())
        self._first = 0.0
        self._kept: OrderedDict[tuple[int, int], Pixels] = OrderedDict()
        self._bytes = 0
        self._last: tuple[int, av.VideoFrame] | None = None

    def picture(self, number: int, width: int) -> Pixels:
        """A picture, about so many pixels wide, though no wider than it is, nor less than a half too much."""
        size = self._facts.width
        step = 1
        while size / (step * 2) >= width:
            step *= 2
        wide = max(round(size / step), 1)
        with self._lock:
            known = self._kept.get((number, wide))
            if known is not None:
                self._kept.move_to_end((number, wide))
                return known
            pixels = self._pixels(self._frame(number), wide)
            self._kept[number, wide] = pixels
            self._bytes += pixels.nbytes
            while self._bytes > MOST_KEPT and len(self._kept) > 1:
                self._bytes -= self._kept.popitem(last=False)[1].nbytes
            return pixels

    def _frame(self, number: int) -> av.VideoFrame:
        if self._last and self._last[0] == number:
            return self._last[1]
        if self._container is None or self._last is None or not 0 < number - self._last[0] <= AHEAD:
            self._seek(number)
        best = self._last[1] if self._last and self._last[0] <= number else None
        wanted = self._times[number]
        for frame in self._frames:
            number_of = self._number(frame)
            best = frame if best is None or number_of <= number else best
            if self._times[min(number_of, len(self._times) - 1)] >= wanted - 1e-4:
                self._last = (number_of, frame)
                break
        else:
            # Its end, or what is damaged: what was last is held.
            self._last = (number, best) if best is not None else None
        if best is None:
            raise BadClip("No picture of the clip can be read there.")
        return best

    def _number(self, frame: av.VideoFrame) -> int:
        at = float((frame.pts or 0) * (frame.time_base or 1)) - self._first
        return max(bisect_right(self._times, at + 1e-4) - 1, 0)

    def _seek(self, number: int) -> None:
        self._last = None
        if self._container is not None:
            self._container.close()
        self._container = container = av.open(str(self._path))
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        base = stream.time_base or Fraction(1, 1000)
        start = stream.start_time or 0
        self._first = float(start * base)
        at = start + int(self._times[number] / float(base))
        if number:
            try:
                container.seek(max(at, 0), stream=stream, backward=True)
            except av.error.FFmpegError:
                container.close()
                self._container = container = av.open(str(self._path))
                stream = container.streams.video[0]
        self._frames = _decoded(container, stream)

    def _pixels(self, frame: av.VideoFrame, wide: int) -> Pixels:
        facts = self._facts
        tall = max(round(wide * facts.height / facts.width), 1)
        width, height = (tall, wide) if facts.quarters % 2 else (wide, tall)
        form = "rgba" if facts.alpha else "rgb24"
        made = frame.reformat(width=width, height=height, format=form, interpolation=Interpolation.AREA).to_ndarray()
        made = np.asarray(made, np.uint8)
        if facts.quarters:
            made = np.rot90(made, facts.quarters)
        if not facts.alpha:
            opaque = np.full((*made.shape[:2], 1), 255, np.uint8)
            return np.concatenate([made, opaque], axis=-1)
        alpha = made[..., 3:].astype(np.uint16)
        return np.concatenate([((made[..., :3] * alpha + 127) // 255).astype(np.uint8), made[..., 3:]], axis=-1)
