"""What a new film can start from: patterns that ship, and any film that there is."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from yaila.core.errors import BadEdit
from yaila.core.film.finish import EFFECTS
from yaila.core.film.looks import OF_THE_FILM, in_film_time, look_of, with_look
from yaila.core.film.model import Film
from yaila.core.film.shipped_looks import SHIPPED


@dataclass(frozen=True)
class Pattern:
    """What a film starts with: its frame, rate and loudness, lanes for its sound, and a finish perhaps."""

    name: str
    says: str
    frame: tuple[int, int]
    rate: str
    loudness: float
    look: str = ""
    strength: float = 1.0
    document: dict[str, Any] = field(default_factory=dict)

    def film(self, name: str) -> Film:
        """A new film of this pattern."""
        width, height = self.frame
        film = Film.model_validate(
            {
                "name": name,
                "frame": {"width": width, "height": height},
                "rate": self.rate,
                "levels": {"loudness": self.loudness},
                **self.document,
            }
        )
        if not self.look:
            return film
        return with_look(film, next(look for look in SHIPPED.values() if look.name == self.look), self.strength)


def _lanes() -> list[dict[str, Any]]:
    """Music that gives way to a voice, small sounds by themselves (common practice, no source)."""
    return [
        {"id": "voice", "name": "Voice"},
        {"id": "music", "name": "Music", "under": "voice", "gives": 12},
        {"id": "details", "name": "Details"},
    ]


PATTERNS: dict[str, Pattern] = {
    "plain": Pattern("Plain", "Nothing is set but the frame: what most films start with.", (1920, 1080), "25", -16.0),
    "programme": Pattern(
        "A programme",
        "For a broadcaster: 50 frames a second, −23 LUFS, lanes for voice, music and details, motion blur.",
        (1920, 1080),
        "50",
        -23.0,
        document={"lanes": _lanes(), "finish": {"shutter": {"on": True}}},
    ),
    "story": Pattern(
        "A long story",
        "For a documentary: 25 frames a second, −23 LUFS, lanes, motion blur, paper, a warm grade and grain.",
        (1920, 1080),
        "25",
        -23.0,
        "Late post",
        0.6,
        {"lanes": _lanes(), "finish": {"shutter": {"on": True}}},
    ),
    "upright": Pattern(
        "Upright",
        "For a telephone held upright: 1080 × 1920 at 30, −14 LUFS, lanes for voice, music and details.",
        (1080, 1920),
        "30",
        -14.0,
        document={"lanes": _lanes()},
    ),
    "wall": Pattern(
        "A large wall",
        "For a hall or a cinema: 3840 × 2160 at 24, motion blur.",
        (3840, 2160),
        "24",
        -23.0,
        document={"finish": {"shutter": {"on": True}}},
    ),
}
"""By key. Frames, rates and loudness are what such films are asked for (common practice, no source; −23 LUFS: EBU
R 128)."""


def like(film: Film, name: str) -> Film:
    """A new film that is made like another one: its frame, rate, background, styles, finish, lanes and loudness, and
    nothing of what it shows. What changed over the other film does so over its time."""
    new = Film(
        name=name,
        frame=film.frame.model_copy(),
        rate=film.rate,
        background=film.background,
        styles=[in_film_time(style, film) for style in film.styles],
        lanes=[in_film_time(lane, film) for lane in film.lanes],
        levels=film.levels.model_copy(),
    )
    try:
        look = look_of(film, name[:60] or "Look", [one for one in EFFECTS if one not in OF_THE_FILM])
    except BadEdit:
        # It has no finish.
        return new
    finished = with_look(new, look, 1.0)
    finished.finish.look = film.finish.look.model_copy()
    return finished
