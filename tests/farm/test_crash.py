"""A crash in mid-edit or mid-render loses no accepted edit, and reels that were under way go on."""

from __future__ import annotations

import hashlib
import socket
import threading
import time
from pathlib import Path

import av
import httpx
import numpy as np
import psutil
import pytest
from fastapi.testclient import TestClient

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from yaila.api.app import create_app
from yaila.api.desk import Desk
from yaila.core.film import Film
from yaila.core.film.acts import NoteFit, RestackPlate
from yaila.farm import Farm
from yaila.farm.reel import ReelSettings, render
from yaila.store import Store


@pytest.fixture
def rendering(own_server: Server, tmp_path: Path) -> str:
    """A film of a thousand frames, in the server's store."""
    store = Store(own_server.home)
    picture = store.pictures.add(write_picture(tmp_path / "g.png", fine_texture(1600, 900)), "g.png")
    film = Film.model_validate(
        {
            "frame": {"width": 320, "height": 180},
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


def below(server: Server) -> list[psutil.Process]:
    """All processes that a server has begun, and those that they have."""
    assert server.process
    return psutil.Process(server.process.pid).children(recursive=True)


def works(process: psutil.Process) -> bool:
    try:
        return process.status() != psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return False


def test_killed_in_mid_render_the_reel_goes_on_by_itself(own_server: Server, rendering: str) -> None:
    # It begins all its processes itself, as it does where it is used.
    own_server.stop()
    own_server.begins_its_own = True
    own_server.start()
    # What a job's process is forked from is there before there is a job, which need not wait for it to load.
    own_server.until(lambda: bool(below(own_server)))
    job = start_reel(own_server, rendering)
    workers = below(own_server)
    assert len(workers) >= 2
    own_server.kill()
    own_server.until(lambda: not any(map(works, workers)), 20)
    # How its processes are begun is no matter from here on.
    own_server.begins_its_own = False
    own_server.start()
    pieces = own_server.home / "reels" / f"{job}.mp4.pieces"
    assert own_server.jobs(rendering)[0]["state"] in ("waiting", "running")
    assert own_server.client.get(f"/api/reels/{job}.mp4").status_code == 404
    # What it has written stays, and is used; one that is paused stays so, whatever becomes of the server.
    own_server.until(lambda: own_server.jobs(rendering)[0]["done"] > 200)
    own_server.client.post(f"/api/jobs/{job}/pause")
    assert own_server.jobs(rendering)[0]["state"] == "interrupted"
    own_server.stop()
    own_server.start()
    assert own_server.jobs(rendering)[0]["message"] == "Paused."
    written = len(list(pieces.glob("*.json")))
    own_server.client.post(f"/api/jobs/{job}/resume")
    own_server.until(lambda: own_server.jobs(rendering)[0]["done"] > 200)
    assert written > 1
    assert len(list(pieces.glob("*.json"))) >= written
    own_server.client.post(f"/api/jobs/{job}/cancel")
    assert not pieces.exists()


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


def dropped(server: Server, film: str, file: Path) -> str:
    """The job of a picture that is dropped on a film."""
    answer = server.client.post(f"/api/films/{film}/pictures", params={"name": file.name}, content=file.read_bytes())
    return answer.json()["id"]


@pytest.mark.thorough
def test_a_cancelled_import_leaves_nothing_and_the_others_come_in_the_order_they_were_dropped(
    server: Server, tmp_path: Path
) -> None:
    film = server.client.post("/api/films", json={"name": "Order"}).json()["id"]
    large = write_picture(tmp_path / "large.png", np.tile(fine_texture(500, 500), (10, 12, 1)))
    small = [write_picture(tmp_path / f"{name}.png", fine_texture(300, 200, k)) for k, name in enumerate("abcdef")]
    first = dropped(server, film, large)
    for file in small:
        dropped(server, film, file)
    server.until(lambda: server.jobs(film)[-1]["state"] == "running")
    server.until(lambda: any(server.home.glob(f"arrivals/{first}-*/*")))
    server.client.post(f"/api/jobs/{first}/cancel")
    server.until(lambda: all(job["state"] in ("done", "cancelled") for job in server.jobs(film)))
    plates = server.client.get(f"/api/films/{film}").json()["film"]["plates"]
    assert [plate["name"] for plate in plates] == list("abcdef")
    assert not list((server.home / "arrivals").iterdir())
    assert not (server.home / "pictures" / hashlib.sha256(large.read_bytes()).hexdigest()).exists()


@pytest.mark.thorough
def test_what_is_refused_when_work_is_done_is_said_by_its_job(server: Server, tmp_path: Path) -> None:
    film = server.client.post("/api/films", json={"name": "Gone"}).json()["id"]
    dropped(server, film, write_picture(tmp_path / "one.png", fine_texture(300, 200)))
    server.until(lambda: server.jobs(film)[0]["state"] == "done")
    sheet = server.client.get(f"/api/films/{film}").json()
    swap = {"name": "large.png", "swap": sheet["film"]["plates"][0]["id"]}
    large = write_picture(tmp_path / "large.png", np.tile(fine_texture(500, 500), (5, 6, 1)))
    server.client.post(f"/api/films/{film}/pictures", params=swap, content=large.read_bytes())
    # The plate is taken away while its new picture comes in.
    server.client.post(
        f"/api/films/{film}/acts",
        json={"act": "remove_plate", "plate": swap["swap"]},
        headers={"If-Match": f'"{sheet["revision"]}"'},
    ).raise_for_status()
    server.until(lambda: server.jobs(film)[0]["state"] not in ("waiting", "running"))
    job = server.jobs(film)[0]
    assert job["state"] == "failed"
    assert "plate" in job["message"]


def test_a_server_that_starts_leaves_the_room_of_a_command_that_still_works(tmp_path: Path) -> None:
    store = Store(tmp_path)
    with store.room() as mine, store.room("aaaaaaaaaaaa") as left:
        (store.arrivals / "hand999999999-x").mkdir()
        with TestClient(create_app(store, 1)):
            assert mine.exists()
            assert not left.exists()
            assert list(store.arrivals.iterdir()) == [mine]
        left.mkdir()


def test_a_request_that_never_ends_does_not_keep_a_server_that_is_to_stop(own_server: Server) -> None:
    with socket.create_connection(("127.0.0.1", own_server.port)) as line:
        line.sendall(b"POST /api/films HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 100\r\n\r\n{")
        time.sleep(0.3)
        own_server.stop()


def test_part_of_a_film_at_another_size(store: Store, small_film: Film, tmp_path: Path) -> None:
    path = tmp_path / "part.mp4"
    render(small_film, store.pictures.pyramid, path, ReelSettings(first=5, last=14, width=160))
    with av.open(str(path)) as file:
        frames = list(file.decode(video=0))
    assert len(frames) == 10
    assert (frames[0].width, frames[0].height) == (160, 90)


def test_a_finished_reel_cannot_be_cancelled_and_keeps_its_file(store: Store, small_film: Film) -> None:
    farm = Farm(store)
    film = store.films.create(small_film).id
    job = store.jobs.add("reel", film, "Reel", {}, 10)
    file = store.reels / f"{job}.mp4"
    file.write_bytes(b"film")
    store.jobs.note(job, state="done", done=10)
    farm.cancel(job)
    assert file.exists()
    assert store.jobs.get(job).state == "done"
    # One that waits is stopped, and what it has left is gone.
    waiting = store.jobs.add("reel", film, "Reel", {}, 10)
    (store.reels / f"{waiting}.part.mp4").write_bytes(b"fi")
    farm.cancel(waiting)
    assert store.jobs.get(waiting).state == "cancelled"
    assert [one.name for one in store.reels.iterdir()] == [file.name]
    farm.close()


def test_acts_that_no_longer_make_sense_are_left_out_and_the_job_says_so(store: Store, small_film: Film) -> None:
    desk = Desk(store)
    film = store.films.create(small_film).id
    plate = small_film.plates[0].id
    job = store.jobs.add("fit", film, "Plates", {}, 100)
    desk.conclude(job, [RestackPlate(plate="gone", to=0), NoteFit(plate=plate, note="Seen")], "Fit", told="Look at it.")
    row, state = store.jobs.get(job), store.films.state(film)
    assert (row.state, state.film.plates[0].fit.note, state.undo) == ("done", "Seen", "Fit")
    assert "no longer" in row.message
    assert row.message.endswith("Look at it.")
    # If nothing of it can be done, it has failed, and there is nothing to undo.
    other = store.jobs.add("fit", film, "Plates", {}, 100)
    desk.conclude(other, [RestackPlate(plate="gone", to=0)], "Fit again")
    assert (store.jobs.get(other).state, store.films.state(film).undo) == ("failed", "Fit")
    desk.farm.close()
