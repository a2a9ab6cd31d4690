"""The job that finds fits and matches tones."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pydantic import BaseModel

from yaila.core.analysis.overlap import Open, find_on_stack, finer_below, tone_match_of
from yaila.core.film import Film
from yaila.core.film.acts import LayFound, MatchTone, NoteFit, RestackPlate
from yaila.core.imagery.fitting import NotFitted
from yaila.farm.pulse import Pulse
from yaila.store import Store


class FitSettings(BaseModel):
    """Which plates to lay and to match, by their ids, from the bottom of the stack up."""

    find: list[str] = []
    tone: list[str] = []


def acts_of(
    film: Film, settings: FitSettings, open_picture: Open, progress: Callable[[float], None] = lambda share: None
) -> list[LayFound | NoteFit | MatchTone | RestackPlate]:
    """The acts that lay plates and match their tones, each made on what those before it leave. A plate that was laid
    goes below those whose pixels are finer; what could not be laid is tried again when others have been."""
    acts: list[LayFound | NoteFit | MatchTone | RestackPlate] = []
    order = [plate.id for plate in film.plates]
    waiting, refused = sorted(settings.find, key=order.index), dict[str, str]()
    steps, done = len(waiting) + 0.15 * len(settings.tone), 0.0
    while waiting:
        left: list[str] = []
        for plate in waiting:
            try:
                act = find_on_stack(
                    film,
                    film.plate(plate),
                    open_picture,
                    lambda share, done=done: progress(min((done + share) / steps, 1)),
                    set(settings.find) - {one.plate for one in acts},
                )
            except NotFitted as error:
                refused[plate] = str(error)
                left.append(plate)
                continue
            refused.pop(plate, None)
            acts.append(act)
            film = act.apply(film)
            if (to := finer_below(film, film.plate(plate))) is not None:
                acts.append(RestackPlate(plate=plate, to=to))
                film = acts[-1].apply(film)
            done += 1
        if len(left) == len(waiting):
            break
        # What was laid by now may be what those that are left lie on.
        waiting = left
    for plate, why in refused.items():
        acts.append(NoteFit(plate=plate, note=why))
        film = acts[-1].apply(film)
    now = [plate.id for plate in film.plates]
    # The ground that others were laid on lies on them, where it turned out to be the finer one.
    tone = {*settings.tone, *order[:1]} if len(settings.tone) > 1 and now[0] != order[0] else set(settings.tone)
    for plate in sorted(tone - set(now[:1]), key=now.index):
        # What is not known to lie there has no tone to take from there.
        if plate not in refused:
            acts.append(MatchTone(plate=plate, match=tone_match_of(film, film.plate(plate), open_picture)))
            film = acts[-1].apply(film)
        done += 0.15
        progress(min(done / steps, 1))
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
