"""What marks need besides the document, as somebody brought it: fonts, and pictures that serve as signs. Each is a file
named by its SHA-256."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from pathlib import Path

from yaila.core.errors import BadEdit, NotFound
from yaila.core.picture.kit import Kit, read_sign
from yaila.core.type import Faces, read_face

MOST_BYTES = 30_000_000


@dataclass(frozen=True)
class Aid:
    """A font or a sign in the store: its name, and the key that marks call it by."""

    key: str
    name: str


class Aids:
    """The fonts and signs in a store."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.kit = Kit(Faces(self.read), self.read)

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
            (self._folder / f"{key}.name").write_text(name.rsplit(".", 1)[0][:120], "utf-8")
        return Aid(key, self._name_of(key))

    def _keep(self, data: bytes, suffix: str) -> str:
        key = hashlib.sha256(data).hexdigest()
        (self._folder / f"{key}{suffix}").write_bytes(data)
        return key

    def _name_of(self, key: str) -> str:
        path = self._folder / f"{key}.name"
        return path.read_text("utf-8") if path.exists() else "Picture"

    def fonts(self) -> list[Aid]:
        """All fonts, by name."""
        keys = [path.stem for path in self._folder.iterdir() if path.suffix in (".ttf", ".otf")]
        return sorted((Aid(key, self.kit.faces.wanted(key, False, False).name) for key in keys), key=lambda a: a.name)

    def signs(self) -> list[Aid]:
        """All signs, by name."""
        return sorted(
            (Aid(path.stem, self._name_of(path.stem)) for path in self._folder.glob("*.png")), key=lambda a: a.name
        )

    def file(self, key: str) -> Path:
        """The file of a font or a sign.

        Raises:
            NotFound: it is not here.
        """
        for suffix in (".ttf", ".otf", ".png"):
            path = self._folder / f"{key}{suffix}"
            if re.fullmatch(r"[0-9a-f]{64}", key) and path.exists():
                return path
        raise NotFound(f"“{key[:12]}” is neither a font nor a sign that is here. Choose another, or bring it again.")

    def read(self, key: str) -> bytes:
        """The bytes of a font or a sign, as :meth:`file`."""
        return self.file(key).read_bytes()


def _limit(data: bytes, name: str) -> None:
    if len(data) > MOST_BYTES:
        raise BadEdit(f"“{name}” is larger than {MOST_BYTES // 1_000_000} MB. Bring a smaller one.")
