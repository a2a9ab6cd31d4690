"""Requests as the description of the API allows them, and as it does not: a short form of the campaign's."""

from __future__ import annotations

from pathlib import Path

from tests.campaign import fuzz
from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from yaila.core.film import Film
from yaila.store import Store


def test_no_request_of_chance_gets_an_error_that_nobody_foresaw_or_waits_for_long(
    server: Server, tmp_path: Path
) -> None:
    picture = Store(server.home).pictures.add(write_picture(tmp_path / "g.png", fine_texture(400, 300)), "g.png")
    plate = {"name": "Ground", "picture": picture, "placement": {"kind": "similarity", "x": 200, "y": 150}}
    views = [{"x": 200, "y": 150, "span": 300}, {"x": 100, "y": 150, "span": 90}]
    found = fuzz.run(server, Film.model_validate({"plates": [plate], "vantages": views}), 90, 5, long=15)
    assert found["wrong"] == []
    # It was asked enough that was done, and enough that was refused, for this to say something.
    assert found["statuses"].get(200, 0) > 8
    assert found["statuses"].get(422, 0) > 8
