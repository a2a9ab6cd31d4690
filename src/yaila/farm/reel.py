"""Rendering a reel: frames drawn at final quality and encoded as they come.

The server has it done as a job, in a process of its own; the command line calls :func:`render` itself.
"""

from __future__ import annotations

import hashlib
import os
import queue
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila import __version__
from yaila.core.camera import FrameSize
from yaila.core.errors import BadRender
from yaila.core.film import Film, choreograph
from yaila.core.film.heard import Mix, ReadFile, Soundtrack, silent
from yaila.core.imagery import PageStore, Pyramid
from yaila.core.picture import PARTS_OF_MARKS, Kit, Part, Quality, Renderer, Request, painted_marks, tiles_of
from yaila.core.sound import sample_of
from yaila.core.time import Time, timecode
from yaila.farm.pieces import Pieces, folder_of, pieces_of
from yaila.farm.pulse import Pulse
from yaila.formats.delivery import Form, Slate, delivery, form_of, joined
from yaila.formats.loudness import levelled
from yaila.formats.stills import write_still
from yaila.formats.video import Track
from yaila.formats.whole import ask_room
from yaila.store import Store

MOST_SIDE = 8192
"""Pixels along the longer side of a reel."""

MOST_WIDTH = 32768
"""And of a still."""


Pixels = NDArray[np.uint8]


class ReelSettings(BaseModel):
    """What to render: frames ``first`` to ``last`` (both included; the whole film if none is said), the size (the
    film's own, or another of the same shape), the ``form`` it is delivered in (``formats/delivery.py``), the constant
    rate factor of forms that have one, and which ``part`` of the film it holds."""

    model_config = ConfigDict(extra="forbid")
    first: int = Field(0, ge=0)
    last: int | None = Field(None, ge=0)
    width: int | None = Field(None, ge=64, le=MOST_WIDTH, multiple_of=2)
    crf: int = Field(18, ge=0, le=51)
    form: str = Field("h264", max_length=20)
    part: Part = "all"
    only: tuple[Annotated[str, Field(max_length=40)], ...] = Field((), max_length=2000)
    """The marks that a part of marks holds, by their ids; all of them if none is named."""
    sound: bool = True
    """Whether the film's sound goes with it, in a reel of the whole."""
    on: str = Field("", max_length=200, pattern=r"^(tls://\S+:\d{1,5})?$")
    """The scheduler of the farm that draws it (``farm/cluster.py``); this machine if none is named."""


def ask_files(film: Film, store: Store) -> None:
    """See that all that is seen and heard in a film is in store.

    Raises:
        BadRender: it is not; what, is named.
    """
    for use in film.files:
        if not store.has(use):
            raise BadRender(f"The {use.kind} of “{use.name}” is not in store. Drop its file again, then render.")


@dataclass(frozen=True)
class Farmed:
    """What a farm needs to draw a reel: the file of its key, and the files of the film."""

    key: Path
    file_of: Callable[[str], Path]


def size_for(film: Film, width: int | None, most: int = MOST_SIDE) -> FrameSize:
    """The size of a picture of a film, so many pixels wide: the film's shape, even numbers.

    Raises:
        BadRender: a side would have over ``most`` pixels.
    """
    size = film.frame.size
    if width is None:
        return size
    height = max(2, round(width * size.height / size.width / 2) * 2)
    if max(width, height) > most:
        raise BadRender(
            f"It would be {width:,} × {height:,} pixels; {most:,} a side is the most. Choose a smaller size."
        )
    return FrameSize(width, height)


def size_of(film: Film, settings: ReelSettings) -> FrameSize:
    """The size of a reel or still.

    Raises:
        BadRender: it would be too large, or there is no such form.
    """
    still = form_of(settings.form).still
    return size_for(film, settings.width, MOST_WIDTH if still else MOST_SIDE)


def counted_of(film: Film, settings: ReelSettings) -> int:
    """What the progress of a reel is counted in: its frames; the tiles of a still.

    Raises:
        BadRender: see :func:`frames_of` and :func:`size_of`.
    """
    frames, size = frames_of(film, settings), size_of(film, settings)
    return len(tiles_of(size)) if form_of(settings.form, size).still else len(frames)


