"""Film bundles: a ZIP file (``.yaila``) with ``film.json`` and the picture files under ``media/``.

Media are named by their SHA-256 and stored as they are, as pictures do not get smaller by packing.
"""

from __future__ import annotations

import hashlib
import json
import re
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

from yaila.core.errors import BadBundle
from yaila.core.film import Film
from yaila.formats.whole import ask_room, whole_file

MOVING = "wav|flac|mp3|m4a|aac|ogg|oga|opus|aif|aiff|mp4|mov|webm|mkv|caf|w64|m4v|avi|mxf|mpg|mpeg|ts|mts|gif|media"
"""Endings of sounds and clips."""

MEDIA = re.compile(rf"media/([0-9a-f]{{64}})\.(png|jpg|webp|tif|ttf|otf|cube|{MOVING})")


def write_bundle(path: Path, film: Film, file_of: Callable[[str], Path], most: int | None = None) -> None:
    """Write a film, and all the files that it needs: pictures, clips, sounds, fonts, signs and tables.

    Args:
        file_of: gives the file of any of them by its SHA-256.
        most: leave out files of more bytes; who takes the film in must have them, or bring them.
    """
    media = film.picture_files | film.clip_files | film.sound_files | film.aids
    files = {sha256: file_of(sha256) for sha256 in sorted(media)}
    sizes = {sha256: file.stat().st_size for sha256, file in files.items()}
    held = [sha256 for sha256 in files if most is None or sizes[sha256] <= most]
    ask_room(path.parent, sum(sizes[sha256] for sha256 in held), "The bundle")
    with whole_file(path) as part, zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, allowZip64=True) as bundle:
        bundle.writestr("film.json", film.model_dump_json(indent=2))
        for sha256 in held:
            bundle.write(files[sha256], f"media/{sha256}{files[sha256].suffix or '.media'}")


def read_bundle(path: Path, folder: Path, name: str = "") -> tuple[Any, dict[str, Path]]:
    """Read a bundle, or a folder or ``film.json`` with ``media`` beside it.

    Args:
        folder: where the picture files of a ZIP are unpacked to.
        name: what it is called, if not as its file.

    Returns:
        The film's JSON document, unchecked, and the picture files by SHA-256.

    Raises:
        BadBundle: it is none of these.
    """
    name = name or path.name
    if path.is_dir():
        path = path / "film.json"
    try:
        if path.suffix == ".json":
            with _regular(path).open("rb") as file:
                document = _document(file.read(MOST_DOCUMENT + 1))
            return document, {match[1]: one for match, one in _named((path.parent / "media").glob("*"))}
        with zipfile.ZipFile(_regular(path)) as bundle:
            document = _document(bundle.open("film.json").read(MOST_DOCUMENT + 1))
            return document, _unpacked(bundle, folder)
    except BadBundle as error:
        raise BadBundle(f"“{name}”: {error}") from error
    except UNREADABLE as error:
        raise BadBundle(
            f"“{name}” is not a film bundle: it should be a ZIP file with film.json in it ({error})."
        ) from error


UNREADABLE = (OSError, KeyError, ValueError, EOFError, RuntimeError, zlib.error, zipfile.BadZipFile)
"""What reading a file of unknown origin as a ZIP can end in: cut, encrypted, packed in a way that is not known."""

MOST_DOCUMENT = 64 * 2**20
"""Bytes of ``film.json``."""

MOST_MEDIA = 20_000
"""Files in a bundle."""

SWELLS = 20
"""How many times larger than packed a file may be, beyond a megabyte: pictures and fonts are packed already."""


def _regular(path: Path) -> Path:
    """A path to a file that can be read to its end."""
    if not path.is_file():
        raise BadBundle("there is no such file, or it is not a file.")
    return path


def _document(data: bytes) -> Any:
    if len(data) > MOST_DOCUMENT:
        raise BadBundle(f"its film.json is larger than {MOST_DOCUMENT // 2**20} MB.")

    def odd(name: str) -> None:
        raise BadBundle(f"its film.json has {name} where a number should stand.")

    return json.loads(data, parse_constant=odd)


def _named(files: Iterable[Path]) -> Iterator[tuple[re.Match[str], Path]]:
    """The media among files: regular ones, whose names are what is in them."""
    for file in files:
        match = MEDIA.fullmatch(f"media/{file.name}")
        if match and file.is_file():
            with file.open("rb") as opened:
                _same(hashlib.file_digest(opened, "sha256").hexdigest(), match[1])
            yield match, file


def _same(found: str, named: str) -> None:
    if found != named:
        raise BadBundle(f"its file {named[:12]}… is not what it was when the film was exported. Export it again.")


def _unpacked(bundle: zipfile.ZipFile, folder: Path) -> dict[str, Path]:
    # Only names of the known pattern are unpacked, so nothing lands outside the folder.
    packed = [(match, one) for one in bundle.infolist() if (match := MEDIA.fullmatch(one.filename))]
    if len(packed) > MOST_MEDIA:
        raise BadBundle(f"it holds {len(packed):,} files; {MOST_MEDIA:,} is the most.")
    for _, one in packed:
        if one.file_size > 2**20 + SWELLS * one.compress_size:
            raise BadBundle(f"its file {one.filename} would grow {one.file_size // max(one.compress_size, 1)} times.")
    ask_room(folder, sum(one.file_size for _, one in packed), "Its pictures")
    media: dict[str, Path] = {}
    for match, one in packed:
        target, digest, left = folder / f"{match[1]}.{match[2]}", hashlib.sha256(), one.file_size
        with bundle.open(one) as source, target.open("wb") as file:
            while chunk := source.read(1 << 20):
                left -= len(chunk)
                if left < 0:
                    raise BadBundle(f"its file {one.filename} is larger than it says.")
                digest.update(chunk)
                file.write(chunk)
        _same(digest.hexdigest(), match[1])
        media[match[1]] = target
    return media
