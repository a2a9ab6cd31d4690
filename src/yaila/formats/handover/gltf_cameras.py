"""Cameras that move in a scene (Khronos glTF 2.0, as text or binary), read for a film's ground.

The scene is in metres: X goes east, Y up, -Z north, counted from a place of the ground that is said. Ours says itself
where it counts from. Nodes above a camera may move too; values between keys run evenly, turns along the shortest arc
(STEP stays; of cubic splines the keys are taken).
"""

from __future__ import annotations

import base64
import json
import math
import struct
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation, Slerp

from yaila.core.camera import Pose
from yaila.core.camera.pose import FILM_BACK, MAX_TILT
from yaila.core.errors import BadTrack
from yaila.core.film.followed import HORIZON, Flight, Given, standing
from yaila.core.ground.mercator import stretch_at

Floats = NDArray[np.float64]

UNREADABLE = (
    KeyError,
    IndexError,
    TypeError,
    ValueError,
    AttributeError,
    ArithmeticError,
    RecursionError,
    struct.error,
)
"""What reading a damaged file, or one that is something else, can end in."""

MOST_KEYS = 20_000
"""Moments of a camera."""

KINDS = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}


def read_cameras(data: bytes, file: str, at: tuple[float, float], mercator: bool, aspect: float) -> list[Flight]:
    """The cameras in a file that move.

    Args:
        at: the place of the ground from which the scene counts, if it does not say so itself.
        mercator: whether the ground is georeferenced; its metres are longer than true ones then.
        aspect: the frame's width over its height.

    Raises:
        BadTrack: it is no such file, or no camera in it moves.
    """
    try:
        document, binary = _opened(data)
        scene = _Scene(document, binary)
        origin, kind = document.get("asset", {}).get("extras", {}), "mercator" if mercator else "plain"
        if origin.get("ground") == kind and len(origin.get("origin", ())) == 2:
            at = (float(origin["origin"][0]), float(origin["origin"][1]))
        metre = stretch_at(at[1]) if mercator else 1.0
        flights = [
            flight
            for number, node in enumerate(document.get("nodes", ()))
            if "camera" in node and (flight := _flight(scene, number, at, metre, aspect))
        ]
    except BadTrack as error:
        raise BadTrack(f"“{file}”: {error}") from error
    except UNREADABLE as error:
        raise BadTrack(f"“{file}” is no glTF that can be read ({error}).") from error
    if not flights:
        raise BadTrack(f"No camera moves in “{file}”. Animate it before you give it out.")
    return flights


def _opened(data: bytes) -> tuple[dict[str, Any], bytes]:
    """The document of a text or binary file, and what the binary one holds besides."""
    if data[:4] != b"glTF":
        return json.loads(data), b""
    chunks, at = [], 12
    while at + 8 <= len(data):
        (size,) = struct.unpack_from("<I", data, at)
        chunks.append(data[at + 8 : at + 8 + size])
        at += 8 + size
    return json.loads(chunks[0]), chunks[1] if len(chunks) > 1 else b""


@dataclass(frozen=True)
class _Keys:
    """A value of a node over time."""

    times: Floats
    values: Floats
    steps: bool

    def at(self, time: float) -> Floats:
        time = min(max(time, self.times[0]), self.times[-1])
        if self.steps or len(self.times) == 1:
            return np.asarray(self.values[np.searchsorted(self.times, time, "right") - 1])
        if self.values.shape[1] == 4:
            return np.asarray(self._turns(time).as_quat())
        return np.array([np.interp(time, self.times, values) for values in self.values.T])

    @cached_property
    def _turns(self) -> Slerp:
        return Slerp(self.times, Rotation.from_quat(self.values))


