"""The folder of a store. One store, one server: whoever comes second is told where the first one is, and touches
nothing. Loads nothing else, so that this is said at once."""

from __future__ import annotations

import json
import os
import socket
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

from filelock import FileLock, Timeout

from yaila.core.errors import NoRoom, Occupied
from yaila.formats.whole import write_whole


def default_home() -> Path:
    """The folder of the store: ``YAILA_HOME``, or ``.yaila`` in the person's own folder."""
    return Path(os.environ.get("YAILA_HOME") or Path.home() / ".yaila")


def open_home(home: Path) -> None:
    """See that the folder of a store is one, that it can be written to, and that nobody but its owner looks in.

    Raises:
        NoRoom: it is not, or cannot.
    """
    try:
        home.mkdir(parents=True, exist_ok=True, mode=0o700)
        home.chmod(0o700)
        with tempfile.TemporaryFile(dir=home):
            pass
    except (FileExistsError, NotADirectoryError) as error:
        raise NoRoom(f"{home} is a file; the store needs a folder. Choose another with YAILA_HOME.") from error
    except OSError as error:
        raise NoRoom(
            f"The store at {home} cannot be written to ({error.strerror}). Mend that, or choose another folder with "
            "YAILA_HOME."
        ) from error


@contextmanager
def sole_server(home: Path, port: int) -> Iterator[socket.socket]:
    """Hold a store for a server, and the port that it is to listen on, bound on 127.0.0.1.

    The lock is the system's: it goes with the process, however that ends.

    Raises:
        Occupied: another server holds the store, or another program the port.
        NoRoom: the store is no folder, or cannot be written to.
    """
    open_home(home)
    lock, said = FileLock(home / "server.lock"), home / "server.json"
    try:
        lock.acquire(timeout=0)
    except Timeout as error:
        raise Occupied(
            f"Yaila runs already on the store at {home}{_whereabouts(said)}. Open that page, or choose another folder "
            "with YAILA_HOME."
        ) from error
    try:
        # Named TCP, or asyncio leaves Nagle's algorithm on: the last piece of a picture then waits 40 ms for the other
        # side to say that it has the first.
        with socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP) as door:
            # As servers do: the port of one that has just ended can be had at once.
            door.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                door.bind(("127.0.0.1", port))
                door.listen(128)
            except OSError as error:
                raise Occupied(
                    f"Port {port} cannot be had ({error.strerror}): another program may listen there. Choose another, "
                    f"such as --port {port + 1}."
                ) from error
            where = {"address": f"http://127.0.0.1:{door.getsockname()[1]}", "since": datetime.now().isoformat()}
            write_whole(said, json.dumps(where).encode())
            yield door
            said.unlink(missing_ok=True)
    finally:
        lock.release()


def _whereabouts(said: Path) -> str:
    try:
        where = json.loads(said.read_text("utf-8"))
        since = datetime.fromisoformat(where["since"])
        return f": {where['address']}, since {since:%d %B, %H:%M}"
    except (OSError, ValueError, KeyError, TypeError):
        return ""
