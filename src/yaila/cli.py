"""The command line. FILM is a bundle (``.yaila``), a folder or ``film.json`` beside its media, or a stored film.

Each command imports what it needs, so that asking for help does not wait for all of it.
"""

from __future__ import annotations

import gc
import json
import os
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, cast, get_args

import typer

from yaila.core.errors import BadRender, YailaError

if TYPE_CHECKING:
    from collections.abc import Callable

    from yaila.core.film import Film
    from yaila.core.picture.render import Part
    from yaila.store import Store

app = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    help="Camera choreography over layered map imagery.",
)
PORT = 8471
LEAVE = 3
"""How long a server that is told to stop waits for what is under way, s."""

FilmArg = Annotated[str, typer.Argument(metavar="FILM", help="A bundle, a folder, a film.json or a stored film.")]


@app.command()
def serve(port: int = PORT) -> None:
    """Start the application on 127.0.0.1."""
    _served(port, lambda _: None)


@app.command()
def demo(port: int = PORT, prepare_only: bool = False) -> None:
    """Start the application with the demo film, The Night Post, made the first time."""

    def prepare(store: Store) -> None:
        from yaila.standin.night_post import ensure_night_post

        ensure_night_post(store, lambda text: print(text, flush=True))

    if prepare_only:
        from yaila.store import Store

        prepare(Store())
    else:
        _served(port, prepare)


def _served(port: int, prepare: Callable[[Store], None]) -> None:
    """Serve until told to stop. Nothing is touched before the store and the port are this server's own."""
    from yaila.home import default_home, sole_server

    with sole_server(default_home(), port) as door:
        # Only then is the rest loaded, which takes seconds: who comes second is told so at once.
        import uvicorn

        from yaila.api.app import create_app
        from yaila.store import Store

        # What has been loaded stays: looking through all of it took 0.1 s again and again.
        gc.freeze()
        store = Store()
        prepare(store)
        print(f"Yaila is at http://127.0.0.1:{port}", flush=True)
        # Headers that a proxy would set are nobody's here. A connection that is taken in while the server stops
        # is not closed by it: without a limit it would wait for that for ever.
        config = uvicorn.Config(
            create_app(store, port),
            log_level="warning",
            ws_per_message_deflate=False,
            proxy_headers=False,
            timeout_graceful_shutdown=LEAVE,
        )
        uvicorn.Server(config).run(sockets=[door])


@app.command("import")
def import_film(file: Path) -> None:
    """Take a bundle into the store."""
    from yaila.store import Store

    store = Store()
    print(store.films.create(_taken_in(file, store)).id)


@app.command("export")
def export_film(film: FilmArg, out: Annotated[Path, typer.Option()]) -> None:
    """Write a stored film and its pictures as a bundle."""
    from yaila.formats.bundle import write_bundle
    from yaila.store import Store

    store = Store()
    write_bundle(out, store.films.find(film).film, store.file_of)
    print(out)


@app.command()
def track(film: FilmArg, format: Annotated[str, typer.Option(help="csv or json")] = "csv") -> None:
    """Print the camera at every frame.

    The matrix takes ground coordinates (x, y, 1) to frame pixels, row by row.
    """
    from yaila.formats.handover.track import track_csv, track_rows

    document, _ = _film(film)
    if format == "json":
        json.dump(track_rows(document), sys.stdout, indent=1)
    elif format == "csv":
        sys.stdout.write(track_csv(document))
    else:
        raise typer.BadParameter("csv or json", param_hint="--format")


@app.command()
def still(
    film: FilmArg,
    out: Annotated[Path, typer.Option()],
    at: Annotated[str, typer.Option(help="A timecode, seconds with an s (1.5s), or a frame number.")] = "0",
    size: Annotated[str | None, typer.Option(help="WxH; the film's own if not given.")] = None,
    quality: Annotated[str, typer.Option(help="draft or final")] = "final",
) -> None:
    """Draw one frame as PNG or TIFF."""
    from functools import partial

    from yaila.core.camera import FrameSize
    from yaila.core.film import choreograph
    from yaila.core.imagery import PageStore
    from yaila.core.picture import Quality, Renderer, Request
    from yaila.core.time import Time
    from yaila.farm.reel import MOST_WIDTH
    from yaila.formats.stills import write_still

    document, store = _film(film)
    frame = _frame(at, document)
    frame_size = document.frame.size
    if size:
        width, _, height = size.partition("x")
        if not (width.isdigit() and height.isdigit()):
            raise typer.BadParameter(f"“{size}” is not a size: write 1280x720.", param_hint="--size")
        frame_size = FrameSize(int(width), int(height))
        if not 1 <= min(frame_size) <= max(frame_size) <= MOST_WIDTH:
            raise BadRender(f"“{size}” cannot be drawn: a side has 1 to {MOST_WIDTH:,} pixels.")
    if quality not in ("draft", "final"):
        raise typer.BadParameter("draft or final", param_hint="--quality")
    count = choreograph(document).frames
    if not 0 <= frame < count:
        raise YailaError(f"The film has {count} frames; there is no frame {frame}.")
    renderer = Renderer(store.pictures.pyramid, PageStore(256), store.kit)
    request = Request(document, Time(frame), frame_size, Quality[quality.upper()])
    write_still(out, frame_size, partial(renderer.in_tiles, request), out.with_name(f".{out.name}.pixels"))


