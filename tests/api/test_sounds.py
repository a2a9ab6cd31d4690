"""Sound over HTTP: files arrive, the film is heard block by block, and what cannot be is said."""

from __future__ import annotations

import hashlib
import io
import shutil
import time
from pathlib import Path

import httpx
import numpy as np
import pytest
import soundfile
from fastapi.testclient import TestClient

from tests.conftest import write_picture
from tests.core.sound.test_beats import music
from tests.formats.test_clips import even, number_of, picture, written
from tests.formats.test_frames_clip import packed, png
from yaila.api.app import create_app
from yaila.core.film import Film
from yaila.core.film.heard import Mix, Soundtrack
from yaila.core.sound import RATE
from yaila.formats.bundle import read_bundle, write_bundle
from yaila.formats.loudness import levelled
from yaila.store import Store


@pytest.fixture
def client(store: Store) -> TestClient:
    return TestClient(create_app(store, 8471), base_url="http://127.0.0.1:8471")


@pytest.fixture
def film_id(client: TestClient, small_film: Film, store: Store) -> str:
    return store.films.create(small_film.model_copy(update={"length": 12.0})).id


def wav(samples: np.ndarray) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, samples, RATE, format="WAV")
    return out.getvalue()


def bring(client: TestClient, film_id: str, data: bytes, name: str, to: str = "sounds", **query: object) -> dict:
    """Send a sound or a clip, and wait for its job."""
    answer = client.post(f"/api/films/{film_id}/{to}", params={"name": name, **query}, content=data)
    return ended(client, film_id, answer)


def ended(client: TestClient, film_id: str, answer: httpx.Response) -> dict:
    """The job that was begun, once it is over."""
    assert answer.status_code == 202, answer.text
    end = time.monotonic() + 60
    while (job := client.get(f"/api/films/{film_id}/pulse").json()["jobs"][0])["state"] in ("waiting", "running"):
        assert time.monotonic() < end
        time.sleep(0.05)
    return job


def act(client: TestClient, film_id: str, **what: object) -> dict:
    headers = {"If-Match": client.get(f"/api/films/{film_id}").headers["ETag"]}
    answer = client.post(f"/api/films/{film_id}/acts", json=what, headers=headers)
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_a_sound_arrives_and_is_heard_as_it_is_mixed(client: TestClient, film_id: str, store: Store) -> None:
    tone = 0.2 * np.sin(2 * np.pi * 330 * np.arange(4 * RATE) / RATE)
    assert bring(client, film_id, wav(tone), "Tone.wav", frame=25)["state"] == "done"
    sheet = act(client, film_id, act="add_sound", frame=100, effect="horn")
    film, state = Film.model_validate(sheet["film"]), sheet["state"]
    assert [sound.name for sound in film.sounds] == ["Tone", "Ship's horn"]
    assert sheet["plan"]["sounds"][0]["start"] == 25.0
    track = Soundtrack(film)
    level = levelled(track, store.sounds.read)
    wanted = Mix(track, store.sounds.read, level.gain).read(RATE, 2 * RATE)
    answer = client.get(f"/api/films/{film_id}/mix", params={"state": state, "first": RATE, "count": 2 * RATE})
    assert answer.headers["X-Levelled"] == "1"
    heard = np.frombuffer(answer.content, "<i2").reshape(-1, 2) / 32767
    assert np.abs(heard - wanted).max() < 3.2e-5
    assert np.abs(wanted).max() > 0.05
    loud = client.get(f"/api/films/{film_id}/loudness", params={"state": state}).json()
    assert abs(loud["integrated"] + 16) < 0.1
    assert len(loud["short"]) == 12
    # The whole of it as a file.
    file = client.get(f"/api/films/{film_id}/sound.wav", params={"state": state})
    samples, rate = soundfile.read(io.BytesIO(file.content))
    assert (rate, len(samples)) == (RATE, 12 * RATE)
    assert np.abs(samples[RATE : 3 * RATE] - wanted).max() < 1e-5
    # And as it is drawn.
    query = {"state": state, "parts": 100}
    wave = client.get(f"/api/films/{film_id}/sounds/{film.sounds[0].id}/wave", params=query).json()["peaks"]
    assert len(wave) == 100
    assert all(abs(low + 25) <= 1 and abs(high - 25) <= 1 for low, high in wave[1:-1])
    drawn = client.get(f"/api/films/{film_id}/sounds/{film.sounds[1].id}/wave", params=query).json()["peaks"]
    assert max(high for _, high in drawn) > 40


def test_beats_of_music_become_the_film_s(client: TestClient, film_id: str) -> None:
    samples, beats = music(120, 10.0)
    bring(client, film_id, wav(samples), "Music.wav", frame=10)
    sheet = client.get(f"/api/films/{film_id}").json()
    key = sheet["film"]["sounds"][0]["id"]
    answer = client.post(f"/api/films/{film_id}/sounds/{key}/beats", headers={"If-Match": f'"{sheet["revision"]}"'})
    found = answer.json()["film"]["beats"]
    assert abs(len(found) - len(beats)) <= 1
    assert max(min(abs(one - 0.4 - beat) for beat in beats) for one in found) < 0.005
    assert answer.json()["undo"].endswith("beats of Music")


