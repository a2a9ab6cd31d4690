"""All marks of a scene, drawn by Skia in frame space under the camera, so that they are crisp at any zoom."""

from __future__ import annotations

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film, Scene
from yaila.core.picture.canvas import painted
from yaila.core.picture.kit import Kit
from yaila.core.picture.labels import draw_label, place_on_route
from yaila.core.picture.markers import draw_marker
from yaila.core.picture.regions import draw_regions
from yaila.core.picture.reveals import around, only_uncovered
from yaila.core.picture.routes import draw_route, draw_traveller


def draw_scene(
    frame: NDArray[np.uint8],
    scene: Scene,
    pose: Pose,
    film: Film,
    kit: Kit = Kit(),  # noqa: B008 - frozen
) -> NDArray[np.uint8]:
    """A frame, (height, width, 3) uint8, with the marks of a scene drawn over it.

    Lengths of looks are pixels of the film's frame.
    """
    height, width = frame.shape[:2]
    size, scale = FrameSize(width, height), width / film.frame.width
    if not (scene.regions or scene.routes or scene.markers or scene.labels):
        return frame

    def paint(canvas: skia.Canvas) -> None:
        draw_regions(canvas, frame, scene.regions, pose, film)
        for drawn in scene.routes:
            draw_route(canvas, drawn, pose, size, scale)
        for drawn in scene.routes:
            draw_traveller(canvas, drawn, pose, size, scale, kit)
        for marker in scene.markers:
            corners = around(marker.mark.place, pose)
            with only_uncovered(canvas, marker.uncovered, corners, pose, size, scale):
                draw_marker(canvas, marker, pose, size, scale, kit)
        for label in scene.labels:
            corners = around(place_on_route(label) if label.route else label.mark.place, pose)
            with only_uncovered(canvas, label.uncovered, corners, pose, size, scale):
                draw_label(canvas, label, pose, size, scale, kit.faces)

    return painted(frame, paint)