@app.command()
def render(
    film: FilmArg,
    out: Annotated[Path, typer.Option()],
    first: Annotated[str | None, typer.Option("--from", help="First frame, as for still --at.")] = None,
    last: Annotated[str | None, typer.Option("--to", help="Last frame.")] = None,
    width: Annotated[int | None, typer.Option(help="Pixels; the film's own if not given.")] = None,
    crf: int = 18,
    form: Annotated[
        str,
        typer.Option(
            help="How it is delivered: h264, h265, vp9, av1, prores, dnxhr, prores4444, vp9alpha, png, "
            "png16, tiff, exr, exrlayers, still, stilltiff, ffv1, gif or webp."
        ),
    ] = "h264",
    resume: Annotated[bool, typer.Option(help="Go on where an earlier rendering of the same was broken off.")] = False,
    part: Annotated[str, typer.Option(help="What it holds: all, ground, marks, matte or depth.")] = "all",
    only: Annotated[list[str] | None, typer.Option(help="Marks that a part of marks holds, by their name.")] = None,
    on: Annotated[str, typer.Option(help="The scheduler of the farm that draws it, such as tls://host:8786.")] = "",
    key: Annotated[Path | None, typer.Option(help="The farm's key; farm.pem of the store if not given.")] = None,
) -> None:
    """Render a reel."""
    from yaila.core.picture import Part
    from yaila.farm.reel import Farmed, ReelSettings, ask_files, counted_of, farm_key
    from yaila.farm.reel import render as render_reel
    from yaila.formats.delivery import form_of

    if part not in get_args(Part):
        raise typer.BadParameter(", ".join(get_args(Part)), param_hint="--part")

    document, store = _film(film)
    if unknown := set(only or ()) - {mark.name for mark in document.marks}:
        raise BadRender(f"There is no mark “{min(unknown)}” in the film.")
    ask_files(document, store)
    settings = ReelSettings(
        first=_frame(first, document) if first else 0,
        last=_frame(last, document) if last else None,
        width=width,
        crf=crf,
        form=form_of(form).key,
        part=cast("Part", part),
        only=tuple(mark.id for mark in document.marks if mark.name in (only or ())),
        on=on,
    )
    total, begin, there = counted_of(document, settings), time.monotonic(), -1
    counted = "parts" if form_of(form).still else "frames"

    def progress(done: int) -> None:
        nonlocal there
        # What an earlier rendering left took no time now.
        there = done if there < 0 else there
        rate = max(done - there, 1e-3) / max(time.monotonic() - begin, 1e-6)
        left = (total - done) / rate
        print(f"\r{done} of {total} {counted}, {rate:.1f} a second, {left:.0f} s left ", end="", file=sys.stderr)

    render_reel(
        document,
        store.pictures.pyramid,
        out,
        settings,
        progress,
        kit=store.kit,
        anew=not resume,
        open_sound=store.sounds.read,
        farm=Farmed(key or farm_key(store), store.file_of),
    )
    print(file=sys.stderr)
    print(out)


@app.command()
def farm(
    new_key: Annotated[Path | None, typer.Option(help="Write the key that all machines of a farm have.")] = None,
    serve: Annotated[bool, typer.Option(help="Be the farm's scheduler.")] = False,
    port: int = 8786,
    scheduler: Annotated[str, typer.Option(help="Draw for the farm at this address.")] = "",
    key: Annotated[Path, typer.Option(help="The farm's key.")] = Path("farm.pem"),
    workers: Annotated[int, typer.Option(help="Processes that draw; one for each processor if 0.", min=0)] = 0,
) -> None:
    """Draw reels on many machines: make a key, be the scheduler, or join one."""
    # What it says of itself is of no use to who draws.
    os.environ.setdefault("DASK_LOGGING__DISTRIBUTED", "warning")
    from yaila.farm import cluster
    from yaila.farm.keys import new_key as write_key
    from yaila.farm.keys import security_of

    if new_key:
        write_key(new_key)
        print(f"{new_key}: copy it to every machine of the farm, and show it to nobody else.")
        return
    if serve == bool(scheduler):
        raise typer.BadParameter("either --serve, or --scheduler ADDRESS")
    security_of(key)
    if serve:
        cluster.serve(port, key.resolve())
    else:
        cluster.join(scheduler, key.resolve(), workers or os.cpu_count() or 1)


