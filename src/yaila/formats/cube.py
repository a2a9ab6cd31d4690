"""Grades as .cube files (Adobe, "Cube LUT Specification Version 1.0", 2013), from other programs and for them."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from yaila.core.colour.grading import Cube
from yaila.core.errors import BadEdit

MOST_SIDE = 129
"""The longest side of a table that is read: 65 is common, and 129 are 26 MB."""

MOST_ROWS = 65_536
"""Of a table of one dimension, as the specification says."""

SIDE_OF_CURVES = 65
"""A table of one dimension is kept as one of three with so many places a side."""


def cube_text(table: NDArray[np.float32], title: str) -> str:
    """A table (n, n, n, 3) of encoded red, green and blue as the text of a .cube file, red running first."""
    quoted = title.replace('"', "'").replace("\n", " ")[:200]
    head = [f'TITLE "{quoted}"', f"LUT_3D_SIZE {len(table)}", "DOMAIN_MIN 0.0 0.0 0.0", "DOMAIN_MAX 1.0 1.0 1.0"]
    rows = table.transpose(2, 1, 0, 3).reshape(-1, 3)
    return "\n".join([*head, *(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in rows.tolist())]) + "\n"


def read_cube(data: bytes, name: str, key: str) -> Cube:
    """The table of a .cube file, of three dimensions or of one.

    Args:
        key: what it is told apart by.

    Raises:
        BadEdit: it is no such file, or not whole.
    """
    try:
        lines = data.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError:
        raise BadEdit(f"“{name}” is not a text file, so it is no .cube table.") from None
    size, cubic, bounds = 0, True, [(0.0, 0.0, 0.0), (1.0, 1.0, 1.0)]
    rows: list[tuple[str, list[str]]] = []
    for number, line in enumerate(lines, 1):
        words = line.split("#", 1)[0].split()
        if not words or words[0] == "TITLE":
            continue
        where = f"“{name}”, line {number}"
        if words[0] in ("LUT_3D_SIZE", "LUT_1D_SIZE"):
            cubic, size = words[0] == "LUT_3D_SIZE", _size(words, where)
        elif words[0] in ("DOMAIN_MIN", "DOMAIN_MAX"):
            bounds[words[0] == "DOMAIN_MAX"] = _three(words[1:], where)
        elif words[0] in ("LUT_3D_INPUT_RANGE", "LUT_1D_INPUT_RANGE"):
            low, high = (_three([word] * 3, where) for word in [*words[1:], "", ""][:2])
            bounds = [low, high]
        elif words[0][0].isalpha():
            raise BadEdit(f"{where}: “{words[0][:30]}” is not a word of the .cube format.")
        else:
            rows.append((where, words))
    if not size:
        raise BadEdit(f"“{name}” does not say how large its table is (LUT_3D_SIZE). It is no .cube table, or damaged.")
    wanted = size**3 if cubic else size
    if len(rows) != wanted:
        raise BadEdit(f"“{name}” has {len(rows):,} colours, where its size of {size} asks for {wanted:,}.")
    if any(low >= high for low, high in zip(*bounds, strict=True)):
        raise BadEdit(f"“{name}”: DOMAIN_MIN is not below DOMAIN_MAX.")
    values = _numbers(rows)
    table = values.reshape(size, size, size, 3).transpose(2, 1, 0, 3) if cubic else _of_curves(values)
    return Cube(key, np.ascontiguousarray(table), bounds[0], bounds[1])


def _numbers(rows: list[tuple[str, list[str]]]) -> NDArray[np.float32]:
    """All colours of a table, (n, 3)."""
    try:
        values = np.array([words for _, words in rows], np.float64)
    except ValueError:
        values = np.zeros((0, 0))
    if values.shape != (len(rows), 3) or not (np.isfinite(values) & (np.abs(values) < 1e6)).all():
        # One by one, to say where it goes wrong.
        values = np.array([_three(words, where) for where, words in rows])
    return np.asarray(values, np.float32)


def _size(words: list[str], where: str) -> int:
    most = MOST_SIDE if words[0] == "LUT_3D_SIZE" else MOST_ROWS
    if len(words) != 2 or not words[1].isascii() or not words[1].isdigit() or not 2 <= int(words[1][:9]) <= most:
        raise BadEdit(f"{where}: a table’s size is a whole number from 2 to {most:,}.")
    return int(words[1])


def _three(words: list[str], where: str) -> tuple[float, float, float]:
    try:
        red, green, blue = map(float, words)
    except ValueError:
        raise BadEdit(f"{where}: here should be three numbers.") from None
    if not all(math.isfinite(value) and abs(value) < 1e6 for value in (red, green, blue)):
        raise BadEdit(f"{where}: a number is not finite.")
    return red, green, blue


def _of_curves(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """A table of three dimensions of a curve for each channel."""
    at = np.linspace(0, len(values) - 1, SIDE_OF_CURVES)
    curves = [np.interp(at, np.arange(len(values)), values[:, c]) for c in range(3)]
    return np.asarray(np.stack(np.meshgrid(*curves, indexing="ij"), axis=-1), np.float32)
