"""Nothing that the server is given stops it, and no film waits for another."""

from __future__ import annotations

import asyncio
import importlib
import inspect
import os
import pkgutil
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import suppress
from functools import wraps
from pathlib import Path

import cv2
import httpx
import numpy as np
import pytest
from fastapi.routing import APIRoute, APIRouter
from fastapi.testclient import TestClient
from starlette.requests import Request as Call

from tests.conftest import write_picture
from tests.served import Server, free_port
from tests.tilehost import png
from tests.truth import fine_texture
from yaila import api
from yaila.api import memory
from yaila.api.app import create_app
from yaila.api.lanes import LOOK, Lane
from yaila.api.trials import FIRST, Trials
from yaila.core.errors import BadStore, Busy, Occupied
from yaila.core.film import Film
from yaila.core.film.plan import plan_of
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.sound import tools
from yaila.core.stopping import LINGERS, Answer, Stop, Stopped, Turn, go_on, under
from yaila.core.time import Time
from yaila.home import sole_server
from yaila.store import Store, database

HERE = "http://127.0.0.1:8471"


@pytest.fixture
def client(store: Store) -> TestClient:
    return TestClient(create_app(store, 8471), base_url=HERE, raise_server_exceptions=False)


# ---- One store, one server


def second_start(home: Path, port: int) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "yaila", "serve", "--port", str(port)],
        env={**os.environ, "YAILA_HOME": str(home)},
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )


def test_a_second_start_says_where_the_first_is_and_touches_nothing(own_server: Server, tmp_path: Path) -> None:
    film = own_server.client.post("/api/films", json={}).json()["id"]
    job = Store(own_server.home).jobs.add("import", film, "Under way", {}, 100)
    left = own_server.home / "arrivals" / f"{job}-work"
    left.mkdir()
    part = own_server.home / "reels" / f"{job}.part.mp4"
    part.write_bytes(b"half a reel")
    for port in (own_server.port, free_port()):
        second = second_start(own_server.home, port)
        assert second.returncode == 1
        assert second.stderr.startswith(
            f"yaila: Yaila runs already on the store at {own_server.home}: {own_server.url}"
        )
        assert "Traceback" not in second.stderr
    # Another store on the same port is another matter: nothing of it is touched either.
    other = second_start(tmp_path / "other", own_server.port)
    assert "Choose another, such as --port" in other.stderr
    assert not (tmp_path / "other" / "yaila.sqlite").exists()
    assert [one["state"] for one in own_server.jobs(film)] == ["waiting"]
    assert left.exists()
    assert part.exists()
    # What a killed server leaves is cleaned up by the next one.
    own_server.kill()
    own_server.start()
    assert [one["state"] for one in own_server.jobs(film)] == ["interrupted"]
    assert not left.exists()
    assert not part.exists()


def test_a_server_is_started_from_a_shell_answers_and_ends_when_it_is_told_to(tmp_path: Path) -> None:
    port = free_port()
    said = [sys.executable, "-m", "yaila", "serve", "--port", str(port)]
    with subprocess.Popen(said, env={**os.environ, "YAILA_HOME": str(tmp_path)}, stdout=subprocess.PIPE) as process:
        assert process.stdout
        assert process.stdout.readline().decode().strip() == f"Yaila is at http://127.0.0.1:{port}"
        there = Server(tmp_path, port)
        there.until(lambda: httpx.get(f"{there.url}/api/films", timeout=5).status_code == 200)
        process.terminate()
        assert process.wait(30) in (0, -signal.SIGTERM)


@pytest.mark.parametrize("command", ["serve", "demo"])
def test_who_comes_second_is_told_so_before_anything_is_loaded(tmp_path: Path, command: str) -> None:
    said = [sys.executable, "-X", "importtime", "-m", "yaila", command, "--port", str(free_port())]
    with sole_server(tmp_path, 0):
        second = subprocess.run(
            said,
            env={**os.environ, "YAILA_HOME": str(tmp_path)},
            capture_output=True,
            text=True,
            timeout=60,
            check=False,
        )
    assert "Yaila runs already on the store" in second.stderr
    loaded = {line.rpartition("|")[2].strip() for line in second.stderr.splitlines() if line.startswith("import time:")}
    assert "yaila.cli" in loaded
    assert not loaded & {"numpy", "numba", "fastapi", "sqlalchemy", "yaila.store", "yaila.core.film"}


