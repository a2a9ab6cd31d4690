"""A clip made for The Night Post: the light at Ebbing, seen from the water."""

from __future__ import annotations

import math
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

WIDTH, HEIGHT, RATE, SECONDS = 960, 600, 25, 4


def write_postcard(path: Path, fine: float = 1.0) -> None:
    """Write the clip, MP4, so many times as fine."""
    width, height = (2 * round(side * fine / 2) for side in (WIDTH, HEIGHT))
    with av.open(str(path), "w", options={"movflags": "faststart"}) as container:
        stream = container.add_stream("libx264", rate=RATE, options={"crf": "18", "preset": "veryfast"})
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        for number in range(RATE * SECONDS):
            frame = av.VideoFrame.from_ndarray(picture(number / RATE, width, height), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def picture(seconds: float, width: int = WIDTH, height: int = HEIGHT) -> NDArray[np.uint8]:
    """What the clip shows at a moment, (height, width, 3)."""
    horizon, tower = HEIGHT * 0.62, WIDTH * 0.6
    lamp, turn = (tower, HEIGHT * 0.245), 2 * math.pi * seconds / SECONDS
    rows, x = _middles(height, HEIGHT)[:, None], _middles(width, WIDTH)[None]
    y = rows[rows[:, 0] < horizon]
    up = (y / horizon)[..., None]
    sky = _rgb(18, 28, 58) * (1 - up) + _rgb(196, 118, 92) * up**2.2 + _rgb(24, 26, 44) * up * (1 - up)
    # Bands of cloud that drift.
    drift = sum(
        np.sin((x * a + seconds * 14 * a) / 90 + y / b + c)
        for a, b, c in ((1.0, 23.0, 0.3), (1.7, 14.0, 2.1), (0.6, 31.0, 4.0))
    )
    sky = sky * (1 - 0.12 * np.clip(drift / 3, 0, 1)[..., None])
    sky += _beam(x, y, lamp, turn)[..., None] * _rgb(255, 226, 160)
    # The sea, whose waves are longer the nearer they are.
    y = rows[rows[:, 0] >= horizon]
    near = np.clip((y - horizon) / (HEIGHT - horizon), 1e-3, 1)
    depth = 1 / near
    wave = np.sin(26 * depth + 3.1 * seconds + np.sin(x / 60 * near) * 2) + np.sin(
        41 * depth - 2.2 * seconds + x / 37 * near
    )
    sea = _rgb(22, 38, 62) + ((1 - near) ** 2)[..., None] * _rgb(120, 84, 82)
    glint = np.clip(wave, 0, 2)[..., None] * _rgb(9, 7.2, 6.3)
    road = np.exp(-(((x - tower) / (20 + 190 * near)) ** 2)) * (0.35 + 0.65 * max(math.cos(turn), 0) ** 4)
    sea = sea + glint + (road * np.clip(wave - 0.2, 0, 2))[..., None] * _rgb(90, 76, 46)
    frame = np.clip(np.vstack([sky, sea]), 0, 255).astype(np.uint8)
    return _tower(frame, lamp, turn)


def _middles(count: int, side: int) -> NDArray[np.float32]:
    """Where so many pixels lie along a side of the clip."""
    return ((np.arange(count, dtype=np.float32) + np.float32(0.5)) * np.float32(side / count)) - np.float32(0.5)


def _rgb(*colour: float) -> NDArray[np.float32]:
    return np.array(colour, np.float32)


def _beam(
    x: NDArray[np.float32], y: NDArray[np.float32], lamp: tuple[float, float], turn: float
) -> NDArray[np.float32]:
    """The light in the air: two beams that turn, seen from below, and a glow about the lamp."""
    dx, dy = x - lamp[0], y - lamp[1]
    away = np.hypot(dx, dy) + 1
    light = 0.75 * np.exp(-away / 26)
    for half in (0.0, math.pi):
        across, towards = math.sin(turn + half), math.cos(turn + half)
        # It sweeps from one side to the other, and is widest where it comes at one.
        side = np.where(dx * across > 0, np.abs(dx), 1e6)
        width = 6 + np.abs(dx) * (0.05 + 0.3 * max(towards, 0))
        light = light + 0.5 * abs(across) * np.exp(-(((dy + 0.03 * side) / width) ** 2)) * np.exp(-side / 420)
        light = light + 1.1 * max(towards, 0) ** 12 * np.exp(-away / 130)
    return np.asarray(light, np.float32)


def _tower(frame: NDArray[np.uint8], lamp: tuple[float, float], turn: float) -> NDArray[np.uint8]:
    """The rock, the tower, and its lantern, before the light."""
    made, by = np.ascontiguousarray(frame), len(frame) / HEIGHT
    foot, (u, v) = HEIGHT * 0.63, lamp

    def fill(points: list[tuple[float, float]], colour: tuple[int, int, int]) -> None:
        spots = np.round(np.array(points) * 16 * by).astype(np.int32)
        cv2.fillPoly(made, [spots], colour, cv2.LINE_AA, 4)

    rock = [(u - 250, foot + 26), (u - 190, foot - 6), (u - 120, foot - 22), (u - 60, foot - 44), (u + 40, foot - 50),
            (u + 110, foot - 28), (u + 170, foot - 18), (u + 240, foot + 22)]  # fmt: skip
    fill(rock, (20, 22, 30))
    fill([(u - 30, foot - 40), (u - 19, v + 22), (u + 19, v + 22), (u + 30, foot - 40)], (34, 34, 44))
    fill([(u - 25.5, foot - 96), (u - 22.3, foot - 142), (u + 22.3, foot - 142), (u + 25.5, foot - 96)], (118, 44, 40))
    fill([(u - 26, v + 22), (u - 26, v + 16), (u + 26, v + 16), (u + 26, v + 22)], (22, 22, 30))
    glow = 150 + int(105 * max(math.cos(turn), math.cos(turn + math.pi)) ** 4)
    fill(
        [(u - 12, v + 16), (u - 12, v - 10), (u + 12, v - 10), (u + 12, v + 16)],
        (glow, int(glow * 0.9), int(glow * 0.62)),
    )
    fill([(u - 17, v - 10), (u, v - 28), (u + 17, v - 10)], (22, 22, 30))
    fill(
        [(u + 60, foot - 34), (u + 60, foot - 66), (u + 88, foot - 82), (u + 116, foot - 66), (u + 116, foot - 30)],
        (28, 28, 37),
    )
    fill([(u + 78, foot - 44), (u + 78, foot - 58), (u + 90, foot - 58), (u + 90, foot - 44)], (236, 190, 112))
    return made
