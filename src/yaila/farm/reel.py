"""Rendering a reel: frames drawn at final quality and encoded as they come.

Run as a process of its own by the server, ``python -m yaila.farm.reel HOME JOB``; the command line calls
:func:`render` itself.
"""

from __future__ import annotations

import os
import queue
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.camera import FrameSize
from yaila.core.errors import BadRender
from yaila.core.film import Film, choreograph
from yaila.core.imagery import PageStore, Pyramid
from yaila.core.picture import Kit, Quality, Renderer, Request
from yaila.core.time import Time
from yaila.farm.pulse import Pulse, work
from yaila.formats.mp4 import mp4_writer
from yaila.formats.whole import ask_room
from yaila.store import Store


class ReelSettings(BaseModel):
    """What to render: frames ``first`` to ``last`` (both included; the whole film if none is said), the size (the
    film's own, or another of the same shape), and x264's constant rate factor."""

    model_config = ConfigDict(extra="forbid")
    first: int = Field(0, ge=0)
    last: int | None = Field(None, ge=0)
    width: int | None = Field(None, ge=64, le=8192, multiple_of=2)
    crf: int = Field(18, ge=0, le=51)


MOST_HEIGHT = 8192


def size_for(film: Film, width: int | None) -> FrameSize:
    """The frame size of a reel of a given width: the film's shape, even numbers.

    Raises:
        BadRender: it would be too high.
    """
    size = film.frame.size
    if width is None:
        return size
    height = max(2, round(width * size.height / size.width / 2) * 2)
    if height > MOST_HEIGHT:
        raise BadRender(f"A reel {width} wide of this film would be {height:,} high; {MOST_HEIGHT:,} is the most.")
    return FrameSize(width, height)


def frames_of(film: Film, settings: ReelSettings) -> range:
    """The frames that a reel shows.

    Raises:
        BadRender: the film has no frames, or not those.
    """
    count = choreograph(film).frames
    if not count:
        raise BadRender("The film has no vantage yet, so there is nothing to render. Add a vantage in Fly.")
    last = count - 1 if settings.last is None else settings.last
    if settings.first > last or last >= count:
        raise BadRender(f"The film has frames 0 to {count - 1}; {settings.first} to {last} is not among them.")
    return range(settings.first, last + 1)


def render(
    film: Film,
    open_picture: Callable[[str], Pyramid],
    path: Path,
    settings: ReelSettings,
    progress: Callable[[int], None] = lambda done: None,
    pages: PageStore | None = None,
    kit: Kit = Kit(),  # noqa: B008 - frozen
) -> None:
    """Render a reel to an MP4 file.

    Frames are drawn in a thread while earlier ones are being encoded.

    Raises:
        BadRender: see :func:`frames_of`.
    """
    frames, size = frames_of(film, settings), size_for(film, settings.width)
    renderer = Renderer(open_picture, pages or PageStore(512), kit)
    drawn: queue.Queue[NDArray[np.uint8] | BaseException] = queue.Queue(maxsize=3)
    stop = threading.Event()

    def put(item: NDArray[np.uint8] | BaseException) -> None:
        while not stop.is_set():
            try:
                return drawn.put(item, timeout=0.2)
            except queue.Full:
                continue

    def draw_all() -> None:
        try:
            for frame in frames:
                if stop.is_set():
                    return
                put(renderer.render(Request(film, Time(frame), size, Quality.FINAL)).rgb)
        except BaseException as error:
            put(error)

    drawer = threading.Thread(target=draw_all, name="frames")
    drawer.start()
    try:
        with mp4_writer(path, size, film.fps, settings.crf) as writer:
            for done in range(len(frames)):
                item = drawn.get()
                if isinstance(item, BaseException):
                    raise item
                writer.write(item)
                progress(done + 1)
    finally:
        stop.set()
        drawer.join()


def run(store: Store, job: str, pulse: Pulse) -> None:
    """Do a reel job."""
    row = store.jobs.get(job)
    settings = ReelSettings.model_validate(row.settings["reel"])
    film = store.films.at_revision(row.film, row.settings["revision"])
    size = size_for(film, settings.width)
    ask_room(store.reels, round(row.total * size.width * size.height * A_PIXEL), "This reel")
    path = store.reels / f"{job}.mp4"
    render(film, store.pictures.pyramid, path, settings, pulse.beat, kit=store.aids.kit)
    store.jobs.note(job, state="done", done=row.total)


A_PIXEL = 0.1
"""Bytes that a pixel of a reel takes at most, with some to spare: half of it in the demo at CRF 18."""


if __name__ == "__main__":
    os.nice(19)
    work(run)
