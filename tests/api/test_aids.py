"""Fonts and signs are brought, drawn, and go with the film; what is neither is refused."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from tests.drawing import draw_scene
from yaila.api.app import create_app
from yaila.core.camera import Pose
from yaila.core.film import Film, Label, Marker, Route, RoutePoint, Scene
from yaila.core.film.scene import DrawnRoute, Present
from yaila.core.marks import Lettering, MarkerLook, Stroke, Traveller
from yaila.core.type.faces import FOLDER
from yaila.formats.bundle import read_bundle, write_bundle
from yaila.store import Store

HALF = Film(frame={"width": 960, "height": 540})


@pytest.fixture
def client(store: Store) -> TestClient:
    return TestClient(create_app(store, 8471), base_url="http://127.0.0.1:8471")


def png(pixels: np.ndarray) -> bytes:
    return cv2.imencode(".png", pixels[..., [2, 1, 0, 3]])[1].tobytes()


def arrow() -> bytes:
    """A picture 40 x 20, red on its left half and green on its right, clear around it."""
    pixels = np.zeros((20, 40, 4), np.uint8)
    pixels[4:16, :20] = 255, 0, 0, 255
    pixels[4:16, 20:] = 0, 255, 0, 255
    return png(pixels)


def test_a_font_is_brought_used_and_listed(client: TestClient, store: Store) -> None:
    shipped = client.get("/api/fonts").json()
    assert len([font for font in shipped if not font["brought"]]) >= 6
    data = (FOLDER / "Dosis-Bold.otf").read_bytes()
    font = client.post("/api/fonts?name=mine.otf", content=data).json()
    assert font["brought"]
    assert font["key"] in {one["key"] for one in client.get("/api/fonts").json()}
    look = Lettering(family=font["key"], size=60, halo=0)
    same = Lettering(family="Dosis", bold=True, size=60, halo=0)
    seen = [
        draw_scene(
            np.zeros((540, 960, 3), np.uint8), Scene(labels=(Present(Label(text="Quay", look=one), one),)),
            Pose(0, 0, 960), HALF, store.kit,
        )
        for one in (look, same)
    ]  # fmt: skip
    assert seen[0].any()
    assert np.array_equal(*seen)


@pytest.mark.parametrize(
    ("kind", "data", "says"),
    [
        ("fonts", b"GIF89a", "no font that can be read"),
        ("fonts", b"OTTO" + bytes(40), "cannot be read"),
        ("signs", b"no picture", "cannot be read as a picture"),
        ("signs", png(np.zeros((2, 5000, 4), np.uint8)), "more than 4,096 pixels"),
    ],
)
def test_what_is_neither_is_refused_in_words(client: TestClient, kind: str, data: bytes, says: str) -> None:
    answer = client.post(f"/api/{kind}?name=thing", content=data)
    assert answer.status_code == 422
    assert says in answer.json()["detail"]
    assert client.get("/api/signs").json() == []
    assert client.get("/api/signs/" + "0" * 64 + ".png").status_code == 404
    assert client.get("/api/signs/..%2Fyaila.png").status_code == 404


def test_a_picture_is_a_marker_and_rides_turned_or_upright(client: TestClient, store: Store) -> None:
    sign = client.post("/api/signs?name=Van.png", content=arrow()).json()
    assert client.get("/api/signs").json() == [{"key": sign["key"], "name": "Van"}]
    assert client.get(f"/api/signs/{sign['key']}.png").content == arrow()
    look = MarkerLook(symbol="picture", picture=sign["key"], size=80)
    black = np.zeros((540, 960, 3), np.uint8)
    scene = Scene(markers=(Present(Marker(x=0, y=0, look=look), look),))
    seen = draw_scene(black, scene, Pose(0, 0, 960), HALF, store.kit)
    assert tuple(seen[270, 460]) == (255, 0, 0)
    assert tuple(seen[270, 500]) == (0, 255, 0)

    def rides(ends: tuple[tuple[float, float], ...], upright: bool) -> np.ndarray:
        traveller = Traveller(symbol="picture", picture=sign["key"], size=80, upright=upright)
        points = [RoutePoint(x=x, y=y) for x, y in ends]
        way = Route(points=points, look=Stroke(width=0.2, edge=0, opacity=0), traveller=traveller)
        drawn = DrawnRoute(way, way.look, way.curve.length / 2, 1.0)
        return draw_scene(black, Scene(routes=(drawn,)), Pose(0, 0, 960), HALF, store.kit)

    up = rides(((0, -200), (0, 200)), False)
    assert tuple(up[290, 480]) == (255, 0, 0)
    assert tuple(up[250, 480]) == (0, 255, 0)
    left = rides(((200, 0), (-200, 0)), True)
    assert tuple(left[270, 500]) == (255, 0, 0)
    assert tuple(left[270, 460]) == (0, 255, 0)


def test_a_film_takes_its_fonts_and_signs_along(client: TestClient, store: Store, tmp_path: Path) -> None:
    font = client.post("/api/fonts?name=a.otf", content=(FOLDER / "Dosis-Bold.otf").read_bytes()).json()["key"]
    sign = client.post("/api/signs?name=b.png", content=arrow()).json()["key"]
    film = Film(
        labels=[Label(text="Quay", look=Lettering(family=font))],
        markers=[Marker(x=0, y=0, look=MarkerLook(symbol="picture", picture=sign))],
    )
    assert film.aids == {font, sign}
    write_bundle(tmp_path / "film.yaila", film, store.file_of)
    _, media = read_bundle(tmp_path / "film.yaila", tmp_path)
    assert {key: path.suffix for key, path in media.items()} == {font: ".otf", sign: ".png"}


def test_what_no_film_uses_is_taken_away_and_what_one_uses_stays(client: TestClient, store: Store) -> None:
    keys = [
        client.post(f"/api/fonts?name={file}", content=(FOLDER / file).read_bytes()).json()["key"]
        for file in ("Dosis-Bold.otf", "Lato-Bold.ttf")
    ]
    client.post("/api/signs?name=b.png", content=arrow())
    store.films.put_away(store.films.create(Film(labels=[Label(text="Quay", look=Lettering(family=keys[0]))])).id)
    assert client.delete("/api/aids/unused").json() == {"gone": 2}
    assert [font["key"] for font in client.get("/api/fonts").json() if font["brought"]] == [keys[0]]
    assert client.get("/api/signs").json() == []
    assert client.delete("/api/aids/unused").json() == {"gone": 0}
