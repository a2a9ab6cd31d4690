"""A crash in mid-edit or mid-render loses no accepted edit, and what was under way says that it was interrupted."""

from __future__ import annotations

import threading
from pathlib import Path

import av
import httpx
import psutil
import pytest

from tests.conftest import Server, write_picture
from tests.truth import fine_texture
from yaila.core.film import Film
from yaila.farm.reel import ReelSettings, render
from yaila.store import Store


@pytest.fixture
def rendering(own_server: Server, tmp_path: Path) -> str:
    """A film of a thousand frames, in the server's store."""
    store = Store(own_server.home)
    picture = store.pictures.add(write_picture(tmp_path / "g.png", fine_texture(1600, 900)), "g.png")
    film = Film.model_validate(
        {
            "frame": {"width": 1280, "height": 720},
            "plates": [
                {
                    "name": "Ground",
                    "picture": picture.model_dump(),
                    "placement": {"kind": "similarity", "x": 800, "y": 450},
                }
            ],
            "vantages": [
                {"x": 800, "y": 450, "span": 1500, "passage": {"duration": {"unit": "frames", "value": 1000}}},
                {"x": 700, "y": 400, "span": 300},
            ],
        }
    )
    return store.films.create(film).id


def start_reel(own_server: Server, film: str) -> str:
    revision = own_server.client.get(f"/api/films/{film}").json()["revision"]
    job = own_server.client.post(f"/api/films/{film}/reels", json={"revision": revision}).json()["id"]
    own_server.until(lambda: own_server.jobs(film)[0]["done"] > 0)
    return job


def workers() -> list[psutil.Process]:
    return [p for p in psutil.process_iter() if "yaila.farm.reel" in " ".join(p.cmdline() if p.is_running() else [])]


def test_killed_in_mid_render_the_reel_reports_itself_interrupted(own_server: Server, rendering: str) -> None:
    job = start_reel(own_server, rendering)
    worker = [p for p in workers() if job in p.cmdline()]
    assert worker
    own_server.kill()
    own_server.until(lambda: not worker[0].is_running() or worker[0].status() == psutil.STATUS_ZOMBIE, 20)
    own_server.start()
    reel = own_server.jobs(rendering)[0]
    assert reel["state"] == "interrupted"
    assert "Start it again" in reel["message"]
    assert own_server.client.get(f"/api/reels/{job}.mp4").status_code == 404
    assert not list((own_server.home / "reels").iterdir())


def test_killed_in_mid_edit_every_accepted_edit_is_there(own_server: Server, rendering: str) -> None:
    accepted: list[str] = []

    def edit() -> None:
        revision = own_server.client.get(f"/api/films/{rendering}").json()["revision"]
        for k in range(10_000):
            patch = [{"op": "replace", "path": "/name", "value": f"edit {k}"}]
            try:
                answer = own_server.client.patch(
                    f"/api/films/{rendering}", json=patch, headers={"If-Match": f'"{revision}"'}
                )
            except httpx.HTTPError:
                return
            if answer.status_code == 200:
                accepted.append(f"edit {k}")
                revision = answer.json()["revision"]

    editor = threading.Thread(target=edit)
    editor.start()
    own_server.until(lambda: len(accepted) > 25)
    own_server.kill()
    editor.join()
    own_server.start()
    name = own_server.client.get(f"/api/films/{rendering}").json()["film"]["name"]
    # The last one accepted, or the one after it, which was kept although its answer never came.
    assert name in (accepted[-1], f"edit {len(accepted)}")


def test_a_reel_can_be_cancelled_and_leaves_nothing_behind(own_server: Server, rendering: str) -> None:
    job = start_reel(own_server, rendering)
    assert own_server.client.post(f"/api/jobs/{job}/cancel").json()["state"] == "cancelled"
    own_server.until(lambda: not list((own_server.home / "reels").iterdir()))
    assert own_server.jobs(rendering)[0]["state"] == "cancelled"


def test_part_of_a_film_at_another_size(store: Store, small_film: Film, tmp_path: Path) -> None:
    path = tmp_path / "part.mp4"
    render(small_film, store.pictures.pyramid, path, ReelSettings(first=5, last=14, width=160))
    with av.open(str(path)) as file:
        frames = list(file.decode(video=0))
    assert len(frames) == 10
    assert (frames[0].width, frames[0].height) == (160, 90)
