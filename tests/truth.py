"""Brute-force pictures of the ground, for checks: every frame pixel is the mean of 8 x 8 rays.

Shares no code with the engine: rays are cast from the eye by plain vector geometry, meet the plane z = 0, and
read the full-size plate bilinearly through OpenCV's remap.
"""

from __future__ import annotations

import math
from functools import lru_cache

import cv2
import numpy as np

GRID = 8


def fine_texture(width: int, height: int, seed: int = 1) -> np.ndarray:
    """A picture with detail at every scale down to single pixels, roughly as strong per octave as aerial imagery."""
    return _fine_texture(width, height, seed).copy()


@lru_cache(maxsize=16)
def _fine_texture(width: int, height: int, seed: int) -> np.ndarray:
    random = np.random.default_rng(seed)
    picture = np.full((height, width, 3), 128, np.float32)
    for octave in range(8):
        step = 2**octave
        noise = random.normal(size=(height // step + 2, width // step + 2, 3)).astype(np.float32)
        cv2.scaleAdd(
            cv2.resize(noise, (width, height), interpolation=cv2.INTER_CUBIC), 5 + 3 * octave, picture, picture
        )
    return np.clip(picture, 0, 255, out=picture).astype(np.uint8)


def true_picture(plate: np.ndarray, scale: float, pose, width: int, height: int, background=(0, 0, 0)) -> np.ndarray:
    """The frame as float64, (height, width, 3), of one upright plate whose lower left corner lies at the origin."""
    total = np.zeros((height, width, 3))
    plate = plate.astype(np.float32, copy=False)
    for sub_row in range(GRID):
        for sub_column in range(GRID):
            place = ((sub_column + 0.5) / GRID, (sub_row + 0.5) / GRID)
            total += _rays(plate, scale, pose, (width, height), place, background=background)
    return total / GRID**2


def true_lens_picture(
    plate: np.ndarray, scale: float, pose, width: int, height: int, diameter: float, focus: float, points: int = 256
) -> np.ndarray:
    """The same through a lens of a diameter, ground units, in focus at a distance along the line of sight: the mean, in
    linear light, of rays from so many points of its disc; encoded, 0..255, float64."""
    random = np.random.default_rng(7)
    total = np.zeros((height, width, 3))
    light = _decoded(plate / 255).astype(np.float32)
    side = round(math.sqrt(points))
    for k in range(side * side):
        radius = math.sqrt((k // side + random.random()) / side) * diameter / 2
        angle = (k % side + random.random()) / side * 2 * math.pi
        lens = (radius * math.cos(angle), radius * math.sin(angle))
        total += _rays(light, scale, pose, (width, height), random.random(2), lens, focus)
    return _encoded(total / side**2) * 255


def _rays(plate, scale, pose, size, place, lens=(0.0, 0.0), focus=1.0, background=(0, 0, 0)) -> np.ndarray:
    """What one ray through each pixel meets: at a place within it, from a point of the lens, right and up of its middle
    in ground units, through where the middle's ray meets the plane of focus."""
    width, height = size
    tilt, heading, roll = math.radians(pose.tilt), math.radians(pose.heading), math.radians(pose.roll)
    distance = pose.span * pose.focal / 36.0
    # Start looking straight down with north up, tilt about the east axis, then turn to the heading.
    right, up, back = np.eye(3)
    up, back = (
        math.cos(tilt) * up + math.sin(tilt) * back,
        math.cos(tilt) * back - math.sin(tilt) * up,
    )
    turn = np.array(
        [
            [math.cos(heading), math.sin(heading), 0],
            [-math.sin(heading), math.cos(heading), 0],
            [0, 0, 1],
        ]
    )
    right, up, back = turn @ right, turn @ up, turn @ back
    right, up = math.cos(roll) * right - math.sin(roll) * up, math.sin(roll) * right + math.cos(roll) * up
    eye = np.array([pose.x, pose.y, 0.0]) + distance * back + lens[0] * right + lens[1] * up
    across = (np.arange(width) + place[0] - width / 2) / width * 36.0 / pose.focal - lens[0] / focus
    above = (height / 2 - np.arange(height) - place[1]) / width * 36.0 / pose.focal - lens[1] / focus
    east, north, high = (across * right[k] + (above * up[k] - back[k])[:, None] for k in range(3))
    far = -eye[2] / high
    x, y = eye[0] + far * east, eye[1] + far * north
    column = (x / scale - 0.5).astype(np.float32)
    row = (plate.shape[0] - y / scale - 0.5).astype(np.float32)
    seen = cv2.remap(plate, column, row, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    outside = (x < 0) | (y < 0) | (x > plate.shape[1] * scale) | (y > plate.shape[0] * scale)
    outside |= high >= 0
    seen[outside] = background
    return seen


def _decoded(values: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1."""
    return np.where(values <= 0.04045, values / 12.92, ((np.maximum(values, 0) + 0.055) / 1.055) ** 2.4)


def _encoded(light: np.ndarray) -> np.ndarray:
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0) ** (1 / 2.4) - 0.055)


def mean_light(pictures: list[np.ndarray]) -> np.ndarray:
    """The mean of 8-bit pictures in linear light, encoded again, 0..255, float64."""
    light = _decoded(np.arange(256) / 255)
    return _encoded(np.mean([light[one] for one in pictures], axis=0)) * 255


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    """Peak signal-to-noise ratio of two 8-bit pictures, dB."""
    error = np.mean((one.astype(np.float64) - other.astype(np.float64)) ** 2)
    return 10 * math.log10(255**2 / max(error, 1e-12))
