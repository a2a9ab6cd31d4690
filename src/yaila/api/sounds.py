"""Sounds and clips: their arrival, what is drawn of them, and the film's own sound, as it is heard."""

from __future__ import annotations

import io
from functools import lru_cache
from pathlib import Path, PurePath
from typing import Annotated, Any, Literal

import numpy as np
import soundfile
from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.responses import FileResponse
from numpy.typing import NDArray
from pydantic import BaseModel
from starlette.background import BackgroundTask

from yaila.api.arrivals import begun, found_again, label_of
from yaila.api.desk import Desk, desk_of, file_body
from yaila.api.films import Seen, Sheet, revision_of, sheet_of
from yaila.api.jobs import Job, file_name, job_of
from yaila.core.errors import BadClip, BadSound, NotFound
from yaila.core.film.acts import Act, AddInset, AddSound, BeatsOfSound, LayInset, LayPlate
from yaila.core.film.acts.plates import clip_of
from yaila.core.film.acts.ties import at_time
from yaila.core.film.heard import Mix
from yaila.core.film.marked import Inset, Plays, ShownClip
from yaila.core.film.sounds import EffectKind, FileSound
from yaila.core.ground import Point
from yaila.core.sound import EFFECTS, RATE, made
from yaila.core.sound.mixing import mixed
from yaila.core.time import Time
from yaila.formats.audio import PEAKS, peaks_of, write_wav
from yaila.formats.whole import ask_room
from yaila.store import difference
from yaila.store.jobs import new_job

router = APIRouter(prefix="/api", tags=["sounds"])
TheDesk = Annotated[Desk, Depends(desk_of)]
Immutable = {"Cache-Control": "private, max-age=604800, immutable"}

MOST_ASKED = 10 * RATE
"""Samples that are given at once."""

MOST_DRAWN = 4000


class OfferedEffect(BaseModel):
    """A sound that is made here: its kind, its name, how long it is by itself, and whether it takes any length."""

    kind: str
    name: str
    seconds: float
    fits: bool


class Loud(BaseModel):
    """How loud a film is as it is delivered: integrated loudness, LUFS (none: silent), the highest true peak, dBTP, the
    loudness range, LU, the short-term loudness of every second, and the gain that brought it there, dB."""

    integrated: float | None
    true_peak: float
    range: float
    short: list[float]
    gain: float


class Wave(BaseModel):
    """A sound as it is drawn: the lowest and the highest sample of each of so many equal parts, -127 to 127."""

    peaks: list[tuple[int, int]]


@router.get("/effects")
def list_effects() -> list[OfferedEffect]:
    """All sounds that are made here."""
    return [
        OfferedEffect(kind=kind, name=effect.name, seconds=effect.seconds, fits=effect.fits)
        for kind, effect in EFFECTS.items()
    ]


@router.get("/effects/{kind}.wav", response_class=Response)
async def hear_effect(kind: EffectKind, desk: TheDesk, request: Request) -> Response:
    """An effect as it sounds by itself, WAV of 16 bits."""
    data = await desk.tasks.do(request, "", lambda: _wav(kind))
    return Response(data, media_type="audio/wav", headers=Immutable)


@lru_cache(maxsize=32)
def _wav(kind: str) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, made(kind, min(EFFECTS[kind].seconds, 6.0)), RATE, subtype="PCM_16", format="WAV")
    return out.getvalue()


@router.post("/films/{film_id}/sounds", status_code=202, openapi_extra=file_body("A sound file, or a film with sound"))
async def receive_sound(
    film_id: str,
    request: Request,
    desk: TheDesk,
    name: Annotated[str, Query(min_length=1, max_length=200)],
    frame: Annotated[int, Query(ge=0)] = 0,
    lane: str | None = None,
) -> Job:
    """Take a sound file (the body of the request) and let it be heard from a frame on, in a lane."""
    film = desk.store.films.state(film_id).film
    if lane:
        film.lane(lane)
    label = label_of(name, "Sound")

    def lay(job: str, outcome: dict[str, Any]) -> None:
        sound = FileSound.model_validate(outcome["sound"])
        if found_again(desk, job, film_id, "sound", sound.sha256, outcome["lost"]):
            return
        act = AddSound(frame=frame, file=sound, name=PurePath(label).stem[:120] or "Sound", lane=lane)
        desk.conclude(job, [act], f"Lay {act.name}")

    return await begun(desk, request, film_id, label, {"sound": True}, BadSound, lay)


