"""Films: listing, making, editing, undoing."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Body, Depends, Header, Query, Request, Response
from pydantic import BaseModel, Field

from yaila.api.changes import Change, changes
from yaila.api.desk import Desk, desk_of
from yaila.api.lanes import is_long
from yaila.core.errors import BadEdit, NotFound
from yaila.core.film import FRAME_PRESETS, Film
from yaila.core.film.acts import Act
from yaila.core.film.acts.ties import left_hanging
from yaila.core.film.fields import FieldFacts, field_facts
from yaila.core.film.marked import KINDS
from yaila.core.film.patterns import PATTERNS, like
from yaila.core.film.plan import Plan, plan_of
from yaila.core.film.recipes import RECIPES, Slider
from yaila.core.film.sounds import LOUDNESS, SUITS
from yaila.core.quantities import is_count
from yaila.core.soundings.marks import SAFE_AREAS
from yaila.core.time import PRESETS, RATES, STARTS
from yaila.store import FilmState, difference
from yaila.store.films import as_kept, checked, document_after, film_of

router = APIRouter(prefix="/api", tags=["films"])
TheDesk = Annotated[Desk, Depends(desk_of)]
Seen = Annotated[str, Header(alias="If-Match", description="The revision the edit is made on, as in ETag.")]


class Card(BaseModel):
    """A film in the list; ``away`` says that it is put away."""

    id: str
    name: str
    touched: datetime
    away: bool


class Sheet(BaseModel):
    """A film as it stands, laid out."""

    id: str
    revision: int
    state: str
    film: Film
    plan: Plan
    undo: str | None
    redo: str | None
    saved: datetime
    fault: str
    """Why the newest state cannot be opened, if so: the film is an earlier one then."""


class Trial(BaseModel):
    """A film as an edit would leave it, by what is other in it and its plan than in the state that it was tried on;
    nothing is kept."""

    state: str
    film: list[Change]
    plan: list[Change]


class PatchStep(BaseModel):
    """One operation of a JSON Patch (RFC 6902)."""

    op: Literal["add", "remove", "replace", "move", "copy", "test"]
    path: str
    value: Any = None
    from_: str | None = Field(None, alias="from")


class NewFilm(BaseModel):
    """What a new film starts with: a ``pattern``, whose frame and rate may be others; or it is made ``like`` a film
    that there is, with its frame, rate, styles, finish, lanes and loudness; or it is a copy of one."""

    name: str | None = None
    width: int | None = None
    height: int | None = None
    rate: str | None = None
    pattern: str = "plain"
    like: str | None = None
    copy_of: str | None = None


class NamedStart(BaseModel):
    """A handle of an ease by name."""

    name: str
    x: float
    y: float


class OfferedRecipe(BaseModel):
    """A recipe: its kind, what it is called, what it does, and its numbers."""

    kind: str
    label: str
    says: str
    sliders: list[Slider]


class NamedEase(BaseModel):
    """An ease with a name."""

    name: str
    x1: float
    y1: float
    x2: float
    y2: float


class NamedRate(BaseModel):
    """A frame rate and how people say it."""

    rate: str
    name: str


class OfferedPattern(BaseModel):
    """What a new film can start from."""

    key: str
    name: str
    says: str
    width: int
    height: int
    rate: str


class NamedLoudness(BaseModel):
    """A loudness that films are asked for, LUFS, and by whom."""

    loudness: float
    name: str


class Choices(BaseModel):
    """What can be chosen from."""

    frames: list[tuple[int, int]]
    rates: list[NamedRate]
    eases: list[NamedEase]
    starts: list[NamedStart]
    """How a passage can set off; mirrored, how it can come in."""
    recipes: list[OfferedRecipe]
    patterns: list[OfferedPattern]
    safe: dict[str, float]
    """How far from every edge action and graphics stay, as a share of width and height."""
    ways: dict[str, list[str]]
    """How marks of each kind can come and go."""
    loudness: list[NamedLoudness]
    suits: dict[str, str]
    """The effect that each kind of moment is most often given."""
    fields: dict[str, dict[str, FieldFacts]]
    """What there is to know of the document's fields, by the names of their parts and their own."""


