"""Bundles taken into the store: the film, and of its files what is there."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from yaila.core.errors import BadBundle
from yaila.core.film import Film
from yaila.core.film.model import FileUse
from yaila.formats.bundle import read_bundle
from yaila.store import Store, checked


def take_in_bundle(
    path: Path,
    store: Store,
    name: str,
    job: str | None = None,
    progress: Callable[[float], None] = lambda share: None,
) -> tuple[Film, list[FileUse]]:
    """Take a bundle into the store.

    Args:
        name: what its file is called.
        job: whose work it is; it is done in that job's room.
        progress: is told how much of it is done, 0 to 1.

    Returns:
        The film, and the files it needs that are neither in the bundle nor in store.

    Raises:
        BadBundle: it is none, or damaged.
    """
    with store.room(job) as folder:
        document, media = read_bundle(path, folder, name)
        film, lacking = checked(document), []
        for at, use in enumerate(film.files):
            progress(at / len(film.files))
            if store.has(use):
                continue
            if file := media.get(use.sha256):
                store.kept(use.kind).add(file, file.name, keep=True, job=job)
            else:
                lacking.append(use)
        for key in film.aids:
            if file := media.get(key):
                store.aids.add(file.read_bytes(), file.name)
        return film, lacking


def ask_whole(lacking: list[FileUse], name: str) -> None:
    """See that a bundle had all that its film needs.

    Raises:
        BadBundle: it had not; what, is named.
    """
    for use in lacking:
        raise BadBundle(f"The {use.kind} of “{use.name}” is not in “{name}”. Export the film again.")
