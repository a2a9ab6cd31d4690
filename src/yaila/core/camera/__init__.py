"""The camera: lens, pose, easing, and the manners of moving between poses."""

from yaila.core.camera.easing import PRESETS, Ease
from yaila.core.camera.passages import Manner, Track, path_length, travel
from yaila.core.camera.pose import MAX_TILT, FrameSize, Pose

__all__ = ["MAX_TILT", "PRESETS", "Ease", "FrameSize", "Manner", "Pose", "Track", "path_length", "travel"]