def sheet_of(state: FilmState, response: Response | None = None) -> Sheet:
    """A film's state as the API gives it, with its ETag."""
    if response is not None:
        response.headers["ETag"] = f'"{state.revision}"'
    return Sheet(
        id=state.id,
        revision=state.revision,
        state=f"r{state.revision}",
        film=state.film,
        plan=plan_of(state.film),
        undo=state.undo,
        redo=state.redo,
        saved=state.saved,
        fault=state.fault,
    )


def revision_of(if_match: str) -> int:
    """The revision that an If-Match header names."""
    text = if_match.strip().removeprefix("W/").strip('"')
    if not is_count(text):
        raise BadEdit("If-Match must name the revision the edit was made on, as the ETag gave it.")
    return int(text)


def _steps(patch: list[PatchStep]) -> list[dict[str, Any]]:
    return [step.model_dump(by_alias=True, exclude_unset=True) for step in patch]


@router.get("/choices")
def choices() -> Choices:
    """Frame sizes, rates and eases offered by name."""
    return Choices(
        frames=list(FRAME_PRESETS),
        rates=[NamedRate(rate=str(rate), name=rate.name) for rate in RATES],
        eases=[NamedEase(name=n, x1=p[0], y1=p[1], x2=p[2], y2=p[3]) for n, p in PRESETS.items()],
        safe=SAFE_AREAS,
        starts=[NamedStart(name=name, x=x, y=y) for name, (x, y) in STARTS.items()],
        recipes=[
            OfferedRecipe(
                kind=recipe.model_fields["kind"].default, label=recipe.label, says=recipe.says, sliders=recipe.sliders()
            )
            for recipe in RECIPES
        ],
        patterns=[
            OfferedPattern(
                key=key, name=one.name, says=one.says, width=one.frame[0], height=one.frame[1], rate=one.rate
            )
            for key, one in PATTERNS.items()
        ],
        ways={name: list(getattr(kind.model, "ways", ())) for name, kind in KINDS.items()},
        loudness=[NamedLoudness(loudness=value, name=name) for value, name in LOUDNESS.items()],
        suits=dict(SUITS),
        fields=field_facts(),
    )


@router.get("/films")
def list_films(desk: TheDesk) -> list[Card]:
    """All films, those put away too, the last touched first; by their names only."""
    return [Card(id=card.id, name=card.name, touched=card.touched, away=card.away) for card in desk.store.films.cards()]


@router.put("/films/{film_id}/away")
def put_away(film_id: str, away: Annotated[bool, Body()], desk: TheDesk) -> list[Card]:
    """Put a film away, or bring it back; nothing of it is lost. Answers with all films."""
    desk.store.films.put_away(film_id, away)
    return list_films(desk)


@router.post("/films", status_code=201)
def create_film(new: NewFilm, desk: TheDesk, response: Response) -> Sheet:
    """Start a film."""
    films = desk.store.films
    if new.copy_of:
        whole = films.state(new.copy_of).film
        film = whole.model_copy(update={"name": new.name or f"{whole.name[:190]}, copy"})
    elif new.like:
        pattern = films.state(new.like).film
        film = like(pattern, new.name or f"Like {pattern.name[:190]}")
    elif new.pattern in PATTERNS:
        film = PATTERNS[new.pattern].film(new.name or "Untitled film")
    else:
        raise NotFound(f"There is no pattern “{new.pattern}”. There are {', '.join(PATTERNS)}.")
    document = film.model_dump(mode="json")
    for side in ("width", "height"):
        if (value := getattr(new, side)) is not None:
            document["frame"][side] = value
    if new.rate:
        document["rate"] = new.rate
    return sheet_of(films.create(checked(document)), response)


@router.get("/films/{film_id}")
def get_film(film_id: str, desk: TheDesk, response: Response) -> Sheet:
    """A film as it stands."""
    return sheet_of(desk.store.films.state(film_id), response)


