"""Requests as the description of the API allows them, and as it does not, by schemathesis: no answer of 5xx but 503,
none that takes long, every refusal a problem document, and memory that comes back."""

from __future__ import annotations

import json
import tempfile
import time
import zlib
from collections import Counter
from typing import Any

import psutil
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from schemathesis.generation import GenerationMode

from tests.served import Server
from yaila.core.film import Film
from yaila.store import Store

LONG = 2.0
"""Seconds that no answer may take."""

STATEFUL = {"film_id", "plate_id", "route_id", "region_id", "state", "If-Match"}

SKIPPED = {"POST /api/sources", "POST /api/films/{film_id}/captures", "POST /api/films/{film_id}/reels"}
"""What goes out to hosts of chance, or fills a queue with work that takes long."""


REST = 65.0
"""Seconds after which a server at rest has given back what it no longer uses."""


def run(server: Server, film: Film, requests: int, number: int, long: float = LONG, rest: float = 0) -> dict[str, Any]:
    """Send so many requests; returns what was found wrong, answers that took longer than ``long`` s among it, and with
    a ``rest`` of so many seconds afterwards how much memory, MB, the server holds then and held before."""
    store = Store(server.home)
    kept = store.films.create(film).id
    schema = schemathesis.openapi.from_url(f"{server.url}/openapi.json", timeout=60)
    schema.config.generation.modes = [GenerationMode.POSITIVE, GenerationMode.NEGATIVE]
    operations = [one.ok() for one in schema.get_all_operations()]
    operations = [one for one in operations if one.label not in SKIPPED]
    each = max(requests // len(operations), 2)
    statuses: Counter[int] = Counter()
    wrong: list[str] = []

    def asked(operation: Any, count: int, number: int) -> None:
        @seed(number)
        @settings(
            max_examples=count,
            database=None,
            deadline=None,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy())
        def ask(case: Any) -> None:
            sheet = server.client.get(f"/api/films/{kept}").json()
            known = {
                "film_id": kept,
                "plate_id": sheet["film"]["plates"][0]["id"] if sheet["film"]["plates"] else "none",
                "state": sheet["state"],
                "If-Match": f'"{sheet["revision"]}"',
            }
            # Mostly it is about the film that there is, or nothing would ever be done.
            if zlib.crc32(repr(case.body).encode()) % 4:
                for values in (case.path_parameters, case.query, case.headers):
                    for name in list(values or ()):
                        if name in known:
                            values[name] = known[name]
            begin = time.monotonic()
            answer = case.call(base_url=server.url, timeout=60)
            took = time.monotonic() - begin
            statuses[answer.status_code] += 1
            said = f"{case.method} {case.formatted_path} {str(case.query)[:200]} {str(case.body)[:300]}"
            if answer.status_code >= 500 and answer.status_code != 503:
                wrong.append(f"{answer.status_code}: {said}")
            if took > long:
                with tempfile.NamedTemporaryFile("w", prefix="slow-", suffix=".json", delete=False) as film_asked:
                    film_asked.write(json.dumps(sheet["film"]))
                wrong.append(f"{took:.1f} s: {said}; its film is in {film_asked.name}")
            if answer.status_code >= 400 and answer.headers.get("content-type") != ["application/problem+json"]:
                kind = answer.headers.get("content-type")
                if case.method != "HEAD" and kind != "application/problem+json":
                    wrong.append(f"{answer.status_code} as {kind}: {said}")

        ask()

    # What is loaded once, when it is first needed, is no growth.
    for operation in operations if rest else ():
        asked(operation, max(each // 10, 2), number + 1)
    before = _settled(server, store.films.create(film).id, rest)
    for operation in operations:
        asked(operation, each, number)
    after = _settled(server, store.films.create(film).id, rest)
    if after > 1.1 * before:
        wrong.append(f"{after:.0f} MB afterwards, {before:.0f} before.")
    return {
        "requests": sum(statuses.values()),
        "statuses": dict(sorted(statuses.items())),
        "memory before, MB": round(before),
        "memory after, MB": round(after),
        "wrong": wrong,
    }


def _settled(server: Server, film: str, rest: float) -> float:
    """Megabytes that a server holds some time after the same work: a film as it was, looked at and checked."""
    if not rest:
        return 0
    assert server.process
    sheet = server.client.get(f"/api/films/{film}").json()
    for frame in range(0, sheet["plan"]["frames"], 10)[:6]:
        server.client.get(f"/api/films/{film}/frames/{frame}.jpg", params={"state": sheet["state"], "width": 1920})
    server.client.get(f"/api/films/{film}/soundings", params={"state": sheet["state"]})
    time.sleep(rest)
    return psutil.Process(server.process.pid).memory_info().rss / 2**20
