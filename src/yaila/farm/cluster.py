"""Reels drawn by many machines, through Dask distributed.

The pieces of a reel (``pieces.py``) go to whatever workers have joined a scheduler. A worker asks the **depot**, a
small server beside the one who renders, for the files that it lacks, by their SHA-256. It keeps them in a store of its
own within bounded room, draws a piece as it would be drawn at home, and sends it back. A piece whose worker is lost is
drawn by another.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import socket
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from threading import Lock
from typing import Any

from distributed.core import Server
from filelock import FileLock

from yaila import __version__
from yaila.core.errors import BadRender
from yaila.core.film import Film
from yaila.core.imagery import PageStore
from yaila.core.picture import Renderer
from yaila.farm.keys import security_of
from yaila.farm.pieces import Pieces
from yaila.store import Store

CHUNK = 8 * 2**20
"""Bytes of a file that are sent at once."""

ROOM = 20 * 2**30
"""Bytes of files that a worker keeps, unless it is told otherwise."""

ANSWERS = 15
"""Seconds in which a scheduler answers."""

TRIES = 4
"""Workers that may be lost over a piece."""


class Depot(Server):
    """Gives files by their SHA-256, in chunks, and takes pieces."""

    def __init__(self, file_of: Callable[[str], Path], pieces: Pieces, security: Any) -> None:
        super().__init__(
            {"measure": self.measure, "give": self.give, "take": self.take},
            connection_args=security.get_connection_args("client"),
            needs_workdir=False,
        )
        self._file_of, self._pieces = file_of, pieces
        self._lock = Lock()

    async def measure(self, sha256: str) -> tuple[str, int]:
        """The name's ending of a file, and how large it is."""
        path = self._file_of(sha256)
        return path.suffix, path.stat().st_size

    async def give(self, sha256: str, start: int) -> bytes:
        """A chunk of a file."""
        with self._file_of(sha256).open("rb") as file:
            file.seek(start)
            return file.read(CHUNK)

    async def take(self, number: int, attempt: str, start: int, data: bytes, digest: str = "") -> bool:
        """A chunk of a piece; with the last one comes the piece's hash, and it is kept if that is right."""
        path = self._pieces.path(number)
        part = path.with_name(f"{path.stem}.{attempt[:32]}{path.suffix}")
        with self._lock, part.open("r+b" if start else "wb") as file:
            file.seek(start)
            file.write(data)
        if digest:
            with part.open("rb") as file:
                if hashlib.file_digest(file, "sha256").hexdigest() != digest:
                    part.unlink()
                    return False
            part.replace(path)
            self._pieces.keep(number)
        return True


def draw_on(
    address: str,
    key: Path,
    film: Film,
    settings: dict[str, Any],
    file_of: Callable[[str], Path],
    pieces: Pieces,
    missing: list[tuple[int, range]],
    done: Callable[[int], None],
) -> None:
    """Let the workers of a scheduler draw pieces of a reel.

    Args:
        missing: the pieces, by number, and their frames.
        done: called with the frames of each piece that has come.

    Raises:
        BadRender: the scheduler does not answer, has no workers, or a piece cannot be drawn.
    """
    from distributed import Client, as_completed

    security = security_of(key)
    try:
        client = Client(address, security=security, timeout=ANSWERS, set_as_default=False)
    except (OSError, ValueError, RuntimeError) as error:
        raise BadRender(
            f"No farm answers at {address} with this key ({error}). Is its scheduler running? It is begun with `yaila "
            "farm --serve`."
        ) from error
    with client:
        _workers(client, address)
        depot = client.sync(_opened, file_of, pieces, security, address)
        try:
            document, own = film.model_dump_json(), pieces.suffix
            futures = {
                client.submit(
                    _drawn, depot.address, document, settings, own, number, (frames.start, frames.stop),
                    key=f"piece-{hashlib.sha256(f'{depot.address}{number}'.encode()).hexdigest()[:20]}",
                    retries=TRIES, pure=False,
                ): frames
                for number, frames in missing
            }  # fmt: skip
            for future in as_completed(list(futures), loop=client.loop):
                try:
                    future.result()
                except BadRender:
                    raise
                except Exception as error:
                    raise BadRender(f"A piece could not be drawn on the farm: {error}") from error
                done(len(futures[future]))
        finally:
            client.sync(depot.close)


def _workers(client: Any, address: str) -> None:
    found = client.scheduler_info(n_workers=-1)["workers"]
    if not found:
        raise BadRender(
            f"The farm at {address} has no workers. Let machines join it with `yaila farm --scheduler {address}`."
        )
    versions = {version for version in client.run(_version).values() if version != __version__}
    if versions:
        raise BadRender(
            f"Some workers have Yaila {', '.join(sorted(versions))}, this is {__version__}: what they draw may differ. "
            "Bring them to one version."
        )


def _version() -> str:
    return __version__


async def _opened(file_of: Callable[[str], Path], pieces: Pieces, security: Any, scheduler: str) -> Depot:
    depot = Depot(file_of, pieces, security)
    await depot.listen(f"tls://{_own_address(scheduler)}:0", **security.get_listen_args("worker"))
    return depot