def frames_of(film: Film, settings: ReelSettings) -> range:
    """The frames that a reel shows.

    Raises:
        BadRender: the film has no frames, or not those.
    """
    count = choreograph(film).frames
    if not count:
        raise BadRender("The film has no vantage yet, so there is nothing to render. Add a vantage in Fly.")
    if form_of(settings.form).still:
        settings = settings.model_copy(update={"last": settings.first})
    last = count - 1 if settings.last is None else settings.last
    if settings.first > last or last >= count:
        raise BadRender(f"The film has frames 0 to {count - 1}; {settings.first} to {last} is not among them.")
    if settings.only:
        _ask_marks(film, settings)
    if form_of(settings.form).layers and (settings.part != "all" or settings.only):
        raise BadRender("A form with layers holds all of the film in parts. Choose all of it, or another form.")
    return range(settings.first, last + 1)


def _ask_marks(film: Film, settings: ReelSettings) -> None:
    if settings.part not in PARTS_OF_MARKS:
        raise BadRender("Only a reel of marks, or of a matte of them, holds some of them. Choose one of these parts.")
    painted = {mark for ids in painted_marks(film).values() for mark in ids}
    for mark in settings.only:
        if mark not in painted:
            here = next((f"“{one.name}” is light or air" for one in film.marks if one.id == mark), "A mark is gone")
            raise BadRender(f"{here}, so it cannot be what the reel holds. Choose others.")


def render(
    film: Film,
    open_picture: Callable[[str], Pyramid],
    path: Path,
    settings: ReelSettings,
    progress: Callable[[int], None] = lambda done: None,
    pages: PageStore | None = None,
    kit: Kit = Kit(),  # noqa: B008 - frozen
    anew: bool = True,
    open_sound: ReadFile = silent,
    farm: Farmed | None = None,
) -> None:
    """Render a reel to a file, piece by piece, and its sound with it.

    Frames are drawn in a thread while earlier ones are being encoded. Pieces that an earlier rendering of the very same
    left are used again, unless it is to begin ``anew``. With ``settings.on`` the pieces are drawn on a farm, for which
    ``farm`` says where its key and the film's files are. A still is drawn here, tile by tile.

    Raises:
        BadRender: see :func:`frames_of` and :func:`form_of`.
    """
    frames, size = frames_of(film, settings), size_of(film, settings)
    form = form_of(settings.form, size)
    slate = Slate(timecode(frames[0], film.fps), frames[0], film.name)
    kept = Pieces(folder_of(path), ".tile" if form.still else form.suffix, _what(film, settings), anew)
    if form.still:
        request = _request(film, settings, frames[0], form)
        renderer = Renderer(open_picture, pages or PageStore(512), kit)
        _still(renderer, request, kept, path, settings.part == "marks", progress)
        return kept.away()
    pieces = pieces_of(frames, form.whole)
    missing = [number for number in range(len(pieces)) if not kept.there(number)]
    done = len(frames) - sum(len(pieces[number]) for number in missing)
    progress(done)

    def more(frames: int) -> None:
        nonlocal done
        done += frames
        progress(done)

    if settings.on and missing:
        from yaila.farm.cluster import draw_on

        if farm is None:
            raise BadRender("There is no key to a farm here. Put it into the store as farm.pem, or name it with --key.")
        own = settings.model_dump(exclude={"on"})
        draw_on(settings.on, farm.key, film, own, farm.file_of, kept, [(k, pieces[k]) for k in missing], more)
    elif missing:
        drawn = _Drawn(film, settings, [frame for number in missing for frame in pieces[number]])
        with drawn.by(Renderer(open_picture, pages or PageStore(512), kit), form):
            for number in missing:
                _encode(film, settings, kept.path(number), pieces[number], drawn, more)
                kept.keep(number)
    track = track_of(film, frames, open_sound) if settings.sound and settings.part == "all" and form.sounds else None
    joined(form, [kept.path(number) for number in range(len(pieces))], path, film.fps, slate, track)
    kept.away()


def _still(
    renderer: Renderer, request: Request, kept: Pieces, path: Path, alpha: bool, progress: Callable[[int], None]
) -> None:
    """Draw a still tile by tile; those that are kept are not drawn again."""
    tiles = tiles_of(request.size)
    done = sum(map(kept.there, range(len(tiles))))
    progress(done)

    def tile_of(number: int, draw: Callable[[], Pixels]) -> Pixels:
        nonlocal done
        _, _, width, height = tiles[number]
        if not kept.there(number):
            draw().tofile(kept.path(number))
            kept.keep(number)
            done += 1
            progress(done)
        return np.fromfile(kept.path(number), np.uint8).reshape(height, width, 4)

    write_still(path, request.size, partial(renderer.in_tiles, request, tile_of=tile_of), kept.folder / "pixels", alpha)


