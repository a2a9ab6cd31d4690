"""The process that finds fits and matches tones: ``python -m yaila.farm.fitting HOME JOB``."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

from pydantic import BaseModel

from yaila.core.analysis.overlap import Open, find_on_stack, tone_match_of
from yaila.core.film import Film
from yaila.core.film.acts import LayFound, MatchTone, NoteFit
from yaila.core.imagery.fitting import NotFitted
from yaila.farm.pulse import Pulse, work
from yaila.store import Store


class FitSettings(BaseModel):
    """Which plates to lay and to match, by their ids, from the bottom of the stack up."""

    find: list[str] = []
    tone: list[str] = []


def acts_of(
    film: Film, settings: FitSettings, open_picture: Open, progress: Callable[[float], None] = lambda share: None
) -> list[LayFound | NoteFit | MatchTone]:
    """The acts that lay plates and match their tones, each made on what those before it leave."""
    acts: list[LayFound | NoteFit | MatchTone] = []
    steps = len(settings.find) + 0.15 * len(settings.tone)
    done = 0.0
    order = [plate.id for plate in film.plates]
    for plate in sorted(settings.find, key=order.index):
        act: LayFound | NoteFit
        try:
            act = find_on_stack(
                film,
                film.plate(plate),
                open_picture,
                lambda share, done=done: progress((done + share) / steps),  # type: ignore[misc]
            )
        except NotFitted as error:
            act = NoteFit(plate=plate, note=str(error))
        acts.append(act)
        film = act.apply(film)
        done += 1
    for plate in sorted(settings.tone, key=order.index):
        match = MatchTone(plate=plate, match=tone_match_of(film, film.plate(plate), open_picture))
        acts.append(match)
        film = match.apply(film)
        done += 0.15
        progress(done / steps)
    return acts


def run(store: Store, job: str, pulse: Pulse) -> None:
    """Do a fitting job; the acts it comes to are noted in its settings."""
    row = store.jobs.get(job)
    film = store.films.at_revision(row.film, row.settings["revision"])
    store.jobs.note(job, total=100)
    acts = acts_of(
        film,
        FitSettings.model_validate(row.settings["fit"]),
        store.pictures.pyramid,
        lambda share: pulse.beat(round(share * 99)),
    )
    found: list[dict[str, Any]] = [act.model_dump(mode="json") for act in acts]
    store.jobs.note(job, settings=row.settings | {"acts": found}, done=99)


if __name__ == "__main__":
    os.nice(10)
    work(run)