@router.post("/films/{film_id}/clips", status_code=202, openapi_extra=file_body("A clip"))
async def receive_clip(
    film_id: str,
    request: Request,
    desk: TheDesk,
    name: Annotated[str, Query(min_length=1, max_length=200)],
    x: float = 0.0,
    y: float = 0.0,
    frame: Annotated[int, Query(ge=0)] = 0,
    reach: Annotated[float, Query(ge=0)] = 0.0,
    stands: Literal["facing", "board", "frame", "full"] = "facing",
    becomes: Annotated[Literal["plate", "inset"], Query(alias="as")] = "inset",
    width: Annotated[float | None, Query(gt=0)] = None,
) -> Job:
    """Take a clip (the body of the request), or a ZIP of its frames at the film's rate, and let it be seen in the film,
    at a place, from a frame on, and heard with it. As a plate it lies on the ground, silent and so wide, with its
    centre there, and plays from that frame on."""
    rate = desk.store.films.state(film_id).film.rate
    label = label_of(name, "Clip")
    lies = becomes == "plate"

    def lay(job: str, outcome: dict[str, Any]) -> None:
        called = PurePath(label).stem[:120] or "Clip"
        if found_again(desk, job, film_id, "clip", outcome["clip"]["sha256"], outcome["lost"]):
            return None
        if lies:
            picture, clip = outcome["picture"], ShownClip.model_validate(outcome["clip"])
            film = desk.store.films.state(film_id).film
            plays = Plays(clip=clip, starts=at_time(film, Time(frame)))
            at = Point(x, y) if film.plates and width else None
            laid = LayPlate(picture=picture, name=called, at=at, width=width if at else None, plays=plays)
            return desk.conclude(job, [laid], f"Lay {called}", outcome["told"])
        inset = Inset(name=called, x=x, y=y, stands=stands, shows=ShownClip.model_validate(outcome["clip"]))
        acts: list[Act] = [AddInset(inset=inset, frame=frame, reach=reach)]
        if outcome["heard"]:
            heard = FileSound.model_validate(outcome["heard"])
            acts.append(AddSound(frame=frame, file=heard, name=called, hangs=inset.id))
        return desk.conclude(job, acts, f"Set {called}", outcome["told"])

    return await begun(desk, request, film_id, label, {"clip": True, "rate": rate, "lies": lies}, BadClip, lay)


@router.post("/films/{film_id}/insets/{inset_id}/plate", status_code=202)
def lay_inset(film_id: str, inset_id: str, desk: TheDesk, width: Annotated[float | None, Query(gt=0)] = None) -> Job:
    """Lay the clip of an inset as a plate, which can be fitted as any picture; so wide, if it has no width on the
    ground."""
    inset, clip = clip_of(desk.store.films.state(film_id).film, inset_id)
    job = new_job()
    settings = {"beginning": clip.sha256, "file": str(desk.store.arrivals / job)}
    desk.store.jobs.add("import", film_id, inset.name, settings, 100, job)

    def lay() -> None:
        picture = desk.store.jobs.get(job).settings["picture"]
        desk.conclude(job, [LayInset(inset=inset_id, picture=picture, width=width)], f"Lay {inset.name} as a plate")

    desk.farm.start(job, "import", lay)
    return job_of(desk.store.jobs.get(job))


@router.get("/films/{film_id}/mix", response_class=Response)
async def hear_film(
    film_id: str,
    desk: TheDesk,
    request: Request,
    state: str,
    first: Annotated[int, Query(ge=0, le=86400 * RATE)],
    count: Annotated[int, Query(ge=1, le=MOST_ASKED)],
) -> Response:
    """What is heard of a film from a sample on, as it is delivered: 16 bits, little endian, left and right in turn,
    48,000 a second; beyond the film's end silence. ``X-Levelled`` is 0 while it is not known yet how loud the whole is.
    """

    def work() -> tuple[bytes, bool]:
        track = desk.soundtrack(film_id, state)
        if track.silent:
            return bytes(4 * count), True
        level = desk.level(track)
        samples = Mix(track, desk.store.sounds.read, level.gain if level else 0.0).read(first, count)
        # Not rounded to what is below: an even noise of the last bit hides the steps.
        noise = np.random.default_rng(first).random((count, 2), np.float32) - 0.5
        return np.clip(np.round(samples * 32767 + noise), -32768, 32767).astype("<i2").tobytes(), level is not None

    data, levelled = await desk.sounds.do(request, film_id, work)
    headers = Immutable if levelled else {"Cache-Control": "no-store"}
    return Response(data, media_type="application/octet-stream", headers={**headers, "X-Levelled": f"{int(levelled)}"})