class _Scene:
    """The nodes of a scene, where each is, and how they move."""

    def __init__(self, document: dict[str, Any], binary: bytes) -> None:
        self._document, self._binary = document, binary
        self.nodes: list[dict[str, Any]] = document.get("nodes", [])
        self._above = {child: number for number, node in enumerate(self.nodes) for child in node.get("children", ())}
        self._moves: dict[tuple[int, str], _Keys] = {}
        for animation in document.get("animations", ())[:1]:
            for channel in animation["channels"]:
                target, sampler = channel["target"], animation["samplers"][channel["sampler"]]
                if target.get("path") in ("translation", "rotation", "scale") and "node" in target:
                    self._moves[target["node"], target["path"]] = self._keys(sampler)

    def _keys(self, sampler: dict[str, Any]) -> _Keys:
        times, values = self._numbers(sampler["input"])[:, 0], self._numbers(sampler["output"])
        how = sampler.get("interpolation", "LINEAR")
        if how == "CUBICSPLINE":
            values = values[1::3]
        if len(times) != len(values) or not len(times) or len(times) > MOST_KEYS or (np.diff(times) <= 0).any():
            raise ValueError("the keys of an animation do not go together")
        return _Keys(times, values, how == "STEP")

    def _numbers(self, accessor: int) -> Floats:
        found = self._document["accessors"][accessor]
        if found["componentType"] != 5126:
            raise ValueError("an animation is not in floats")
        view = self._document["bufferViews"][found["bufferView"]]
        uri = self._document["buffers"][view["buffer"]].get("uri")
        if uri is None:
            data = self._binary
        elif str(uri).startswith("data:"):
            data = base64.b64decode(uri.partition(",")[2], validate=True)
        else:
            raise BadTrack(f"its numbers are in another file ({str(uri)[:60]}). Give it out as one (.glb).")
        wide, count = KINDS[found["type"]], int(found["count"])
        step = int(view.get("byteStride", 4 * wide))
        start = int(view.get("byteOffset", 0)) + int(found.get("byteOffset", 0))
        rows = [np.frombuffer(data, "<f4", wide, start + step * k) for k in range(min(count, MOST_KEYS * 3 + 1))]
        numbers = np.array(rows, np.float64)
        if not np.isfinite(numbers).all():
            raise ValueError("an animation has values that are no numbers")
        return numbers

    def chain(self, node: int) -> list[int]:
        """A node and those above it."""
        found = [node]
        while found[-1] in self._above:
            found.append(self._above[found[-1]])
            if len(found) > len(self.nodes):
                raise ValueError("nodes are above one another in a circle")
        return found

    def times(self, chain: list[int]) -> list[float]:
        """The moments at which anything of a chain has a key."""
        keys = [moved.times for (node, _), moved in self._moves.items() if node in chain]
        return sorted({float(time) for times in keys for time in times})

    def placed(self, chain: list[int], time: float) -> Floats:
        """Where a node is at a moment: 4x4, its own places to those of the scene."""
        made = np.eye(4)
        for number in chain:
            made = self._own(number, time) @ made
        return made

    def _own(self, number: int, time: float) -> Floats:
        node = self.nodes[number]
        if "matrix" in node:
            return np.array(node["matrix"], np.float64).reshape(4, 4).T
        parts = {"translation": (0.0, 0, 0), "rotation": (0.0, 0, 0, 1), "scale": (1.0, 1, 1)}
        move, turn, scale = (
            self._moves[number, part].at(time)
            if (number, part) in self._moves
            else np.array(node.get(part, rest), float)
            for part, rest in parts.items()
        )
        made = np.eye(4)
        made[:3, :3] = Rotation.from_quat(turn).as_matrix() * scale
        made[:3, 3] = move
        return made


def _flight(scene: _Scene, node: int, at: tuple[float, float], metre: float, aspect: float) -> Flight | None:
    chain = scene.chain(node)
    times = scene.times(chain)
    if len(times) < 2:
        return None
    name = str(scene.nodes[node].get("name") or "Camera")[:120]
    lens = scene._document["cameras"][scene.nodes[node]["camera"]]
    focals = lens.get("extras", {}).get("focal", [])
    if len(focals) != len(times):
        view = lens["perspective"]
        wide = math.tan(float(view["yfov"]) / 2) * float(view.get("aspectRatio", aspect))
        focals = [FILM_BACK / 2 / wide] * len(times)
    given: list[Given] = []
    for time, focal in zip(times, focals, strict=True):
        if not 8 <= float(focal) <= 400:
            raise BadTrack(f"the lens of “{name}” is none that a film can have, 8 to 400 mm: {float(focal):g} mm.")
        pose = _pose(scene.placed(chain, time), at, metre, float(focal), given[-1].pose.heading if given else 0.0)
        given.append(Given(time - times[0], pose))
    flat = any(one.pose.tilt > MAX_TILT - 1e-6 for one in given)
    return Flight(name, tuple(given), (HORIZON.format(name),) if flat else ())


def _pose(placed: Floats, at: tuple[float, float], metre: float, focal: float, before: float) -> Pose:
    """The camera of a place in the scene; its heading is the turn nearest to the one before."""
    # East, north and up, of the camera's right, its up, and where it looks.
    right, up, forward = (
        np.array([axis[0], -axis[2], axis[1]]) / max(float(np.linalg.norm(axis)), 1e-12)
        for axis in (placed[:3, 0], placed[:3, 1], -placed[:3, 2])
    )
    east, north, high = placed[0, 3], -placed[2, 3], placed[1, 3]
    if high <= 0:
        raise BadTrack("the camera goes below the ground, which is where its scene is 0 high.")
    tilt = math.degrees(math.acos(float(np.clip(-forward[2], -1, 1))))
    ahead = up if tilt < 0.01 else forward
    heading = math.degrees(math.atan2(ahead[0], ahead[1]))
    level, upward, _ = Pose(0, 0, 1, tilt, heading).axes()
    roll = math.degrees(math.atan2(-float(right @ upward), float(right @ level)))
    eye = float(at[0] + metre * east), float(at[1] + metre * north), float(metre * high)
    return standing(eye, heading, tilt, roll, focal, before)
