"""The lens: how large a point becomes that is not in focus (thin lens; any photographic handbook).

A lens of focal length f and f-number N, focused at s, draws a point at distance d as a disc, the *circle of confusion*,
whose diameter on the picture is ``f^2 |d - s| / (N d (s - f))``. Distances are counted along the optical axis. The
picture is 36 mm wide, so a millimetre of it is a 36th of the frame's width.

Seen over depths, the signed radius is straight in 1 / d: ``K (1 - s / d)`` with ``K = f^2 / (2 N (s - f))``. Over a
plane 1 / d is affine in the frame, and so is the radius; that is what the picture's lens rests on.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from yaila.core.camera.pose import FILM_BACK

SHARP = FILM_BACK / 1500
"""What still looks sharp, mm: a 1,500th of the frame's width (common practice for 36 mm: 0.025 to 0.03)."""

CLOSEST = 2.0
"""Nearer than so many focal lengths a lens does not focus: there, things are drawn as large as they are."""

WIDEST = 0.15
"""The widest radius of a circle that is drawn, in widths of the frame."""


def circle_of_confusion(focal: float, f_number: float, focus: float, distance: float) -> float:
    """Diameter on the picture of a point at a distance, mm; all lengths in mm, focus beyond the focal length."""
    return focal**2 * abs(distance - focus) / (f_number * distance * (focus - focal))


def hyperfocal(focal: float, f_number: float, circle: float = SHARP) -> float:
    """Focused here, all from half of it to infinity is sharp, mm: ``f^2 / (N c) + f``."""
    return focal**2 / (f_number * circle) + focal


def limits(focal: float, f_number: float, focus: float, circle: float = SHARP) -> tuple[float, float]:
    """The near and the far limit of what is sharp, mm; the far one may be infinite.

    ``s (H - f) / (H + s - 2 f)`` and ``s (H - f) / (H - s)``, with H the hyperfocal distance.
    """
    beyond = hyperfocal(focal, f_number, circle)
    near = focus * (beyond - focal) / (beyond + focus - 2 * focal)
    far = focus * (beyond - focal) / (beyond - focus) if focus < beyond else math.inf
    return near, far


@dataclass(frozen=True)
class Aperture:
    """A lens at work on a scene.

    Attributes:
        focal: focal length, mm on a 36 mm wide picture.
        f_number: how far it is open, > 0.
        focus: distance to the plane of focus along the line of sight, in distances to the target.
        target: distance to the target, mm of the model.
    """

    focal: float
    f_number: float
    focus: float
    target: float

    @property
    def focused(self) -> float:
        """Distance to the plane of focus, mm of the model; no lens focuses nearer than its focal length."""
        return max(self.focus * self.target, CLOSEST * self.focal)

    def widest(self, width: float) -> float:
        """Radius of the circle of what is infinitely far, pixels of a frame of a width; no wider than is drawn."""
        widest = width / FILM_BACK * self.focal**2 / (2 * self.f_number * (self.focused - self.focal))
        return min(widest, WIDEST * width)

    def radius(self, depth: float, width: float) -> float:
        """Signed radius of the circle of confusion of what is at a depth, in distances to the target; pixels of a frame
        of a width. Negative in front of the plane of focus."""
        return max(self.widest(width) * (1 - self.focused / self.target / depth), -WIDEST * width)

    @property
    def limits(self) -> tuple[float, float]:
        """Near and far limit of what is sharp, in distances to the target."""
        near, far = limits(self.focal, self.f_number, self.focused)
        return near / self.target, far / self.target
