"""The interface never waits: not for an import, not for a reel."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import pyvips

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture


@pytest.fixture
def server(tmp_path: Path) -> Iterator[Server]:
    """A server whose long work gives way, as it does for people."""
    with Server(tmp_path / "served", gives_way=True) as made:
        yield made


@pytest.mark.thorough
@pytest.mark.timeout(600)
def test_calls_answer_quickly_and_frames_flow_while_a_large_picture_imports_and_a_reel_renders(
    server: Server, tmp_path: Path
) -> None:
    client = server.client
    film = client.post("/api/films", json={}).json()["id"]
    url = f"/api/films/{film}"
    client.post(
        f"{url}/pictures",
        params={"name": "ground.png"},
        content=write_picture(tmp_path / "g.png", fine_texture(2400, 1600)).read_bytes(),
    )
    server.until(lambda: len(client.get(url).json()["film"]["plates"]) == 1)

    def act(**act: object) -> dict:
        return client.post(f"{url}/acts", json=act, headers={"If-Match": client.get(url).headers["etag"]}).json()

    act(act="add_vantage", at=[1200, 800], width=2200, height=1300)
    sheet = act(act="add_vantage", at=[900, 700], width=400, height=300)
    sheet = client.patch(
        url,
        json=[{"op": "replace", "path": "/vantages/0/passage/duration", "value": {"unit": "frames", "value": 900}}],
        headers={"If-Match": f'"{sheet["revision"]}"'},
    ).json()
    client.post(f"{url}/reels", json={"revision": sheet["revision"]})
    # 12,000 x 8,000 pixels: 96 megapixels.
    large = tmp_path / "large.jpg"
    tile = write_picture(tmp_path / "tile.png", fine_texture(1000, 800))
    pyvips.Image.new_from_file(str(tile)).replicate(12, 10).jpegsave(str(large), Q=85)
    upload = threading.Thread(
        target=lambda: server.client.post(f"{url}/pictures", params={"name": "large.jpg"}, content=large.read_bytes())
    )
    upload.start()
    server.until(lambda: sum(job["state"] == "running" for job in server.jobs(film)) == 2, 120)

    frames: list[float] = []
    over = threading.Event()

    def watch_frames() -> None:
        # What the player does: draft frames one after the other, two under way.
        import httpx

        with httpx.Client(base_url=server.url, timeout=30) as viewfinder:
            for frame in range(100000):
                if over.is_set():
                    return
                viewfinder.get(
                    f"{url}/frames/{frame % 900}.jpg", params={"state": sheet["state"], "width": 640}
                ).raise_for_status()
                frames.append(time.monotonic())

    players = [threading.Thread(target=watch_frames) for _ in range(2)]
    for player in players:
        player.start()

    def a_while() -> tuple[float, float]:
        """The p95 of calls, seconds, and frames a second over four seconds."""
        calls, seen, begin = [], len(frames), time.monotonic()
        while time.monotonic() - begin < 4:
            for path in (url, f"{url}/pulse", "/api/films", "/api/choices"):
                start = time.perf_counter()
                client.get(path).raise_for_status()
                calls.append(time.perf_counter() - start)
            start = time.perf_counter()
            trial = {
                "act": "pull_vantage",
                "vantage": sheet["film"]["vantages"][0]["id"],
                "grip": "target",
                "to": [900, 600],
            }
            client.post(f"{url}/trials/acts", params={"state": sheet["state"]}, json=trial).raise_for_status()
            calls.append(time.perf_counter() - start)
            time.sleep(0.02)
        return float(np.percentile(calls, 95)), (len(frames) - seen) / (time.monotonic() - begin)

    # Whatever else the machine does besides is not meant: the quietest of three whiles counts.
    p95, pace = min(a_while() for _ in range(3))
    busy = server.jobs(film)
    over.set()
    for player in players:
        player.join()
    upload.join()
    assert any(job["kind"] == "reel" and job["state"] == "running" for job in busy)
    print(f"p95 of calls {p95 * 1000:.0f} ms, {pace:.0f} frames a second")
    assert p95 < 0.1
    assert pace > 8
