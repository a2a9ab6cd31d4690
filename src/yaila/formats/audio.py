"""Sound files: read in whatever form they come, kept as FLAC of 24 bits (RFC 9639) at the rate that films are given
sound, and read from there at any sample."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import av
import numpy as np
import soundfile
from numpy.typing import NDArray

from yaila.core.errors import BadSound
from yaila.core.sound import RATE, Samples

LONGEST = 86_400
"""Seconds."""

BLOCK = RATE
"""Samples that are taken in together."""

PEAKS = 100
"""Peaks a second that are kept to be drawn."""


def take_in(
    file: Path, out: Path, peaks: Path, name: str, progress: Callable[[float], None] = lambda share: None
) -> int:
    """Read the sound of any file, write it as FLAC, and what is drawn of it.

    Channels beyond two are mixed down to two, as FFmpeg does it. What is encoded beyond the sound's ends, as in AAC and
    MP3, is left out where the file says how much. How many samples it has.

    Args:
        peaks: gets an array (n, 2) of int8, the lowest and the highest sample of each hundredth of a second.

    Raises:
        BadSound: there is none in it, or none that can be read.
    """
    drawn = _Peaks()
    count = 0
    with soundfile.SoundFile(str(out), "w", RATE, 2, subtype="PCM_24", format="FLAC") as flac:
        for block, share in _in_blocks(_decoded(file, name)):
            flac.write(block)
            drawn.add(block)
            count += len(block)
            progress(share)
            if count > LONGEST * RATE:
                raise BadSound(f"“{name}” is longer than a day. Cut it in parts.")
    if not count:
        raise BadSound(f"“{name}” holds no sound that can be heard. Save it again, as WAV or FLAC.")
    with peaks.open("wb") as npy:
        np.save(npy, drawn.done())
    return count


Channels = NDArray[np.float32]
"""(channels, samples)."""


def _in_blocks(decoded: Iterator[tuple[Channels, float]]) -> Iterator[tuple[Samples, float]]:
    """What comes in crumbs, as it is encoded, in blocks that are worth the work on each."""
    crumbs: list[Channels] = []
    held, share = 0, 0.0
    for channels, share in decoded:
        crumbs.append(channels)
        held += channels.shape[1]
        if held >= BLOCK:
            yield _finite(crumbs), share
            crumbs, held = [], 0
    if held:
        yield _finite(crumbs), share


def _decoded(file: Path, name: str) -> Iterator[tuple[Channels, float]]:
    try:
        with av.open(str(file)) as container:
            if not container.streams.audio:
                raise BadSound(f"There is no sound in “{name}”.")
            stream = container.streams.audio[0]
            # One channel is both, as loud as it was: FFmpeg would make it 3 dB quieter.
            layout = "mono" if stream.codec_context.channels == 1 else "stereo"
            resampler = av.AudioResampler("fltp", layout, RATE)
            length = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else 0.0
            if not length and container.duration:
                length = container.duration / av.time_base
            at, broken = 0.0, 0
            for packet in container.demux(stream):
                try:
                    frames = packet.decode()
                except av.error.FFmpegError:
                    # A damaged piece is left out; a file of nothing else is refused.
                    broken += 1
                    if broken > 100:
                        raise
                    continue
                for frame in frames:
                    assert isinstance(frame, av.AudioFrame)
                    at += frame.samples / max(frame.sample_rate, 1)
                    for part in resampler.resample(frame):
                        yield np.asarray(part.to_ndarray(), np.float32), min(at / length, 1.0) if length else 0.0
            for part in resampler.resample(None):
                yield np.asarray(part.to_ndarray(), np.float32), 1.0
    except (av.error.FFmpegError, IndexError, ValueError) as error:
        raise BadSound(f"“{name}” cannot be read as sound ({error}). Save it again, as WAV or FLAC.") from error


def _finite(crumbs: list[Channels]) -> Samples:
    channels = np.concatenate(crumbs, axis=1)
    block = np.ascontiguousarray(np.broadcast_to(channels.T, (channels.shape[1], 2)), np.float32)
    return np.clip(np.nan_to_num(block, nan=0.0, posinf=1.0, neginf=-1.0), -1.0, 1.0)


class _Peaks:
    """The lowest and the highest sample of each hundredth of a second."""

    def __init__(self) -> None:
        self._rest = np.zeros(0, np.float32)
        self._found: list[NDArray[np.int8]] = []

    def add(self, block: Samples) -> None:
        step = RATE // PEAKS
        left, right = block.T
        loud = np.concatenate([self._rest, np.where(np.abs(left) >= np.abs(right), left, right)])
        whole = len(loud) // step * step
        self._rest = loud[whole:]
        if whole:
            pieces = loud[:whole].reshape(-1, step)
            self._found.append(_as_peaks(pieces.min(axis=1), pieces.max(axis=1)))

    def done(self) -> NDArray[np.int8]:
        if len(self._rest):
            self._found.append(_as_peaks(self._rest.min(keepdims=True), self._rest.max(keepdims=True)))
        return np.concatenate(self._found) if self._found else np.zeros((0, 2), np.int8)


def _as_peaks(low: NDArray[np.float32], high: NDArray[np.float32]) -> NDArray[np.int8]:
    both = np.stack([low, high], axis=1)
    return np.clip(np.round(both * 127), -127, 127).astype(np.int8)


def peaks_of(samples: Samples) -> NDArray[np.int8]:
    """The same of samples."""
    drawn = _Peaks()
    drawn.add(samples)
    return drawn.done()


class StoredSound:
    """A sound as it is kept, read at any sample; for any number of threads."""

    def __init__(self, path: Path) -> None:
        self._file = soundfile.SoundFile(str(path))
        self._lock = threading.Lock()
        self.samples = self._file.frames

    def read(self, start: int, count: int) -> Samples:
        """Samples ``start`` to before ``start + count``, (n, 2); beyond its end fewer, before its start silence."""
        before = min(max(-start, 0), count)
        first, last = max(start, 0), min(start + count, self.samples)
        with self._lock:
            if last > first:
                self._file.seek(first)
                found = np.asarray(self._file.read(last - first, dtype="float32", always_2d=True), np.float32)
            else:
                found = np.zeros((0, 2), np.float32)
        return np.concatenate([np.zeros((before, 2), np.float32), found]) if before else found


def write_wav(path: Path, read: Callable[[int, int], Samples], samples: int) -> None:
    """Write sound as WAV of 24 bits, block by block; above 4 GB as RF64 (EBU Tech 3306)."""
    form = "RF64" if samples * 6 > 0xF0000000 else "WAV"
    with soundfile.SoundFile(str(path), "w", RATE, 2, subtype="PCM_24", format=form) as wav:
        for start in range(0, samples, RATE * 10):
            wav.write(read(start, min(RATE * 10, samples - start)))
