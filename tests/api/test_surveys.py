"""Sources, plans and captures through the API, against the practice survey on the same server."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

import cv2
import mercantile
import numpy as np
import pytest
import rasterio
from rasterio.transform import Affine

from tests.conftest import write_picture
from tests.served import Server
from tests.tilehost import png
from tests.truth import fine_texture
from yaila.core.ground import GroundBox
from yaila.standin.survey import Survey, trouble_of
from yaila.standin.world import World


def blocks(plates: list[dict]) -> list[dict]:
    return [{key: plate[key] for key in ("zoom", "column", "row", "columns", "rows")} for plate in plates]


def capture(server: Server, film: dict, plates: list[dict], source: str = "practice-aerial") -> dict:
    answer = server.client.post(f"/api/films/{film['id']}/captures", json={"source": source, "plates": blocks(plates)})
    assert answer.status_code == 202, answer.text
    job = answer.json()["id"]

    def over() -> bool:
        return next(one for one in server.jobs(film["id"]) if one["id"] == job)["state"] not in ("waiting", "running")

    server.until(over, 400)
    return next(one for one in server.jobs(film["id"]) if one["id"] == job)


@pytest.mark.slow
@pytest.mark.timeout(600)
def test_a_place_is_searched_planned_captured_and_laid(server: Server) -> None:
    client = server.client
    film = client.post("/api/films", json={"width": 320, "height": 180}).json()
    place = client.get("/api/places", params={"q": "quil"}).json()[0]
    assert place["name"] == "Quillhaven"
    wish = {
        "state": film["state"], "source": "practice-aerial", "place": [place["x"], place["y"]], "spans": [12000, 3000],
    }  # fmt: skip
    plan = client.post(f"/api/films/{film['id']}/captures/plan", json=wish).json()
    assert plan["plates"]
    assert plan["left"] == 0
    job = capture(server, film, plan["plates"])
    assert job["state"] == "done", job["message"]
    after = client.get(f"/api/films/{film['id']}").json()
    assert after["film"]["ground"]["kind"] == "mercator"
    assert len(after["film"]["plates"]) == len(plan["plates"])
    for planned, plate, laid in zip(plan["plates"], after["film"]["plates"], after["plan"]["plates"], strict=True):
        west, south, east, north = planned["box"]
        assert laid["outline"][0] == pytest.approx([west, north], abs=1e-3)
        assert laid["outline"][2] == pytest.approx([east, south], abs=1e-3)
        assert plate["credit"]
        # Only what the survey has lost is missing, and it is marked.
        lost = sum(
            trouble_of("aerial", planned["zoom"], planned["column"] + c, planned["row"] + r).missing
            for c in range(planned["columns"])
            for r in range(planned["rows"])
        )
        assert len(plate["holes"]) == lost
    assert any(plate["holes"] for plate in after["film"]["plates"])
    # Though pictures carry all of it, its heights and its lights are missing; laid, they are what they hold.
    for source, role in (("practice-height", "heights"), ("practice-lights", "lights")):
        other = wish | {"state": client.get(f"/api/films/{film['id']}").json()["state"], "source": source}
        plates = client.post(f"/api/films/{film['id']}/captures/plan", json=other).json()["plates"]
        assert capture(server, film, plates, source)["state"] == "done"
        after = client.get(f"/api/films/{film['id']}").json()
        assert sum(plate["role"] == role for plate in after["film"]["plates"]) == len(plates) > 0
    relief = after["film"]["finish"]["relief"]
    assert (relief["on"], relief["codes"], after["film"]["finish"]["dusk"]["on"]) == (True, "packed", True)
    found = client.get(f"/api/films/{film['id']}/heights/{relief['plate']}", params={"state": after["state"]}).json()
    # The hills about Quillhaven, as its world has them; the sea is not much deeper than a harbour needs.
    box = next(plate for plate in after["plan"]["plates"] if plate["id"] == relief["plate"])["outline"]
    (west, north), (east, south) = box[0], box[2]
    there = World().heights(GroundBox(west, south, east, north), 256)
    assert found["high"] == pytest.approx(float(there.max()), abs=60)


@pytest.mark.thorough
def test_missing_tiles_are_asked_for_again_and_nothing_else_changes(server: Server, host: dict) -> None:
    client = server.client
    lost = {"/3/4/3.png"}
    host["answer"] = lambda path: (404, "text/plain", b"") if path in lost else (200, "image/png", png(256))
    bounds = [0, 0, 90, 60]
    new = {"name": "Own", "template": host["template"], "least": 2, "most": 3, "private": True, "bounds": bounds}
    source = client.post("/api/sources", json=new).json()["id"]
    film = client.post("/api/films", json={}).json()["id"]
    block = {"zoom": 3, "column": 4, "row": 2, "columns": 2, "rows": 2}
    client.post(f"/api/films/{film}/captures", json={"source": source, "plates": [block]})
    server.until(lambda: client.get(f"/api/films/{film}").json()["film"]["plates"])
    before = client.get(f"/api/films/{film}").json()["film"]["plates"][0]
    assert before["holes"] == [[0, 256, 256, 256]]

    def again() -> str:
        answer = client.post(f"/api/films/{film}/captures/again/{before['id']}")
        assert answer.status_code == 202, answer.text
        job = answer.json()["id"]
        server.until(
            lambda: next(j for j in server.jobs(film) if j["id"] == job)["state"] not in ("waiting", "running")
        )
        return next(j for j in server.jobs(film) if j["id"] == job)["state"]

    assert again() == "failed"
    assert client.get(f"/api/films/{film}").json()["film"]["plates"][0] == before
    lost.clear()
    asked = len(host["asked"])
    assert again() == "done"
    assert host["asked"][asked:] == ["/3/4/3.png"]
    after = client.get(f"/api/films/{film}").json()["film"]["plates"][0]
    assert after["holes"] == []
    assert after["picture"]["sha256"] != before["picture"]["sha256"]
    same = {"placement", "feather", "credit", "name", "captured", "georeference"}
    assert {key: after[key] for key in same} == {key: before[key] for key in same}


def test_a_capture_is_cancelled_and_leaves_nothing(server: Server) -> None:
    film = server.client.post("/api/films", json={}).json()
    wish = {"state": film["state"], "source": "practice-aerial", "place": [430e3, 214e3], "spans": [20000, 3000]}
    plan = server.client.post(f"/api/films/{film['id']}/captures/plan", json=wish).json()
    new = {"source": "practice-aerial", "plates": blocks(plan["plates"])}
    job = server.client.post(f"/api/films/{film['id']}/captures", json=new).json()["id"]
    server.until(lambda: server.jobs(film["id"])[0]["done"] > 2, 200)
    assert server.client.post(f"/api/jobs/{job}/cancel").json()["state"] == "cancelled"
    server.until(lambda: not list((server.home / "arrivals").iterdir()))
    assert server.client.get(f"/api/films/{film['id']}").json()["film"]["plates"] == []


def test_a_source_without_an_answer_is_not_kept(server: Server) -> None:
    before = len(server.client.get("/api/sources").json())
    for template, says in (
        ("http://127.0.0.1:9/{z}/{x}/{y}.png", "private"),
        (f"{server.url}/standin/survey/nothing/{{z}}/{{x}}/{{y}}.png", "private"),
        ("https://example.invalid/{z}/{x}/{y}.png", "cannot be found"),
        ("https://example.invalid/tiles", "no placeholder"),
    ):
        answer = server.client.post("/api/sources", json={"name": "Mine", "template": template})
        assert answer.status_code == 422
        assert says in answer.json()["detail"]
    assert len(server.client.get("/api/sources").json()) == before


def test_a_source_of_ones_own_is_added_and_forgotten(server: Server) -> None:
    template = f"{server.url}/standin/survey/sea/{{z}}/{{x}}/{{y}}.png"
    new = {"name": "Mine", "template": template, "least": 9, "most": 12, "private": True, "bounds": [3.6, 1.8, 5, 2.6]}
    made = server.client.post("/api/sources", json=new)
    assert made.status_code == 201, made.text
    assert any(source["name"] == "Mine" for source in server.client.get("/api/sources").json())
    server.client.delete(f"/api/sources/{made.json()['id']}")
    assert not any(source["name"] == "Mine" for source in server.client.get("/api/sources").json())


def test_coordinates_are_a_place_too(server: Server) -> None:
    (place,) = server.client.get("/api/places", params={"q": "2.05, 4.25"}).json()
    assert (place["x"], place["y"]) == pytest.approx((4.25 * 111319.49, 228282), abs=100)


def send(server: Server, film: str, file: Path, **query: str) -> dict:
    answer = server.client.post(
        f"/api/films/{film}/pictures", params={"name": file.name, **query}, content=file.read_bytes()
    )
    assert answer.status_code == 202, answer.text
    job = answer.json()["id"]
    server.until(lambda: next(j for j in server.jobs(film) if j["id"] == job)["state"] not in ("waiting", "running"))
    return next(j for j in server.jobs(film) if j["id"] == job)


def test_a_geotiff_and_a_picture_with_a_world_file_are_laid_true(server: Server, tmp_path: Path) -> None:
    pixels = fine_texture(300, 200)
    with rasterio.open(
        tmp_path / "a.tif", "w", driver="GTiff", width=300, height=200, count=3, dtype="uint8", crs="EPSG:32631",
        transform=Affine(10, 0, 6e5, 0, -10, 2.2e5),
    ) as file:  # fmt: skip
        file.write(np.moveaxis(pixels, -1, 0))
    film = server.client.post("/api/films", json={}).json()["id"]
    assert send(server, film, tmp_path / "a.tif")["state"] == "done"
    picture = write_picture(tmp_path / "b.png", pixels)
    world = {"world": "10\n0\n0\n-10\n433900\n221000", "world_name": "b.pgw"}
    assert send(server, film, picture, **world, prj="EPSG:3857")["state"] == "done"
    first, second = server.client.get(f"/api/films/{film}").json()["film"]["plates"]
    assert first["fit"]["by"] == second["fit"]["by"] == "file"
    assert second["placement"]["x"] == pytest.approx(433895 + 1500)
    # A fault in what comes beside it does not keep the picture out: it is there to be laid, and what is wrong is said.
    for name, beside, says in (("c", {"world": "10\n0\n0", "world_name": "c.pgw"}, "six"), ("d", world, ".prj")):
        shutil.copy(picture, tmp_path / f"{name}.png")
        found = send(server, film, tmp_path / f"{name}.png", **beside)
        assert found["state"] == "done"
        assert says in found["message"]
    plates = server.client.get(f"/api/films/{film}").json()["film"]["plates"]
    assert [plate["fit"]["by"] for plate in plates] == ["file", "file", "hand", "hand"]


def test_the_practice_survey_is_the_same_every_time() -> None:
    one, other = Survey(), Survey()
    name = ("aerial", 12, 2091, 2024)
    assert np.array_equal(one.tile(*name), other.tile(*name))
    assert one.tile("aerial", 12, 0, 0) is None
    assert one.tile("aerial", 19, 2091, 2024) is None


def mbtiles(path: Path, format: str, tiles: dict[tuple[int, int, int], bytes]) -> Path:
    with sqlite3.connect(path) as base:
        base.execute("CREATE TABLE metadata (name text, value text)")
        base.execute("CREATE TABLE tiles (zoom_level int, tile_column int, tile_row int, tile_data blob)")
        base.execute("INSERT INTO metadata VALUES ('format', ?)", (format,))
        base.executemany("INSERT INTO tiles VALUES (?, ?, ?, ?)", [(*name, data) for name, data in tiles.items()])
    return path


def test_mbtiles_become_a_plate_and_vectors_are_refused(server: Server, tmp_path: Path) -> None:
    def tile(value: int) -> bytes:
        return cv2.imencode(".png", np.full((256, 256, 3), value, np.uint8))[1].tobytes()

    # Rows count from the south: the upper left tile of three is 40.
    names = {(9, 261, 259): tile(40), (9, 262, 259): tile(80), (9, 261, 258): tile(120), (8, 130, 129): tile(1)}
    film = server.client.post("/api/films", json={}).json()["id"]
    assert send(server, film, mbtiles(tmp_path / "own.mbtiles", "png", names))["state"] == "done"
    sheet = server.client.get(f"/api/films/{film}").json()
    plate, laid = sheet["film"]["plates"][0], sheet["plan"]["plates"][0]
    assert (plate["name"], plate["picture"]["width"], plate["picture"]["height"]) == ("own", 512, 512)
    assert plate["holes"] == [[256, 256, 256, 256]]
    # mercantile names rows from the north.
    bounds = mercantile.xy_bounds(261, 2**9 - 1 - 259, 9)
    assert laid["outline"][0] == pytest.approx([bounds.left, bounds.top], abs=1e-6)
    bad = send(server, film, mbtiles(tmp_path / "vectors.mbtiles", "pbf", {(1, 0, 0): b"x"}))
    assert bad["state"] == "failed"
    assert "holds vectors" in bad["message"]
