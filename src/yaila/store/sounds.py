"""Sounds in store: each in a folder named by the SHA-256 of the file as it came, with that file, the same as FLAC, and
what is drawn of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from yaila.core.errors import BadSound, NotFound
from yaila.core.film.sounds import FileSound
from yaila.core.sound import RATE, Read
from yaila.core.sound.beats import beats_in
from yaila.formats.audio import StoredSound, take_in
from yaila.formats.whole import ask_room, settle
from yaila.store.database import SoundRow
from yaila.store.files import Files, put_in
from yaila.store.pictures import sha256_of


class Sounds(Files[SoundRow, StoredSound]):
    """The sounds in a store."""

    row, what, most_open = SoundRow, "sound", 32
    endings = (".wav", ".flac", ".mp3", ".m4a", ".aac", ".ogg", ".oga", ".opus", ".aif", ".aiff", ".mp4", ".mov",
               ".webm", ".mkv", ".caf", ".w64")  # fmt: skip

    def reference(self, sha256: str) -> FileSound:
        """A sound as a film's document names it."""
        return FileSound(sha256=sha256, seconds=round(self.get(sha256).samples / RATE, 6))

    def _open(self, row: SoundRow, folder: Path) -> StoredSound:
        try:
            opened = StoredSound(folder / "sound.flac")
        except (RuntimeError, OSError):
            return self._anew(row)
        return opened if opened.samples == row.samples else self._anew(row)

    def read(self, sha256: str) -> Read:
        """What reads a sound; one that is gone is silent, as the film must still be heard."""
        try:
            return self.open(sha256).read
        except NotFound:
            return lambda start, count: np.zeros((0, 2), np.float32)

    def peaks(self, sha256: str) -> NDArray[np.int8]:
        """What is drawn of a sound: the lowest and the highest sample of each hundredth of a second, (n, 2).

        Raises:
            NotFound: it is not in store.
        """
        self.open(sha256)
        peaks: NDArray[np.int8] = np.load(self._folder / sha256 / "peaks.npy", mmap_mode="r")
        return peaks

    def beats(self, sha256: str) -> list[float]:
        """The beats in a sound, seconds; looked for the first time they are asked for."""
        row = self.get(sha256)
        if row.beats is not None:
            return [float(beat) for beat in row.beats]
        found = beats_in(self.open(sha256).read, row.samples)
        with Session(self._engine) as session, session.begin():
            session.merge(SoundRow(**(_columns(row) | {"beats": found})))
        return found

    def add(self, file: Path, name: str, progress: Callable[[float], None] = lambda share: None, keep: bool = False,
            job: str | None = None, sha256: str | None = None) -> FileSound:  # fmt: skip
        """Take the sound of a file into the store; the same file twice is stored once.

        Args:
            file: moved into the store, or copied with ``keep``.
            job: whose work it is; it is done in that job's room.
            sha256: the file's, where it is known already.

        Raises:
            BadSound: there is none in it that can be used; nothing is kept of it then.
        """
        sha256 = sha256 or sha256_of(file)
        if not self.has(sha256):
            size = file.stat().st_size
            # Not known before it is read: ten times what is packed, or what is not packed, is more than enough.
            ask_room(self._folder, size * (2 if file.suffix in (".wav", ".aiff") else 10), f"“{name}”")
            with self._room(job) as room:
                samples = take_in(file, room / "sound.flac", room / "peaks.npy", name, progress)
                suffix = self.suffix_of(name)
                put_in(self._folder / sha256, room, file, f"source{suffix}", ("sound.flac", "peaks.npy"), keep)
            with Session(self._engine) as session, session.begin():
                session.merge(SoundRow(sha256=sha256, name=name, suffix=suffix, samples=samples, size=size))
        if not keep:
            file.unlink(missing_ok=True)
        return self.reference(sha256)

    def _anew(self, row: SoundRow) -> StoredSound:
        """A sound made anew from the file as it came, if that is still what it was."""
        folder = self._folder / row.sha256
        source = folder / f"source{row.suffix}"
        gone = NotFound(f"The files of the sound “{row.name}” are damaged. Drop its file again.")
        if not source.exists() or sha256_of(source) != row.sha256:
            raise gone
        try:
            with self._room(None) as room:
                take_in(source, room / "sound.flac", room / "peaks.npy", row.name)
                for one in ("sound.flac", "peaks.npy"):
                    settle(room / one)
                    (room / one).replace(folder / one)
        except BadSound as error:
            raise gone from error
        return StoredSound(folder / "sound.flac")


def _columns(row: SoundRow) -> dict[str, object]:
    return {column.name: getattr(row, column.name) for column in SoundRow.__table__.columns}
