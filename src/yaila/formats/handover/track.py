"""The camera at every frame, as numbers."""

from __future__ import annotations

import csv
import io
from typing import Any

from yaila.core.film import Film, choreograph
from yaila.core.time import Time


def track_rows(film: Film) -> list[dict[str, Any]]:
    """A row for each frame; ``matrix`` takes ground coordinates (x, y, 1) to frame pixels, row by row."""
    choreography = choreograph(film)
    rows = []
    for frame in range(choreography.frames):
        pose = choreography.pose(Time(frame))
        eye = pose.eye()
        rows.append(
            {
                "frame": frame,
                "time": float(film.fps.seconds(frame)),
                "x": pose.x,
                "y": pose.y,
                "span": pose.span,
                "tilt": pose.tilt,
                "heading": pose.heading,
                "roll": pose.roll,
                "focal": pose.focal,
                "eye_x": eye[0],
                "eye_y": eye[1],
                "eye_height": eye[2],
                "matrix": pose.frame_from_ground(film.frame.size).ravel().tolist(),
            }
        )
    return rows


def track_csv(film: Film) -> str:
    """The same as CSV, the matrix in nine columns."""
    rows, out = track_rows(film), io.StringIO()
    names = [*list(rows[0])[:-1], *(f"m{i}{j}" for i in range(3) for j in range(3))] if rows else []
    writer = csv.writer(out)
    writer.writerow(names)
    writer.writerows([*list(row.values())[:-1], *row["matrix"]] for row in rows)
    return out.getvalue()
