"""Clips in store: each in a folder named by the SHA-256 of the file as it came, with that file, the moments of its
pictures, and a small copy."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session

from yaila.core.errors import NotFound
from yaila.core.film.marked import ShownClip
from yaila.formats.clips import ClipFacts, OpenClip, read_clip, write_proxy
from yaila.formats.whole import ask_room
from yaila.store.database import ClipRow
from yaila.store.files import Files, put_in
from yaila.store.pictures import sha256_of


class Clips(Files[ClipRow, OpenClip]):
    """The clips in a store."""

    row, what, most_open = ClipRow, "clip", 6
    endings = (".mp4", ".mov", ".m4v", ".webm", ".mkv", ".avi", ".mxf", ".mpg", ".mpeg", ".ts", ".mts", ".gif", ".webp")

    def reference(self, sha256: str) -> ShownClip:
        """A clip as a film's document names it."""
        row = self.get(sha256)
        return ShownClip(sha256=sha256, width=row.width, height=row.height, seconds=round(row.seconds, 6))

    def _open(self, row: ClipRow, folder: Path) -> OpenClip:
        source, proxy, times = folder / f"source{row.suffix}", folder / "small.mp4", folder / "times.npy"
        if not source.exists():
            raise NotFound(f"The file of the clip “{row.name}” is gone. Drop it again.")
        facts = ClipFacts(row.width, row.height, row.seconds, row.frames, row.alpha, row.sound, row.quarters)
        moments = np.load(times) if times.exists() else read_clip(source, row.name)[1]
        return OpenClip(source, proxy if proxy.exists() else None, facts, moments)

    def add(
        self,
        file: Path,
        name: str,
        progress: Callable[[float], None] = lambda share: None,
        keep: bool = False,
        job: str | None = None,
        sha256: str | None = None,
    ) -> ShownClip:
        """Take a clip into the store; the same file twice is stored once.

        Args:
            file: moved into the store, or kept where it is with ``keep``.
            job: whose work it is; it is done in that job's room.
            sha256: the file's, where it is known already.

        Raises:
            BadClip: it is none that can be used; nothing is kept of it then.
        """
        sha256 = sha256 or sha256_of(file)
        if not self.has(sha256):
            size = file.stat().st_size
            facts, times = read_clip(file, name)
            ask_room(self._folder, size * 2 + round(facts.seconds * 250_000), f"“{name}”")
            with self._room(job) as room:
                np.save(room / "times.npy", times)
                small = write_proxy(file, room / "small.mp4", facts, progress)
                suffix = self.suffix_of(name)
                parts = ("times.npy", "small.mp4") if small else ("times.npy",)
                put_in(self._folder / sha256, room, file, f"source{suffix}", parts, keep)
            with Session(self._engine) as session, session.begin():
                session.merge(
                    ClipRow(
                        sha256=sha256,
                        name=name,
                        suffix=suffix,
                        width=facts.width,
                        height=facts.height,
                        seconds=facts.seconds,
                        frames=facts.frames,
                        alpha=facts.alpha,
                        sound=facts.sound,
                        quarters=facts.quarters,
                        size=size,
                    )
                )
        if not keep:
            file.unlink(missing_ok=True)
        return self.reference(sha256)