@app.command()
def sound(film: FilmArg, out: Annotated[Path, typer.Option(help="A WAV file of 24 bits.")]) -> None:
    """Write what is heard of a film, levelled, and say how loud it is."""
    from yaila.core.film.heard import Mix, Soundtrack
    from yaila.formats.audio import write_wav
    from yaila.formats.loudness import levelled
    from yaila.formats.whole import part_file

    document, store = _film(film)
    track = Soundtrack(document)
    if track.silent:
        raise YailaError("Nothing is heard in the film. Add a sound first.")
    level = levelled(track, store.sounds.read)
    with part_file(out) as part:
        write_wav(part, Mix(track, store.sounds.read, level.gain).read, track.samples)
    loud = level.loudness
    print(f"{out}  {loud.integrated:.1f} LUFS, true peak {loud.true_peak:.1f} dBTP, range {loud.range:.1f} LU")


@app.command()
def soundings(film: FilmArg, format: Annotated[str, typer.Option(help="text or json")] = "text") -> None:
    """Check a film; exits with 1 when a grave finding stands."""
    from yaila.core.film.heard import Soundtrack
    from yaila.core.imagery import PageStore
    from yaila.core.picture import Renderer
    from yaila.core.soundings import Heard, Listening, Pieces, soundings_of
    from yaila.formats.loudness import levelled

    if format not in ("text", "json"):
        raise typer.BadParameter("text or json", param_hint="--format")
    document, store = _film(film)
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)

    def heard(track: Soundtrack) -> Heard:
        level = levelled(track, store.sounds.read)
        return Heard(level.loudness.integrated, level.free_peak)

    findings = soundings_of(
        document,
        Pieces(store.pictures.pyramid),
        faces=store.kit.faces,
        renderer=renderer,
        listening=Listening(store.has, heard),
    )
    if format == "json":
        print(json.dumps([finding.model_dump() for finding in findings], indent=1))
    else:
        for finding in findings:
            grade = "grave " if finding.grave else "slight"
            mend = f". {finding.remedy.text}" if finding.remedy else ""
            print(f"{grade} {finding.time}  frames {finding.first}-{finding.last}  {finding.text}{mend}")
        print(f"{len(findings)} findings, {sum(finding.grave for finding in findings)} of them grave")
    if any(finding.grave for finding in findings):
        raise typer.Exit(1)


@app.command()
def schema() -> None:
    """Print the JSON Schema of the film document."""
    from yaila.core.film import Film

    print(json.dumps(Film.model_json_schema(), indent=2))


def _taken_in(path: Path, store: Store) -> Film:
    """The film of a bundle, its pictures taken into the store."""
    from yaila.farm.bundles import ask_whole, take_in_bundle

    film, lacking = take_in_bundle(path, store, path.name)
    ask_whole(lacking, path.name)
    return film


def _film(name: str) -> tuple[Film, Store]:
    """A film and the store that its pictures are in; a bundle's pictures are taken into the store first."""
    from yaila.store import Store

    store = Store()
    path = Path(name)
    if path.exists():
        film = _taken_in(path, store)
    else:
        film = store.films.find(name).film
    return film, store


def _frame(text: str, film: Film) -> int:
    from yaila.core.time import frame_at_timecode

    if text.isdigit():
        return int(text)
    try:
        if text.endswith("s"):
            return film.fps.frames(float(text[:-1]))
        return frame_at_timecode(text, film.fps)
    except ValueError as error:
        raise YailaError(f"“{text}” is not a time: write 00:00:04:12, 4.5s or a frame number.") from error


def main() -> None:
    """Run the command line; what a person can mend is said in one sentence."""
    # Films, and what is loaded to work on them, are large and without circles.
    gc.set_threshold(50_000, 10, 10)
    try:
        app(standalone_mode=True)
    except YailaError as error:
        print(f"yaila: {error}", file=sys.stderr)
        sys.exit(1)
    except OSError as error:
        where = f" ({error.filename})" if error.filename else ""
        print(f"yaila: {error.strerror or error}{where}.", file=sys.stderr)
        sys.exit(1)
