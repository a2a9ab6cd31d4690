"""Draws docs/manners.svg: where the goal of a passage is in the frame, over its time, for each manner.

A zoom without sideways drift takes its goal to the middle along a straight line, and no line has a kink.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from yaila.core.camera.manners import Follow, Glide, Hop, Orbit, Rail, RailPoint, Skim, Steps
from yaila.core.film import Duration, Film, Passage, Route, RoutePoint, Vantage, choreograph

OUT = Path(__file__).parents[1] / "docs" / "manners.svg"
FRAMES = 120
ROUTE = Route(id="r", points=[RoutePoint(x=x, y=y) for x, y in ((0, 0), (2500, 1800), (5200, 700), (8000, 3000))])
SPANS = {"zoom": (6000.0, 300.0), "pan": (2500.0, 2500.0)}
CASES = [
    ("Glide", Glide(), {}, {}, SPANS["zoom"]),
    ("Hop", Hop(), {}, {}, (900.0, 300.0)),
    ("Steps", Steps(count=3, rest=20), {}, {}, SPANS["zoom"]),
    ("Orbit", Orbit(), {"tilt": 50.0}, {"tilt": 50.0, "heading": 120.0}, SPANS["zoom"]),
    ("Skim", Skim(), {"tilt": 65.0, "heading": 69.0}, {"tilt": 65.0, "heading": 69.0}, SPANS["pan"]),
    ("Follow", Follow(route="r"), {}, {}, SPANS["pan"]),
    ("Rail", Rail(points=(RailPoint(x=2500, y=-2600, z=3200),)), {"tilt": 30.0}, {"tilt": 55.0}, SPANS["zoom"]),
]
WIDE, HIGH, GAP = 200, 130, 24


def goal_in_frame(manner: object, start: dict, end: dict, spans: tuple[float, float]) -> np.ndarray:
    """Where the next vantage's target is, (frames, 2) in shares of the frame's width and height from the middle."""
    film = Film(
        vantages=[
            Vantage(
                x=0, y=0, span=spans[0], hold=0, **start,
                passage=Passage(manner=manner, duration=Duration(unit="frames", value=FRAMES)),
            ),
            Vantage(x=8000, y=3000, span=spans[1], hold=0, **end),
        ],
        routes=[ROUTE],
    )  # fmt: skip
    choreography = choreograph(film)
    track = choreography.camera.at(np.arange(choreography.frames, dtype=np.float64))
    places = []
    for k in range(len(track)):
        u, v, w = track.pose(k).frame_from_ground(film.frame.size) @ np.array([8000.0, 3000.0, 1.0])
        places.append((u / w / film.frame.width - 0.5, v / w / film.frame.height - 0.5))
    return np.array(places)


def main() -> None:
    """Draw the sheet."""
    rows = []
    for number, (name, manner, start, end, spans) in enumerate(CASES):
        left, top = 14 + (number % 4) * (WIDE + GAP), 34 + (number // 4) * (HIGH + 54)
        places = goal_in_frame(manner, start, end, spans)
        rows.append(f'<text x="{left}" y="{top - 10}" class="n">{name}</text>')
        rows.append(f'<rect x="{left}" y="{top}" width="{WIDE}" height="{HIGH}" class="b"/>')
        rows.append(f'<path d="M{left} {top + HIGH / 2}h{WIDE}" class="m"/>')
        most = max(float(np.abs(places).max()), 0.5)
        for axis, style in ((0, "x"), (1, "y")):
            line = " ".join(
                f"{left + k / (len(places) - 1) * WIDE:.1f},{top + HIGH / 2 + place / most * HIGH / 2:.1f}"
                for k, place in enumerate(places[:, axis])
            )
            rows.append(f'<polyline points="{line}" class="{style}"/>')
        rows.append(f'<text x="{left}" y="{top + HIGH + 14}" class="s">± {most:.2g} frames</text>')
    wide, high = 4 * (WIDE + GAP) + 10, 2 * (HIGH + 54) + 20
    style = (
        "text{font:11px sans-serif;fill:#14242d}.n{font-weight:600}.s{fill:#5b6b70}.b{fill:#fdfefb;stroke:#c4ccc8}"
        ".m{stroke:#c4ccc8;stroke-dasharray:2 3}polyline{fill:none;stroke-width:1.8}"
        ".x{stroke:#d0104c}.y{stroke:#0b7d74}"
    )
    legend = (
        f'<text x="{14 + 3 * (WIDE + GAP)}" y="{high - 110}" class="n">Where the goal is in the frame, over time</text>'
        f'<text x="{14 + 3 * (WIDE + GAP)}" y="{high - 92}" style="fill:#d0104c">across, in frame widths</text>'
        f'<text x="{14 + 3 * (WIDE + GAP)}" y="{high - 76}" style="fill:#0b7d74">down, in frame heights</text>'
    )
    OUT.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {wide} {high}" width="{wide}" height="{high}">'
        f'<style>{style}</style><rect width="{wide}" height="{high}" fill="#f6f7f3"/>{legend}{"".join(rows)}</svg>\n'
    )


if __name__ == "__main__":
    main()