def test_the_lock_goes_with_the_process(tmp_path: Path) -> None:
    hold = f"with sole_server(pathlib.Path({str(tmp_path)!r}), 0): print('held', flush=True); time.sleep(60)"
    code = f"import pathlib, time; from yaila.home import sole_server\n{hold}"
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    assert process.stdout
    assert process.stdout.readline() == "held\n"
    with pytest.raises(Occupied), sole_server(tmp_path, 0):
        pass
    process.send_signal(signal.SIGKILL)
    process.wait()
    with sole_server(tmp_path, 0) as door:
        assert door.getsockname()[0] == "127.0.0.1"


def test_no_request_waits_for_a_thread_before_it_is_looked_at() -> None:
    """What routers depend on is handed to a pool of threads where it is not ``async``, and waits there."""
    modules = [importlib.import_module(one.name) for one in pkgutil.iter_modules(api.__path__, f"{api.__name__}.")]
    routers = [one for module in modules for one in vars(module).values() if isinstance(one, APIRouter)]
    routes = [route for router in routers for route in router.routes if isinstance(route, APIRoute)]
    awaited = [(route.path, one.call) for route in routes for one in route.dependant.dependencies]
    assert len(awaited) > 50
    assert [path for path, call in awaited if not inspect.iscoroutinefunction(call)] == []


# ---- The door


def test_every_answer_keeps_other_pages_out_and_every_refusal_is_a_problem_document(client: TestClient) -> None:
    for method, url, status in (
        ("GET", "/api/films", 200),
        ("GET", "/api/nothing", 404),
        ("GET", "/docs", 404),
        ("DELETE", "/api/films", 405),
        ("GET", "/api/films/none", 404),
        ("GET", "/api/films/none/frames/x.jpg?state=r1", 422),
    ):
        answer = client.request(method, url)
        assert answer.status_code == status
        assert answer.headers["x-content-type-options"] == "nosniff"
        assert answer.headers["cross-origin-resource-policy"] == "same-origin"
        assert "frame-ancestors 'none'" in answer.headers["content-security-policy"]
        if status >= 400:
            assert answer.headers["content-type"] == "application/problem+json"
            document = answer.json()
            assert document["status"] == status
            assert document["detail"].endswith(".")


def test_head_is_get_without_its_body(client: TestClient) -> None:
    told, whole = client.head("/api/films"), client.get("/api/films")
    assert (told.status_code, told.content) == (200, b"")
    assert told.headers["content-length"] == str(len(whole.content))


def test_a_part_of_a_file_can_be_asked_for(client: TestClient) -> None:
    sign = client.post("/api/signs?name=a.png", content=png(20)).json()
    part = client.get(f"/api/signs/{sign['key']}.png", headers={"Range": "bytes=1-3"})
    assert (part.status_code, part.content) == (206, b"PNG")


