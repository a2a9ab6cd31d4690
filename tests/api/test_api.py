"""The HTTP interface: who may speak to it, what it answers, and what it says when something is wrong."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import httpx
import jsonpatch
import numpy as np
import pytest
from fastapi.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from tests.conftest import write_picture
from tests.drawing import picture_of
from tests.served import Server
from tests.truth import fine_texture, psnr
from yaila.api.app import create_app
from yaila.core.film import Film, choreograph
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality
from yaila.core.time import Time
from yaila.store import Store

HERE = "http://127.0.0.1:8471"


@pytest.fixture
def client(store: Store) -> TestClient:
    return TestClient(create_app(store, 8471), base_url=HERE)


@pytest.fixture
def film(client: TestClient, store: Store, small_film: Film) -> str:
    return store.films.create(small_film).id


def etag(client: TestClient, film: str) -> dict[str, str]:
    return {"If-Match": client.get(f"/api/films/{film}").headers["etag"]}


def test_foreign_hosts_and_origins_are_turned_away(client: TestClient, film: str) -> None:
    assert client.get("/api/films", headers={"Host": "evil.example"}).status_code == 403
    for headers in (
        {"Origin": "http://evil.example"},
        {"Origin": "http://127.0.0.1:9999"},
        {"Origin": "null"},
        {"Sec-Fetch-Site": "cross-site"},
    ):
        for method, url in (
            ("POST", "/api/films"),
            ("PATCH", f"/api/films/{film}"),
            ("POST", f"/api/films/{film}/undo"),
        ):
            assert client.request(method, url, json={}, headers=headers).status_code == 403
    assert client.post("/api/films", json={}, headers={"Origin": HERE}).status_code == 201
    with (
        pytest.raises(WebSocketDisconnect) as closed,
        client.websocket_connect("/api/live", headers={"Origin": "http://evil.example"}),
    ):
        pass
    # By the guard, which says so; where nothing stands at all the code is another.
    assert closed.value.code == 1008


def test_an_edit_needs_the_revision_it_was_made_on(client: TestClient, film: str) -> None:
    rename = [{"op": "replace", "path": "/name", "value": "Two"}]
    assert client.patch(f"/api/films/{film}", json=rename).status_code == 422
    seen = etag(client, film)
    done = client.patch(f"/api/films/{film}", json=rename, headers=seen)
    assert done.json()["film"]["name"] == "Two"
    stale = client.patch(f"/api/films/{film}", json=rename, headers=seen)
    assert stale.status_code == 412
    assert stale.headers["content-type"] == "application/problem+json"
    assert "another window" in stale.json()["detail"]
    undone = client.post(f"/api/films/{film}/undo", headers={"If-Match": done.headers["etag"]})
    assert undone.json()["film"]["name"] == "Small"


def test_a_trial_keeps_nothing_and_its_frames_can_be_seen(client: TestClient, film: str) -> None:
    sheet = client.get(f"/api/films/{film}").json()
    act = {"act": "pull_vantage", "vantage": sheet["film"]["vantages"][0]["id"], "grip": "target", "to": [500, 300]}
    trial = client.post(f"/api/films/{film}/trials/acts?state={sheet['state']}", json=act).json()
    assert client.get(f"/api/films/{film}").json()["film"] == sheet["film"]
    frames = [
        client.get(f"/api/films/{film}/frames/0.jpg?state={state}").content
        for state in (sheet["state"], trial["state"])
    ]
    assert frames[0] != frames[1]
    assert replaced(sheet["film"], trial["film"])["vantages"][0]["x"] == 500


def test_a_trial_tells_what_the_edit_would_change_and_nothing_else(client: TestClient, film: str) -> None:
    sheet = client.get(f"/api/films/{film}").json()
    wide, close = (vantage["id"] for vantage in sheet["film"]["vantages"])
    plate = sheet["film"]["plates"][0]["id"]
    steps = {
        "rename": [{"op": "replace", "path": "/name", "value": "Another"}],
        "lens": [{"op": "replace", "path": "/finish/lens/on", "value": True}],
        "hold": [{"op": "replace", "path": "/vantages/1/hold", "value": 1}],
        "nothing": [],
    }
    acts = [
        {"act": "pull_vantage", "vantage": close, "grip": "target", "to": [500, 300]},
        {"act": "duplicate_vantage", "vantage": wide, "id": "another"},
        {"act": "add_label", "label": {"id": "l", "text": "Here", "x": 600, "y": 400}},
        {"act": "remove_plate", "plate": plate},
    ]
    told = {}
    edits = [("acts", act["act"], act) for act in acts] + [("patch", name, step) for name, step in steps.items()]
    for kind, name, edit in edits:
        answer = client.post(f"/api/films/{film}/trials/{kind}?state={sheet['state']}", json=edit)
        assert answer.status_code == 200, answer.text
        trial, headers = answer.json(), etag(client, film)
        told[name] = [change["path"] for change in trial["film"]]
        if kind == "acts":
            kept = client.post(f"/api/films/{film}/acts", json=edit, headers=headers).json()
        else:
            kept = client.patch(f"/api/films/{film}", json=edit, headers=headers).json() if edit else sheet
        # By RFC 6902, each change is a step "replace".
        assert replaced(sheet["film"], trial["film"]) == kept["film"], name
        assert replaced(sheet["plan"], trial["plan"]) == kept["plan"], name
        if edit:
            back = client.post(f"/api/films/{film}/undo", headers=etag(client, film)).json()
            sheet |= {name: back[name] for name in ("state", "film", "plan")}
    assert told["pull_vantage"] == told["hold"] == ["/vantages/1"]
    assert (told["rename"], told["lens"], told["nothing"]) == (["/name"], ["/finish/lens/on"], [])
    assert told["duplicate_vantage"] == ["/vantages"]


def replaced(document: dict, changes: list[dict]) -> dict:
    return jsonpatch.apply_patch(document, [{"op": "replace", **change} for change in changes])


def test_a_frame_is_what_the_engine_draws(client: TestClient, store: Store, film: str, small_film: Film) -> None:
    state = client.get(f"/api/films/{film}").json()["state"]
    answer = client.get(f"/api/films/{film}/frames/20.jpg?state={state}&width=320&quality=final")
    frame = cv2.cvtColor(cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR), cv2.COLOR_BGR2RGB)
    pose = choreograph(small_film).pose(Time(20))
    drawn = picture_of(small_film, pose, small_film.frame.size, Quality.FINAL, store.pictures.pyramid, PageStore(32))
    assert psnr(frame, drawn) > 28
    assert client.get(f"/api/films/{film}/frames/9999.jpg?state={state}").status_code == 404
    # What is left out of the picture is a matter of the address; what there is not is told.
    unknown = client.get(f"/api/films/{film}/frames/0.jpg?state={state}&without=sparkle")
    assert unknown.status_code == 404
    assert "lens" in unknown.json()["detail"]
    assert client.get(f"/api/films/{film}/frames/0.jpg?state=r999999").status_code == 404


def test_tiles_show_the_picture(client: TestClient, small_film: Film, film: str) -> None:
    sheet = client.get(f"/api/films/{film}").json()
    plate = sheet["plan"]["plates"][0]
    tiles = f"/api/films/{film}/plates/{plate['id']}/tiles/{plate['look']}"
    answer = client.get(f"{tiles}/0/1/1?state={sheet['state']}")
    tile = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    assert psnr(tile, fine_texture(1200, 800)[256:512, 256:512]) > 28
    assert client.get(f"{tiles}/0/9/9?state={sheet['state']}").status_code == 404
    assert client.get("/api/pictures/..%2f..%2fyaila.sqlite/thumb").status_code == 404
    assert client.get("/../../pyproject.toml").status_code == 404


def test_a_film_without_vantages_is_not_rendered(client: TestClient) -> None:
    sheet = client.post("/api/films", json={}).json()
    answer = client.post(f"/api/films/{sheet['id']}/reels", json={"revision": sheet["revision"]})
    assert answer.status_code == 422
    assert "Add a vantage" in answer.json()["detail"]


def test_pictures_arrive_and_are_laid_and_bad_ones_say_why(server: Server, tmp_path: Path) -> None:
    film = server.client.post("/api/films", json={"name": "Arrivals"}).json()["id"]
    good = write_picture(tmp_path / "wide map.png", fine_texture(800, 600)).read_bytes()
    send = lambda name, data: server.client.post(f"/api/films/{film}/pictures", params={"name": name}, content=data)  # noqa: E731
    assert send("nothing.png", b"").status_code == 422
    assert send("wide map.png", good).status_code == 202
    assert send("letter.png", b"Dear editor").status_code == 202
    assert send("short.png", good[:-5000]).status_code == 202
    server.until(lambda: all(job["state"] in ("done", "failed") for job in server.jobs(film)))
    states = {job["name"]: job for job in server.jobs(film)}
    assert states["wide map.png"]["state"] == "done"
    assert "not a picture" in states["letter.png"]["message"]
    assert "cut short" in states["short.png"]["message"]
    plates = server.client.get(f"/api/films/{film}").json()["film"]["plates"]
    assert [plate["name"] for plate in plates] == ["wide map"]
    assert not list((server.home / "arrivals").iterdir())


def test_it_listens_on_this_machine_only(server: Server) -> None:
    import psutil

    assert server.process
    listening = [c.laddr.ip for c in psutil.Process(server.process.pid).net_connections() if c.status == "LISTEN"]
    assert listening == ["127.0.0.1"]
    with pytest.raises(httpx.HTTPStatusError):
        httpx.get(server.url + "/api/films", headers={"Host": "192.168.0.9"}).raise_for_status()


def test_what_makes_no_camera_is_refused_in_a_sentence_and_changes_nothing(server: Server) -> None:
    client = server.client
    film = client.post("/api/films", json={}).json()["id"]

    def act(body: dict) -> int:
        seen = client.get(f"/api/films/{film}").headers["etag"]
        return client.post(f"/api/films/{film}/acts", json=body, headers={"If-Match": seen}).status_code

    for name, x in (("a", 0), ("b", 900)):
        assert act({"act": "keep_pose", "pose": {"x": x, "y": 0, "span": 500}, "id": name}) == 200
    points = [{"x": 0, "y": 0}, {"x": 900, "y": 50}]
    assert act({"act": "add_route", "route": {"id": "r", "name": "Way", "points": points}}) == 200
    before = client.get(f"/api/films/{film}")
    manner = {"kind": "follow", "route": "r"}
    put = [{"op": "replace", "path": "/vantages/0/passage/manner", "value": manner}]
    state = before.json()["state"]
    assert client.post(f"/api/films/{film}/trials/patch?state={state}", json=put).status_code == 200
    for patch, says in (
        ('[{"op":"replace","path":"/vantages/0/x","value":NaN}]', "finite"),
        ('[{"op":"replace","path":"/vantages/0/span","value":0}]', "greater than"),
        ('[{"op":"replace","path":"/vantages/0/tilt","value":90}]', "less than or equal to 85"),
        ('[{"op":"replace","path":"/vantages/0/passage/duration/value","value":0}]', "greater than"),
        ('[{"op":"replace","path":"/vantages/0/hold","value":3600},{"op":"add","path":"/length","value":2}]', "unlock"),
        (
            '[{"op":"replace","path":"/vantages/0/passage/manner","value":{"kind":"follow","route":"z"}}]',
            "not in the film",
        ),
        ('[{"op":"replace","path":"/vantages/0/passage/ease/speed","value":[[0,1],[0.2,1]]}]', "ends at time 1"),
    ):
        answer = client.patch(
            f"/api/films/{film}",
            content=patch,
            headers={"If-Match": before.headers["etag"], "content-type": "application/json"},
        )
        assert answer.status_code == 422, (patch, answer.text)
        assert says in answer.json()["detail"], answer.json()["detail"]
    assert client.get(f"/api/films/{film}").json()["film"] == before.json()["film"]
    # The route under a Follow goes by its own act, and the passage glides on; by hand it is refused.
    seen = before.headers["etag"]
    followed = client.patch(f"/api/films/{film}", json=put, headers={"If-Match": seen}).headers["etag"]
    gone = [{"op": "remove", "path": "/routes/0"}]
    assert client.patch(f"/api/films/{film}", json=gone, headers={"If-Match": followed}).status_code == 422
    assert act({"act": "remove_marks", "marks": ["r"]}) == 200
    assert client.get(f"/api/films/{film}").json()["film"]["vantages"][0]["passage"]["manner"] == {"kind": "glide"}


def test_a_flight_brings_a_picture_and_the_pose_it_is_seen_from(server: Server) -> None:
    client = server.client
    film = client.post("/api/films", json={"width": 640, "height": 360}).json()
    address = f"/api/films/{film['id']}/flight?state={film['state']}"
    still = {"kind": "still"}
    assert client.post(address, json={"gesture": still}).status_code == 404
    pose = {"x": 5, "y": 6, "span": 100}
    answer = client.post(address, json={"pose": pose, "gesture": {"kind": "zoom", "factor": 0.5}, "width": 320})
    assert answer.headers["content-type"] == "image/jpeg"
    assert json.loads(answer.headers["X-Pose"])["span"] == 50
    assert cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR).shape == (180, 320, 3)
    assert client.post(address, json={"pose": pose, "gesture": {"kind": "zoom", "factor": 0}}).status_code == 422


def test_a_plate_that_appears_along_a_route_is_sounded(client: TestClient, store: Store, small_film: Film) -> None:
    document = small_film.model_dump(mode="json")
    close = document["plates"][0] | {"id": "close", "name": "Close", "reveal": {"how": "route", "routes": ["r"]}}
    close["placement"] = close["placement"] | {"scale": 0.4}
    document["plates"].append(close)
    document["routes"] = [{"id": "r", "points": [{"x": 0, "y": 0}, {"x": 900, "y": 600}]}]
    film = store.films.create(Film.model_validate(document)).id
    answer = client.get(
        f"/api/films/{film}/soundings", params={"state": client.get(f"/api/films/{film}").json()["state"]}
    )
    assert answer.status_code == 200
    assert answer.json()["findings"]


def test_how_loud_a_film_is_is_said_when_one_listens_and_from_then_on(
    client: TestClient, store: Store, small_film: Film
) -> None:
    document = small_film.model_dump(mode="json")
    document |= {"lanes": [{"id": "lane", "name": "Sounds"}], "levels": {"loudness": None}}
    document["sounds"] = [{"lane": "lane", "source": {"kind": "made", "effect": "tick"}, "gain": -40}]
    film = store.films.create(Film.model_validate(document))

    def sounded(listens: bool) -> tuple[bool, bool]:
        asked = {"state": f"r{film.revision}", "listens": listens}
        answer = client.get(f"/api/films/{film.id}/soundings", params=asked).json()
        return answer["awaits"], any(one["kind"] == "loudness" for one in answer["findings"])

    assert [sounded(listens) for listens in (False, True, False)] == [(True, False), (False, True), (False, True)]
    # One that is too long to be measured at once awaits nothing.
    document["vantages"][0]["hold"] = 200
    film = store.films.create(Film.model_validate(document))
    assert sounded(False) == sounded(True) == (False, False)


def test_odd_digits_and_frames_past_the_end_get_a_sentence(client: TestClient, store: Store, small_film: Film) -> None:
    film = store.films.create(small_film).id
    for state, frame in (("r²", 0), ("r" + "9" * 40, 0), ("r", 0), ("r1", 99_999_999)):
        answer = client.get(f"/api/films/{film}/frames/{frame}.jpg", params={"state": state, "width": 384})
        assert answer.status_code == 404
        assert answer.json()["detail"].endswith(".")
    for seen in ("²", "9" * 40, "-1", ""):
        act = {"act": "tap_beat", "frame": 1}
        answer = client.post(f"/api/films/{film}/acts", json=act, headers={"If-Match": f'"{seen}"'.encode()})
        assert answer.status_code == 422
        assert "If-Match" in answer.json()["detail"]


def test_the_finish_is_set_by_acts_and_what_it_keeps_sharp_is_told(client: TestClient, film: str) -> None:
    address = f"/api/films/{film}"
    sheet = client.get(address).json()
    state = sheet["state"]
    before = client.get(f"{address}/frames/0.jpg?state={state}&width=320").content
    act = {"act": "focus", "frame": 0, "on": "place", "at": [0.2, 0.9]}
    focused = client.post(f"{address}/acts", json=act, headers=etag(client, film)).json()
    state = focused["state"]
    assert focused["film"]["finish"]["lens"]["focus"]["on"] == "place"
    told = client.get(f"{address}/sharpness/0?state={state}").json()
    assert told["on"]
    assert told["near"]["distance"] <= told["focus"]["distance"]
    assert client.get(f"{address}/sharpness/99999?state={state}").status_code == 404
    # What shows in the picture there is what it was focused on.
    place = client.get(f"{address}/ground/0?state={state}&u=0.2&v=0.9").json()
    focus = focused["film"]["finish"]["lens"]["focus"]
    span = focused["film"]["vantages"][0]["span"]
    assert (place["x"], place["y"]) == pytest.approx((focus["x"], focus["y"]), abs=span / 500)
    assert client.get(f"{address}/ground/0?state={state}&u=2&v=nan").status_code == 422
    cube = client.get(f"{address}/grade/0.cube?state={state}")
    assert "LUT_3D_SIZE 33" in cube.text
    assert "attachment" in cube.headers["content-disposition"]
    # An effect that is left out leaves the picture as it was.
    plain = client.get(f"{address}/frames/0.jpg?state={state}&width=320&without=lens").content
    assert plain == before
    # A trial is drawn with what is left out left out.
    lamp = {"act": "add_lamp", "at": [0, 0], "frame": 0}
    trial = client.post(f"{address}/trials/acts?state={state}", json=lamp)
    assert trial.status_code == 200
    shown = f"{address}/frames/0.jpg?state={trial.json()['state']}&width=320&without=lens,dusk"
    assert client.get(shown).status_code == 200
    refused = client.post(f"{address}/acts", json=act | {"on": "mark", "mark": "nobody"}, headers=etag(client, film))
    assert refused.status_code in (409, 422)
    assert "no longer in the film" in refused.json()["detail"]
