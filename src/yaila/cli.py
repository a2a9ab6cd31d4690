"""The command line. FILM is a bundle (``.yaila``), a folder or ``film.json`` beside its media, or a stored film.

Each command imports what it needs, so that asking for help does not wait for all of it.
"""

from __future__ import annotations

import csv
import gc
import json
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from yaila.core.errors import BadBundle, YailaError

if TYPE_CHECKING:
    from collections.abc import Callable

    from yaila.core.film import Film
    from yaila.store import Store

app = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    help="Camera choreography over layered map imagery.",
)
PORT = 8471

FilmArg = Annotated[str, typer.Argument(metavar="FILM", help="A bundle, a folder, a film.json or a stored film.")]


@app.command()
def serve(port: int = PORT) -> None:
    """Start the application on 127.0.0.1."""
    _served(port, lambda _: None)


@app.command()
def demo(port: int = PORT, prepare_only: bool = False) -> None:
    """Start the application with the demo film, The Night Post, made the first time."""
    from yaila.standin.night_post import ensure_night_post
    from yaila.store import Store

    def prepare(store: Store) -> None:
        ensure_night_post(store, lambda text: print(text, flush=True))

    if prepare_only:
        prepare(Store())
    else:
        _served(port, prepare)


def _served(port: int, prepare: Callable[[Store], None]) -> None:
    """Serve until told to stop. Nothing is touched before the store and the port are this server's own."""
    import uvicorn

    from yaila.api.app import create_app
    from yaila.store import Store, default_home
    from yaila.store.lock import sole_server

    # Threads that draw hand over often, so that a short answer need not wait for them: with three of them at work an
    # edit takes 0.17 s then, and 0.7 with Python's own 5 ms.
    sys.setswitchinterval(0.0001)
    # What has been loaded stays, and films are large and without circles: looking through all of it took 0.1 s again
    # and again.
    gc.freeze()
    gc.set_threshold(50_000, 10, 10)
    with sole_server(default_home(), port) as door:
        store = Store()
        prepare(store)
        print(f"Yaila is at http://127.0.0.1:{port}", flush=True)
        # Headers that a proxy would set are nobody's here.
        config = uvicorn.Config(
            create_app(store, port), log_level="warning", ws_per_message_deflate=False, proxy_headers=False
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
    write_bundle(out, store.films.find(film).film, store.pictures.source, store.aids.file)
    print(out)


@app.command()
def track(film: FilmArg, format: Annotated[str, typer.Option(help="csv or json")] = "csv") -> None:
    """Print the camera at every frame.

    The matrix takes ground coordinates (x, y, 1) to frame pixels, row by row.
    """
    from yaila.core.film import choreograph
    from yaila.core.time import Time

    document, _ = _film(film)
    choreography = choreograph(document)
    rows: list[dict[str, Any]] = []
    for frame in range(choreography.frames):
        pose = choreography.pose(Time(frame))
        eye = pose.eye()
        rows.append(
            {
                "frame": frame,
                "time": float(document.fps.seconds(frame)),
                "x": pose.x,
                "y": pose.y,
                "span": pose.span,
                "tilt": pose.tilt,
                "heading": pose.heading,
                "roll": pose.roll,
                "focal": pose.focal,
                "eye_x": eye[0],
                "eye_y": eye[1],
                "eye_height": eye[2],
                "matrix": pose.frame_from_ground(document.frame.size).ravel().tolist(),
            }
        )
    if format == "json":
        json.dump(rows, sys.stdout, indent=1)
    elif format == "csv":
        names = [*list(rows[0])[:-1], *(f"m{i}{j}" for i in range(3) for j in range(3))] if rows else []
        writer = csv.writer(sys.stdout)
        writer.writerow(names)
        writer.writerows([*list(row.values())[:-1], *row["matrix"]] for row in rows)
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
    """Draw one frame as PNG."""
    from yaila.core.camera import FrameSize
    from yaila.core.film import choreograph
    from yaila.core.imagery import PageStore
    from yaila.core.picture import Quality, Renderer, Request
    from yaila.core.time import Time
    from yaila.formats.png import write_png

    document, store = _film(film)
    frame = _frame(at, document)
    frame_size = document.frame.size
    if size:
        width, _, height = size.partition("x")
        if not (width.isdigit() and height.isdigit()):
            raise typer.BadParameter(f"“{size}” is not a size: write 1280x720.", param_hint="--size")
        frame_size = FrameSize(int(width), int(height))
    if quality not in ("draft", "final"):
        raise typer.BadParameter("draft or final", param_hint="--quality")
    count = choreograph(document).frames
    if not 0 <= frame < count:
        raise YailaError(f"The film has {count} frames; there is no frame {frame}.")
    renderer = Renderer(store.pictures.pyramid, PageStore(256), store.aids.kit)
    picture = renderer.render(Request(document, Time(frame), frame_size, Quality[quality.upper()]))
    write_png(out, picture.rgb)


@app.command()
def render(
    film: FilmArg,
    out: Annotated[Path, typer.Option()],
    first: Annotated[str | None, typer.Option("--from", help="First frame, as for still --at.")] = None,
    last: Annotated[str | None, typer.Option("--to", help="Last frame.")] = None,
    width: Annotated[int | None, typer.Option(help="Pixels; the film's own if not given.")] = None,
    crf: int = 18,
) -> None:
    """Render a reel to MP4."""
    from yaila.farm.reel import ReelSettings, frames_of
    from yaila.farm.reel import render as render_reel

    document, store = _film(film)
    settings = ReelSettings(
        first=_frame(first, document) if first else 0,
        last=_frame(last, document) if last else None,
        width=width,
        crf=crf,
    )
    total, begin = len(frames_of(document, settings)), time.monotonic()

    def progress(done: int) -> None:
        rate = done / max(time.monotonic() - begin, 1e-6)
        left = (total - done) / rate
        print(f"\r{done} of {total} frames, {rate:.1f} a second, {left:.0f} s left ", end="", file=sys.stderr)

    render_reel(document, store.pictures.pyramid, out, settings, progress, kit=store.aids.kit)
    print(file=sys.stderr)
    print(out)


@app.command()
def soundings(film: FilmArg, format: Annotated[str, typer.Option(help="text or json")] = "text") -> None:
    """Check a film; exits with 1 when a grave finding stands."""
    from yaila.core.imagery import PageStore
    from yaila.core.picture import Renderer
    from yaila.core.soundings import Pieces, soundings_of

    if format not in ("text", "json"):
        raise typer.BadParameter("text or json", param_hint="--format")
    document, store = _film(film)
    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.aids.kit)
    findings = soundings_of(document, Pieces(store.pictures.pyramid), faces=store.aids.kit.faces, renderer=renderer)
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
    from yaila.formats.bundle import read_bundle
    from yaila.store import checked

    with store.room() as folder:
        document, media = read_bundle(path, folder)
        film = checked(document)
        for plate in film.plates:
            picture = media.get(plate.picture.sha256)
            if not store.pictures.has(plate.picture.sha256):
                if picture is None:
                    raise BadBundle(f"The picture of “{plate.name}” is not in “{path.name}”. Export the film again.")
                store.pictures.add(picture, picture.name, keep=True)
        for key in film.aids:
            if file := media.get(key):
                keep = store.aids.add_sign if file.suffix == ".png" else store.aids.add_font
                keep(file.read_bytes(), file.name)
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
    try:
        app(standalone_mode=True)
    except YailaError as error:
        print(f"yaila: {error}", file=sys.stderr)
        sys.exit(1)
    except OSError as error:
        where = f" ({error.filename})" if error.filename else ""
        print(f"yaila: {error.strerror or error}{where}.", file=sys.stderr)
        sys.exit(1)