def test_while_another_program_writes_edits_wait_and_nothing_else_does(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(database, "PATIENCE", 2)
    store = Store(tmp_path / "home")
    client = TestClient(create_app(store, 8471), base_url=HERE, raise_server_exceptions=False)
    sheet = client.post("/api/films", json={}).json()
    patch = [{"op": "replace", "path": "/name", "value": "Other"}]
    answers: list[int] = []

    def edit() -> None:
        headers = {"If-Match": f'"{sheet["revision"]}"'}
        answers.append(client.patch(f"/api/films/{sheet['id']}", json=patch, headers=headers).status_code)

    with sqlite3.connect(store.home / "yaila.sqlite") as other:
        other.execute("BEGIN IMMEDIATE")
        threads = [threading.Thread(target=edit) for _ in range(45)]
        for thread in threads:
            thread.start()
        time.sleep(0.5)
        assert client.get("/api/films").status_code == 200
        # Those for whom there is room to wait still do, however slow the machine is.
        assert len(answers) < len(threads)
        for thread in threads:
            thread.join()
    other.close()
    assert set(answers) == {503}


def test_what_is_cleared_up_is_the_store_s_own(tmp_path: Path) -> None:
    (tmp_path / "letters").mkdir()
    (tmp_path / "letters" / "dear.txt").write_text("Dear")
    (tmp_path / "store").mkdir()
    (tmp_path / "store" / "arrivals").symlink_to(tmp_path / "letters")
    with pytest.raises(BadStore, match="leads out of the store"):
        Store(tmp_path / "store").sweep()
    assert (tmp_path / "letters" / "dear.txt").exists()


def test_an_origin_is_held_against_its_scheme_too(client: TestClient) -> None:
    for origin in ("evil://127.0.0.1:8471", "https://127.0.0.1:8471", "http://127.0.0.1:8471.evil.example"):
        assert client.post("/api/films", json={}, headers={"Origin": origin}).status_code == 403


@pytest.mark.parametrize(
    ("body", "says"),
    [
        (b'{"name": "' + b"x" * (65 * 2**20) + b'"}', "larger than 67 MB"),
        (b'{"name": ' + b"[" * 100_000 + b"]" * 100_000 + b"}", "48 deep"),
        (b'{"width": ' + b"9" * 5000 + b"}", "longer than 40"),
        (b'{"width": 1e99999}', "longer than 40"),
        (b'{"width": -0.' + b"0" * 400 + b"1}", "longer than 40"),
    ],
    ids=["bytes", "depth", "digits", "power", "places"],
)
def test_a_body_is_bounded_before_anything_is_made_of_it(client: TestClient, body: bytes, says: str) -> None:
    begin = time.monotonic()
    answer = client.post("/api/films", content=body, headers={"Content-Type": "application/json"})
    assert answer.status_code == 413
    assert says in answer.json()["detail"]
    assert time.monotonic() - begin < 2


def test_what_stands_in_a_text_is_no_nesting_and_no_number(client: TestClient) -> None:
    name = '\\"' + "[" * 60 + "1" * 45
    assert client.post("/api/films", json={"name": name}).json()["film"]["name"] == name


def test_a_rate_that_makes_no_sense_is_refused_and_nothing_is_kept(client: TestClient) -> None:
    sheet = client.post("/api/films", json={}).json()
    for rate in ("0.4", "1e10000000", "1e30000000", "241", "25/0", "-25", "٢٥", "9" * 300):
        begin = time.monotonic()
        patch = [{"op": "replace", "path": "/rate", "value": rate}]
        answer = client.patch(f"/api/films/{sheet['id']}", json=patch, headers={"If-Match": f'"{sheet["revision"]}"'})
        assert answer.status_code == 422
        assert "frame rate" in answer.json()["detail"]
        assert time.monotonic() - begin < 1
    assert client.get(f"/api/films/{sheet['id']}").json()["revision"] == sheet["revision"]


def test_what_the_disk_refuses_is_said_and_can_be_tried_again(
    client: TestClient, store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    sheet = client.post("/api/films", json={}).json()
    (store.home / "yaila.sqlite").rename(store.home / "away.sqlite")
    patch = [{"op": "replace", "path": "/name", "value": "Other"}]
    answer = client.patch(f"/api/films/{sheet['id']}", json=patch, headers={"If-Match": f'"{sheet["revision"]}"'})
    assert answer.status_code == 503
    assert answer.headers["retry-after"] == "5"
    assert "moved or deleted" in answer.json()["detail"]

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(store.sources, "remove", full)
    answer = client.delete("/api/sources/some")
    assert (answer.status_code, answer.json()["type"]) == (503, "no-room")


def test_a_tall_film_is_looked_at_in_as_many_pixels_as_any(client: TestClient, store: Store) -> None:
    """64 x 8192 at 4096 wide was half a million rows."""
    views = [{"x": 0, "y": 0, "span": 10, "hold": 1}]
    film = store.films.create(Film.model_validate({"frame": {"width": 64, "height": 8192}, "vantages": views}))
    answer = client.get(f"/api/films/{film.id}/frames/0.jpg?state=r{film.revision}&width=4096")
    assert answer.status_code == 200, answer.text
    picture = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)
    assert picture.shape[0] * picture.shape[1] <= 4096 * 2304
    assert picture.shape[0] / picture.shape[1] == pytest.approx(128, rel=0.02)
    reel = {"revision": film.revision, "settings": {"width": 4096}}
    refused = client.post(f"/api/films/{film.id}/reels", json=reel)
    assert (refused.status_code, "4,096 × 524,288 pixels" in refused.json()["detail"]) == (422, True)


# ---- Lanes


def in_a_loop(test: Callable[[], Coroutine[None, None, None]]) -> Callable[[], None]:
    """A test that is a coroutine, in a loop and a thread of its own: the browser's tests keep one running here."""

    @wraps(test)
    def run() -> None:
        with ThreadPoolExecutor(1) as thread:
            thread.submit(asyncio.run, test()).result()

    return run


class Caller:
    """A request whose other side hangs up when it is told to."""

    def __init__(self) -> None:
        self.gone = asyncio.Event()
        self.scope: dict[str, object] = {}

    async def receive(self) -> dict[str, str]:
        await self.gone.wait()
        return {"type": "http.disconnect"}


def caller() -> Call:
    return Caller()  # type: ignore[return-value]


def endless(begun: threading.Event, ended: threading.Event) -> None:
    """Work that goes on until it is stopped."""
    begun.set()
    try:
        while True:
            go_on()
            time.sleep(0.005)
    finally:
        ended.set()


@in_a_loop
async def test_films_take_turns_and_one_never_has_all_threads() -> None:
    lane = Lane("test", 2, 1)
    begun, ended = threading.Event(), threading.Event()
    busy = caller()
    first = asyncio.ensure_future(lane.do(busy, "a", lambda: endless(begun, ended)))
    await asyncio.to_thread(begun.wait, 5)
    more = [asyncio.ensure_future(lane.do(caller(), "a", lambda: time.sleep(0.01))) for _ in range(20)]
    await asyncio.sleep(0.05)
    begin = time.monotonic()
    assert await lane.do(caller(), "b", lambda: "drawn") == "drawn"
    assert time.monotonic() - begin < 1
    assert not any(one.done() for one in more)
    busy.gone.set()  # type: ignore[attr-defined]
    with pytest.raises(Stopped):
        await asyncio.wait_for(first, LOOK / 2)
    assert await asyncio.to_thread(ended.wait, 5)
    await asyncio.gather(*more)
    lane.close()


@in_a_loop
async def test_long_work_gives_way_to_short_answers_and_never_to_itself() -> None:
    lane = Lane("test", 1, 1, gives=5)

    def steps() -> float:
        begin = time.monotonic()
        for _ in range(20):
            go_on()
        return time.monotonic() - begin

    own = Caller()
    own.scope["answer"] = Answer()
    assert await lane.do(own, "a", steps) < 0.1  # type: ignore[arg-type]
    other = Answer()
    assert await lane.do(caller(), "a", steps) > 0.3
    other.done()
    assert await lane.do(caller(), "a", steps) < 0.1
    lane.close()


@in_a_loop
async def test_checks_and_no_more_rest_while_a_person_looks_at_what_is_made_and_a_little_longer() -> None:
    frames, checks = Lane("frames", 1, 1, gives=5, seen=True), Lane("checks", 1, 1, gives=5, rests=True)
    tasks, done = Lane("tasks", 1, 1, gives=5, patient=True), list[float]()

    def steps() -> None:
        for _ in range(50):
            go_on()
            done.append(time.monotonic())
            time.sleep(0.005)

    looking = Caller()
    looking.scope["answer"] = made = Answer()
    drawn, shown = threading.Event(), threading.Event()

    def draw() -> float:
        begin = time.monotonic()
        go_on()
        drawn.set()
        shown.wait(5)
        return time.monotonic() - begin

    frame = asyncio.ensure_future(frames.do(looking, "a", draw))  # type: ignore[arg-type]
    await asyncio.to_thread(drawn.wait, 5)
    checked = asyncio.ensure_future(checks.do(caller(), "a", steps))
    # What a person has asked for and waits for is not held up by what they look at.
    assert await asyncio.wait_for(tasks.do(caller(), "a", lambda: [go_on()]), 0.2) == [None]
    await asyncio.sleep(0.2)
    assert not done
    shown.set()
    await frame
    # It was not held up by itself; and the hand that it was drawn for is likely to go on.
    ended = time.monotonic()
    made.done()
    await checked
    assert min(done) > ended + LINGERS - 0.05
    for lane in (frames, checks, tasks):
        lane.close()


def test_an_answer_that_has_been_given_counts_no_more() -> None:
    given, stop = Answer(), Stop(gives=5, rests=True)
    given.done()
    given.seen()
    time.sleep(LINGERS)
    begin = time.monotonic()
    stop.give_way()
    assert time.monotonic() - begin < 2


def test_what_sound_needs_is_loaded_while_nobody_looks_at_anything(monkeypatch: pytest.MonkeyPatch) -> None:
    # Its second of imports fell into the first drag after a server had begun.
    loaded: list[str] = []
    monkeypatch.setattr(tools, "import_module", loaded.append)
    looked_at = Answer()
    looked_at.seen()

    def load() -> None:
        with under(Stop(gives=60, rests=True)):
            tools.load_tools()

    with ThreadPoolExecutor(1) as other:
        loading = other.submit(load)
        time.sleep(0.1)
        assert not loaded
        looked_at.done()
        loading.result(5)
    assert loaded == list(tools.TOOLS)


def test_memory_is_given_back_while_nobody_looks_at_anything_or_a_little_later(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    # It held up all that needed memory for 0.05 s, in the middle of a drag.
    given: list[float] = []

    class System:
        @staticmethod
        def malloc_trim(_: int) -> None:
            given.append(time.monotonic())

    monkeypatch.setattr(memory.ctypes, "CDLL", lambda _: System)
    monkeypatch.setattr(memory.sys, "platform", "linux")
    monkeypatch.setattr(memory, "EVERY", 0.05)

    async def for_a_while(seconds: float) -> None:
        giving = asyncio.ensure_future(memory.give_back())
        await asyncio.sleep(seconds)
        giving.cancel()

    looked_at = Answer()
    looked_at.seen()
    with ThreadPoolExecutor(1) as thread:
        thread.submit(asyncio.run, for_a_while(0.5)).result()
        assert not given
        # Who looks all day does not keep it for ever.
        monkeypatch.setattr(memory, "PUT_OFF", 0.1)
        thread.submit(asyncio.run, for_a_while(LINGERS + 0.5)).result()
        assert given
    looked_at.done()


@in_a_loop
async def test_what_a_hand_tries_is_a_short_answer_and_left_where_the_hand_has_gone_on() -> None:
    hands, frames = Lane("hands", 1, 1, short=True), Lane("frames", 1, 1, gives=5)
    film = Film.model_validate({"vantages": [{"x": k, "y": 0, "span": 100, "hold": 1} for k in range(3)]})
    trying, going = Caller(), threading.Event()
    trying.scope["answer"] = Answer()
    begun, left = threading.Event(), list[bool]()

    def tried() -> None:
        begun.set()
        going.wait(5)
        try:
            plan_of(film)
        except Stopped:
            left.append(True)
            raise

    trial = asyncio.ensure_future(hands.do(trying, "a", tried))  # type: ignore[arg-type]
    await asyncio.to_thread(begun.wait, 5)

    def drawn() -> float:
        begin = time.monotonic()
        go_on()
        return time.monotonic() - begin

    assert await frames.do(caller(), "a", drawn) > 0.015
    trying.gone.set()
    with pytest.raises(Stopped):
        await asyncio.wait_for(trial, 5)
    going.set()
    # The next has its place at once, and what was left has spoilt nothing.
    assert await asyncio.wait_for(hands.do(caller(), "a", lambda: len(plan_of(film).passages)), 5) == 2
    assert left == [True]
    trying.scope["answer"].done()  # type: ignore[attr-defined]
    hands.close()
    frames.close()


def test_who_does_not_rest_hurries_what_they_wait_for() -> None:
    turn, has, order = Turn(), threading.Event(), []
    looked_at = Answer()
    looked_at.seen()

    def restfully() -> None:
        with under(Stop(gives=60, rests=True)), turn:
            has.set()
            go_on()
            order.append("rested")

    thread = threading.Thread(target=restfully)
    thread.start()
    has.wait(5)
    with under(Stop(gives=60)), turn:
        order.append("hurried")
    looked_at.done()
    thread.join(5)
    assert order == ["rested", "hurried"]


@in_a_loop
async def test_newer_work_of_the_same_name_stops_the_older_and_a_full_lane_says_so() -> None:
    lane = Lane("test", 1, 1)
    begun, ended = threading.Event(), threading.Event()
    old = asyncio.ensure_future(lane.do(caller(), "a", lambda: endless(begun, ended), "checks of a"))
    await asyncio.to_thread(begun.wait, 5)
    assert await lane.do(caller(), "a", lambda: "new", "checks of a") == "new"
    assert ended.is_set()
    with pytest.raises(Stopped):
        await old
    hold, held = threading.Event(), threading.Event()

    def wait() -> bool:
        held.set()
        return hold.wait(20)

    stuck = [asyncio.ensure_future(lane.do(caller(), "a", wait))]
    await asyncio.to_thread(held.wait, 5)
    stuck += [asyncio.ensure_future(lane.do(caller(), "a", lambda: hold.wait(20))) for _ in range(64)]
    await asyncio.sleep(0)
    with pytest.raises(Busy):
        await lane.do(caller(), "a", lambda: None)
    hold.set()
    assert await asyncio.gather(*stuck) == [True] * 65
    lane.close()


def test_a_frame_is_left_when_nobody_waits_and_given_without_its_marks_when_it_takes_too_long(
    store: Store, small_film: Film
) -> None:
    film = small_film.model_copy(
        update={"labels": Film.model_validate({"labels": [{"text": "Here", "x": 600, "y": 400}]}).labels}
    )
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)
    request = Request(film, Time(10), film.frame.size, Quality.DRAFT)
    whole = renderer.render(request)
    assert not whole.unfinished
    with under(Stop(seconds=0)):
        # One that has nothing of it: what is painted already is there at once.
        bare = Renderer(store.pictures.pyramid, PageStore(64), store.kit).render(request)
        assert not renderer.render(request).unfinished
    assert bare.unfinished
    without = renderer.render(Request(small_film, Time(10), film.frame.size, Quality.DRAFT))
    assert (bare.pixels == without.pixels).all()
    assert (whole.pixels != bare.pixels).any()
    stop = Stop()
    stop.stop()
    renderer.pages.clear()
    with under(stop), pytest.raises(Stopped):
        renderer.render(Request(film, Time(11), film.frame.size, Quality.DRAFT))
    assert (renderer.render(request).pixels == whole.pixels).all()


@pytest.mark.slow
def test_a_film_that_does_its_worst_does_not_keep_another_waiting(server: Server, tmp_path: Path) -> None:
    store = Store(server.home)
    picture = store.pictures.add(write_picture(tmp_path / "g.png", fine_texture(900, 600)), "g.png")
    plate = {"name": "G", "picture": picture, "placement": {"kind": "similarity", "x": 450, "y": 300}}
    views = [{"x": 450, "y": 300, "span": 800, "hold": 2}, {"x": 450, "y": 300, "span": 300, "hold": 2}]
    good = store.films.create(Film.model_validate({"plates": [plate], "vantages": views}))
    labels = [{"text": f"Name {k}", "x": (k * 37) % 900, "y": (k * 53) % 600, "name": f"Name {k}"} for k in range(800)]
    bad = store.films.create(Film.model_validate({"plates": [plate], "vantages": views, "labels": labels}))

    async def storm() -> None:
        async def asked(url: str) -> None:
            while True:
                await own.get(url)

        async with httpx.AsyncClient(base_url=server.url, timeout=120, verify=False) as own:
            await asyncio.gather(*map(asked, worst))

    worst = [f"/api/films/{bad.id}/soundings?state=r{bad.revision}"] + [
        f"/api/films/{bad.id}/frames/{k}.jpg?state=r{bad.revision}&width=1280" for k in (5, 40, 60)
    ]
    loop = asyncio.new_event_loop()
    storming = loop.create_task(storm())

    def rage() -> None:
        with suppress(asyncio.CancelledError):
            loop.run_until_complete(storming)

    thread = threading.Thread(target=rage)
    thread.start()
    try:
        time.sleep(1.0)
        took: dict[str, list[float]] = {"edit": [], "list": [], "frame": []}
        seen = good.revision
        for k in range(5):
            for what in took:
                begin = time.monotonic()
                if what == "edit":
                    patch = [{"op": "replace", "path": "/name", "value": f"Good {k}"}]
                    headers = {"If-Match": f'"{seen}"'}
                    answer = server.client.patch(f"/api/films/{good.id}", json=patch, headers=headers)
                    seen = answer.json()["revision"]
                elif what == "list":
                    answer = server.client.get("/api/films")
                else:
                    answer = server.client.get(f"/api/films/{good.id}/frames/{k}.jpg?state=r{good.revision}&width=640")
                assert answer.status_code == 200
                took[what].append(time.monotonic() - begin)
        assert not storming.done()
    finally:
        # Whoever asks goes away, and what they asked for is left.
        loop.call_soon_threadsafe(storming.cancel)
        thread.join()
        loop.close()
    print({what: [round(max(times) * 1000), round(float(np.median(times)) * 1000)] for what, times in took.items()})
    # On a machine that runs other tests beside; bench/campaign.py holds it against 150 ms on two cores of its own.
    assert all(np.median(times) < 1.5 for times in took.values())


def test_the_last_piece_of_an_answer_waits_for_nobody(tmp_path: Path) -> None:
    # asyncio switches Nagle's algorithm off only for sockets that are named TCP: pictures came 40 ms late.
    with sole_server(tmp_path, free_port()) as door:
        assert door.proto == socket.IPPROTO_TCP


def test_a_trial_lets_its_picture_go_first_though_not_for_long() -> None:
    trials = Trials()
    with ThreadPoolExecutor(1) as other:
        waits = other.submit(trials.until_drawn, "film", "t1")
        time.sleep(FIRST / 5)
        assert not waits.done()
        trials.drawn("film", "t1")
        waits.result(FIRST)
    began = time.monotonic()
    trials.until_drawn("film", "t1")
    trials.until_drawn("film", "t2")
    assert FIRST * 0.9 < time.monotonic() - began < FIRST + 1


def test_the_picture_of_a_trial_can_be_asked_for_before_the_trial_is_and_comes_before_its_answer(
    server: Server, small_film: Film
) -> None:
    film = Store(server.home).films.create(small_film.model_copy(update={"plates": []}))
    url, v = f"/api/films/{film.id}", film.film.vantages[0].id
    came: list[str] = []

    def tried(by: float, named: str, of: str = v, **more: object) -> httpx.Response:
        act = {"act": "move_vantages", "vantages": [of], "by": [by, 0], "factor": 1, "degrees": 0}
        query = {"state": f"r{film.revision}", "named": named, "watched": True, **more}
        answer = server.client.post(f"{url}/trials/acts", json=act, params=query)
        came.append("answer")
        return answer

    def seen(state: str) -> httpx.Response:
        answer = server.client.get(f"{url}/frames/3.jpg", params={"state": state, "width": 320})
        came.append("picture")
        return answer

    with ThreadPoolExecutor(2) as both:
        picture = both.submit(seen, "tfirst1")
        time.sleep(0.3)
        assert not picture.done()
        trial = both.submit(tried, 5, "tfirst1").result().json()
        early = picture.result()
    assert (early.status_code, trial["state"]) == (200, "tfirst1")
    assert early.content == seen("tfirst1").content
    # On a machine that is busy elsewhere the answer may be the first for once: it does not wait for long.
    for number in range(8):
        came.clear()
        with ThreadPoolExecutor(2) as both:
            wait([both.submit(seen, f"tagain{number}"), both.submit(tried, number + 20, f"tagain{number}")])
        if came == ["picture", "answer"]:
            break
    else:
        raise AssertionError("The answer was always first.")
    # Its name is that of this film's trial alone, and one without a picture waits for none.
    elsewhere = server.client.get(f"/api/films/{film.id}x/frames/3.jpg", params={"state": "tfirst1", "width": 320})
    assert elsewhere.status_code == 404
    assert tried(9, "tsecond", watched=False).json()["state"] == "tsecond"
    # What is refused keeps nobody waiting.
    with ThreadPoolExecutor(2) as both:
        picture = both.submit(seen, "tthird")
        time.sleep(0.2)
        began = time.monotonic()
        assert tried(1, "tthird", "nobody").status_code == 422
        assert picture.result().status_code == 404
        assert time.monotonic() - began < 2
    assert server.client.post(f"{url}/trials/acts", json={}, params={"state": "r1", "named": "../x"}).status_code == 422
