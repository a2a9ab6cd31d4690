"""What other programs take over: read by others' code, and the same camera as Yaila's."""

from __future__ import annotations

import base64
import io
import json
import subprocess
import xml.etree.ElementTree as ET
from pathlib import Path

import cv2
import fastkml
import numpy as np
import opentimelineio as otio
import pytest
import xmlschema
from fastapi.testclient import TestClient

from yaila.api.app import create_app
from yaila.core.errors import BadRender
from yaila.core.film import Film, choreograph
from yaila.core.ground.mercator import stretch_at
from yaila.core.time import Time
from yaila.formats.handover.gltf import gltf_text
from yaila.formats.handover.tour import tour_text
from yaila.formats.handover.track import track_csv, track_rows
from yaila.formats.handover.words import otio_text, vtt_text
from yaila.store import Store

WEB = Path(__file__).parents[2] / "web"
PLATE = {"id": "p", "name": "Ground", "picture": {"sha256": "a" * 64, "width": 600, "height": 400}}


def film(kind: str = "mercator", **more: object) -> Film:
    x, y = (434e3, 6_214e3) if kind == "mercator" else (300.0, 200.0)
    views = [
        {"id": "a", "name": "Far", "x": x, "y": y, "span": 9000, "tilt": 20, "hold": 1},
        {"id": "b", "name": "Near", "x": x + 800, "y": y - 500, "span": 700, "tilt": 62, "heading": 130, "roll": 8,
         "hold": 1},
    ]  # fmt: skip
    lies = {"kind": "similarity", "x": x, "y": y, "scale": 20, "turn": 12}
    return Film.model_validate(
        {
            "name": "Night & day",
            "rate": "30000/1001",
            "ground": {"kind": kind},
            "plates": [PLATE | {"placement": lies}],
            "vantages": views,
            "markers": [{"id": "m", "name": "Quay", "x": x + 100, "y": y}],
            "labels": [{"id": "l", "name": "n", "text": "Quay <1>\n\nold", "x": x, "y": y,
                        "starts": {"on": "vantage", "vantage": "b"}}],
            **more,
        }
    )  # fmt: skip


def picture() -> bytes:
    return cv2.imencode(".jpg", np.full((40, 60, 3), 90, np.uint8))[1].tobytes()


def numbers(scene: dict, accessor: int) -> np.ndarray:
    """An accessor's numbers, as the standard says to read them."""
    one = scene["accessors"][accessor]
    view = scene["bufferViews"][one["bufferView"]]
    data = base64.b64decode(scene["buffers"][0]["uri"].split(",", 1)[1])
    wide = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[one["type"]]
    kind = {5126: np.float32, 5123: np.uint16}[one["componentType"]]
    return np.frombuffer(data, kind, one["count"] * wide, view["byteOffset"]).reshape(-1, wide)


def matrix(turn: np.ndarray) -> np.ndarray:
    x, y, z, w = turn
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