def test_what_cannot_be_heard_is_said_and_nothing_is_lost(client: TestClient, film_id: str, store: Store) -> None:
    assert client.post(f"/api/films/{film_id}/sounds", params={"name": "x.wav"}, content=b"").status_code == 422
    job = bring(client, film_id, b"not a sound" * 400, "words.mp3")
    assert job["state"] == "failed"
    assert "words.mp3" in job["message"]
    assert list((store.home / "sounds").iterdir()) == []
    state = client.get(f"/api/films/{film_id}").json()["state"]
    silent = client.get(f"/api/films/{film_id}/mix", params={"state": state, "first": 0, "count": 100})
    assert silent.content == bytes(400)
    assert client.get(f"/api/films/{film_id}/loudness", params={"state": state}).json()["integrated"] is None
    assert client.get(f"/api/films/{film_id}/sound.wav", params={"state": state}).status_code == 404
    for query in ({"first": -1, "count": 10}, {"first": 0, "count": 10**9}, {"first": "x", "count": 1}):
        assert client.get(f"/api/films/{film_id}/mix", params={"state": state, **query}).status_code == 422
    assert client.get("/api/effects/thunder.wav").status_code == 422
    assert client.get("/api/effects/pop.wav").content[:4] == b"RIFF"
    assert {one["kind"] for one in client.get("/api/effects").json()} >= {"whoosh", "sea", "low"}


def test_a_film_and_its_sound_travel_in_a_bundle(
    client: TestClient, film_id: str, store: Store, tmp_path: Path
) -> None:
    bring(client, film_id, wav(np.full(RATE, 0.1)), "Voice.wav")
    film = store.films.state(film_id).film
    write_bundle(tmp_path / "a.yaila", film, store.file_of)
    other = Store(tmp_path / "other")
    _, media = read_bundle(tmp_path / "a.yaila", tmp_path)
    (key,) = film.sound_files
    assert other.sounds.add(media[key], media[key].name).sha256 == key
    assert np.allclose(other.sounds.read(key)(0, 100), store.sounds.read(key)(0, 100))


def test_frames_in_a_zip_become_a_clip_at_the_film_s_rate(
    client: TestClient, film_id: str, store: Store, tmp_path: Path
) -> None:
    frames = {f"smoke_{k:03}.png": png(picture(k, 160, 90)) for k in range(10) if k != 4}
    data = packed(tmp_path / "smoke.zip", frames).read_bytes()
    job = bring(client, film_id, data, "Smoke.zip", to="clips", x=600, y=400)
    assert job["state"] == "done", job
    assert "1 of its frames" in job["message"]
    (inset,) = store.films.state(film_id).film.insets
    assert (inset.name, inset.shows.seconds) == ("Smoke", pytest.approx(10 / 25))
    assert number_of(store.clips.open(inset.shows.sha256).at(0.3, 160)) == 7
    # The same once more is the same clip.
    bring(client, film_id, data, "Smoke.zip", to="clips")
    assert len({one.shows.sha256 for one in store.films.state(film_id).film.insets}) == 1
    assert (
        "no numbered pictures"
        in bring(client, film_id, packed(tmp_path / "x.zip", {}).read_bytes(), "x.zip", to="clips")["message"]
    )


def test_a_clip_is_laid_as_a_plate_at_once_or_from_an_inset(
    client: TestClient, film_id: str, store: Store, tmp_path: Path
) -> None:
    data = written(tmp_path / "rain.mp4", even(20), 160, 90).read_bytes()
    job = bring(client, film_id, data, "Rain.mp4", to="clips", **{"as": "plate", "x": 600, "y": 400, "width": 300})
    assert job["state"] == "done", job
    plate = store.films.state(film_id).film.plates[-1]
    assert (plate.name, plate.picture.width, plate.picture.height) == ("Rain", 160, 90)
    assert plate.plays.clip.seconds == pytest.approx(20 / 25)
    assert number_of(store.pictures.pyramid(plate.picture.sha256).read(0)) == 0
    bring(client, film_id, data, "Rain.mp4", to="clips", x=600, y=400)
    inset = store.films.state(film_id).film.insets[-1]
    path = f"/api/films/{film_id}/insets/{inset.id}/plate"
    job = ended(client, film_id, client.post(path))
    assert job["state"] == "done", job
    film = store.films.state(film_id).film
    assert not film.insets
    # Of the same clip the picture is the same, and stored once.
    assert film.plates[-1].picture.sha256 == plate.picture.sha256
    assert film.plates[-1].plays.starts == inset.starts
    # What is gone by now is refused in a sentence.
    assert client.post(path).status_code == 422
    card = write_picture(tmp_path / "card.png", picture(1, 64, 48)).read_bytes()
    bring(client, film_id, card, "Card.png", to="pictures", **{"as": "inset"})
    still = store.films.state(film_id).film.insets[-1].id
    refused = client.post(f"/api/films/{film_id}/insets/{still}/plate")
    assert (refused.status_code, "shows no clip" in refused.json()["detail"]) == (422, True)


def test_a_sound_and_a_clip_that_a_film_has_lost_are_found_again_by_their_files(
    client: TestClient, film_id: str, store: Store, tmp_path: Path
) -> None:
    clip = written(tmp_path / "Quay.mp4", even(12), 160, 90).read_bytes()
    for data, name, kind in ((wav(np.zeros(RATE)), "Hush.wav", "sounds"), (clip, "Quay.mp4", "clips")):
        assert bring(client, film_id, data, name, to=kind)["state"] == "done"
        before = client.get(f"/api/films/{film_id}").json()["film"]
        shutil.rmtree(next((store.home / kind).iterdir()))
        getattr(store, kind).close(hashlib.sha256(data).hexdigest())
        job = bring(client, film_id, data, f"again {name}", to=kind)
        assert job["message"] == f"The {kind[:-1]} of “{name[:4]}” is whole again."
        assert client.get(f"/api/films/{film_id}").json()["film"] == before
        assert getattr(store, kind).has(hashlib.sha256(data).hexdigest())
