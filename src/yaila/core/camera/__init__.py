"""The camera: lens, pose, the manners of moving between poses, and what comes on top."""

from yaila.core.camera.extras import Breath, Opening, Shake, Spin
from yaila.core.camera.lens import Aperture
from yaila.core.camera.manners import AnyManner, Manner, Move
from yaila.core.camera.passages import path_length
from yaila.core.camera.pose import MAX_TILT, FrameSize, Pose
from yaila.core.camera.timing import Settle, Timing
from yaila.core.camera.track import Track
from yaila.core.camera.view import NEAR, View

__all__ = [
    "MAX_TILT", "NEAR", "AnyManner", "Aperture", "Breath", "FrameSize", "Manner", "Move", "Opening", "Pose",
    "Settle", "Shake", "Spin", "Timing", "Track", "View", "path_length",
]  # fmt: skip
