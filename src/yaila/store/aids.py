"""What marks need besides the document, as somebody brought it: fonts, and pictures that serve as signs. Each is a file
named by its SHA-256."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yaila.core.errors import BadEdit, NotFound
from yaila.core.picture.kit import Kit, read_sign
from yaila.core.type import Faces, read_face
from yaila.formats.whole import ask_room, write_whole

MOST_BYTES = 30_000_000

KEY = re.compile(r"[0-9a-f]{64}")


@dataclass(frozen=True)
class Aid:
    """A font or a sign in the store: its name, and the key that marks call it by."""

    key: str
    name: str


class Aids:
    """The fonts and signs in a store."""

    def __init__(self, folder: Path, heights: Callable[[str, str], NDArray[np.float32]] | None = None) -> None:
        self._folder = folder
        self._bad: set[str] = set()
        self._good: set[str] = set()
        self.kit = Kit(Faces(self.read), self.read, heights)

    def add_font(self, data: bytes, name: str) -> Aid:
        """Keep a font.

        Raises:
            BadEdit: it is none, or too large.
        """
        _limit(data, name)
        face = read_face(data, name)
        return Aid(self._keep(data, ".otf" if data[:4] == b"OTTO" else ".ttf"), face.name)

    def add_sign(self, data: bytes, name: str) -> Aid:
        """Keep a picture that is to be a sign.

        Raises:
            BadEdit: it is none, or too large.
        """
        _limit(data, name)
        read_sign(data, name)
        key = self._keep(data, ".png")
        if key not in name:
            write_whole(self._folder / f"{key}.name", name.rsplit(".", 1)[0][:120].encode())
        return Aid(key, self._name_of(key))

    def sweep(self, used: set[str]) -> int:
        """Take away all fonts and signs but those that are used; how many they were."""
        gone = [key for key in self._keys(".ttf", ".otf", ".png") if key not in used]
        for key in gone:
            for path in self._folder.glob(f"{key}.*"):
                path.unlink(missing_ok=True)
            self._good.discard(key)
            self._bad.discard(key)
        return len(gone)

    def _keep(self, data: bytes, suffix: str) -> str:
        key = hashlib.sha256(data).hexdigest()
        ask_room(self._folder, len(data), "This file")
        write_whole(self._folder / f"{key}{suffix}", data)
        self._bad.discard(key)
        return key

    def _name_of(self, key: str) -> str:
        path = self._folder / f"{key}.name"
        return path.read_text("utf-8") if path.exists() else "Picture"

    def fonts(self) -> list[Aid]:
        """All fonts, by name."""
        keys = [key for key in self._keys(".ttf", ".otf") if self.sound(key)]
        return sorted((Aid(key, self.kit.faces.wanted(key, False, False).name) for key in keys), key=lambda a: a.name)

    def signs(self) -> list[Aid]:
        """All signs, by name."""
        return sorted(
            (Aid(key, self._name_of(key)) for key in self._keys(".png") if self.sound(key)), key=lambda a: a.name
        )

    def _keys(self, *suffixes: str) -> list[str]:
        return [path.stem for path in self._folder.iterdir() if path.suffix in suffixes and KEY.fullmatch(path.stem)]

    def sound(self, key: str) -> bool:
        """Whether a font or a sign is here and is, byte for byte, what was brought."""
        if key not in self._good | self._bad:
            whole = hashlib.sha256(self._file(key).read_bytes()).hexdigest() == key
            (self._good if whole else self._bad).add(key)
        return key in self._good

    def file(self, key: str) -> Path:
        """The file of a font or a sign.

        Raises:
            NotFound: it is not here, or damaged.
        """
        path = self._file(key)
        if not self.sound(key):
            raise NotFound(f"The file “{key[:12]}…{path.suffix}” is damaged. Bring it again.")
        return path

    def _file(self, key: str) -> Path:
        for suffix in (".ttf", ".otf", ".png"):
            path = self._folder / f"{key}{suffix}"
            if KEY.fullmatch(key) and path.exists():
                return path
        raise NotFound(f"“{key[:12]}” is neither a font nor a sign that is here. Choose another, or bring it again.")

    def read(self, key: str) -> bytes:
        """The bytes of a font or a sign, as :meth:`file`."""
        return self.file(key).read_bytes()


def _limit(data: bytes, name: str) -> None:
    if len(data) > MOST_BYTES:
        raise BadEdit(f"“{name}” is larger than {MOST_BYTES // 1_000_000} MB. Bring a smaller one.")