@pytest.mark.parametrize("kind", ["mercator", "plain"])
def test_the_camera_in_space_sees_what_yailas_sees(kind: str) -> None:
    one = film(kind)
    scene = json.loads(gltf_text(one, lambda plate: picture()))
    choreography, size = choreograph(one), one.frame.size
    assert len(scene["cameras"][0]["extras"]["focal"]) == choreography.frames
    samplers = scene["animations"][0]["samplers"]
    eyes, turns = (numbers(scene, sampler["output"]).astype(float) for sampler in samplers)
    times = numbers(scene, samplers[0]["input"])[:, 0]
    assert times == pytest.approx([k * 1001 / 30000 for k in range(choreography.frames)], abs=1e-5)
    assert (np.sum(turns[1:] * turns[:-1], axis=1) > 0).all()
    metre = stretch_at(one.vantages[0].y) if kind == "mercator" else 1.0
    yfov, aspect = (scene["cameras"][0]["perspective"][name] for name in ("yfov", "aspectRatio"))
    random = np.random.default_rng(2)
    for frame in (0, 20, 47, 60, choreography.frames - 1):
        pose = choreography.pose(Time(frame))
        away = random.uniform(-0.3, 0.3, (10, 2)) * pose.span
        places = np.array([pose.x, pose.y]) + away
        seen = np.column_stack([places, np.ones(10)]) @ pose.frame_from_ground(size).T
        wanted = seen[:, :2] / seen[:, 2:]
        origin = scene["asset"]["extras"]["origin"]
        x, y = ((places - origin) / metre).T
        local = (np.column_stack([x, np.zeros(10), -y]) - eyes[frame]) @ matrix(turns[frame])
        tall = np.tan(yfov / 2)
        u = (local[:, 0] / (-local[:, 2] * tall * aspect) + 1) / 2 * size.width
        v = (1 - local[:, 1] / (-local[:, 2] * tall)) / 2 * size.height
        assert np.abs(np.column_stack([u, v]) - wanted).max() < 0.1
    # A plate's corners lie where it lies.
    position = scene["meshes"][0]["primitives"][0]["attributes"]["POSITION"]
    corners = numbers(scene, position)[[0, 16, -17, -1]]
    from yaila.core.ground.placement import through

    ground = through(one.plates[0].matrix, np.array([[0, 0], [600, 0], [0, 400], [600, 400.0]]))
    assert corners[:, 0] * metre == pytest.approx(ground[:, 0] - origin[0], abs=0.5)
    assert -corners[:, 2] * metre == pytest.approx(ground[:, 1] - origin[1], abs=0.5)
    assert {"Camera", "Ground", "Quay"} <= {node["name"] for node in scene["nodes"]}


def test_the_scene_passes_the_validator_of_the_standard(tmp_path: Path) -> None:
    """The Khronos glTF validator, from its package."""
    file = tmp_path / "film.gltf"
    file.write_text(gltf_text(film(), lambda plate: picture()), "utf-8")
    code = (
        "const v = require('gltf-validator'), fs = require('fs');"
        f"v.validateBytes(new Uint8Array(fs.readFileSync({str(file)!r})))"
        ".then((report) => console.log(JSON.stringify(report.issues)));"
    )
    told = subprocess.run(["node", "-e", code], cwd=WEB, capture_output=True, text=True, timeout=60, check=True)
    issues = json.loads(told.stdout)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"]


def test_the_timeline_has_its_arrivals_and_marks_at_their_frames() -> None:
    one = film()
    timeline = otio.adapters.read_from_string(otio_text(one, "film.mov"), "otio_json")
    clip = next(iter(timeline.find_clips()))
    legs = choreograph(one).legs
    rate = 30000 / 1001
    assert clip.media_reference.target_url == "film.mov"
    assert clip.source_range.duration == otio.opentime.RationalTime(choreograph(one).frames, rate)
    marks = {marker.name: marker.marked_range for marker in clip.markers}
    assert marks["Near"].start_time == otio.opentime.RationalTime(legs[1].start, rate)
    assert marks["Near"].duration.value == legs[1].hold
    assert marks["n"].start_time.value == legs[1].start
    assert timeline.duration().value == choreograph(one).frames


def test_words_stand_at_their_times_and_cannot_break_the_file() -> None:
    text = vtt_text(film())
    lines = text.splitlines()
    assert lines[0] == "WEBVTT"
    start, _, end = next(line for line in lines if "-->" in line).split()
    leg = choreograph(film()).legs[1]
    hours, minutes, seconds = start.split(":")
    assert int(hours) * 3600 + int(minutes) * 60 + float(seconds) == pytest.approx(leg.start * 1001 / 30000, abs=6e-4)
    assert start < end
    assert "Quay &lt;1&gt;\nold" in text
    assert vtt_text(film(labels=[])).count("-->") == 0


