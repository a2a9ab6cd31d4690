"""Survey sources: what they give is put together, what they do wrong is said."""

from __future__ import annotations

import socket
import threading
import time
from pathlib import Path
from urllib.parse import urlsplit

import cv2
import mercantile
import numpy as np
import pytest
import pyvips
from pydantic import ValidationError

from tests.tilehost import png
from yaila.core.errors import BadSurvey
from yaila.formats import survey
from yaila.formats.mosaic import Mosaic
from yaila.formats.survey import Source, Surveyor, TileMissing, looked_up


@pytest.fixture(autouse=True)
def hasty(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(survey, "PATIENCE", 0.01)
    monkeypatch.setattr(survey, "TIMEOUT", 0.3)


def surveyor(host: dict, folder: Path, **more: object) -> Surveyor:
    return Surveyor(Source(name="Mine", template=host["template"], tile=64, private=True, **more), folder)


def test_a_tile_is_fetched_once_and_kept(host: dict, tmp_path: Path) -> None:
    one = surveyor(host, tmp_path)
    for _ in range(3):
        assert one.tile(3, 1, 2).shape == (64, 64, 4)
    assert host["asked"] == ["/3/1/2.png"]


def test_a_failing_tile_is_asked_for_again(host: dict, tmp_path: Path) -> None:
    answers = iter([(503, "text/plain", b"busy"), (500, "text/plain", b""), (200, "image/png", png())])
    host["answer"] = lambda path: next(answers)
    assert surveyor(host, tmp_path).tile(0, 0, 0)[0, 0, 0] == 90
    assert len(host["asked"]) == 3


@pytest.mark.parametrize(
    ("answer", "says"),
    [
        ((200, "text/html", b"<html>Welcome</html>"), "web page"),
        ((200, "image/png", b"not a picture at all"), "no picture"),
        ((200, "image/png", png(128)), "128 × 128"),
        ((403, "text/plain", b""), "refuses"),
        ((302, "text/plain", b""), "not followed"),
    ],
)
def test_what_is_no_tile_is_said(host: dict, tmp_path: Path, answer: tuple, says: str) -> None:
    host["answer"] = lambda path: answer
    with pytest.raises(BadSurvey, match=says):
        surveyor(host, tmp_path).tile(0, 0, 0)
    assert list(tmp_path.rglob("*.tile")) == []


def test_a_hanging_source_is_given_up(host: dict, tmp_path: Path) -> None:
    gate = threading.Event()

    def hang(path: str) -> tuple[int, str, bytes]:
        gate.wait(3)
        return 200, "image/png", png()

    host["answer"] = hang
    with pytest.raises(TileMissing, match="no answer within"):
        surveyor(host, tmp_path).tile(0, 0, 0)
    gate.set()


def test_missing_tiles_leave_marked_holes(host: dict, tmp_path: Path) -> None:
    host["answer"] = lambda path: (404, "text/plain", b"") if path == "/2/1/0.png" else (200, "image/png", png())
    mosaic = Mosaic(tmp_path, 3, 2, 64)
    one = surveyor(host, tmp_path / "cache")
    wanted = [(2, column, row) for row in range(2) for column in range(3)]
    one.tiles(wanted, lambda name, pixels: pixels is not None and mosaic.put(name[1], name[2], pixels))
    assert mosaic.holes == [(64, 0, 64, 64)]
    mosaic.write(tmp_path / "out.tif")
    image = pyvips.Image.new_from_file(str(tmp_path / "out.tif")).numpy()
    assert image.shape == (128, 192, 4)
    assert image[10, 100, 3] == 0
    assert (image[:, :64] == [90, 90, 90, 255]).all()


def test_a_web_page_stops_all_at_once(host: dict, tmp_path: Path) -> None:
    host["answer"] = lambda path: (200, "text/html", b"<html>")
    with pytest.raises(BadSurvey):
        surveyor(host, tmp_path).tiles([(8, c, r) for c in range(20) for r in range(20)], lambda name, pixels: None)
    assert len(host["asked"]) < 60


def test_what_one_has_found_out_nobody_asks_for_again(host: dict, tmp_path: Path) -> None:
    # The first is late, and what the others find is heard of after it.
    host["answer"] = lambda path: (time.sleep(1.0) if path == "/8/0/0.png" else None, (200, "text/html", b"<html>"))[1]
    with pytest.raises(BadSurvey):
        surveyor(host, tmp_path).tiles([(8, c, r) for c in range(20) for r in range(20)], lambda name, pixels: None)
    assert len(host["asked"]) < 60


@pytest.mark.parametrize(
    ("template", "says"),
    [
        ("https://example.org/tiles.png", "no placeholder for the zoom"),
        ("https://example.org/{z}/{x}.png", "no placeholder for the row"),
        ("ftp://example.org/{z}/{x}/{y}.png", "http"),
        ("https://{x}.example.org/{z}/{x}/{y}.png", "host must be written out"),
    ],
)
def test_a_bad_template_is_refused(template: str, says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        Source(name="Mine", template=template)


def test_rows_count_from_the_south_where_the_template_says_so() -> None:
    source = Source(name="Mine", template="https://example.org/{z}/{x}/{-y}.png")
    tile = mercantile.tile(11.5, 48.1, 9)
    assert source.address(9, tile.x, tile.y).endswith(f"/9/{tile.x}/{2**9 - 1 - tile.y}.png")
    matrix = Source(name="Mine", template="https://example.org/{TileMatrix}/{TileRow}/{TileCol}.png")
    assert matrix.address(9, tile.x, tile.y).endswith(f"/9/{tile.y}/{tile.x}.png")


@pytest.mark.parametrize(
    "host_name",
    [
        "127.0.0.1", "10.1.2.3", "192.168.0.9", "169.254.169.254", "::1", "localhost", "0.0.0.0", "224.0.0.1",
        "fe80::1", "::ffff:127.0.0.1", "64:ff9b::7f00:1", "64:ff9b::c0a8:9", "2002:7f00:1::", "2002:a01:203::",
    ],
)  # fmt: skip
def test_private_addresses_are_refused_unless_confirmed(host_name: str, host: dict, tmp_path: Path) -> None:
    with pytest.raises(BadSurvey, match="private"):
        looked_up(host_name)
    with pytest.raises(BadSurvey, match="private"):
        Surveyor(Source(name="Mine", template=host["template"], tile=64), tmp_path)


@pytest.mark.parametrize("host_name", ["8.8.8.8", "2606:4700::1111", "64:ff9b::808:808", "2002:808:808::"])
def test_public_addresses_are_public_however_they_are_written(host_name: str) -> None:
    assert looked_up(host_name) == host_name


def test_what_was_checked_is_what_is_connected_to(host: dict, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A name that gives a public address when it is checked and a private one a moment later gets nobody in."""
    port = urlsplit(host["template"].replace("{", "").replace("}", "")).port
    asked: list[str] = []

    def flipping(name: str, *_: object, **__: object) -> list:
        asked.append(name)
        assert len(asked) == 1, "looked up again"
        return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", ("127.0.0.1", 0))]

    source = Source(name="Mine", template=f"http://tiles.example:{port}/{{z}}/{{x}}/{{y}}.png", tile=64, private=True)
    monkeypatch.setattr(survey.socket, "getaddrinfo", flipping)
    one = Surveyor(source, tmp_path)
    monkeypatch.undo()
    assert one.tile(0, 0, 0).shape == (64, 64, 4)
    assert asked == ["tiles.example"]
    assert host["asked"] == ["/0/0/0.png"]


def test_a_body_without_end_and_a_picture_that_swells_are_holes(
    host: dict, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(survey, "MOST_BYTES", 100_000)
    swollen = cv2.imencode(".png", np.zeros((9000, 9000), np.uint8))[1].tobytes()
    assert len(swollen) < 100_000
    answers = {"/2/1/0.png": bytes(200_000), "/2/2/0.png": swollen, "/2/3/0.png": b""}
    host["answer"] = lambda path: (200, "image/png", answers.get(path, png()))
    got: dict[int, bool] = {}
    surveyor(host, tmp_path).tiles(
        [(2, column, 0) for column in range(4)], lambda name, pixels: got.update({name[1]: pixels is not None})
    )
    assert got == {0: True, 1: False, 2: False, 3: False}


def test_an_answer_that_drips_is_given_up(host: dict, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(survey, "TIMEOUT", 0.5)
    monkeypatch.setattr(survey, "TRIES", 1)
    host["drip"] = 0.1
    host["answer"] = lambda path: (200, "image/png", bytes(100))
    begin = time.monotonic()
    with pytest.raises(TileMissing, match="no answer within"):
        surveyor(host, tmp_path).tile(0, 0, 0)
    assert time.monotonic() - begin < 3


def test_a_source_that_gives_nothing_but_odd_answers_is_given_up(host: dict, tmp_path: Path) -> None:
    host["answer"] = lambda path: (200, "image/png", b"not a picture")
    with pytest.raises(BadSurvey, match="no picture"):
        surveyor(host, tmp_path).tiles([(8, c, 0) for c in range(200)], lambda name, pixels: None)
    assert len(host["asked"]) < 60
