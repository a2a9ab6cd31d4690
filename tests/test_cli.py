"""The command line, as a person uses it."""

from __future__ import annotations

import csv
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import pyvips

from tests.drawing import picture_of
from yaila.cli import main
from yaila.core.film import Film, choreograph
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality
from yaila.core.time import Time
from yaila.store import Store


@pytest.fixture
def yaila(store: Store, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]):
    """Runs a command on the store, here or in a process of its own; gives what it printed, its error output and its
    exit code."""

    def run(*words: object, home: Path = store.home, apart: bool = False) -> tuple[str, str, int]:
        said = [str(word) for word in words]
        if apart:
            command, env = [sys.executable, "-m", "yaila", *said], {**os.environ, "YAILA_HOME": str(home)}
            done = subprocess.run(command, env=env, capture_output=True, text=True)
            return done.stdout, done.stderr, done.returncode
        monkeypatch.setenv("YAILA_HOME", str(home))
        monkeypatch.setattr(sys, "argv", ["yaila", *said])
        capsys.readouterr()
        with pytest.raises(SystemExit) as ended:
            main()
        printed = capsys.readouterr()
        return printed.out, printed.err, int(ended.value.code or 0)

    return run


def test_track_gives_the_camera_at_every_frame(yaila, store: Store, small_film: Film) -> None:
    film = store.films.create(small_film).id
    rows = list(csv.DictReader(io.StringIO(yaila("track", film)[0])))
    plan = choreograph(small_film)
    assert len(rows) == plan.frames
    pose = plan.pose(Time(20))
    assert float(rows[20]["span"]) == pytest.approx(pose.span)
    assert float(rows[20]["eye_height"]) == pytest.approx(pose.eye()[2])
    matrix = np.array([[float(rows[20][f"m{i}{j}"]) for j in range(3)] for i in range(3)])
    # The target is in the middle of the frame.
    u, v, w = matrix @ [pose.x, pose.y, 1]
    assert (u / w, v / w) == pytest.approx((160, 90))
    once = yaila("track", "Small", "--format", "json")[0]
    assert len(json.loads(once)) == plan.frames
    # To the last digit the same in another process, and what a reel draws.
    assert yaila("track", "Small", "--format", "json", apart=True)[0] == once
    row = json.loads(once)[20]
    assert [row[name] for name in ("x", "y", "span", "tilt", "heading", "roll", "focal")] == [
        getattr(pose, name) for name in ("x", "y", "span", "tilt", "heading", "roll", "focal")
    ]


def test_still_is_the_engine_s_picture(yaila, store: Store, small_film: Film, tmp_path: Path) -> None:
    film = store.films.create(small_film).id
    assert yaila("still", film, "--at", "00:00:00:12", "--out", tmp_path / "a.png")[2] == 0
    drawn = picture_of(
        small_film, choreograph(small_film).pose(Time(12)), small_film.frame.size, Quality.FINAL,
        store.pictures.pyramid, PageStore(32),
    )  # fmt: skip
    assert np.array_equal(pyvips.Image.new_from_file(str(tmp_path / "a.png")).numpy()[..., :3], drawn)


def test_a_film_goes_out_as_a_bundle_and_comes_in_elsewhere(
    yaila, store: Store, small_film: Film, tmp_path: Path
) -> None:
    store.films.create(small_film)
    bundle, home = tmp_path / "small.yaila", tmp_path / "elsewhere"
    assert yaila("export", "Small", "--out", bundle)[2] == 0
    name = yaila("import", bundle, home=home)[0].strip()
    other = Store(home)
    assert other.films.state(name).film == small_film
    assert other.pictures.has(small_film.plates[0].picture.sha256)
    assert not list(other.arrivals.iterdir())
    assert (
        yaila("still", bundle, "--at", "3", "--out", tmp_path / "b.png", "--size", "160x90", home=tmp_path / "third")[2]
        == 0
    )


def test_the_schema_is_json_schema_of_the_film(yaila) -> None:
    schema = json.loads(yaila("schema")[0])
    assert schema["properties"]["format"]["const"] == "yaila/film"


def test_what_is_wrong_is_said_in_a_sentence(yaila, store: Store, small_film: Film, tmp_path: Path) -> None:
    store.films.create(small_film)
    rubbish = tmp_path / "rubbish.yaila"
    rubbish.write_bytes(b"rubbish")
    for words, sentence in (
        (("track", "No such film"), "There is no film “No such film”"),
        (("still", "Small", "--at", "soon", "--out", tmp_path / "x.png"), "is not a time"),
        (("still", "Small", "--at", "99999", "--out", tmp_path / "x.png"), "there is no frame 99999"),
        (("still", "Small", "--size", "0x9", "--out", tmp_path / "x.png"), "a side has 1 to 32,768 pixels"),
        (("import", rubbish), "is not a film bundle"),
        (("render", "Small", "--from", "30", "--to", "10", "--out", tmp_path / "x.mp4"), "is not among them"),
    ):
        _, error, code = yaila(*words, apart=words[0] == "import")
        assert code == 1
        assert sentence in error
        assert "Traceback" not in error
