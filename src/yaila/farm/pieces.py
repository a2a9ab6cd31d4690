"""A reel in pieces: whole groups of pictures, each written and told by its hash, joined at the end without encoding
again. What was written before a crash, a full disk or a restart is used again, and the result is the same."""

from __future__ import annotations

import hashlib
import json
import shutil
from pathlib import Path

from yaila.formats.whole import write_whole

PIECE = 96
"""Frames of a piece."""


def pieces_of(frames: range, whole: bool = False) -> list[range]:
    """Frames in pieces; of what cannot be joined, one that is ``whole``."""
    step = max(len(frames), 1) if whole else PIECE
    return [frames[start : start + step] for start in range(0, len(frames), step)]


class Pieces:
    """The pieces of a reel that are there, in a folder beside its file."""

    def __init__(self, folder: Path, suffix: str, what: str, anew: bool = False) -> None:
        """``what`` says all that the pieces depend on: others that lie there are thrown away, and, ``anew``, all."""
        self.folder, self.suffix = folder, suffix
        told = folder / "what.json"
        if anew or not told.exists() or told.read_text("utf-8") != what:
            shutil.rmtree(folder, ignore_errors=True)
        if not folder.exists():
            folder.mkdir(parents=True)
            write_whole(told, what.encode())

    def path(self, number: int) -> Path:
        """Where a piece is written."""
        return self.folder / f"{number:05d}{self.suffix}"

    def keep(self, number: int) -> None:
        """Note that a piece is whole."""
        write_whole(self.folder / f"{number:05d}.json", json.dumps({"sha256": _hash(self.path(number))}).encode())

    def there(self, number: int) -> bool:
        """Whether a piece is there, byte for byte as it was written."""
        note, path = self.folder / f"{number:05d}.json", self.path(number)
        try:
            return path.exists() and json.loads(note.read_text("utf-8"))["sha256"] == _hash(path)
        except (OSError, ValueError, KeyError, TypeError):
            return False

    def away(self) -> None:
        """Throw all of them away."""
        shutil.rmtree(self.folder, ignore_errors=True)


def folder_of(path: Path) -> Path:
    """The folder of a reel's pieces."""
    return path.with_name(f"{path.name}.pieces")


def _hash(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
