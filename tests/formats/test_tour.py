"""A camera that comes back from a tour over the Earth (OGC KML 2.3) or a scene in space (Khronos glTF 2.0): read by its
numbers, and followed by few vantages."""

from __future__ import annotations

import base64
import json
import math
import struct

import numpy as np
import pytest

from yaila.core.camera import FrameSize, Pose
from yaila.core.errors import BadEdit, BadTrack
from yaila.core.film import Film, Vantage, choreograph
from yaila.core.film.followed import Flight, Given, vantages_of
from yaila.core.ground.mercator import mercator_of, stretch_at
from yaila.core.ground.placement import through
from yaila.core.time import Time
from yaila.formats.handover.gltf import gltf_text
from yaila.formats.handover.gltf_cameras import read_cameras
from yaila.formats.handover.tour import read_tours, tour_text

HERE = mercator_of(14.2, 54.9)


def film(*vantages: Vantage, rate: str = "25") -> Film:
    return Film(name="Over", rate=rate, ground={"kind": "mercator"}, vantages=list(vantages))


def flight() -> Film:
    """Down, across with a turn, and a rest on the way."""
    x, y = HERE
    made = film(
        Vantage(x=x, y=y, span=200_000, hold=0.4),
        Vantage(x=x + 3000, y=y + 1000, span=4000, tilt=55, heading=40, hold=1.2),
        Vantage(x=x + 9000, y=y - 2000, span=6000, tilt=30, heading=120, roll=8, hold=0.4),
    )
    for vantage in made.vantages:
        vantage.passage.duration.unit, vantage.passage.duration.value = "seconds", 4.0
    return made


def away(a: Film, b: Film, frame: int) -> float:
    """How far the same ground is in the pictures of two films, shares of the frame's width."""
    size = FrameSize(1920, 1080)
    one, other = (choreograph(one).pose(Time(frame)) for one in (a, b))
    spots = np.array([[480, 400], [1440, 400], [960, 540], [480, 900], [1440, 900.0]])
    places = through(one.ground_from_frame(size), spots)
    return float(np.hypot(*(through(other.frame_from_ground(size), places) - spots).T).max()) / size.width


@pytest.mark.parametrize("error", [0.05, 0.01, 0.003])
def test_few_vantages_show_what_the_tour_shows(error: float) -> None:
    before = flight()
    (tour,) = read_tours(tour_text(before).encode(), "over.kml")
    found = vantages_of(before, tour.given, error)
    assert found.error <= error
    assert len(found.vantages) <= {0.05: 9, 0.01: 14, 0.003: 22}[error]
    after = film(*found.vantages)
    frames = choreograph(before).frames
    assert abs(choreograph(after).frames - frames) <= 1
    # Between the views of the tour, too, of which there are five a second.
    off = [away(before, after, frame) for frame in range(0, frames - 1, 3)]
    assert max(off) <= error * 1.3 + 0.002


def kml(steps: str, space: str = 'xmlns="http://www.opengis.net/kml/2.3"') -> bytes:
    return (
        f'<?xml version="1.0"?><kml {space}><Document><Tour><name>By hand</name><Playlist>{steps}'
        "</Playlist></Tour></Document></kml>"
    ).encode()


def look(lon: float, lat: float, reach: float, tilt: float, seconds: float, mode: str = "") -> str:
    return (
        f"<FlyTo><duration>{seconds}</duration>{mode}<LookAt><longitude>{lon}</longitude><latitude>{lat}</latitude>"
        f"<range>{reach}</range><tilt>{tilt}</tilt><heading>350</heading></LookAt></FlyTo>"
    )


def test_numbers_are_what_the_standard_says_they_are() -> None:
    smooth = "<flyToMode>smooth</flyToMode>"
    steps = look(10, 60, 5000, 45, 9) + "<Wait><duration>2.4</duration></Wait>" + look(11, 60, 800, 0, 4, smooth)
    (tour,) = read_tours(kml(steps), "hand.kml")
    first, last = tour.given
    # The way to the first view is nobody's: the clock begins there, and goes on after the rest.
    assert (first.seconds, first.rests, first.stops, last.seconds, last.stops) == (0.0, 2.4, True, 6.4, False)
    x, y = mercator_of(10, 60)
    assert (first.pose.x, first.pose.y, first.pose.tilt) == (pytest.approx(x), pytest.approx(y), 45)
    # ``range`` is metres from the eye to what it looks at; at 60 degrees Mercator's are twice as long.
    assert first.pose.distance == pytest.approx(5000 * stretch_at(y))
    assert stretch_at(y) == pytest.approx(2.0, rel=1e-3)
    assert math.isclose(first.pose.heading % 360, 350)
    (second,) = vantages_of(film(), tour.given, 0.01).vantages[-1:]
    assert second.span == pytest.approx(800 * 36 / 35 * stretch_at(y))
    assert vantages_of(film(), tour.given, 0.01).vantages[0].hold == 2.4