@router.patch("/films/{film_id}")
def edit_film(
    film_id: str, patch: list[PatchStep], seen: Seen, desk: TheDesk, response: Response, label: str = "Edit"
) -> Sheet:
    """Apply a JSON Patch to the revision named by If-Match."""
    return sheet_of(desk.store.films.edit(film_id, _steps(patch), revision_of(seen), label), response)


@router.post("/films/{film_id}/acts")
def act_on_film(
    film_id: str, act: Act, seen: Seen, desk: TheDesk, response: Response, label: str | None = None
) -> Sheet:
    """Do a named act: its JSON Patch is worked out and applied to the revision named by If-Match. ``label`` is what
    undo calls it, instead of the act's own name."""
    revision = revision_of(seen)
    film = desk.store.films.at_revision(film_id, revision)
    after = act.done_to(film)
    label = label or act.act.replace("_", " ").capitalize()
    if count := left_hanging(film, after):
        label += f"; {count} that hung on it {'stays at its' if count == 1 else 'stay at their'} time"
    return sheet_of(desk.store.films.edit(film_id, difference(film, after), revision, label), response)


class Named(BaseModel):
    """What the page calls a trial, and whether it asks for its picture at the same time, which goes first then."""

    named: str | None = Field(None, pattern=r"^t[0-9a-z]{1,32}$")
    watched: bool = False


@router.post("/films/{film_id}/trials/acts", response_model=Trial)
async def try_act(
    film_id: str, act: Act, desk: TheDesk, request: Request, state: str, named: Annotated[Named, Query()]
) -> Response:
    """What a named act would make of a state. Nothing is kept."""
    return await _trial(desk, film_id, state, named, request, lambda film: as_kept(act.done_to(film), film))


@router.post("/films/{film_id}/trials/patch", response_model=Trial)
async def try_patch(
    film_id: str,
    patch: list[PatchStep],
    desk: TheDesk,
    request: Request,
    state: str,
    named: Annotated[Named, Query()],
) -> Response:
    """What a JSON Patch would make of a state. Nothing is kept."""

    def done(film: Film) -> Film:
        return film_of(document_after(film, _steps(patch)), film)

    return await _trial(desk, film_id, state, named, request, done)


async def _trial(
    desk: Desk, film_id: str, state: str, named: Named, request: Request, done: Callable[[Film], Film]
) -> Response:
    """What a trial changes; none of it once the page has hung up, as the hand has gone on."""
    return await desk.hands.do(request, film_id, lambda: _tried(desk, film_id, state, named, request, done))


def _tried(
    desk: Desk, film_id: str, state: str, named: Named, request: Request, done: Callable[[Film], Film]
) -> Response:
    try:
        before, _ = desk.film(film_id, state)
        after = done(before)
        made = desk.try_out(film_id, after, named.named)
    except BaseException:
        if named.named:
            # It never will be: nobody is to wait for it.
            desk.trials.made(film_id, named.named)
        raise
    if named.named and named.watched:
        # What is drawn gives way to short answers, and this one waits for it.
        is_long(request, seen=True)
        desk.trials.until_drawn(film_id, named.named)
    film, plan = changes(before, after), changes(plan_of(before), plan_of(after))
    trial = Trial.model_construct(state=made, film=list(film), plan=list(plan))
    # It is written as it is: it has been checked, and comes with every movement of a hand.
    return Response(trial.model_dump_json(), media_type="application/json")


@router.post("/films/{film_id}/undo")
def undo(film_id: str, seen: Seen, desk: TheDesk, response: Response) -> Sheet:
    """Step back one edit."""
    return sheet_of(desk.store.films.undo(film_id, revision_of(seen)), response)


@router.post("/films/{film_id}/redo")
def redo(film_id: str, seen: Seen, desk: TheDesk, response: Response) -> Sheet:
    """Step forward again."""
    return sheet_of(desk.store.films.redo(film_id, revision_of(seen)), response)
