"""Scopes: what the colours of a picture measure, drawn to be read.

Brightness and colour differences are those of ITU-R BT.709 on encoded values, as a film has them.
"""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.colour.spaces import LUMINANCE

ScopeKind = Literal["waveform", "vectors", "histogram"]

PAPER = (32, 36, 38)
RULE = (72, 78, 80)
TRACE = np.array([232, 236, 228], np.float32)
CHANNELS = np.array([[235, 84, 74], [96, 204, 110], [92, 140, 250]], np.float32)

EDGE = 4
"""Pixels around what is drawn."""

Pixels = NDArray[np.uint8]


def luma(rgb: Pixels) -> NDArray[np.float32]:
    """Brightness of encoded colours, 0..1 (ITU-R BT.709, 3.2)."""
    return np.asarray(rgb.astype(np.float32) @ LUMINANCE.astype(np.float32) / 255, np.float32)


def differences(rgb: Pixels) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Colour differences, -0.5..0.5, towards blue and towards red (ITU-R BT.709, 3.3)."""
    bright, values = luma(rgb), rgb.astype(np.float32) / 255
    blue = (values[..., 2] - bright) / np.float32(1.8556)
    red = (values[..., 0] - bright) / np.float32(1.5748)
    return np.asarray(blue, np.float32), np.asarray(red, np.float32)


def clipped(rgb: Pixels) -> tuple[float, float]:
    """How many percent of a picture's pixels are quite black, and how many have a channel that is quite full."""
    count = max(rgb.shape[0] * rgb.shape[1], 1)
    return 100 * float((rgb.max(axis=-1) == 0).sum()) / count, 100 * float((rgb.max(axis=-1) == 255).sum()) / count


def scope(rgb: Pixels, kind: ScopeKind, width: int, height: int) -> Pixels:
    """A scope of a picture (n, m, 3) uint8, as a picture (height, width, 3)."""
    out = np.empty((height, width, 3), np.uint8)
    out[:] = PAPER
    inner = out[EDGE : height - EDGE, EDGE : width - EDGE]
    {"waveform": _waveform, "vectors": _vectors, "histogram": _histogram}[kind](rgb, inner)
    return out


def _bright(counts: NDArray[np.float32], full: float) -> NDArray[np.float32]:
    """How bright a trace is where it is met so often: few are seen too, many do not drown them."""
    return np.asarray(np.clip(np.log1p(counts) / np.log1p(full), 0, 1), np.float32)


def _laid(out: Pixels, trace: NDArray[np.float32], colour: NDArray[np.float32]) -> None:
    share = trace[..., None] if trace.ndim == 2 else trace
    out[:] = np.clip(out + share * (colour - out), 0, 255).astype(np.uint8)


def _waveform(rgb: Pixels, out: Pixels) -> None:
    rows, columns = out.shape[:2]
    for level in (0.0, 0.25, 0.5, 0.75, 1.0):
        out[round((1 - level) * (rows - 1))] = RULE
    bright = luma(rgb)
    row = np.rint((1 - bright) * (rows - 1)).astype(np.int64)
    column = np.broadcast_to(np.arange(rgb.shape[1]) * columns // rgb.shape[1], row.shape)
    counts = np.bincount((row * columns + column).ravel(), minlength=rows * columns).reshape(rows, columns)
    per_column = rgb.shape[0] * rgb.shape[1] / columns
    _laid(out, _bright(counts.astype(np.float32), per_column / 6), TRACE)


def _vectors(rgb: Pixels, out: Pixels) -> None:
    rows, columns = out.shape[:2]
    middle, reach = np.array([(columns - 1) / 2, (rows - 1) / 2]), (min(rows, columns) - 2) / 2
    at = tuple(np.rint(middle).astype(int).tolist())
    cv2.circle(out, at, int(reach), RULE, 1, cv2.LINE_AA)
    cv2.line(out, (at[0] - int(reach), at[1]), (at[0] + int(reach), at[1]), RULE, 1)
    cv2.line(out, (at[0], at[1] - int(reach)), (at[0], at[1] + int(reach)), RULE, 1)
    # Where the colours of bars at three quarters lie.
    bars = np.array([[[191, 0, 0], [191, 191, 0], [0, 191, 0], [0, 191, 191], [0, 0, 191], [191, 0, 191]]], np.uint8)
    for (x, y), colour in zip(_at(bars, middle, reach)[0].tolist(), bars[0].tolist(), strict=True):
        box = (round(x) - 3, round(y) - 3), (round(x) + 3, round(y) + 3)
        cv2.rectangle(out, *box, [min(c + 60, 255) for c in colour], 1)
    places = np.rint(_at(rgb, middle, reach)).astype(np.int64).reshape(-1, 2)
    index = np.clip(places[:, 1], 0, rows - 1) * columns + np.clip(places[:, 0], 0, columns - 1)
    counts = np.bincount(index, minlength=rows * columns).astype(np.float32)
    sums = np.stack([np.bincount(index, rgb[..., c].ravel(), rows * columns) for c in range(3)], axis=-1)
    mean = (sums / np.maximum(counts, 1)[:, None]).reshape(rows, columns, 3)
    _laid(out, _bright(counts.reshape(rows, columns), len(index) / 400), np.asarray(mean * 0.6 + 100, np.float32))


def _at(rgb: Pixels, middle: NDArray[np.float64], reach: float) -> NDArray[np.float64]:
    blue, red = differences(rgb)
    return np.stack([middle[0] + blue * 2 * reach, middle[1] - red * 2 * reach], axis=-1)


def _histogram(rgb: Pixels, out: Pixels) -> None:
    rows, columns = out.shape[:2]
    for share in (0.25, 0.5, 0.75):
        out[:, round(share * (columns - 1))] = RULE
    counts = np.stack([np.bincount(rgb[..., c].ravel(), minlength=256) for c in range(3)]).astype(np.float64)
    # What is quite black or white would make all else flat.
    full = max(float(np.percentile(counts[:, 1:255], 99.5)), 1.0)
    at = np.linspace(0, 255, columns)
    heights = np.array([np.interp(at, np.arange(256), np.sqrt(np.minimum(one / full, 1))) for one in counts])
    level = 1 - (np.arange(rows) + 0.5)[:, None, None] / rows
    filled = (level < heights.T[None]).astype(np.float32)
    mixed = filled @ CHANNELS / 1.6
    out[:] = np.clip(np.maximum(out * 0.75, mixed) + out * 0.25 * (filled.sum(axis=-1, keepdims=True) == 0), 0, 255)
