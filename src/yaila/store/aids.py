"""What a film needs besides its document, as somebody brought it: fonts, pictures that serve as signs, and tables of
colours. Each is a file named by its SHA-256."""

from __future__ import annotations

import hashlib
import re
from collections import OrderedDict
from dataclasses import dataclass
from pathlib import Path

from yaila.core.colour.grading import Cube
from yaila.core.errors import BadEdit, NotFound
from yaila.core.picture.kit import read_sign
from yaila.core.type import Faces, read_face
from yaila.formats.cube import read_cube
from yaila.formats.whole import ask_room, write_whole

MOST_BYTES = 30_000_000

KEY = re.compile(r"[0-9a-f]{64}")

SUFFIXES = (".ttf", ".otf", ".png", ".cube")

MOST_TABLES = 8
"""Tables that are kept in memory."""


@dataclass(frozen=True)
class Aid:
    """A font, a sign or a table in the store: its name, and the key that films call it by."""

    key: str
    name: str


class Aids:
    """The fonts, signs and tables in a store."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._bad: set[str] = set()
        self._good: set[str] = set()
        self._tables: OrderedDict[str, Cube] = OrderedDict()
        self.faces = Faces(self.read)

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

    def add_table(self, data: bytes, name: str) -> Aid:
        """Keep a table of colours, a .cube file.

        Raises:
            BadEdit: it is none, or too large.
        """
        _limit(data, name)
        read_cube(data, name, "")
        key = self._keep(data, ".cube")
        if key not in name:
            write_whole(self._folder / f"{key}.name", name.rsplit(".", 1)[0][:120].encode())
        return Aid(key, self._name_of(key))

    def add(self, data: bytes, name: str) -> Aid:
        """Keep what the end of a file's name says it is.

        Raises:
            BadEdit: it is none of that, or too large.
        """
        ending = name.rsplit(".", 1)[-1].lower()
        add = {"png": self.add_sign, "cube": self.add_table}.get(ending, self.add_font)
        return add(data, name)

    def table(self, key: str) -> Cube:
        """A table of colours.

        Raises:
            NotFound: it is not here, or damaged.
        """
        if key not in self._tables:
            self._tables[key] = read_cube(self.read(key), key, key)
            while len(self._tables) > MOST_TABLES:
                self._tables.popitem(last=False)
        return self._tables[key]

    def sweep(self, used: set[str]) -> int:
        """Take away all fonts, signs and tables but those that are used; how many they were."""
        gone = [key for key in self._keys(*SUFFIXES) if key not in used]
        for key in gone:
            self.remove(key)
        return len(gone)

    def remove(self, key: str) -> None:
        """Take one away, if it is here."""
        for path in self._folder.glob(f"{key}.*"):
            path.unlink(missing_ok=True)
        self._good.discard(key)
        self._bad.discard(key)
        self._tables.pop(key, None)

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
        return sorted((Aid(key, self.faces.wanted(key, False, False).name) for key in keys), key=lambda a: a.name)

    def signs(self) -> list[Aid]:
        """All signs, by name."""
        return sorted(
            (Aid(key, self._name_of(key)) for key in self._keys(".png") if self.sound(key)), key=lambda a: a.name
        )

    def tables(self) -> list[Aid]:
        """All tables of colours, by name."""
        return sorted(
            (Aid(key, self._name_of(key)) for key in self._keys(".cube") if self.sound(key)), key=lambda a: a.name
        )

    def _keys(self, *suffixes: str) -> list[str]:
        return [path.stem for path in self._folder.iterdir() if path.suffix in suffixes and KEY.fullmatch(path.stem)]

    def sound(self, key: str) -> bool:
        """Whether a font, a sign or a table is here and is, byte for byte, what was brought."""
        if key not in self._good | self._bad:
            whole = hashlib.sha256(self._file(key).read_bytes()).hexdigest() == key
            (self._good if whole else self._bad).add(key)
        return key in self._good

    def has(self, key: str) -> bool:
        """Whether a font, a sign or a table is in store."""
        try:
            self.file(key)
        except NotFound:
            return False
        return True

    def file(self, key: str) -> Path:
        """The file of a font, a sign or a table.

        Raises:
            NotFound: it is not here, or damaged.
        """
        path = self._file(key)
        if not self.sound(key):
            raise NotFound(f"The file “{key[:12]}…{path.suffix}” is damaged. Bring it again.")
        return path

    def _file(self, key: str) -> Path:
        for suffix in SUFFIXES:
            path = self._folder / f"{key}{suffix}"
            if KEY.fullmatch(key) and path.exists():
                return path
        raise NotFound(
            f"“{key[:12]}” is neither a font nor a sign nor a table that is here. Choose another, or bring it again."
        )

    def read(self, key: str) -> bytes:
        """The bytes of a font, a sign or a table, as :meth:`file`."""
        return self.file(key).read_bytes()


def _limit(data: bytes, name: str) -> None:
    if len(data) > MOST_BYTES:
        raise BadEdit(f"“{name}” is larger than {MOST_BYTES // 1_000_000} MB. Bring a smaller one.")
