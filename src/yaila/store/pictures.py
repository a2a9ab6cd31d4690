"""Pictures on disk: for each its file as it came, and the pyramid made from it, in a folder named by SHA-256."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path

from sqlalchemy import Engine
from sqlalchemy.orm import Session

from yaila.core.errors import NotFound
from yaila.core.film import PictureRef
from yaila.core.imagery import build_pyramid
from yaila.core.imagery.pyramid import PictureFacts, TiffPyramid, open_pyramid
from yaila.store.database import PictureRow

CHUNK = 1 << 20


def sha256_of(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal."""
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while chunk := file.read(CHUNK):
            digest.update(chunk)
    return digest.hexdigest()


class Pictures:
    """The pictures in a store."""

    def __init__(
        self, engine: Engine, folder: Path, room: Callable[[str | None], AbstractContextManager[Path]]
    ) -> None:
        self._engine = engine
        self._folder = folder
        self._room = room
        folder.mkdir(parents=True, exist_ok=True)

    def get(self, sha256: str) -> PictureRow:
        """What is known of a picture.

        Raises:
            NotFound: it is not in store.
        """
        with Session(self._engine) as session:
            row = session.get(PictureRow, sha256)
            if row is None:
                raise NotFound("That picture is not in store. Drop its file again.")
            session.expunge(row)
            return row

    def has(self, sha256: str) -> bool:
        """Whether a picture is in store."""
        with Session(self._engine) as session:
            return session.get(PictureRow, sha256) is not None

    def reference(self, sha256: str) -> PictureRef:
        """A picture as a film's document names it."""
        row = self.get(sha256)
        return PictureRef(sha256=row.sha256, width=row.width, height=row.height, alpha=row.alpha)

    def source(self, sha256: str) -> Path:
        """The file as it came."""
        return self._folder / sha256 / f"source{self.get(sha256).suffix}"

    def pyramid(self, sha256: str) -> TiffPyramid:
        """The pyramid of a picture, open.

        Raises:
            NotFound: it is not in store.
        """
        path = self._folder / sha256 / "pyramid.tif"
        if not path.exists():
            raise NotFound("That picture is not in store. Drop its file again.")
        return open_pyramid(path)

    def add(
        self,
        file: Path,
        name: str,
        progress: Callable[[float], None] | None = None,
        keep: bool = False,
        job: str | None = None,
    ) -> PictureRef:
        """Take a picture file into the store; the same file twice is stored once.

        Args:
            file: moved into the store, or copied with ``keep``.
            job: whose work it is; it is done in that job's room, which goes when the job is stopped.

        Raises:
            BadPicture: it cannot become a plate; nothing is kept of it then.
        """
        sha256 = sha256_of(file)
        if not self.has(sha256):
            with self._room(job) as room:
                # It is made elsewhere and appears whole, so that a half one never stands where a picture is looked for.
                facts = build_pyramid(file, room / "pyramid.tif", name, progress)
                suffix = {"PNG": ".png", "JPEG": ".jpg", "WebP": ".webp", "TIFF": ".tif"}[facts.format]
                size = file.stat().st_size
                (shutil.copyfile if keep else shutil.move)(file, room / f"source{suffix}")
                folder = self._folder / sha256
                shutil.rmtree(folder, ignore_errors=True)
                room.replace(folder)
                room.mkdir()
            self._note(sha256, name, suffix, size, facts)
        if not keep:
            file.unlink(missing_ok=True)
        return self.reference(sha256)

    def _note(self, sha256: str, name: str, suffix: str, size: int, facts: PictureFacts) -> None:
        with Session(self._engine) as session, session.begin():
            session.merge(
                PictureRow(
                    sha256=sha256,
                    name=name,
                    suffix=suffix,
                    width=facts.width,
                    height=facts.height,
                    alpha=facts.alpha,
                    format=facts.format,
                    size=size,
                )
            )