def _own_address(scheduler: str) -> str:
    """The address of this machine as the scheduler's machine sees it."""
    host, _, port = scheduler.removeprefix("tls://").rpartition(":")
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.connect((host.strip("[]") or "127.0.0.1", int(port)))
        return str(probe.getsockname()[0])


# On the worker.

_RENDERERS: dict[str, tuple[Store, Renderer]] = {}
_FETCHING = Lock()


def _home() -> Path:
    return Path(os.environ.get("YAILA_FARM_HOME") or Path(tempfile.gettempdir()) / f"yaila-farm-{os.getuid()}")


def _drawn(
    depot: str, document: str, settings: dict[str, Any], suffix: str, number: int, frames: tuple[int, int]
) -> int:
    """Draw a piece and send it; runs on a worker."""
    from yaila.farm.reel import ReelSettings, write_piece

    film = Film.model_validate_json(document)
    home = str(_home())
    with _FETCHING:
        if home not in _RENDERERS:
            store = Store(_home())
            _RENDERERS[home] = store, Renderer(store.pictures.pyramid, PageStore(512), store.kit)
        store, renderer = _RENDERERS[home]
        # Other workers of this machine have the same store.
        with FileLock(store.home / "fetching.lock"):
            _fetch(store, film, depot)
    made = ReelSettings.model_validate(settings)
    with store.room() as room:
        path = room / f"piece{suffix}"
        write_piece(film, made, path, range(*frames), renderer)
        _send(depot, number, path)
    return number


def _asked(depot: str, operation: str, **what: Any) -> Any:
    """What the depot answers; asked from a worker's thread, through the worker's loop."""
    import asyncio

    from distributed import get_worker
    from distributed.core import rpc

    worker = get_worker()

    async def ask() -> Any:
        async with rpc(depot, connection_args=worker.connection_args) as there:
            return await getattr(there, operation)(**what)

    loop: Any = worker.loop
    return asyncio.run_coroutine_threadsafe(ask(), loop.asyncio_loop).result()


def _fetch(store: Store, film: Film, depot: str) -> None:
    """Bring the files that a film needs into the worker's store, and make room for them."""
    wanted = film.picture_files | film.clip_files | film.aids
    for sha256 in sorted(wanted):
        kept: Any = store.clips if sha256 in film.clip_files else store.pictures
        if (sha256 in film.aids and store.aids.has(sha256)) or (sha256 not in film.aids and kept.has(sha256)):
            continue
        suffix, size = _asked(depot, "measure", sha256=sha256)
        _make_room(store, size, wanted)
        with store.room() as room:
            path = room / f"{sha256}{suffix}"
            with path.open("wb") as file:
                while file.tell() < size:
                    file.write(_asked(depot, "give", sha256=sha256, start=file.tell()))
            if sha256 in film.aids:
                store.aids.add(path.read_bytes(), path.name)
            else:
                kept.add(path, path.name, keep=True)


def _make_room(store: Store, size: int, wanted: set[str]) -> None:
    """Let pictures and clips go that are not wanted now, those first that were not for the longest."""
    most = int(os.environ.get("YAILA_FARM_ROOM", ROOM))
    folders = [one for name in ("pictures", "clips") for one in (store.home / name).glob("*") if one.is_dir()]
    used = {folder: sum(file.stat().st_size for file in folder.iterdir()) for folder in folders}
    left = sum(used.values()) + 3 * size - most
    for folder in sorted(folders, key=lambda one: one.stat().st_atime):
        if left <= 0:
            return
        if folder.name not in wanted:
            shutil.rmtree(folder, ignore_errors=True)
            left -= used[folder]


def _send(depot: str, number: int, path: Path) -> None:
    with path.open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    size, attempt = path.stat().st_size, os.urandom(8).hex()
    with path.open("rb") as file:
        while True:
            start = file.tell()
            data = file.read(CHUNK)
            last = file.tell() >= size
            whole = _asked(depot, "take", number=number, attempt=attempt, start=start, data=data,
                           digest=digest if last else "")  # fmt: skip
            if last:
                if not whole:
                    raise RuntimeError("a piece did not arrive as it was sent")
                return


def serve(port: int, key: Path) -> None:
    """Be the scheduler of a farm until stopped."""
    import asyncio

    from distributed import Scheduler

    async def run() -> None:
        async with Scheduler(
            host="0.0.0.0", port=port, protocol="tls", security=security_of(key), dashboard=False
        ) as scheduler:
            print(f"The farm's scheduler is at {scheduler.address}. Machines join it with:", flush=True)
            print(f"  yaila farm --scheduler {scheduler.address} --key {key}", flush=True)
            await scheduler.finished()

    asyncio.run(run())


def join(address: str, key: Path, workers: int) -> None:
    """Draw for a farm until stopped: so many workers, a process each."""
    import asyncio

    from distributed import Nanny

    async def run() -> None:
        security = security_of(key)
        name = f"{socket.gethostname()}-{os.getpid()}"
        made = [
            await Nanny(address, nthreads=1, security=security, protocol="tls", name=f"{name}-{k}")
            for k in range(workers)
        ]
        print(f"{workers} {'worker draws' if workers == 1 else 'workers draw'} for {address}.", flush=True)
        await asyncio.gather(*(one.finished() for one in made))

    try:
        asyncio.run(run())
    except OSError as error:
        sys.exit(f"yaila: no farm answers at {address} with this key ({error}).")
