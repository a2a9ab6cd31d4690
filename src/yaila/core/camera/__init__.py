"""The camera: lens, pose, easing, the manners of moving between poses, and what comes on top."""

from yaila.core.camera.easing import PRESETS, STARTS, Ease, Settle, SpeedPoint, Timing
from yaila.core.camera.extras import Breath, Opening, Shake, Spin
from yaila.core.camera.manners import AnyManner, Manner, Move
from yaila.core.camera.passages import path_length
from yaila.core.camera.pose import MAX_TILT, FrameSize, Pose
from yaila.core.camera.track import Track

__all__ = [
    "MAX_TILT", "PRESETS", "STARTS", "AnyManner", "Breath", "Ease", "FrameSize", "Manner", "Move", "Opening", "Pose",
    "Settle", "Shake", "SpeedPoint", "Spin", "Timing", "Track", "path_length",
]  # fmt: skip
