"""The shelf: what is on it, films made from others, given out and taken in."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from yaila.core.film import Film, Vantage
from yaila.store import Store


def shelved(server: Server, film: str) -> dict:
    return next(one for one in server.client.get("/api/shelf").json()["films"] if one["id"] == film)


def work(server: Server, job: str) -> dict:
    return next(one for one in server.client.get("/api/under-way").json()["jobs"] if one["id"] == job)


def ended(server: Server, job: str) -> dict:
    server.until(lambda: work(server, job)["state"] not in ("waiting", "running"))
    return work(server, job)


def test_what_a_film_is_and_the_room_that_it_takes(server: Server, small_film: Film, store: Store) -> None:
    there = Store(server.home)
    source = store.pictures.source(small_film.plates[0].picture.sha256)
    there.pictures.add(source, "ground.png", keep=True)
    film = there.films.create(small_film).id
    one = shelved(server, film)
    assert (one["name"], one["width"], one["frames"], one["seconds"]) == ("Small", 320, 36, 1.44)
    assert one["bytes"] >= one["alone"] > source.stat().st_size
    # The middle of its rest.
    assert one["poster"] == 2
    picture = server.client.get(f"/api/films/{film}/frames/{one['poster']}.jpg", params={"state": one["state"]})
    assert picture.status_code == 200
    assert server.client.delete(f"/api/films/{film}").status_code == 422
    server.client.put(f"/api/films/{film}/away", json=True)
    assert server.client.delete(f"/api/films/{film}").json()["bytes"] == one["alone"]
    assert server.client.get(f"/api/films/{film}").status_code == 404


def test_films_are_made_of_patterns_and_of_one_another(server: Server) -> None:
    offered = server.client.get("/api/choices").json()["patterns"]
    for pattern in offered:
        made = server.client.post("/api/films", json={"name": "New", "pattern": pattern["key"]}).json()["film"]
        assert (made["frame"]["width"], made["rate"]) == (pattern["width"], pattern["rate"])
    programme = server.client.post(
        "/api/films", json={"name": "News", "pattern": "programme", "width": 1280, "height": 720}
    ).json()
    assert programme["film"]["frame"] == {"width": 1280, "height": 720}
    assert programme["film"]["levels"]["loudness"] == -23
    assert programme["film"]["finish"]["shutter"]["on"]
    steps = [
        {"op": "add", "path": "/vantages/-", "value": Vantage(name="Here", x=3, y=4, span=5).model_dump(mode="json")},
        {"op": "replace", "path": "/finish/grain/on", "value": True},
    ]
    server.client.patch(
        f"/api/films/{programme['id']}", json=steps, headers={"If-Match": f'"{programme["revision"]}"'}
    ).raise_for_status()
    like = server.client.post("/api/films", json={"name": "Like it", "like": programme["id"]}).json()["film"]
    assert (like["frame"]["width"], like["rate"], like["vantages"]) == (1280, "50", [])
    assert like["finish"]["grain"]["on"]
    assert [lane["name"] for lane in like["lanes"]] == ["Voice", "Music", "Details"]
    copy = server.client.post("/api/films", json={"copy_of": programme["id"]}).json()["film"]
    assert (copy["name"], [one["name"] for one in copy["vantages"]]) == ("News, copy", ["Here"])
    assert server.client.post("/api/films", json={"like": programme["id"]}).json()["film"]["name"] == "Like News"
    refused = server.client.post("/api/films", json={"pattern": "none"})
    assert refused.status_code == 404
    assert "programme" in refused.json()["detail"]


def test_a_film_is_given_out_and_taken_in_with_or_without_its_large_files(
    server: Server, tmp_path: Path, own_server: Server
) -> None:
    film = server.client.post("/api/films", json={"name": "Över / sea"}).json()["id"]
    files = [write_picture(tmp_path / f"{side}.png", fine_texture(side, side)) for side in (200, 900)]
    for file in files:
        answer = server.client.post(
            f"/api/films/{film}/pictures", params={"name": file.name}, content=file.read_bytes()
        )
        assert ended(server, answer.json()["id"])["state"] == "done"
    whole = server.client.get(f"/api/films/{film}/bundle")
    assert "sea.yaila" in whole.headers["content-disposition"]
    assert len(zipfile.ZipFile(io.BytesIO(whole.content)).namelist()) == 3
    small = server.client.get(f"/api/films/{film}/bundle", params={"most": files[0].stat().st_size})
    assert len(zipfile.ZipFile(io.BytesIO(small.content)).namelist()) == 2
    # Somewhere else: the picture that is lacking is named, by the shelf too, and found again when its file is dropped.
    job = own_server.client.post("/api/bundles", params={"name": "sea.yaila"}, content=small.content)
    assert job.status_code == 202, job.text
    job = job.json()
    done = ended(own_server, job["id"])
    assert (done["state"], "“900”" in done["message"]) == ("done", True)
    one = shelved(own_server, job["film"])
    assert (one["name"], one["lacks"], one["first"]) == ("Över / sea", 1, "900")
    brought = own_server.client.post(
        f"/api/films/{job['film']}/pictures", params={"name": "found.png"}, content=files[1].read_bytes()
    ).json()
    assert "whole again" in ended(own_server, brought["id"])["message"]
    taken = own_server.client.get(f"/api/films/{job['film']}").json()["film"]
    assert taken == server.client.get(f"/api/films/{film}").json()["film"]
    assert shelved(own_server, job["film"])["lacks"] == 0
    spoilt = own_server.client.post("/api/bundles", params={"name": "no.yaila"}, content=b"PK nothing").json()
    failed = ended(own_server, spoilt["id"])
    assert failed["state"] == "failed"
    assert "“no.yaila” is not a film bundle" in failed["message"]
    assert not list((own_server.home / "arrivals").iterdir())


def test_reels_wait_in_a_line_that_can_be_changed(own_server: Server, small_film: Film, store: Store) -> None:
    there = Store(own_server.home)
    there.pictures.add(store.pictures.source(small_film.plates[0].picture.sha256), "ground.png", keep=True)
    small_film.vantages[0].hold = 600
    film = there.films.create(small_film).id
    revision = own_server.client.get(f"/api/films/{film}").json()["revision"]

    def reel(**more: object) -> str:
        new = {"revision": revision, "settings": {"last": 20}, **more}
        return own_server.client.post(f"/api/films/{film}/reels", json=new).json()["id"]

    long = reel(settings={})
    first, second = reel(), reel()
    under_way = [one["id"] for one in own_server.client.get("/api/under-way").json()["jobs"]]
    assert under_way == [long, first, second]
    placed = own_server.client.put(f"/api/jobs/{second}/place", json=0).json()
    assert placed["line"] == [second, first]
    assert [one["id"] for one in placed["jobs"]] == [long, second, first]
    assert placed["films"][film] == "Small"
    quick = reel(at_once=True)
    assert ended(own_server, quick)["state"] == "done"
    assert work(own_server, long)["state"] == "running"
    assert own_server.client.put("/api/under-way/side-by-side", json=2).json()["side_by_side"] == 2
    assert ended(own_server, second)["state"] == "done"
    assert ended(own_server, first)["state"] == "done"
    assert work(own_server, long)["state"] == "running"
    own_server.client.post(f"/api/jobs/{long}/cancel")
    assert own_server.client.put("/api/under-way/side-by-side", json=0).status_code == 422
