"""Pictures on disk: for each its file as it came, and the pyramid made from it, in a folder named by SHA-256."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable
from contextlib import AbstractContextManager, suppress
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from yaila.core.errors import Damaged, NotFound
from yaila.core.film import PictureRef
from yaila.core.imagery import build_pyramid
from yaila.core.imagery.pyramid import PictureFacts, TiffPyramid, open_pyramid, read_facts
from yaila.formats.heights import Codes, likely_codes, read_heights
from yaila.formats.whole import ask_room, settle
from yaila.store.database import PictureRow
from yaila.store.files import put_in

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
        self._rebuilding = threading.Lock()
        self._lost: set[str] = set()
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

    def known(self, sha256: str) -> bool:
        """Whether a picture was taken into the store, whatever has become of its files."""
        with Session(self._engine) as session:
            return session.get(PictureRow, sha256) is not None

    def has(self, sha256: str) -> bool:
        """Whether a picture is in store, and whole."""
        try:
            self.pyramid(sha256)
        except NotFound:
            return False
        return self.known(sha256)

    def reference(self, sha256: str) -> PictureRef:
        """A picture as a film's document names it."""
        row = self.get(sha256)
        return PictureRef(sha256=row.sha256, width=row.width, height=row.height, alpha=row.alpha)

    def source(self, sha256: str) -> Path:
        """The file as it came."""
        return self._folder / sha256 / f"source{self.get(sha256).suffix}"

    def height_codes(self, sha256: str) -> Codes:
        """How a picture most likely holds heights.

        Raises:
            NotFound: it is not there.
            BadPicture: it cannot be read.
        """
        return likely_codes(self.source(sha256))

    def heights(self, sha256: str, codes: str) -> NDArray[np.float32]:
        """The heights that a picture holds, NaN where it has none (``formats/heights.py``).

        Raises:
            NotFound: it is not in store.
            BadPicture: it holds none.
        """
        return read_heights(self.source(sha256), codes)  # type: ignore[arg-type]

    def pyramid(self, sha256: str) -> TiffPyramid:
        """The pyramid of a picture, open.

        Raises:
            NotFound: it is not in store.
        """
        path = self._folder / sha256 / "pyramid.tif"
        try:
            opened = open_pyramid(path)
        except Damaged:
            return self._rebuilt(sha256)
        # It may have been brought again by another process.
        self._lost.discard(sha256)
        return opened

    def _rebuilt(self, sha256: str) -> TiffPyramid:
        """A pyramid made anew from the file as it came, if that is still what it was.

        Raises:
            NotFound: it is not; the picture has to be brought again.
        """
        folder = self._folder / sha256
        with self._rebuilding:
            with suppress(Damaged):
                return open_pyramid(folder / "pyramid.tif")
            if not self.known(sha256):
                raise NotFound("That picture is not in store. Drop its file again.")
            source = self.source(sha256)
            if sha256 in self._lost or not source.exists() or sha256_of(source) != sha256:
                self._lost.add(sha256)
                raise NotFound(f"The files of “{self.get(sha256).name}” are damaged. Drop its file again.")
            with self._room(None) as room:
                build_pyramid(source, room / "pyramid.tif", self.get(sha256).name)
                settle(room / "pyramid.tif")
                (room / "pyramid.tif").replace(folder / "pyramid.tif")
            return open_pyramid(folder / "pyramid.tif")

    def add(
        self,
        file: Path,
        name: str,
        progress: Callable[[float], None] | None = None,
        keep: bool = False,
        job: str | None = None,
        sha256: str | None = None,
    ) -> PictureRef:
        """Take a picture file into the store; the same file twice is stored once.

        Args:
            file: moved into the store, or copied with ``keep``.
            job: whose work it is; it is done in that job's room, which goes when the job is stopped.
            sha256: the file's, where it is known already.

        Raises:
            BadPicture: it cannot become a plate; nothing is kept of it then.
        """
        sha256 = sha256 or sha256_of(file)
        if not self.has(sha256):
            found = read_facts(file, name)
            tiles = found.width * found.height * (4 if found.alpha else 3)
            # A pyramid is a third larger than its first level.
            ask_room(self._folder, tiles * 4 // 3 + (file.stat().st_size if keep else 0), f"“{name}”")
            with self._room(job) as room:
                # It is made elsewhere and appears whole, so that a half one never stands where a picture is looked for.
                facts = build_pyramid(file, room / "pyramid.tif", name, progress)
                suffix = {"PNG": ".png", "JPEG": ".jpg", "WebP": ".webp", "TIFF": ".tif"}[facts.format]
                size = file.stat().st_size
                put_in(self._folder / sha256, room, file, f"source{suffix}", ("pyramid.tif",), keep)
            self._lost.discard(sha256)
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