def test_a_jump_is_a_cut() -> None:
    smooth = "<flyToMode>smooth</flyToMode>"
    steps = look(10, 60, 5000, 45, 1) + look(10.01, 60, 4000, 45, 2, smooth) + look(12, 61, 900, 0, 0) + look(
        12, 61, 700, 0, 3
    )  # fmt: skip
    (tour,) = read_tours(kml(steps), "hand.kml")
    found = vantages_of(film(), tour.given, 0.01).vantages
    assert [vantage.passage.manner.kind for vantage in found[:3]] == ["glide", "cut", "glide"]
    # Where it arrives it is seen for a frame.
    assert 125 <= choreograph(film(*found)).frames <= 127


def test_a_camera_stands_where_it_is_said_to() -> None:
    at = "<longitude>10</longitude><latitude>60</latitude><altitude>1000</altitude>"
    steps = "".join(
        f"<gx:FlyTo><gx:duration>1</gx:duration><Camera>{at}<heading>90</heading><tilt>{tilt}</tilt><roll>-5</roll>"
        "</Camera></gx:FlyTo>"
        for tilt in (60, 89)
    )
    older = 'xmlns="http://www.opengis.net/kml/2.2" xmlns:gx="urn:tours"'
    (tour,) = read_tours(
        kml(steps, older).replace(b"Tour>", b"gx:Tour>").replace(b"Playlist>", b"gx:Playlist>"), "x.kml"
    )
    x, y = mercator_of(10, 60)
    eye = tour.given[0].pose.eye()
    assert eye == pytest.approx((x, y, 1000 * stretch_at(y)), rel=1e-9)
    assert tour.given[0].pose.roll == 5
    assert tour.given[1].pose.tilt == 85
    assert "horizon" in tour.notes[0]


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"<kml", "not well-formed"),
        (b'<!DOCTYPE a [<!ENTITY b "c">]><kml>&b;</kml>', "entities of its own"),
        (kml(look(10, 60, 5000, 45, 1)), "fewer than two views"),
        (kml(look(10, 60, float("nan"), 45, 1) * 2), "range is no number"),
        (kml("<FlyTo><duration>1</duration></FlyTo>" * 2), "neither where the camera is"),
        (kml(look(10, 60, 5000, 45, 1).replace("60", "sixty") * 2), "cannot be followed"),
    ],
)
def test_what_is_no_tour_is_said(data: bytes, says: str) -> None:
    with pytest.raises(BadTrack, match=says):
        read_tours(data, "bad.kml")


def test_a_camera_that_shakes_takes_too_many_vantages() -> None:
    random = np.random.default_rng(3)
    shaken = [
        Given(k / 5, Pose(HERE[0] + float(random.normal(0, 900)), HERE[1] + float(random.normal(0, 900)), 1000))
        for k in range(1000)
    ]
    with pytest.raises(BadEdit, match="larger error"):
        vantages_of(film(), shaken, 0.01)


def scene(**node: object) -> dict:
    """A glTF scene by hand: a camera that is 100 m up at 0 s and 300 m up at 2 s, and a lens of 90 degrees from side to
    side of a square."""
    numbers = np.array([0, 2, 0, 100, 0, 0, 300, 0], "<f4").tobytes()
    return {
        "asset": {"version": "2.0"},
        "cameras": [{"type": "perspective", "perspective": {"yfov": math.pi / 2, "aspectRatio": 1.0, "znear": 1}}],
        "nodes": [{"name": "Drone", "camera": 0, **node}],
        "buffers": [{"byteLength": len(numbers), "uri": "data:;base64," + base64.b64encode(numbers).decode()}],
        "bufferViews": [{"buffer": 0, "byteLength": 8}, {"buffer": 0, "byteOffset": 8, "byteLength": 24}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 2, "type": "SCALAR"},
            {"bufferView": 1, "componentType": 5126, "count": 2, "type": "VEC3"},
        ],
        "animations": [
            {
                "samplers": [{"input": 0, "output": 1}],
                "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}],
            }
        ],
    }


DOWN = [-math.sqrt(0.5), 0, 0, math.sqrt(0.5)]
"""A quarter turn about X, from ahead to straight down."""


