"""Sound: effects that are made here, and sounds that are mixed, sample for sample."""

from yaila.core.sound.effects import EFFECTS, made, reading
from yaila.core.sound.limiter import limited
from yaila.core.sound.mixing import Placed, faster, mixed
from yaila.core.sound.samples import RATE, Read, Samples, sample_of
from yaila.core.sound.tools import load_tools

__all__ = [
    "EFFECTS",
    "RATE",
    "Placed",
    "Read",
    "Samples",
    "faster",
    "limited",
    "load_tools",
    "made",
    "mixed",
    "reading",
    "sample_of",
]
