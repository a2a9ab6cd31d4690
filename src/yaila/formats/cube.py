"""Grades as .cube files (Adobe, "Cube LUT Specification Version 1.0", 2013), for other programs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def cube_text(table: NDArray[np.float32], title: str) -> str:
    """A table (n, n, n, 3) of encoded red, green and blue as the text of a .cube file, red running first."""
    quoted = title.replace('"', "'").replace("\n", " ")[:200]
    head = [f'TITLE "{quoted}"', f"LUT_3D_SIZE {len(table)}", "DOMAIN_MIN 0.0 0.0 0.0", "DOMAIN_MAX 1.0 1.0 1.0"]
    rows = table.transpose(2, 1, 0, 3).reshape(-1, 3)
    return "\n".join([*head, *(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in rows.tolist())]) + "\n"