def test_a_tour_goes_where_the_camera_goes() -> None:
    one = film()
    root = ET.fromstring(tour_text(one))
    space = {"k": "http://www.opengis.net/kml/2.3"}
    steps = root.findall(".//k:Playlist/k:FlyTo", space)
    seconds = sum(float(step.findtext("k:duration", "", space)) for step in steps)
    assert seconds == pytest.approx((choreograph(one).frames - 1) * 1001 / 30000, abs=0.02)
    last = choreograph(one).pose(Time(choreograph(one).frames - 1))
    camera = steps[-1].find("k:Camera", space)
    assert camera is not None
    assert float(camera.findtext("k:tilt", "", space)) == pytest.approx(last.tilt, abs=1e-3)
    assert float(camera.findtext("k:heading", "", space)) == pytest.approx(last.heading % 360, abs=1e-3)
    assert float(camera.findtext("k:altitude", "", space)) == pytest.approx(
        last.eye()[2] / stretch_at(last.y), rel=1e-4
    )
    with pytest.raises(BadRender, match="georeferenced"):
        tour_text(film("plain"))


def test_the_tour_passes_the_schema_of_the_standard() -> None:
    """The OGC's schema of KML 2.2 and that of its extension, which fastkml brings: what a tour is made of has moved
    from the extension into KML 2.3 as it was (OGC 12-007r2, "Tour")."""
    folder = Path(fastkml.__file__).parent / "schema"
    kml = "http://www.opengis.net/kml/2.2"
    schema = xmlschema.XMLSchema(
        str(folder / "kml22gx.xsd"),
        allow="local",
        locations={
            kml: str(folder / "ogckml22.xsd"),
            "http://www.w3.org/2005/Atom": str(folder / "atom-author-link.xsd"),
            "urn:oasis:names:tc:ciq:xsdschema:xAL:2.0": str(folder / "xAL.xsd"),
        },
    )
    extension = schema.target_namespace
    root = ET.fromstring(tour_text(film()))
    assert root.attrib.pop("version") == "2.3"
    for element in root.iter():
        name = element.tag.partition("}")[2]
        space = extension if name in ("Tour", "Playlist", "FlyTo", "duration", "flyToMode") else kml
        element.tag = f"{{{space}}}{name}"
    assert list(schema.iter_errors(root)) == []
    root.find(f".//{{{extension}}}duration").text = "soon"  # type: ignore[union-attr]
    assert not schema.is_valid(root)


def test_a_film_without_a_camera_says_so() -> None:
    empty = Film.model_validate({"ground": {"kind": "mercator"}})
    for make in (gltf_text, tour_text):
        with pytest.raises(BadRender, match="no vantage"):
            make(empty)
    assert vtt_text(empty).startswith("WEBVTT")
    assert track_csv(empty).strip() == ""


def test_all_of_it_is_given_out_by_the_server(store: Store, small_film: Film) -> None:
    client = TestClient(create_app(store, 8471), base_url="http://127.0.0.1:8471")
    film_id = store.films.create(small_film).id
    state = client.get(f"/api/films/{film_id}").json()["state"]
    for what, says in (("gltf", b"KHR_materials_unlit"), ("otio", b"Timeline.1"), ("vtt", b"WEBVTT"),
                       ("shots", b"1. Wide"), ("csv", b"frame,time"), ("json", b"matrix")):  # fmt: skip
        answer = client.get(f"/api/films/{film_id}/handover/{what}?state={state}")
        assert answer.status_code == 200, answer.text
        assert says in answer.content
    refused = client.get(f"/api/films/{film_id}/handover/tour?state={state}")
    assert refused.status_code == 422
    assert "georeferenced" in refused.json()["detail"]
    assert client.get(f"/api/films/{film_id}/handover/vhs?state={state}").status_code == 422
    rows = np.genfromtxt(io.StringIO(track_csv(small_film)), delimiter=",", names=True)
    assert len(rows) == len(track_rows(small_film)) == choreograph(small_film).frames
