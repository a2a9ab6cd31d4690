"""Reels drawn by many: a scheduler and two workers here, one of them killed on the way; the same bytes as alone."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Iterator
from dataclasses import dataclass
from multiprocessing.process import BaseProcess
from pathlib import Path

import pytest

from tests.served import begun, free_port
from yaila.core.errors import BadRender
from yaila.core.film import Film
from yaila.core.film.acts import SoundEverything
from yaila.farm import cluster as cluster_module
from yaila.farm import pieces as pieces_module
from yaila.farm.keys import new_key, security_of
from yaila.farm.reel import Farmed, ReelSettings, render
from yaila.store import Store


@dataclass
class Cluster:
    """A farm on this machine."""

    address: str
    key: Path
    workers: list[BaseProcess]


@pytest.fixture
def cluster(tmp_path: Path) -> Iterator[Cluster]:
    """A scheduler, and two machines with a worker each and a store of its own."""
    key, port = tmp_path / "farm.pem", free_port()
    new_key(key)
    scheduler = begun("farm", "--key", str(key), "--serve", "--port", str(port))
    address = f"tls://127.0.0.1:{port}"
    workers = [
        begun("farm", "--key", str(key), "--scheduler", address, "--workers", "1", home=str(tmp_path / f"machine{k}"))
        for k in range(2)
    ]
    yield Cluster(address, key, workers)
    for one in workers:
        if one.exitcode is None:
            killed(one)
    scheduler.terminate()
    scheduler.join(30)
    assert scheduler.exitcode is not None


def killed(worker: BaseProcess) -> None:
    """Kill a machine with all that it has begun."""
    assert worker.pid
    os.killpg(worker.pid, signal.SIGKILL)
    worker.join()


def until_joined(cluster: Cluster, count: int) -> None:
    from distributed import Client

    with Client(cluster.address, security=security_of(cluster.key), timeout=60, set_as_default=False) as client:
        client.wait_for_workers(count, timeout=90)


def test_a_farm_draws_the_same_bytes_though_a_machine_is_lost(
    cluster: Cluster, store: Store, small_film: Film, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pieces_module, "PIECE", 3)
    film = SoundEverything(what="passage", effect="whoosh").done_to(small_film)
    how = ReelSettings(form="ffv1", width=320)
    render(film, store.pictures.pyramid, tmp_path / "alone.mkv", how, open_sound=store.sounds.read)
    until_joined(cluster, 2)
    seen: list[int] = []

    def progress(done: int) -> None:
        seen.append(done)
        if 3 <= done < 30 and cluster.workers[0].exitcode is None:
            killed(cluster.workers[0])

    render(
        film,
        store.pictures.pyramid,
        tmp_path / "farm.mkv",
        how.model_copy(update={"on": cluster.address}),
        progress,
        open_sound=store.sounds.read,
        farm=Farmed(cluster.key, store.file_of),
    )
    assert cluster.workers[0].exitcode is not None
    assert seen == sorted(seen)
    assert (tmp_path / "farm.mkv").read_bytes() == (tmp_path / "alone.mkv").read_bytes()
    # The machine has brought the picture into a store of its own.
    assert list((tmp_path / "machine1" / "pictures").glob("*/pyramid.tif"))


def test_a_farm_that_is_not_there_or_has_another_key_is_named(
    store: Store, small_film: Film, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cluster_module, "ANSWERS", 2)
    new_key(tmp_path / "farm.pem")
    with pytest.raises(BadRender, match="there already"):
        new_key(tmp_path / "farm.pem")
    assert (tmp_path / "farm.pem").stat().st_mode & 0o077 == 0
    how = ReelSettings(form="ffv1", width=320, on=f"tls://127.0.0.1:{free_port()}")

    def drawn(farm: Farmed | None) -> None:
        begun = time.monotonic()
        render(small_film, store.pictures.pyramid, tmp_path / "x.mkv", how, farm=farm)
        assert time.monotonic() - begun < 60

    with pytest.raises(BadRender, match="no key"):
        drawn(None)
    with pytest.raises(BadRender, match="cannot be read"):
        drawn(Farmed(tmp_path / "none.pem", store.file_of))
    (tmp_path / "bad.pem").write_text("words")
    with pytest.raises(BadRender, match="no key of a farm"):
        drawn(Farmed(tmp_path / "bad.pem", store.file_of))
    with pytest.raises(BadRender, match="No farm answers"):
        drawn(Farmed(tmp_path / "farm.pem", store.file_of))
