"""Where marks can be taken hold of in the frame: the outlines of texts and signs at a moment."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import NEAR, View
from yaila.core.film import Choreography, Film
from yaila.core.film.scene import present_at
from yaila.core.picture.labels import box_of, seen_at
from yaila.core.picture.room import room_made
from yaila.core.time import Time
from yaila.core.type import Faces

LEAST = 16.0
"""What is smaller is taken hold of within so many pixels of the film's frame."""


@dataclass(frozen=True)
class Grasp:
    """A mark that is there at a moment, and the corners around it, (4, 2), shares of the frame's width and height."""

    mark: str
    corners: NDArray[np.float64]


def grasps_of(film: Film, choreography: Choreography, time: Time, faces: Faces) -> list[Grasp]:
    """The texts and signs in the frame at a moment, the upper ones last. One of a mark that is just coming or going is
    where all of it will be."""
    size = film.frame.size
    view = View.of(choreography.pose(time), size)
    found = []
    for marker in film.markers:
        present = present_at(film, choreography, marker, time)
        if not present:
            continue
        u, v, depth = view.spot(marker.place)
        if depth > NEAR:
            ground = present.look.ground * view.pixels_per_unit / depth
            wide = ground if present.look.scales == "ground" else present.look.size
            found.append((marker.id, np.array([u, v]) + _SQUARE * max(wide, LEAST) / 2))
    texts = [text for label in film.labels if (text := present_at(film, choreography, label, time))]
    away = room_made(texts, view, faces)
    for text in texts:
        if seen_at(text.mark, view.pose.span) > 0:
            spot = box_of(replace(text, scale=1.0), view, faces)
            if spot:
                found.append((text.mark.id, spot[0] + [0.0, away.get(text.mark.id, 0.0)]))
    whole = np.array([[0.0, 0.0], [size.width, size.height]])
    return [
        Grasp(key, np.asarray(corners / [size.width, size.height]))
        for key, corners in found
        if np.isfinite(corners).all() and (corners.min(axis=0) < whole[1]).all() and (corners.max(axis=0) > 0).all()
    ]


_SQUARE = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]])
