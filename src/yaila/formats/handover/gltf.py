"""A film's camera, plates and marks as a scene in space (Khronos glTF 2.0), in metres, one file with all in it.

Ground to the east is X, up is Y, to the north is -Z, as glTF has it, counted from the first vantage. On a georeferenced
ground Mercator metres are shortened to true ones as they are there. The camera has a key for every frame; its lens is
that of the first, as glTF does not let it change, and ``extras`` has the focal length of every frame.
"""

from __future__ import annotations

import base64
import json
import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import Pose
from yaila.core.errors import BadRender
from yaila.core.film import Film, Plate, choreograph
from yaila.core.ground.mercator import stretch_at
from yaila.core.ground.placement import through
from yaila.core.time import Time

FILM_BACK = 36.0
"""Millimetres that the frame is wide on the film, of which focal lengths are counted."""

GRID = 16
"""Cells along each side of a plate's surface."""

APART = 2e-5
"""How far plates lie above one another, of the widest span."""

FLOAT, SHORT = 5126, 5123

Floats = NDArray[np.float64]


class _Buffer:
    """Numbers of a file, one after the other, and what tells where they are."""

    def __init__(self) -> None:
        self.data, self.views, self.accessors = bytearray(), list[dict[str, Any]](), list[dict[str, Any]]()

    def add(self, values: NDArray[Any], kind: str, component: int, bounds: bool = False) -> int:
        """The accessor of some numbers, (n,) or (n, k)."""
        raw = np.ascontiguousarray(values, np.float32 if component == FLOAT else np.uint16)
        self.views.append({"buffer": 0, "byteOffset": len(self.data), "byteLength": raw.nbytes})
        self.data += raw.tobytes() + b"\0" * (-raw.nbytes % 4)
        accessor: dict[str, Any] = {
            "bufferView": len(self.views) - 1, "componentType": component, "count": len(raw), "type": kind,
        }  # fmt: skip
        if bounds:
            table = raw.reshape(len(raw), -1)
            accessor |= {"min": table.min(axis=0).tolist(), "max": table.max(axis=0).tolist()}
        self.accessors.append(accessor)
        return len(self.accessors) - 1

    def bytes_of(self, data: bytes) -> int:
        """The view of some bytes."""
        self.views.append({"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data)})
        self.data += data + b"\0" * (-len(data) % 4)
        return len(self.views) - 1


def gltf_text(film: Film, picture: Callable[[Plate], bytes | None] = lambda plate: None) -> str:
    """A film as the text of a ``.gltf`` file.

    Args:
        picture: a plate's picture as JPEG, small; plates without one are left out.

    Raises:
        BadRender: the film has no camera.
    """
    choreography = choreograph(film)
    if not choreography.frames:
        raise BadRender("The film has no vantage yet, so there is no camera to hand over. Add one in Fly.")
    poses = [choreography.pose(Time(frame)) for frame in range(choreography.frames)]
    first = poses[0]
    metre = stretch_at(first.y) if film.ground.kind == "mercator" else 1.0

    def placed(places: Floats) -> Floats:
        """Places (n, 3) of the ground and above it, in the scene."""
        x, y, z = ((places - [first.x, first.y, 0.0]) / metre).T
        return np.column_stack([x, z, -y])

    buffer = _Buffer()
    times = np.array([float(film.fps.seconds(frame)) for frame in range(len(poses))])
    eyes = placed(np.array([pose.eye() for pose in poses]))
    turns = _turns(poses)
    nodes: list[dict[str, Any]] = [
        {"name": "Camera", "camera": 0, "translation": eyes[0].tolist(), "rotation": turns[0].tolist()}
    ]
    sampled = buffer.add(times, "SCALAR", FLOAT, bounds=True)
    samplers = [
        {"input": sampled, "output": buffer.add(values, kind, FLOAT), "interpolation": "LINEAR"}
        for values, kind in ((eyes, "VEC3"), (turns, "VEC4"))
    ]
    channels = [
        {"sampler": number, "target": {"node": 0, "path": path}}
        for number, path in enumerate(("translation", "rotation"))
    ]
    aspect = film.frame.width / film.frame.height
    wide = 2 * math.atan(FILM_BACK / 2 / first.focal)
    camera = {
        "type": "perspective", "name": "Lens",
        "perspective": {"aspectRatio": aspect, "yfov": 2 * math.atan(math.tan(wide / 2) / aspect),
                        "znear": max(first.distance / metre / 1000, 0.01)},
        "extras": {"filmBack": FILM_BACK, "focal": [round(pose.focal, 4) for pose in poses]},
    }  # fmt: skip
    scene: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Yaila",
                  "extras": {"origin": [first.x, first.y], "unitsPerMetre": metre, "ground": film.ground.kind,
                             "rate": film.rate}},
        "scene": 0, "cameras": [camera], "nodes": nodes,
        "animations": [{"name": film.name, "samplers": samplers, "channels": channels}],
    }  # fmt: skip
    widest = max(pose.span for pose in poses)
    _add_plates(film, picture, placed, APART * widest, scene, buffer)
    for name, x, y, height in _marks(film):
        nodes.append({"name": name, "translation": placed(np.array([[x, y, height]]))[0].tolist()})
    scene["scenes"] = [{"name": film.name, "nodes": list(range(len(nodes)))}]
    data = base64.b64encode(bytes(buffer.data)).decode()
    scene |= {
        "buffers": [{"byteLength": len(buffer.data), "uri": f"data:application/octet-stream;base64,{data}"}],
        "bufferViews": buffer.views, "accessors": buffer.accessors,
    }  # fmt: skip
    return json.dumps(scene)


