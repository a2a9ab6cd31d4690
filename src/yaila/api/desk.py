"""What the routers share: the store, the farm, the lanes of work and the trials."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Sequence
from typing import Any

from fastapi import Request

from yaila.api.lanes import Lane
from yaila.api.memory import memory_of
from yaila.api.trials import Trials
from yaila.core.bounded import Bounded
from yaila.core.errors import NotFound, YailaError
from yaila.core.film import Choreography, Film, choreograph
from yaila.core.film.acts import Act
from yaila.core.film.choreography import settle
from yaila.core.film.heard import Soundtrack
from yaila.core.imagery import PageStore
from yaila.core.picture import Renderer
from yaila.core.quantities import is_count
from yaila.core.sound import RATE
from yaila.core.soundings import Heard, Pieces
from yaila.core.stopping import Turn
from yaila.farm import Farm
from yaila.formats.loudness import Levelled, levelled
from yaila.store import Store

MOST_TRACKS, MOST_LEVELS = 8, 200
"""Soundtracks, and measured ones, that are kept."""

MEASURED_AT_ONCE = 180 * RATE
"""Samples of a film whose loudness is measured before any of it is heard."""

FRAME_SECONDS = 6.0
"""After so long a frame is shown without the marks that are not painted yet."""


class Desk:
    """One per application. ``state`` names a film's document: ``r12`` a revision, ``t…`` a trial.

    A trial is a film as it would be after an edit that is still being made, such as a drag: it is kept in memory
    only, and only the newest few.
    """

    def __init__(self, store: Store) -> None:
        self.store = store
        self.farm = Farm(store)
        memory = memory_of(os.environ.get("YAILA_MEMORY", ""))
        self.pages = PageStore(max(memory * 2 // 5, 48))
        self.renderer = Renderer(store.pictures.pyramid, self.pages, store.kit, lenient=True)
        self.pieces = Pieces(store.pictures.pyramid, memory * 2**20 // 10)
        # A trial that has made room for others is over, so some are kept however large they are.
        self._films: Bounded[str, tuple[Film, Choreography]] = Bounded(memory * 2**20 // 5, lambda one: one[0].weight)
        self.frames = Lane("frames", 3, 2, FRAME_SECONDS, gives=0.15, seen=True)
        self.trials = Trials()
        self.hands = Lane("hands", 3, 2, short=True)
        self.tiles = Lane("tiles", 3, 2, patient=True)
        self.checks = Lane("checks", 2, 1, gives=30, patient=True, rests=True)
        self.tasks = Lane("tasks", 2, 1, gives=2, patient=True)
        self.sounds = Lane("sounds", 2, 2)
        self._tracks: Bounded[str, Soundtrack] = Bounded(MOST_TRACKS, lambda track: 1)
        self._levels: Bounded[str, Levelled] = Bounded(MOST_LEVELS, lambda level: 1)
        self._levelling = Turn()

    def try_out(self, film_id: str, film: Film, name: str | None = None) -> str:
        """Keep a film as a trial; returns the name of its state."""
        name = name or "t" + hashlib.sha256(film.model_dump_json().encode()).hexdigest()[:24]
        self._remember(f"{film_id}/{name}", film)
        self.trials.made(film_id, name)
        return name

    def film(self, film_id: str, state: str) -> tuple[Film, Choreography]:
        """The document of a state, and its choreography.

        Raises:
            NotFound: there is no such revision, or the trial is gone.
        """
        key = f"{film_id}/{state}"
        known = self._films.get(key)
        if known:
            return known
        if not state.startswith("r") or not is_count(state[1:]):
            raise NotFound("That trial is over.")
        return self._remember(key, self.store.films.at_revision(film_id, int(state[1:])))

    def soundtrack(self, film_id: str, state: str) -> Soundtrack:
        """What is heard of a state of a film."""
        film, choreography = self.film(film_id, state)
        key = f"{film_id}/{state}"
        return self._tracks.get(key) or self._tracks.put(key, Soundtrack(film, choreography))

    def level(self, track: Soundtrack, wait: bool = False) -> Levelled | None:
        """How a film's sound is brought to its loudness; of a long one that was not measured yet only if one is to
        ``wait``."""
        key = _level_key(track)
        known = self._levels.get(key)
        if known or (not wait and track.samples > MEASURED_AT_ONCE):
            return known
        with self._levelling:
            return self._levels.get(key) or self._levels.put(key, levelled(track, self.store.sounds.read))

    def unheard(self, track: Soundtrack) -> bool:
        """Whether :meth:`heard` would have to measure a film's sound first."""
        return not track.silent and track.samples <= MEASURED_AT_ONCE and not self._levels.get(_level_key(track))

    def heard(self, track: Soundtrack) -> Heard | None:
        """What is measured of a film's sound, if that is known or soon done."""
        level = None if track.silent else self.level(track)
        return Heard(level.loudness.integrated, level.free_peak) if level else None

    def conclude(self, job: str, acts: Sequence[Act], label: str, told: str = "", fault: str = "") -> None:
        """Close a job whose work came to acts: they are done to its film as it stands by now, as one edit.

        What no longer makes sense is left out, and the job says so; it has failed if nothing could be done, or
        with ``fault``.
        """
        row = self.store.jobs.get(job)
        refused: list[str] = []

        def done(film: Film) -> Film:
            refused.clear()
            for act in acts:
                try:
                    film = act.done_to(film)
                except YailaError as error:
                    refused.append(str(error))
            return film

        if acts:
            self.store.films.change(row.film, done, label)
        message = " ".join(part for part in (fault, *dict.fromkeys(refused), told) if part)
        if fault or (acts and len(refused) == len(acts)):
            self.store.jobs.note(job, state="failed", message=message)
        else:
            self.store.jobs.note(job, state="done", done=row.total, message=message)

    def close(self) -> None:
        """Stop all that is under way: the server is going."""
        self.farm.close()
        for lane in (self.frames, self.hands, self.tiles, self.checks, self.tasks, self.sounds):
            lane.close()

    def _remember(self, key: str, film: Film) -> tuple[Film, Choreography]:
        return self._films.put(key, (settle(film), choreograph(film)))


def _level_key(track: Soundtrack) -> str:
    """What a soundtrack is levelled to depends on."""
    return f"{track.key}/{track.film.levels.model_dump_json()}"


async def desk_of(request: Request) -> Desk:
    """The application's desk, for routers; not to be waited for in a thread, as what is not ``async`` would be."""
    desk: Desk = request.app.state.desk
    return desk


def file_body(what: str) -> dict[str, Any]:
    """How a call whose body is a file is described in OpenAPI."""
    content = {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}
    return {"requestBody": {"description": what, "required": True, "content": content}}
