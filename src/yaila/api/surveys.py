"""Survey sources, places by name, capture plans and captures."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from yaila.api.desk import Desk, desk_of
from yaila.api.jobs import Job, job_of
from yaila.core.errors import BadEdit, BadSurvey, NotFound
from yaila.core.film import Ground
from yaila.core.film.acts import Act
from yaila.core.film.model import Holds
from yaila.core.ground import TileBlock
from yaila.core.ground.mercator import lonlat_of, tile_of
from yaila.core.soundings import CapturePlan, plan_captures
from yaila.core.soundings.capture import SurveyReach, descent
from yaila.farm.capturing import CaptureSettings
from yaila.formats.survey import Source, Surveyor, TileMissing
from yaila.standin import survey

router = APIRouter(prefix="/api", tags=["surveys"])
TheDesk = Annotated[Desk, Depends(desk_of)]
ACTS: TypeAdapter[list[Act]] = TypeAdapter(list[Act])


class NewSource(BaseModel):
    """A source as a person writes it."""

    name: str
    template: str
    least: int = 0
    most: int = 18
    tile: int = 256
    bounds: tuple[float, float, float, float] = (-180.0, -85.0, 180.0, 85.0)
    credit: str = ""
    terms: str = ""
    private: bool = False
    holds: Holds = "pictures"


class Wish(BaseModel):
    """What is to be planned: for the whole film, or a stretch of its frames, or, with ``spans``, for a descent on a
    place (Web Mercator metres)."""

    state: str
    source: str
    margin: float = Field(12.0, ge=0, le=200)
    density: float = Field(1.0, ge=0.1, le=4)
    budget: int = Field(1500, ge=1, le=200_000)
    stretch: tuple[int, int] | None = None
    place: tuple[float, float] | None = None
    spans: tuple[float, float] | None = None


class NewCapture(BaseModel):
    """Plates to fetch, with their names."""

    source: str
    plates: list[TileBlock] = Field(min_length=1, max_length=100)
    names: list[str] = []


def sources_of(desk: Desk, base: str) -> list[Source]:
    """The practice survey and the sources that were added. ``base`` is this server's own address."""
    box = survey.BOUNDS
    bounds = (*lonlat_of(box.west, box.south), *lonlat_of(box.east, box.north))
    practice = [
        Source(
            id=f"practice-{layer}",
            name=name,
            template=f"{base}/standin/survey/{layer}/{{z}}/{{x}}/{{y}}.png",
            most=most,
            tile=tile,
            bounds=bounds,
            credit=survey.CREDIT,
            terms=survey.TERMS,
            builtin=True,
            holds=survey.HOLDS.get(layer, "pictures"),
        )
        for layer, (name, most, tile) in survey.LAYERS.items()
    ]
    return practice + desk.store.sources.all()


def _source(desk: Desk, request: Request, source_id: str) -> Source:
    for source in sources_of(desk, str(request.base_url).rstrip("/")):
        if source.id == source_id:
            return source
    raise NotFound("There is no such source any more.")


@router.get("/sources")
def list_sources(desk: TheDesk, request: Request) -> list[Source]:
    """Survey sources: those that ship with Yaila, then those added."""
    return sources_of(desk, str(request.base_url).rstrip("/"))


@router.post("/sources", status_code=201)
async def add_source(new: NewSource, desk: TheDesk, request: Request) -> Source:
    """Add a source, after one tile of it has been fetched to see that it is one."""
    try:
        source = Source(**new.model_dump())
    except ValidationError as error:
        first = error.errors()[0]
        message = str(first["msg"])
        where = f"{first['loc'][0]}: " if first["loc"] and not message.startswith("Value error, ") else ""
        raise BadSurvey(where + message.removeprefix("Value error, ")) from error

    def tried() -> Source:
        surveyor = Surveyor(source, desk.store.tiles)
        try:
            box = source.box
            middle = ((box.west + box.east) / 2, (box.south + box.north) / 2)
            surveyor.tile(source.least, *tile_of(*middle, source.least))
        except TileMissing as error:
            raise BadSurvey(
                f"“{source.name}” gave no tile for the middle of its bounds: {error}. Check the address, the zoom "
                "levels and the bounds."
            ) from error
        finally:
            surveyor.close()
        desk.store.sources.add(source)
        return source

    # One at a time: a host that drips its answer keeps nobody but the next host waiting.
    return await desk.tasks.do(request, "sources", tried)


