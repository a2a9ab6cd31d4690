"""Pictures of films and of scenes put together by hand, as tests need them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import cv2
import numpy as np

from yaila.core.camera import FrameSize, Pose, Track, View
from yaila.core.camera.pace import moves
from yaila.core.film import Choreography, Film, Scene
from yaila.core.film import scene_at as scene_at_time
from yaila.core.imagery import PageStore, Pyramid
from yaila.core.picture import Kit, PlateLayer, Quality, Renderer, Request
from yaila.core.picture import draw as draw_layers
from yaila.core.picture.optics import Optics
from yaila.core.picture.render import PASSES, Work, plates
from yaila.core.time import ZERO, Time


def track_of(choreography: Choreography) -> Track:
    """The camera at every frame of a film."""
    return choreography.camera.at(np.arange(choreography.frames, dtype=np.float64))


def motion(track: Track, size: FrameSize) -> np.ndarray:
    """How far the picture moves from each moment to the next, frame widths: its middle, and the fastest of it."""
    moved = moves(track.part(slice(None, -1)), track.part(slice(1, None)), size)
    return np.stack([moved[:, 0], moved.max(axis=1)], axis=1)


def scene_at(film: Film, choreography: Choreography, frame: float) -> Scene:
    """The scene at a frame."""
    return scene_at_time(film, choreography, Time(frame))


def draw_scene(frame: np.ndarray, scene: Scene, pose: Pose, film: Film, kit: Kit = Kit()) -> np.ndarray:  # noqa: B008
    """A frame, (height, width, 3), with the marks of a scene over it."""
    height, width = frame.shape[:2]
    size = FrameSize(width, height)
    pixels = cv2.cvtColor(frame, cv2.COLOR_RGB2RGBA)
    view = View.of(pose, size, width / film.frame.width)
    work = Work(
        Request(film, ZERO, size),
        scene,
        view,
        view,
        Optics(view, Quality.FINAL),
        Renderer(_nothing, PageStore(1), kit),
        pixels=pixels,
    )
    for one in PASSES:
        if one is not plates:
            one(work)
    return work.pixels[..., :3]


def centroid(light: np.ndarray) -> tuple[float, float]:
    """The middle of light, (height, width), across and down."""
    rows, columns = (np.arange(side) + 0.5 for side in light.shape)
    return float(light.sum(0) @ columns / light.sum()), float(light.sum(1) @ rows / light.sum())


def picture_of(
    film: Film,
    pose: Pose,
    size: FrameSize,
    quality: Quality,
    open_picture: Callable[[str], Pyramid],
    store: PageStore,
    scene: Scene | None = None,
) -> np.ndarray:
    """What a pose sees of a film, (height, width, 3); of a scene put together by hand, with the film's plates."""
    scene = scene or Scene()
    shown = tuple(plate for plate in film.plates if plate.in_film)
    view = View.of(pose, size, size.width / film.frame.width)
    work = Work(
        Request(film, ZERO, size, quality),
        replace(scene, plates=scene.plates or shown),
        view,
        view,
        Optics(view, quality),
        Renderer(open_picture, store),
    )
    for one in PASSES:
        one(work)
    return work.pixels[..., :3]


def draw(
    layers: Sequence[PlateLayer],
    pose: Pose,
    size: FrameSize,
    background: tuple[int, int, int],
    quality: Quality,
    pages: PageStore,
) -> np.ndarray:
    """Layers as a pose sees them, (height, width, 3)."""
    return draw_layers(layers, View.of(pose, size), (*background, 255), quality, pages)[..., :3]


def _nothing(key: str) -> Pyramid:
    raise AssertionError(f"a picture was asked for: {key}")


def over(layers: list[np.ndarray]) -> np.ndarray:
    """Layers laid over one another, the first at the bottom: premultiplied RGBA, on encoded values."""
    total = layers[0].astype(np.float32)
    for layer in layers[1:]:
        total = layer + total * (1 - layer[..., 3:].astype(np.float32) / 255)
    return np.asarray(np.clip(total + 0.5, 0, 255), np.uint8)
