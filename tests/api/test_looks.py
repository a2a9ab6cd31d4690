"""Looks, swatches, scopes and tables over HTTP."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient
from skimage import data

from yaila.api.app import create_app
from yaila.core.colour.grading import Grading, graded
from yaila.core.colour.reference import likened, statistics
from yaila.core.colour.scopes import scope
from yaila.core.film import Film
from yaila.formats.bundle import read_bundle, write_bundle
from yaila.store import Store


@pytest.fixture
def client(store: Store) -> TestClient:
    return TestClient(create_app(store, 8471), base_url="http://127.0.0.1:8471")


@pytest.fixture
def film_id(client: TestClient, small_film: Film, store: Store) -> str:
    return store.films.create(small_film).id


def state(client: TestClient, film_id: str) -> str:
    return client.get(f"/api/films/{film_id}").json()["state"]


def finish(client: TestClient, film_id: str, **values: object) -> str:
    steps = [{"op": "replace", "path": f"/finish/{path.replace('__', '/')}", "value": v} for path, v in values.items()]
    headers = {"If-Match": client.get(f"/api/films/{film_id}").headers["ETag"]}
    answer = client.patch(f"/api/films/{film_id}", json=steps, params={"label": "x"}, headers=headers)
    assert answer.status_code == 200, answer.text
    return str(answer.json()["state"])


def picture(client: TestClient, address: str) -> np.ndarray:
    answer = client.get(address)
    assert answer.status_code == 200, answer.text
    return cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)


def test_a_look_is_saved_given_out_taken_in_and_forgotten(client: TestClient, film_id: str) -> None:
    now = state(client, film_id)
    refused = client.post("/api/looks", json={"film": film_id, "state": now, "name": "Mine"})
    assert refused.status_code == 422
    assert "No effect is on" in refused.json()["detail"]
    now = finish(client, film_id, grain__on=True, vignette__on=True, vignette__by=0.8)
    saved = client.post("/api/looks", json={"film": film_id, "state": now, "name": "Mine"}).json()
    assert set(saved["look"]["holds"]) == {"grain", "vignette"}
    listed = client.get("/api/looks").json()
    assert listed[0]["key"] == saved["key"]
    assert sum(one["shipped"] for one in listed) >= 10
    file = client.get(f"/api/looks/{saved['key']}.look")
    assert "Mine.look" in file.headers["Content-Disposition"]
    # By the same name it takes the place of the one before.
    again = client.post("/api/looks/files?name=Mine.look", content=file.content).json()
    assert again["key"] == saved["key"]
    assert client.delete(f"/api/looks/{saved['key']}").status_code == 204
    assert client.get(f"/api/looks/{saved['key']}.look").status_code == 404
    for wrong in (b"", b"{", b"[1]", b"\xff", b'{"format": "yaila/look"}'):
        answer = client.post("/api/looks/files?name=x.look", content=wrong)
        assert answer.status_code == 422
        assert "x.look" in answer.json()["detail"]


def test_swatches_show_the_frame_with_each_and_the_film_stays(client: TestClient, film_id: str) -> None:
    now = state(client, film_id)
    at = f"/api/films/{film_id}/swatches/0.jpg?state={now}"
    plain = picture(client, f"/api/films/{film_id}/frames/0.jpg?state={now}&width=128")
    some = [picture(client, f"{at}&{how}&width=128") for how in ("surface=slate", "look=own-8", "surface=canvas")]
    assert all(one.shape == plain.shape for one in some)
    assert all(np.abs(one.astype(int) - plain).mean() > 2 for one in some)
    # Black and white is grey.
    assert np.abs(some[1].astype(int) - some[1].mean(axis=-1, keepdims=True)).mean() < 12
    assert state(client, film_id) == now
    assert client.get(f"{at}&look=nonsense").status_code == 404
    assert client.get(f"{at}&surface=nonsense").status_code == 422
    assert client.get(at.replace("0.jpg", "99999.jpg")).status_code == 404


def test_a_frame_is_split_into_what_it_is_and_what_it_was(client: TestClient, film_id: str) -> None:
    now = finish(client, film_id, grade__on=True, grade__grey=1)
    at = f"/api/films/{film_id}/frames/0.jpg?state={now}&width=320"
    after, split = picture(client, at), picture(client, f"{at}&split=0.5")
    before = picture(client, f"{at}&without=grade")
    middle = after.shape[1] // 2
    assert np.abs(split[:, : middle - 8].astype(int) - after[:, : middle - 8]).mean() < 3
    assert np.abs(split[:, middle + 8 :].astype(int) - before[:, middle + 8 :]).mean() < 3
    assert np.abs(after.astype(int) - before).mean() > 3


def test_scopes_measure_the_frame(client: TestClient, film_id: str) -> None:
    now = state(client, film_id)
    for kind in ("waveform", "vectors", "histogram"):
        answer = client.get(f"/api/films/{film_id}/scopes/0.png?state={now}&kind={kind}&width=200&height=120")
        assert answer.status_code == 200
        assert len(answer.headers["X-Clipped"].split()) == 2
        assert cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR).shape == (120, 200, 3)


def test_a_scope_shows_a_colour_where_it_is() -> None:
    """The luma and colour differences of BT.709: a grey at half its height, 75 % bars in their boxes."""
    grey = np.full((40, 60, 3), 128, np.uint8)
    wave = scope(grey, "waveform", 208, 208).astype(int).sum(axis=-1)
    bright = np.flatnonzero(wave[:, 100] > 500)
    assert bright.mean() == pytest.approx(4 + 199 * (1 - 128 / 255), abs=1)
    # Half of blue, by the standard's own figures for full blue: Cb 0.5 and Cr -0.0459 (ITU-R BT.709, 3.3).
    one = np.zeros((40, 60, 3), np.uint8)
    nothing = scope(one, "vectors", 208, 208).astype(int)
    one[..., 2] = 128
    changed = np.abs(scope(one, "vectors", 208, 208).astype(int) - nothing).sum(axis=-1)
    changed[100:108, 100:108] = 0
    row, column = np.unravel_index(np.argmax(changed), changed.shape)
    assert column - 103.5 == pytest.approx(0.5 * 99, abs=1.5)
    assert 103.5 - row == pytest.approx(-0.0459 * 99, abs=1.5)
    counted = scope(np.dstack([np.full((9, 9), 40, np.uint8)] * 3), "histogram", 264, 100).astype(int).sum(axis=-1)
    assert np.argmax(counted.sum(axis=0)) == pytest.approx(4 + 40, abs=2)


def test_a_table_is_brought_graded_by_and_goes_with_the_film(
    client: TestClient, film_id: str, store: Store, tmp_path
) -> None:
    text = "LUT_3D_SIZE 2\n" + "\n".join(f"{1 - r} {1 - g} {1 - b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
    brought = client.post("/api/tables?name=Negative.cube", content=text.encode()).json()
    assert brought["name"] == "Negative"
    assert client.get("/api/tables").json() == [brought]
    bad = client.post("/api/tables?name=x.cube", content=b"LUT_3D_SIZE 2\n0 0 0\n")
    assert bad.status_code == 422
    before = picture(client, f"/api/films/{film_id}/frames/0.jpg?state={state(client, film_id)}&width=320")
    now = finish(client, film_id, grade__on=True, grade__table=brought["key"])
    after = picture(client, f"/api/films/{film_id}/frames/0.jpg?state={now}&width=320")
    assert np.abs(after.astype(int) - (255 - before)).mean() < 4
    cube = client.get(f"/api/films/{film_id}/grade/0.cube?state={now}").text.splitlines()
    assert cube[4].split() == ["1.000000", "1.000000", "1.000000"]
    film = store.films.state(film_id).film
    write_bundle(tmp_path / "f.yaila", film, store.file_of)
    _, media = read_bundle(tmp_path / "f.yaila", tmp_path)
    other = Store(tmp_path / "other")
    other.aids.add(media[brought["key"]].read_bytes(), media[brought["key"]].name)
    assert np.array_equal(other.aids.table(brought["key"]).table, store.aids.table(brought["key"]).table)
    # What a film uses is not swept away; what none uses is.
    assert client.delete("/api/aids/unused").json() == {"gone": 0}
    finish(client, film_id, grade__table=None)
    assert client.delete("/api/aids/unused").json() == {"gone": 1}


def test_a_grade_is_proposed_that_brings_a_frame_near_to_another_picture(client: TestClient, film_id: str) -> None:
    """A real photograph of something else altogether: on the whole it is as bright, and leans the same way."""
    now, rocket = state(client, film_id), cv2.imencode(".png", data.rocket()[..., ::-1])[1].tobytes()
    at = f"/api/looks/match?film={film_id}&state={now}&frame=0&name=rocket.png"
    answer = client.post(at, content=rocket)
    assert answer.status_code == 200, answer.text
    found = answer.json()
    assert found["after"] < 0.35 * found["before"]
    again = finish(client, film_id, grade__on=True, **{f"grade__{name}": v for name, v in found["numbers"].items()})
    graded = picture(client, f"/api/films/{film_id}/frames/0.jpg?state={again}&width=320")[..., ::-1]
    away = np.abs(statistics(graded.reshape(-1, 3) / 255) - statistics(data.rocket().reshape(-1, 3) / 255))
    plain = picture(client, f"/api/films/{film_id}/frames/0.jpg?state={now}&width=320")[..., ::-1]
    before = np.abs(statistics(plain.reshape(-1, 3) / 255) - statistics(data.rocket().reshape(-1, 3) / 255))
    assert away.sum() < 0.5 * before.sum()
    for wrong in (b"", b"no picture", rocket[:200]):
        refused = client.post(at, content=wrong)
        assert refused.status_code == 422
        assert "rocket.png" in refused.json()["detail"]


def test_a_picture_that_is_alike_already_is_hardly_changed() -> None:
    scene = data.astronaut().reshape(-1, 3)
    found = likened(scene, scene[::2])
    assert abs(found.numbers["exposure"]) < 0.1
    assert abs(found.numbers["contrast"]) < 6
    # What a grade did is found again, from other places of the picture.
    made = (graded(scene / 255, Grading(exposure=-0.8, warmth=35, saturation=-40)) * 255).astype(np.uint8)
    back = likened(scene[::2], made[1::2])
    assert back.after < 0.15 * back.before
    assert back.numbers["exposure"] == pytest.approx(-0.8, abs=0.25)
    assert back.numbers["warmth"] > 10
    assert back.numbers["saturation"] < -15
