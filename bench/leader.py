"""Draw what the README opens with, from the demo film in the store: its best frame, and the film in small as an
animation: ``python bench/leader.py``."""

from __future__ import annotations

from pathlib import Path

import pyvips

from yaila.core.camera import FrameSize
from yaila.core.film import Film, choreograph
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.time import Time
from yaila.store import Store

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
BEST, EVERY, RATE = 45, 5, 12
SIZE, SMALL = FrameSize(1280, 720), FrameSize(416, 234)
MOST_BYTES = 3_000_000


def picture(renderer: Renderer, film: Film, frame: int, size: FrameSize) -> pyvips.Image:
    """A frame of the film."""
    return pyvips.Image.new_from_array(renderer.render(Request(film, Time(frame), size, Quality.FINAL)).rgb)


def main() -> None:
    """Write both."""
    store = Store()
    film = store.films.find("The Night Post").film
    renderer = Renderer(store.pictures.pyramid, PageStore(512), store.kit)
    choreography = choreograph(film)
    picture(renderer, film, BEST, SIZE).copy(interpretation="srgb").jpegsave(str(OUT / "best.jpg"), Q=88)
    frames = [picture(renderer, film, frame, SMALL) for frame in range(0, choreography.frames, EVERY)]
    film_strip = pyvips.Image.arrayjoin(frames, across=1).copy(interpretation="srgb")
    film_strip.set_type(pyvips.GValue.gint_type, "page-height", SMALL.height)
    film_strip.set_type(pyvips.GValue.array_int_type, "delay", [round(1000 / RATE)] * len(frames))
    film_strip.set_type(pyvips.GValue.gint_type, "loop", 0)
    for quality in (60, 45, 30, 20):
        data = film_strip.webpsave_buffer(Q=quality, effort=5)
        if len(data) < MOST_BYTES:
            break
    (OUT / "night-post.webp").write_bytes(data)
    print(f"{len(frames)} frames, {len(data) / 1e6:.2f} MB, quality {quality}")


if __name__ == "__main__":
    main()