def _turns(poses: list[Pose]) -> Floats:
    """The camera's rotations as quaternions x, y, z, w, each the nearer one of two to the one before: it looks along
    its own -Z."""
    from scipy.spatial.transform import Rotation

    axes = np.array([pose.axes() for pose in poses]) * [[[1], [1], [-1]]]
    columns = np.stack([axes[..., 0], axes[..., 2], -axes[..., 1]], axis=1)
    turns = Rotation.from_matrix(columns).as_quat()
    for k in range(1, len(turns)):
        if turns[k] @ turns[k - 1] < 0:
            turns[k] = -turns[k]
    return np.asarray(turns)


def _add_plates(
    film: Film,
    picture: Callable[[Plate], bytes | None],
    placed: Callable[[Floats], Floats],
    apart: float,
    scene: dict[str, Any],
    buffer: _Buffer,
) -> None:
    at = np.linspace(0, 1, GRID + 1)
    v, u = (one.ravel() for one in np.meshgrid(at, at, indexing="ij"))
    row, column = np.divmod(np.arange(GRID * GRID), GRID)
    corner = row * (GRID + 1) + column
    # Seen from above they go round against the clock.
    faces = np.stack([corner, corner + GRID + 1, corner + 1, corner + 1, corner + GRID + 1, corner + GRID + 2], axis=1)
    meshes, materials, textures, images = [], [], [], []
    for number, plate in enumerate(one for one in film.plates if one.role in ("film", "floats") and one.is_seen):
        data = picture(plate)
        if data is None:
            continue
        width, height = plate.extent
        ground = through(plate.matrix, np.column_stack([u * width, v * height]))
        lift = float(plate.height) if plate.role == "floats" else number * apart
        corners = placed(np.column_stack([ground, np.full(len(ground), lift)]))
        attributes = {
            "POSITION": buffer.add(corners, "VEC3", FLOAT, bounds=True),
            "TEXCOORD_0": buffer.add(np.column_stack([u, v]), "VEC2", FLOAT),
        }
        images.append({"bufferView": buffer.bytes_of(data), "mimeType": "image/jpeg", "name": plate.name})
        textures.append({"source": len(images) - 1})
        materials.append(
            {"name": plate.name, "doubleSided": True, "extensions": {"KHR_materials_unlit": {}},
             "pbrMetallicRoughness": {"baseColorTexture": {"index": len(textures) - 1}, "metallicFactor": 0}}
        )  # fmt: skip
        primitive = {
            "attributes": attributes, "material": len(materials) - 1,
            "indices": buffer.add(faces.ravel(), "SCALAR", SHORT),
        }  # fmt: skip
        meshes.append({"name": plate.name, "primitives": [primitive]})
        scene["nodes"].append({"name": plate.name, "mesh": len(meshes) - 1})
    if meshes:
        scene |= {"meshes": meshes, "materials": materials, "textures": textures, "images": images,
                  "extensionsUsed": ["KHR_materials_unlit"]}  # fmt: skip


def _marks(film: Film) -> list[tuple[str, float, float, float]]:
    """Names, places and heights of what stands somewhere, with its first values."""
    from yaila.core.film.running import resting

    found = []
    marks: list[Any] = [*film.markers, *film.labels]
    for mark in marks:
        if getattr(mark, "stands", "") in ("frame", "route"):
            continue
        now = resting(mark)
        found.append((mark.name, float(now.x), float(now.y), float(getattr(now, "height", 0.0))))
    return found
