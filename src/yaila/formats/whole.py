"""Files that are whole or absent: written beside their place, brought to the disk, then moved there."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from yaila.core.errors import NoRoom

SPARE = 256 * 2**20
"""Bytes of a disk that large work leaves free, for edits."""


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A path to write to; what stands there at the end appears at ``path``, or nothing if there was an error."""
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.stem[:40]}-", suffix=f".part{path.suffix}")
    os.close(handle)
    part = Path(name)
    try:
        yield part
        settle(part)
        part.replace(path)
        settle(path.parent)
    finally:
        part.unlink(missing_ok=True)


@contextmanager
def part_file(path: Path) -> Iterator[Path]:
    """As :func:`whole_file`, of long work: what it is called before it is whole can be told from its name."""
    part = path.with_suffix(f".part{path.suffix}")
    try:
        yield part
        settle(part)
        part.replace(path)
        settle(path.parent)
    finally:
        part.unlink(missing_ok=True)


def write_whole(path: Path, data: bytes) -> None:
    """Write a file that is whole or absent."""
    with whole_file(path) as part:
        part.write_bytes(data)


def settle(path: Path) -> None:
    """Wait until a file or a folder's list of names is on the disk."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def ask_room(folder: Path, needed: int, what: str) -> None:
    """See that work of so many bytes fits on the disk of a folder, with some to spare.

    Raises:
        NoRoom: it does not.
    """
    free = shutil.disk_usage(folder).free
    if needed + SPARE > free:
        raise NoRoom(
            f"{what} needs {_size(needed)} on the disk, and {_size(max(free - SPARE, 0))} can be had. Make room, then "
            "try again."
        )


def refused_by_disk(error: OSError) -> NoRoom | None:
    """What an error of the disk says to a person, if it is one of the disk."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return NoRoom("The disk is full. Make room, then try again; what stood before is as it was.")
    if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM, errno.EIO):
        return NoRoom(f"The disk refused it ({error.strerror}). Mend that, then try again.")
    return None


def _size(count: int) -> str:
    for size, unit, places in ((1e9, "GB", 1), (1e6, "MB", 0), (1e3, "kB", 0)):
        if count >= size:
            return f"{count / size:,.{places}f} {unit}"
    return "nothing" if count <= 0 else f"{count} bytes"
