"""Film bundles: a ZIP file (``.yaila``) with ``film.json`` and the picture files under ``media/``.

Media are named by their SHA-256 and stored as they are, as pictures do not get smaller by packing.
"""

from __future__ import annotations

import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from yaila.core.errors import BadBundle
from yaila.core.film import Film

MEDIA = re.compile(r"media/([0-9a-f]{64})\.(png|jpg|webp|tif|ttf|otf)")


def write_bundle(path: Path, film: Film, source: Callable[[str], Path], aid: Callable[[str], Path]) -> None:
    """Write a film, its pictures, and the fonts and signs that it needs.

    Args:
        source: gives the file of a picture by its SHA-256.
        aid: gives the file of a font or a sign by its SHA-256.
    """
    part = path.with_name(path.name + ".part")
    with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, allowZip64=True) as bundle:
        bundle.writestr("film.json", film.model_dump_json(indent=2))
        for sha256 in dict.fromkeys(plate.picture.sha256 for plate in film.plates):
            file = source(sha256)
            bundle.write(file, f"media/{sha256}{file.suffix}")
        for sha256 in sorted(film.aids):
            file = aid(sha256)
            bundle.write(file, f"media/{sha256}{file.suffix}")
    part.replace(path)


def read_bundle(path: Path, folder: Path) -> tuple[Any, dict[str, Path]]:
    """Read a bundle, or a folder or ``film.json`` with ``media`` beside it.

    Args:
        folder: where the picture files of a ZIP are unpacked to.

    Returns:
        The film's JSON document, unchecked, and the picture files by SHA-256.

    Raises:
        BadBundle: it is none of these.
    """
    if path.is_dir():
        path = path / "film.json"
    if path.name == "film.json" or path.suffix == ".json":
        try:
            document = json.loads(path.read_text("utf-8"))
        except (OSError, ValueError) as error:
            raise BadBundle(f"“{path.name}” cannot be read as a film: {error}.") from error
        return document, {file.stem: file for file in (path.parent / "media").glob("*")}
    try:
        with zipfile.ZipFile(path) as bundle:
            document = json.loads(bundle.read("film.json"))
            media = {}
            for name in bundle.namelist():
                # Only names of the known pattern are unpacked, so nothing lands outside the folder.
                if match := MEDIA.fullmatch(name):
                    target = folder / f"{match[1]}.{match[2]}"
                    with bundle.open(name) as packed, target.open("wb") as file:
                        while chunk := packed.read(1 << 20):
                            file.write(chunk)
                    media[match[1]] = target
    except (OSError, KeyError, ValueError, zipfile.BadZipFile) as error:
        raise BadBundle(
            f"“{path.name}” is not a film bundle: it should be a ZIP file with film.json in it ({error})."
        ) from error
    return document, media