def write_piece(film: Film, settings: ReelSettings, path: Path, frames: range, renderer: Renderer) -> None:
    """Draw and encode one piece of a reel."""
    drawn = _Drawn(film, settings, list(frames))
    with drawn.by(renderer, form_of(settings.form)):
        _encode(film, settings, path, frames, drawn, lambda frames: None)


def _encode(
    film: Film, settings: ReelSettings, path: Path, frames: range, drawn: _Drawn, more: Callable[[int], None]
) -> None:
    form, size = form_of(settings.form), size_of(film, settings)
    with delivery(form, path, size, film.fps, settings.crf, Slate("", frames[0])) as writer:
        for _ in frames:
            writer.write(drawn.next())
            more(1)


def track_of(film: Film, frames: range, open_sound: ReadFile) -> Track | None:
    """The sound of a film's frames, as it is delivered; none if nothing is heard."""
    soundtrack = Soundtrack(film)
    if soundtrack.silent:
        return None
    mix = Mix(soundtrack, open_sound, levelled(soundtrack, open_sound).gain)
    first, end = (sample_of(frame, Fraction(film.fps.value)) for frame in (frames.start, frames.stop))
    return Track(lambda start, count: mix.read(first + start, count), end - first)


def _what(film: Film, settings: ReelSettings) -> str:
    """All that the pieces of a reel depend on."""
    return hashlib.sha256(
        f"{__version__}{film.model_dump_json()}{settings.model_dump_json(exclude={'on'})}".encode()
    ).hexdigest()


def _request(film: Film, settings: ReelSettings, frame: int, form: Form) -> Request:
    return Request(
        film,
        Time(frame),
        size_of(film, settings),
        Quality.FINAL,
        clear=form.alpha,
        part=settings.part,
        only=frozenset(settings.only),
    )


class _Drawn:
    """Frames that are drawn in a thread, some ahead of when they are asked for."""

    def __init__(self, film: Film, settings: ReelSettings, frames: list[int]) -> None:
        self._film, self._settings, self._frames = film, settings, frames
        self._ready: queue.Queue[Any] = queue.Queue(maxsize=3)
        self._stop = threading.Event()

    @contextmanager
    def by(self, renderer: Renderer, form: Form) -> Iterator[None]:
        """Draw while the context lasts."""
        drawer = threading.Thread(target=self._draw_all, args=(renderer, form), name="frames")
        drawer.start()
        try:
            yield
        finally:
            self._stop.set()
            drawer.join()

    def next(self) -> Any:
        """The next frame, as its form takes it; what went wrong with it is raised."""
        item = self._ready.get()
        if isinstance(item, BaseException):
            raise item
        return item

    def _put(self, item: Any) -> None:
        while not self._stop.is_set():
            try:
                return self._ready.put(item, timeout=0.2)
            except queue.Full:
                continue

    def _draw_all(self, renderer: Renderer, form: Form) -> None:
        try:
            for frame in self._frames:
                if self._stop.is_set():
                    return
                request = _request(self._film, self._settings, frame, form)
                self._put(renderer.in_layers(request) if form.layers else renderer.render(request).pixels)
        except BaseException as error:
            self._put(error)


def farm_key(store: Store) -> Path:
    """Where the key of the farm is: ``YAILA_FARM_KEY``, or ``farm.pem`` in the store."""
    return Path(os.environ.get("YAILA_FARM_KEY") or store.home / "farm.pem")


def run(store: Store, job: str, pulse: Pulse) -> None:
    """Do a reel job."""
    row = store.jobs.get(job)
    settings = ReelSettings.model_validate(row.settings["reel"])
    film = store.films.at_revision(row.film, row.settings["revision"])
    ask_files(film, store)
    size = size_of(film, settings)
    form = form_of(settings.form)
    # Its pieces lie beside it while they are joined.
    ask_room(store.reels, round(2 * len(frames_of(film, settings)) * size.width * size.height * form.room), "This reel")
    path = store.reels / f"{job}{form.suffix}"
    begun: list[int] = []

    def progress(done: int) -> None:
        if not begun:
            # What was there already took no time now.
            store.jobs.note(job, done=done, settings={**row.settings, "begun": done})
            begun.append(done)
        pulse.beat(done)

    render(
        film,
        store.pictures.pyramid,
        path,
        settings,
        progress,
        kit=store.kit,
        anew=False,
        open_sound=store.sounds.read,
        farm=Farmed(farm_key(store), store.file_of),
    )
    store.jobs.note(job, state="done", done=row.total)