def cameras(document: dict, at: tuple[float, float] = (0.0, 0.0), mercator: bool = False) -> Flight:
    (found,) = read_cameras(json.dumps(document).encode(), "scene.gltf", at, mercator, 16 / 9)
    return found


def test_a_camera_of_a_scene_lies_where_its_axes_say() -> None:
    found = cameras(scene(rotation=DOWN), (5.0, 7.0))
    assert [one.seconds for one in found.given] == [0, 2]
    first, last = (one.pose for one in found.given)
    # 90 degrees wide: the ground in the frame is twice as wide as it is high. Its up is north, as -Z is.
    assert (first.x, first.y, first.tilt, first.focal) == pytest.approx((5, 7, 0, 18), abs=1e-4)
    assert (first.span, last.span) == pytest.approx((200, 600))
    assert (math.cos(math.radians(first.heading)), first.roll) == pytest.approx((1, 0), abs=1e-6)
    # Half down, to the north: it looks as far ahead as it is high.
    half = [-math.sin(math.pi / 8), 0, 0, math.cos(math.pi / 8)]
    tilted = cameras(scene(rotation=half)).given[0].pose
    assert (tilted.x, tilted.y, tilted.tilt, tilted.heading % 360) == pytest.approx((0, 100, 45, 0), abs=1e-4)
    assert tilted.distance == pytest.approx(100 * math.sqrt(2))
    # What lies above a camera turns and moves it: a quarter turn about Y takes north to west.
    turned = scene(rotation=half)
    turned["nodes"].append(
        {"children": [0], "rotation": [0, math.sqrt(0.5), 0, math.sqrt(0.5)], "translation": [9, 0, 0]}
    )
    west = cameras(turned).given[0].pose
    assert (west.x, west.y, west.heading % 360) == pytest.approx((9 - 100, 0, 270), abs=1e-4)
    # On Mercator a metre is as long as it is there.
    at = mercator_of(10, 60)
    assert cameras(scene(rotation=DOWN), at, True).given[0].pose.span == pytest.approx(200 * stretch_at(at[1]))


@pytest.mark.parametrize("kind", ["mercator", "plain"])
def test_the_scene_that_we_give_out_comes_back_with_its_place_and_its_lens(kind: str) -> None:
    before = flight()
    before.ground.kind = kind
    before.vantages[2].focal = 70
    (found,) = read_cameras(gltf_text(before).encode(), "over.gltf", (0.0, 0.0), kind == "mercator", 16 / 9)
    frames = choreograph(before).frames
    assert len(found.given) == frames
    for frame in (0, 30, 77, 130, frames - 1):
        one, other = choreograph(before).pose(Time(frame)), found.given[frame].pose
        numbers = [(p.x, p.y, p.span, p.tilt, p.roll, p.focal) for p in (one, other)]
        assert numbers[1] == pytest.approx(numbers[0], rel=1e-4, abs=one.span * 1e-4)
        assert math.cos(math.radians(one.heading - other.heading)) == pytest.approx(1, abs=1e-6)
    after = film(*vantages_of(before, found.given, 0.01).vantages)
    after.ground.kind = kind
    assert max(away(before, after, frame) for frame in range(0, frames - 1, 5)) < 0.012


def binary(document: dict) -> bytes:
    """A scene as one binary file."""
    numbers = base64.b64decode(document["buffers"][0].pop("uri").partition(",")[2])
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(numbers), b"BIN\0") + numbers
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def test_a_binary_scene_is_read_as_its_text() -> None:
    (found,) = read_cameras(binary(scene(rotation=DOWN)), "x.glb", (0, 0), False, 1.0)
    assert found.given[1].pose.span == pytest.approx(600)


def spoilt(**changes: object) -> dict:
    return scene(rotation=DOWN) | changes


@pytest.mark.parametrize(
    ("document", "says"),
    [
        (spoilt(animations=[]), "No camera moves"),
        (spoilt(accessors=[]), "no glTF"),
        (spoilt(buffers=[{"uri": "numbers.bin"}]), "in another file"),
        (scene(rotation=DOWN) | {"nodes": [{"camera": 0, "children": [0]}]}, "circle"),
        (scene(rotation=DOWN, scale=[float("nan")] * 3), "no glTF|no number"),
        ({"nodes": [{"camera": 7}]}, "No camera moves"),
    ],
)
def test_what_is_no_scene_is_said(document: dict, says: str) -> None:
    with pytest.raises(BadTrack, match=says):
        cameras(document)
