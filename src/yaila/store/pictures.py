"""Pictures on disk: for each its file as it came, and the pyramid made from it, in a folder named by SHA-256."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import Engine
from sqlalchemy.orm import Session

from yaila.core.errors import NotFound
from yaila.core.film import PictureRef
from yaila.core.imagery import build_pyramid
from yaila.core.imagery.pyramid import TiffPyramid, open_pyramid
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

    def __init__(self, engine: Engine, folder: Path) -> None:
        self._engine = engine
        self._folder = folder
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
        self, file: Path, name: str, progress: Callable[[float], None] | None = None, keep: bool = False
    ) -> PictureRef:
        """Take a picture file into the store; the same file twice is stored once.

        Args:
            file: moved into the store, or copied with ``keep``.

        Raises:
            BadPicture: it cannot become a plate; nothing is kept of it then.
        """
        sha256 = sha256_of(file)
        if self.has(sha256):
            if not keep:
                file.unlink()
            return self.reference(sha256)
        folder = self._folder / sha256
        folder.mkdir(exist_ok=True)
        try:
            facts = build_pyramid(file, folder / "pyramid.tif", name, progress)
        except BaseException:
            shutil.rmtree(folder, ignore_errors=True)
            if not keep:
                file.unlink(missing_ok=True)
            raise
        suffix = {"PNG": ".png", "JPEG": ".jpg", "WebP": ".webp", "TIFF": ".tif"}[facts.format]
        size = file.stat().st_size
        source = folder / f"source{suffix}"
        (shutil.copyfile if keep else shutil.move)(file, source)
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
        return self.reference(sha256)
