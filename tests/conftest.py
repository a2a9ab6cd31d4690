"""What many tests need: pictures, a store, and a server of its own with a browser. It is loaded where it is needed: the
process that hands tests out to others needs none of it, and they wait for that one."""

from __future__ import annotations

import gc
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from hypothesis import settings

from tests.chromium import launching

if TYPE_CHECKING:
    import numpy as np

    from tests.served import Server
    from yaila.core.film import Film
    from yaila.core.imagery import PageStore
    from yaila.store import Store

# Until all tests are loaded nothing goes: looking for what could takes a tenth of that time, and of every other look.
gc.disable()


def pytest_collection_finish() -> None:
    """All is loaded, and stays."""
    gc.freeze()
    gc.enable()


# The same cases every time, however slow the machine is.
settings.register_profile("steady", deadline=None, derandomize=True)
settings.load_profile("steady")


LONG = ("web", "farm", "api", "reference")
"""Folders of tests that take long: they begin first, so that no process is left with a long file at the end."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Put what takes long in front."""

    def rank(item: pytest.Item) -> int:
        folder = item.path.relative_to(Path(__file__).parent).parts[0]
        return LONG.index(folder) if folder in LONG else len(LONG)

    items.sort(key=rank)


def write_picture(path: Path, pixels: np.ndarray, **options: object) -> Path:
    """Save pixels in the format of the path's suffix."""
    import pyvips

    if path.suffix == ".png":
        # Noise gets no smaller by more.
        options = {"compression": 1} | options
    pyvips.Image.new_from_array(pixels).write_to_file(str(path), **options)
    return path


pytest_plugins = ["tests.tilehost"]


@pytest.fixture(scope="session")
def tables(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The database of an empty store, whose tables are made step by step, which takes a tenth of a second, once."""
    from yaila.store import Store

    store = Store(tmp_path_factory.mktemp("tables") / "home")
    store.engine.dispose()
    return store.home / "yaila.sqlite"


@pytest.fixture
def store(tmp_path: Path, tables: Path) -> Store:
    """An empty store."""
    from yaila.store import Store

    home = tmp_path / "home"
    home.mkdir()
    shutil.copyfile(tables, home / tables.name)
    return Store(home)


@pytest.fixture(scope="session")
def pages() -> PageStore:
    """One store of pages for all that draw in the tests."""
    from yaila.core.imagery import PageStore

    return PageStore(256)


@pytest.fixture
def small_film(store: Store, tmp_path: Path) -> Film:
    """A film of 320 x 180 at 25 with one plate and two vantages, its picture in the store: 36 frames."""
    from tests.truth import fine_texture
    from yaila.core.film import Film, Plate, Vantage
    from yaila.core.ground import Similarity

    picture = store.pictures.add(write_picture(tmp_path / "ground.png", fine_texture(1200, 800)), "ground.png")
    return Film(
        name="Small",
        frame={"width": 320, "height": 180},
        plates=[Plate(name="Ground", picture=picture, placement=Similarity(x=600, y=400))],
        vantages=[
            Vantage(
                name="Wide", x=600, y=400, span=1000, hold=0.2, passage={"duration": {"unit": "frames", "value": 26}}
            ),
            Vantage(name="Close", x=700, y=450, span=300, tilt=40, heading=20, hold=0.2),
        ],
    )


@pytest.fixture(scope="session")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """One server for all that ask for no more than a film of their own."""
    from tests.served import Server

    with Server(tmp_path_factory.mktemp("served")) as server:
        yield server


@pytest.fixture
def server(served: Server) -> Iterator[Server]:
    """A server, to be shared: films are kept apart by their ids, and work that a test leaves is stopped."""
    yield served
    for job in served.client.get("/api/under-way").json()["jobs"]:
        if job["state"] in ("waiting", "running"):
            served.client.post(f"/api/jobs/{job['id']}/cancel")


@pytest.fixture
def own_server(tmp_path: Path) -> Iterator[Server]:
    """A server on an empty store that may be killed and spoilt."""
    from tests.served import Server

    with Server(tmp_path / "served") as server:
        yield server


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict) -> dict:
    """Chromium as the distribution packages it."""
    return browser_type_launch_args | launching()


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict) -> dict:
    """The design size."""
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}, "accept_downloads": True}
