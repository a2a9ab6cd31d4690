"""What stores of files have in common: a folder for each, named by the SHA-256 of the file as it came, and a row that
says what is known of it."""

from __future__ import annotations

import os
import shutil
import threading
from abc import ABC, abstractmethod
from collections import OrderedDict
from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any, ClassVar, Generic, TypeVar

from sqlalchemy import Engine
from sqlalchemy.orm import Session

from yaila.core.errors import NotFound
from yaila.formats.whole import settle

R = TypeVar("R")
Opened = TypeVar("Opened")


class Files(ABC, Generic[R, Opened]):
    """Files of one kind, opened as they are asked for."""

    row: ClassVar[type[Any]]
    """Its table."""
    what: ClassVar[str]
    """What one of them is called."""
    most_open: ClassVar[int]
    """How many are kept open."""
    endings: ClassVar[tuple[str, ...]]
    """How the files are called that may be one; others are kept without an ending."""

    def __init__(
        self, engine: Engine, folder: Path, room: Callable[[str | None], AbstractContextManager[Path]]
    ) -> None:
        self._engine, self._folder, self._room = engine, folder, room
        self._opened: OrderedDict[str, Opened] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, sha256: str) -> R:
        """What is known of one.

        Raises:
            NotFound: it is not in store.
        """
        with Session(self._engine, expire_on_commit=False) as session:
            row: Any = session.get(self.row, sha256)
            if row is None:
                raise NotFound(f"That {self.what} is not in store. Drop its file again.")
            session.expunge(row)
            return row

    def has(self, sha256: str) -> bool:
        """Whether one is in store, and can be opened."""
        try:
            self.open(sha256)
        except NotFound:
            return False
        return True

    def source(self, sha256: str) -> Path:
        """The file as it came."""
        row: Any = self.get(sha256)
        return self._folder / sha256 / f"source{row.suffix}"

    def open(self, sha256: str) -> Opened:
        """One of them, open.

        Raises:
            NotFound: it is not in store, or spoilt beyond mending.
        """
        with self._lock:
            if sha256 in self._opened:
                self._opened.move_to_end(sha256)
                return self._opened[sha256]
            made = self._opened[sha256] = self._open(self.get(sha256), self._folder / sha256)
            while len(self._opened) > self.most_open:
                self._opened.popitem(last=False)
            return made

    def close(self, sha256: str) -> None:
        """Let go of one that may be open, as it is about to be taken away."""
        with self._lock:
            self._opened.pop(sha256, None)

    @abstractmethod
    def _open(self, row: R, folder: Path) -> Opened: ...

    def suffix_of(self, name: str) -> str:
        """The ending that a file is kept with."""
        ending = Path(name).suffix.lower()
        return ending if ending in self.endings else ""


def put_in(folder: Path, room: Path, file: Path, source: str, parts: Sequence[str], keep: bool) -> None:
    """Let a folder appear whole: ``parts`` that were made in a room, and the file as it came, called ``source``; moved,
    or with ``keep`` copied. What lies in the store already takes no room again."""
    if keep and folder.parent.parent in file.parents:
        os.link(file, room / source)
    elif keep:
        shutil.copyfile(file, room / source)
    else:
        shutil.move(file, room / source)
    for name in (*parts, source):
        settle(room / name)
    shutil.rmtree(folder, ignore_errors=True)
    room.replace(folder)
    settle(folder.parent)
    room.mkdir()