@router.get("/films/{film_id}/loudness")
async def get_loudness(film_id: str, desk: TheDesk, request: Request, state: str) -> Loud:
    """How loud a film is as it is delivered."""

    def work() -> Loud:
        level = desk.level(desk.soundtrack(film_id, state), wait=True)
        assert level
        loud = level.loudness
        return Loud(
            integrated=None if loud.silent else round(loud.integrated, 2),
            true_peak=round(loud.true_peak, 2),
            range=round(loud.range, 1),
            short=list(loud.short),
            gain=round(level.gain, 2),
        )

    return await desk.sounds.do(request, film_id, work)


@router.get("/films/{film_id}/sounds/{sound_id}/wave")
async def get_wave(
    film_id: str,
    sound_id: str,
    desk: TheDesk,
    request: Request,
    state: str,
    parts: Annotated[int, Query(ge=1, le=MOST_DRAWN)] = 400,
) -> Wave:
    """A sound of a film as it is drawn over its time in the film, without its gain."""

    def work() -> Wave:
        track = desk.soundtrack(film_id, state)
        sound = track.film.sound(sound_id)
        where = track.ranges[sound_id]
        count = where.end - where.start
        if count <= 0:
            return Wave(peaks=[])
        source, playing = sound.source, track.playing(sound)
        if isinstance(source, FileSound) and not playing.loops and playing.speed == 1:
            # A long one is drawn from what was kept of it.
            first = round(playing.skip * PEAKS)
            peaks = desk.store.sounds.peaks(source.sha256)[first : first + max(round(count * PEAKS / RATE), 1)]
        else:
            placed = track.alone(sound, desk.store.sounds.read)
            peaks = peaks_of(mixed([placed], 0, min(count, 3600 * RATE)))
        return Wave(peaks=_drawn(np.asarray(peaks), parts))

    return await desk.tiles.do(request, film_id, work)


def _drawn(peaks: NDArray[np.int8], parts: int) -> list[tuple[int, int]]:
    if not len(peaks):
        return []
    edges = np.linspace(0, len(peaks), min(parts, len(peaks)) + 1).astype(int)[:-1]
    low, high = np.minimum.reduceat(peaks[:, 0], edges), np.maximum.reduceat(peaks[:, 1], edges)
    return list(zip(low.tolist(), high.tolist(), strict=True))


@router.post("/films/{film_id}/sounds/{sound_id}/beats")
async def find_beats(
    film_id: str, sound_id: str, seen: Seen, desk: TheDesk, request: Request, response: Response
) -> Sheet:
    """Find the beats in a sound from a file, and take them as the film's, to snap to."""
    revision = revision_of(seen)

    def work() -> Sheet:
        film = desk.store.films.at_revision(film_id, revision)
        sound = film.sound(sound_id)
        if not isinstance(sound.source, FileSound):
            raise BadSound(f"“{sound.name}” is made here and has no beats; beats are found in music.")
        beats = desk.store.sounds.beats(sound.source.sha256)
        if not beats:
            raise NotFound(f"No even beat was found in “{sound.name}”. Tap them along with B in Fly.")
        after = BeatsOfSound(sound=sound_id, beats=beats).done_to(film)
        label = f"{len(after.beats)} beats of {sound.name}"
        return sheet_of(desk.store.films.edit(film_id, difference(film, after), revision, label), response)

    return await desk.tasks.do(request, film_id, work)


@router.get("/films/{film_id}/sound.wav", response_class=Response)
async def give_out(film_id: str, desk: TheDesk, request: Request, state: str) -> Response:
    """The whole sound of a film as it is delivered, a WAV file of 24 bits."""

    def work() -> tuple[Path, str]:
        track = desk.soundtrack(film_id, state)
        if track.silent:
            raise NotFound("Nothing is heard in the film. Add a sound first.")
        level = desk.level(track, wait=True)
        assert level
        ask_room(desk.store.arrivals, track.samples * 6, "The film's sound")
        path = desk.store.arrivals / f"hand{new_job()}.wav"
        write_wav(path, Mix(track, desk.store.sounds.read, level.gain).read, track.samples)
        return path, track.film.name

    path, called = await desk.tasks.do(request, film_id, work)
    gone = BackgroundTask(path.unlink)
    return FileResponse(path, media_type="audio/wav", filename=file_name(called, ".wav"), background=gone)
