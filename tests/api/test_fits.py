"""Fits, ties, tones and regions through the API, with the processes that work them out."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import cv2
import httpx
import numpy as np
import pytest

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from yaila.core.film import Film
from yaila.store import Store


def send(server: Server, film: str, file: Path, **query: object) -> None:
    before = len(server.client.get(f"/api/films/{film}").json()["film"]["plates"])
    server.client.post(f"/api/films/{film}/pictures", params={"name": file.name, **query}, content=file.read_bytes())
    server.until(lambda: len(server.client.get(f"/api/films/{film}").json()["film"]["plates"]) == before + 1)


@pytest.fixture(scope="module")
def imported(served: Server, tmp_path_factory: pytest.TempPathFactory) -> Film:
    """What :func:`make_stack` makes."""
    return Store(served.home).films.state(make_stack(served, tmp_path_factory.mktemp("stack"))).film


@pytest.fixture
def stack(server: Server, imported: Film) -> str:
    """A film of its own like the imported one."""
    return Store(server.home).films.create(imported).id


def make_stack(server: Server, tmp_path: Path) -> str:
    """A film of a wide picture and one of its middle in twice the detail and another tint, laid anywhere."""
    full = cv2.GaussianBlur(fine_texture(2400, 1600, seed=11), (0, 0), 1.2)
    wide = cv2.resize(full, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    close = np.clip(full[400:1200, 700:1900] * np.array([1.1, 1.0, 0.88]) + [4, 0, 0], 0, 255).astype(np.uint8)
    film = server.client.post("/api/films", json={}).json()["id"]
    send(server, film, write_picture(tmp_path / "wide.png", wide))
    send(server, film, write_picture(tmp_path / "close.png", np.ascontiguousarray(close)), x=300, y=200, width=300)
    return film


def sheet_of(server: Server, film: str) -> dict:
    return server.client.get(f"/api/films/{film}").json()


def begun(server: Server, film: str, find: list[str], tone: list[str]) -> str:
    """The id of a fit that was asked for."""
    sheet = sheet_of(server, film)
    answer = server.client.post(
        f"/api/films/{film}/fits", json={"revision": sheet["revision"], "fit": {"find": find, "tone": tone}}
    )
    assert answer.status_code == 202, answer.text
    return str(answer.json()["id"])


def ended(server: Server, film: str, job: str) -> dict:
    """A job, when it is over."""
    server.until(
        lambda: next(j for j in server.jobs(film) if j["id"] == job)["state"] not in ("waiting", "running"), 120
    )
    return next(j for j in server.jobs(film) if j["id"] == job)


def fit(server: Server, film: str, find: list[str], tone: list[str]) -> dict:
    return ended(server, film, begun(server, film, find, tone))


def test_a_plate_is_found_and_toned_as_one_edit_and_one_made_meanwhile_is_kept(server: Server, stack: str) -> None:
    close = sheet_of(server, stack)["film"]["plates"][1]["id"]
    job = begun(server, stack, [close], [close])
    server.client.patch(
        f"/api/films/{stack}",
        json=[{"op": "replace", "path": "/name", "value": "Renamed meanwhile"}],
        headers={"If-Match": f'"{sheet_of(server, stack)["revision"]}"'},
    ).raise_for_status()
    assert ended(server, stack, job)["state"] == "done"
    sheet = sheet_of(server, stack)
    assert sheet["film"]["name"] == "Renamed meanwhile"
    plate = sheet["film"]["plates"][1]
    assert plate["fit"]["by"] == "found"
    # The middle of the crop, in pixels of the wide picture, y up: (700 + 600) / 2 and 800 - (400 + 400) / 2.
    assert (plate["placement"]["x"], plate["placement"]["y"]) == pytest.approx((650, 400), abs=0.3)
    assert plate["placement"]["scale"] == pytest.approx(0.5, rel=1e-3)
    assert plate["tone"]["match"]["after"] < 0.5 * plate["tone"]["match"]["before"]
    assert sheet["undo"] == "Fit close"
    before = server.client.post(f"/api/films/{stack}/undo", headers={"If-Match": f'"{sheet["revision"]}"'}).json()
    assert before["film"]["plates"][1]["placement"]["x"] == 300


@pytest.mark.thorough
def test_what_is_not_found_says_why_and_stays(server: Server, stack: str, tmp_path: Path) -> None:
    send(server, stack, write_picture(tmp_path / "other.png", fine_texture(900, 700, seed=99)), x=200, y=200, width=150)
    other = sheet_of(server, stack)["film"]["plates"][2]
    assert fit(server, stack, [other["id"]], [])["state"] == "done"
    after = sheet_of(server, stack)["film"]["plates"][2]
    assert after["placement"] == other["placement"]
    assert "Found on none" in after["fit"]["note"]


@pytest.mark.thorough
def test_a_picture_that_is_gone_fails_the_fit_with_a_sentence(own_server: Server, tmp_path: Path) -> None:
    server, stack = own_server, make_stack(own_server, tmp_path)
    close = sheet_of(server, stack)["film"]["plates"][1]
    shutil.rmtree(server.home / "pictures" / close["picture"]["sha256"])
    job = fit(server, stack, [close["id"]], [])
    assert job["state"] == "failed"
    assert "Drop its file again" in job["message"]


def test_a_tie_is_looked_for_where_it_is_meant(server: Server, stack: str) -> None:
    close = sheet_of(server, stack)["film"]["plates"][1]["id"]
    laid = {"kind": "similarity", "x": 650, "y": 400, "scale": 0.5}
    sheet = server.client.patch(
        f"/api/films/{stack}",
        json=[{"op": "replace", "path": "/plates/1/placement", "value": laid}],
        headers={"If-Match": f'"{sheet_of(server, stack)["revision"]}"'},
    ).json()
    answer = server.client.post(
        f"/api/films/{stack}/trials/tie",
        params={"state": sheet["state"]},
        json={"plate": close, "at": [600, 380], "to": [604, 377]},
    ).json()
    assert answer["other"] == sheet["film"]["plates"][0]["id"]
    # In pixels of the wide plate, y down.
    assert answer["to"] == pytest.approx([600, 800 - 380], abs=0.3)
    assert answer["match"] > 0.8
    act = {"act": "tie_plate", "plate": close, "ties": [answer], "model": None}
    tied = server.client.post(
        f"/api/films/{stack}/acts", json=act, headers={"If-Match": f'"{sheet["revision"]}"'}
    ).json()
    assert tied["plan"]["plates"][1]["fit"]["ties"][0]["off"] < 1e-6


def test_a_control_point_hangs_on_the_ground_whatever_lies_below(server: Server, stack: str) -> None:
    sheet = sheet_of(server, stack)
    close = sheet["film"]["plates"][1]["id"]
    point = {"plate": close, "at": [310, 210], "to": [310, 210], "ground": True}
    tie = server.client.post(f"/api/films/{stack}/trials/tie", params={"state": sheet["state"]}, json=point).json()
    assert tie["other"] is None
    assert tie["to"] == [310, 210]
    tie["to"] = [400, 300]
    act = {"act": "tie_plate", "plate": close, "ties": [tie], "model": None}
    moved = server.client.post(
        f"/api/films/{stack}/acts", json=act, headers={"If-Match": f'"{sheet["revision"]}"'}
    ).json()
    before, after = (one["film"]["plates"][1]["placement"] for one in (sheet, moved))
    assert (after["x"] - before["x"], after["y"] - before["y"]) == pytest.approx((90, 90))


def test_bad_ties_are_refused_and_nothing_is_lost(server: Server, stack: str) -> None:
    sheet = sheet_of(server, stack)
    low, close = (plate["id"] for plate in sheet["film"]["plates"])

    def tie(*ties: tuple[float, float, float, float], model: str | None = None) -> httpx.Response:
        made = [{"x": x, "y": y, "other": low, "to": [u, v]} for x, y, u, v in ties]
        act = {"act": "tie_plate", "plate": close, "ties": made, "model": model}
        return server.client.post(f"/api/films/{stack}/acts", json=act, headers={"If-Match": f'"{sheet["revision"]}"'})

    for answer, says in (
        (tie((10, 10, 100, 100), (10, 10, 200, 200)), "same place"),
        (tie((0, 0, 0, 0), (100, 100, 50, 50), (200, 200, 100, 100), model="affine"), "one line"),
        (tie((0, 0, 0, 0), (100, 0, 50, 0), (0, 100, 0, 50), model="homography"), "needs 4 points"),
    ):
        assert answer.status_code == 422
        assert says in answer.json()["detail"]
    assert sheet_of(server, stack)["revision"] == sheet["revision"]


def test_land_is_traced_and_travels_as_geojson(server: Server, tmp_path: Path) -> None:
    drawn = np.full((300, 400, 3), (170, 205, 225), np.uint8)
    cv2.circle(drawn, (200, 150), 80, (230, 222, 196), -1)
    film = server.client.post("/api/films", json={}).json()["id"]
    send(server, film, write_picture(tmp_path / "sheet.png", drawn))
    sheet = sheet_of(server, film)
    plate = sheet["film"]["plates"][0]["id"]
    colour = server.client.get(
        f"/api/films/{film}/plates/{plate}/colour", params={"state": sheet["state"], "x": 5, "y": 5}
    ).json()["colour"]
    assert colour == [170, 205, 225]
    land = {"by": "colour", "samples": [colour], "tolerance": 3, "softness": 2, "invert": False}
    sheet = server.client.patch(
        f"/api/films/{film}",
        json=[{"op": "replace", "path": "/plates/0/land", "value": land}],
        headers={"If-Match": f'"{sheet["revision"]}"'},
    ).json()
    sheet = server.client.post(
        f"/api/films/{film}/plates/{plate}/trace",
        json={"tolerance": 1, "least": 100},
        headers={"If-Match": f'"{sheet["revision"]}"'},
    ).json()
    (region,) = sheet["film"]["regions"]
    assert sheet["undo"] == "Trace sheet"
    text = server.client.get(f"/api/films/{film}/regions/{region['id']}.geojson").text
    assert json.loads(text)["ground"] == "plain"
    again = server.client.post(
        f"/api/films/{film}/geodata", params={"name": "again.geojson"}, content=text,
        headers={"If-Match": f'"{sheet["revision"]}"'},
    ).json()  # fmt: skip
    assert [one["name"] for one in again["film"]["regions"]] == ["sheet, land", "sheet, land"]
    assert np.allclose(sorted(again["film"]["regions"][1]["rings"][0]), sorted(region["rings"][0]), atol=1e-6)


def test_a_file_of_many_places_is_laid_in_work_that_grows_with_it(server: Server) -> None:
    """The whole film was copied for each place, so that 2,000 took minutes."""
    sheet = server.client.post("/api/films", json={}).json()
    features = [
        {"type": "Feature", "properties": {"name": f"Place {k}"}, "geometry": {"type": "Point", "coordinates": [k, 5]}}
        for k in range(2000)
    ]
    text = json.dumps({"type": "FeatureCollection", "ground": "plain", "features": features})
    begin = server.worked
    laid = server.client.post(
        f"/api/films/{sheet['id']}/geodata", params={"name": "places.geojson"}, content=text,
        headers={"If-Match": f'"{sheet["revision"]}"'}, timeout=60,
    ).json()["film"]  # fmt: skip
    assert server.worked - begin < 10
    assert len(laid["markers"]) == len(laid["labels"]) == 2000
    assert all(
        label["starts"]["mark"] == marker["id"] and (label["x"], label["y"]) == (marker["x"], marker["y"])
        for marker, label in zip(laid["markers"], laid["labels"], strict=True)
    )