@router.delete("/sources/{source_id}", status_code=204)
def remove_source(source_id: str, desk: TheDesk) -> None:
    """Forget a source that was added."""
    desk.store.sources.remove(source_id)


@router.post("/films/{film_id}/captures/plan")
def plan_capture(film_id: str, wish: Wish, desk: TheDesk, request: Request) -> CapturePlan:
    """Which plates a survey should give. Nothing is fetched yet."""
    source = _source(desk, request, wish.source)
    film, _ = desk.film(film_id, wish.state)
    if wish.place and wish.spans:
        if not film.plates and film.ground.kind == "plain":
            film = film.model_copy(update={"ground": Ground(kind="mercator")})
        film = descent(film, *wish.place, *wish.spans) if film.ground.kind == "mercator" else film
    reach = SurveyReach(
        least=source.least, most=source.most, tile=source.tile, box=tuple(source.box), holds=source.holds
    )
    return plan_captures(film, reach, wish.margin, wish.density, wish.budget, wish.stretch)


@router.post("/films/{film_id}/captures", status_code=202)
def start_capture(film_id: str, new: NewCapture, desk: TheDesk, request: Request) -> Job:
    """Fetch plates in the background, stitch and lay them."""
    source = _source(desk, request, new.source)
    desk.store.films.head(film_id)
    names = [
        new.names[number] if number < len(new.names) and new.names[number].strip() else f"{source.name} z {plate.zoom}"
        for number, plate in enumerate(new.plates)
    ]
    names = ["".join(c if c.isalnum() or c in " -_.,’" else "-" for c in name)[:100] for name in names]
    label = names[0] if len(names) == 1 else f"{len(names)} plates of {source.name}"
    return _capture(desk, film_id, label, CaptureSettings(source=source, plates=new.plates, names=names))


@router.post("/films/{film_id}/captures/again/{plate_id}", status_code=202)
def ask_again(film_id: str, plate_id: str, desk: TheDesk, request: Request) -> Job:
    """Ask the source once more for the tiles that a captured plate lacks; all else about the plate stays."""
    plate = desk.store.films.state(film_id).film.plate(plate_id)
    if not plate.captured:
        raise BadEdit("This plate was not captured from a source that is known here. Swap its picture, or capture it.")
    source = _source(desk, request, plate.captured.source)
    label = f"Missing tiles of {plate.name}"
    settings = CaptureSettings(
        source=source, plates=[plate.captured.tiles], names=[plate.name], again=plate.id, lacking=len(plate.holes)
    )
    return _capture(desk, film_id, label, settings)


def _capture(desk: Desk, film_id: str, label: str, capture: CaptureSettings) -> Job:
    """Start a capture, and have its outcome applied to the film."""
    total = sum(len(block.names) for block in capture.plates) + 1
    job = desk.store.jobs.add("capture", film_id, label, {"capture": capture.model_dump(mode="json")}, total)

    def lay() -> None:
        outcome = desk.store.jobs.get(job).settings
        acts = ACTS.validate_python(outcome.get("acts", []))
        holes = sum(len(act.get("holes", [])) for act in outcome.get("acts", []))
        told = f"{holes} {'tile is' if holes == 1 else 'tiles are'} missing. Ask again later." if holes else ""
        fault = outcome.get("fault", "")
        if capture.again and not acts and not fault:
            fault = f"“{capture.source.name}” still has none of them."
        desk.conclude(job, acts, label if capture.again else f"Capture {label}", told, fault)

    desk.farm.start(job, "capture", lay)
    return job_of(desk.store.jobs.get(job))
