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
        picture += cv2.resize(noise, (width, height), interpolation=cv2.INTER_CUBIC) * (5 + 3 * octave)
    return np.clip(picture, 0, 255).astype(np.uint8)


def true_picture(plate: np.ndarray, scale: float, pose, width: int, height: int, background=(0, 0, 0)) -> np.ndarray:
    """The frame as float64, (height, width, 3), of one upright plate whose lower left corner lies at the origin."""
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
    eye = np.array([pose.x, pose.y, 0.0]) + distance * back
    total = np.zeros((height, width, 3))
    plate = plate.astype(np.float32)
    rows, columns = np.mgrid[0:height, 0:width].astype(np.float64)
    for sub_row in range(GRID):
        for sub_column in range(GRID):
            across = (columns + (sub_column + 0.5) / GRID - width / 2) / width * 36.0 / pose.focal
            above = (height / 2 - rows - (sub_row + 0.5) / GRID) / width * 36.0 / pose.focal
            rays = across[..., None] * right + above[..., None] * up - back
            far = -eye[2] / rays[..., 2]
            x, y = eye[0] + far * rays[..., 0], eye[1] + far * rays[..., 1]
            column = (x / scale - 0.5).astype(np.float32)
            row = (plate.shape[0] - y / scale - 0.5).astype(np.float32)
            seen = cv2.remap(plate, column, row, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
            outside = (x < 0) | (y < 0) | (x > plate.shape[1] * scale) | (y > plate.shape[0] * scale)
            outside |= rays[..., 2] >= 0
            seen[outside] = background
            total += seen
    return total / GRID**2


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    """Peak signal-to-noise ratio of two 8-bit pictures, dB."""
    error = np.mean((one.astype(np.float64) - other.astype(np.float64)) ** 2)
    return 10 * math.log10(255**2 / max(error, 1e-12))
