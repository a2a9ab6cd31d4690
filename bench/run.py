"""Measure speed against floors measured in the same run: one JSON line a row. Goals to beat, not tests.

    make bench            all rows
    python -m bench.run draft_frame import_rate

The demo film is made first if the store has none.
"""

from __future__ import annotations

import dataclasses
import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np
import pyvips

from yaila.api.frames import JPEG_QUALITY
from yaila.core.camera import FrameSize, Pose, View
from yaila.core.film import Film, choreograph
from yaila.core.film.finish import Finish
from yaila.core.ground import Similarity
from yaila.core.imagery import PAGE, PageStore, build_pyramid, open_pyramid
from yaila.core.picture import PlateLayer, Quality, Renderer, Request, draw, jpeg
from yaila.core.soundings import Pieces, soundings_of
from yaila.core.time import Time
from yaila.farm.reel import ReelSettings, render
from yaila.formats.delivery import FORMS, Slate, delivery
from yaila.standin.night_post import FILM_ID, ensure_night_post
from yaila.store import Store

DRAFT = FrameSize(960, 540)


def p95(values: list[float]) -> float:
    """The 95th percentile."""
    return float(np.percentile(values, 95))


def timed(work: Callable[[], object]) -> float:
    """Seconds that a call takes."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def row(name: str, figure: float, floor: float, goal: float, unit: str, least: bool = False) -> None:
    """Print a row; ``figure`` and ``floor`` in the same unit. The goal is the most the ratio should be, or the
    ``least``."""
    ratio = figure / floor
    print(
        json.dumps(
            {
                "name": name,
                "figure": round(figure, 3),
                "floor": round(floor, 3),
                "unit": unit,
                "ratio": round(ratio, 3),
                "goal": goal,
                "pass": ratio >= goal if least else ratio <= goal,
            }
        ),
        flush=True,
    )


def drafts_row(name: str, store: Store, film: Film, drafts: Iterator[float], goal: float) -> None:
    """The row of how long drafts took, seconds, which are drawn as they are asked for. Between two of them the floor is
    measured, as the machine is a while quicker, a while slower."""
    floor, times, floors = draft_floor(store, film), [], []
    for seconds in drafts:
        times.append(seconds)
        floors.append(timed(floor))
    row(name, p95(times) * 1000, p95(floors) * 1000, goal, "ms")


def draft_floor(store: Store, film: Film) -> Callable[[], None]:
    """One bilinear warp by OpenCV of a plate to 960 x 540, and its JPEG."""
    source = store.pictures.pyramid(film.plates[0].picture.sha256).read(1)
    matrix = np.array([[1.3, 0.05, 60], [-0.05, 1.3, 90], [0, 0, 1]])

    def once() -> None:
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        frame = np.ascontiguousarray(cv2.warpPerspective(source, matrix, DRAFT, flags=flags)[..., :3])
        cv2.imencode(".jpg", cv2.cvtColor(frame, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, JPEG_QUALITY])

    for _ in range(5):
        once()
    return once


def drawer(store: Store, film: Film, pages: PageStore, size: FrameSize, quality: Quality) -> Callable[[int], bytes]:
    """Draws frames of a film, its marks included, as JPEG, as the viewfinder gets them."""
    renderer = Renderer(store.pictures.pyramid, pages, store.kit)

    def frame(k: int) -> bytes:
        return jpeg(renderer.render(Request(film, Time(k), size, quality)), JPEG_QUALITY)

    return frame


def plain(film: Film) -> Film:
    """A film without its finish."""
    return film.model_copy(update={"finish": Finish(), "lamps": [], "decks": []})


def _drafts(store: Store, film: Film) -> Iterator[float]:
    """How long frames take as they play, warm, seconds."""
    frame, count = drawer(store, film, PageStore(384), DRAFT, Quality.DRAFT), choreograph(film).frames
    for k in range(0, count, 40):
        frame(k)
    for start in range(0, count, 50):
        # Where it begins, pages come in that are there already while a film plays.
        frame(start)
        for k in range(start + 1, min(start + 13, count)):
            yield timed(lambda k=k: frame(k))


def draft_frame(store: Store, film: Film) -> None:
    """Frames of the demo without its finish."""
    drafts_row("draft_frame", store, film, _drafts(store, plain(film)), 2.5)


def draft_rich(store: Store, film: Film) -> None:
    """Frames of the demo with all of its finish, lens, shutter, relief, deck, lamps, dusk and haze; and with all of it
    but relief."""
    drafts_row("draft_rich", store, film, _drafts(store, film), 5)
    low = film.model_copy(update={"finish": film.finish.without({"relief"})})
    drafts_row("draft_rich_flat", store, film, _drafts(store, low), 5)


def seek_cold(store: Store, film: Film) -> None:
    """Frames at random times with nothing in memory, as they are without the finish, and with it."""
    for name, one in (("seek_cold", plain(film)), ("seek_cold_rich", film)):
        drafts_row(name, store, film, _sought(store, one), 8)


def _sought(store: Store, film: Film) -> Iterator[float]:
    """How long frames at random times take with nothing in memory, seconds."""
    pages = PageStore(384)
    frame = drawer(store, film, pages, DRAFT, Quality.DRAFT)
    for k in np.random.default_rng(11).integers(0, choreograph(film).frames, 60).tolist():
        pages.clear()
        yield timed(lambda k=k: frame(k))


def reel_plain(store: Store, film: Film) -> None:
    """A 1080p reel of 117 frames of the demo without its finish, against encoding those same frames alone by x264,
    preset "medium".

    They are the end of the first dive and the rest after it, in the share that rests have of the whole film.
    """
    _reel("reel_plain", store, plain(film), 130, 117, 1.3)


def reel_rich(store: Store, film: Film) -> None:
    """The same with all of the finish, of the flight to Sarnish Point and the rest there."""
    _reel("reel_rich", store, film, 850, 60, 3.0)


def _reel(name: str, store: Store, film: Film, first: int, count: int, goal: float) -> None:
    with tempfile.TemporaryDirectory() as folder:
        settings = ReelSettings(first=first, last=first + count - 1)
        kit = store.kit
        render(film, store.pictures.pyramid, Path(folder) / "warm.mp4", ReelSettings(first=0, last=1), kit=kit)
        wall = timed(lambda: render(film, store.pictures.pyramid, Path(folder) / "reel.mp4", settings, kit=kit))
        renderer, size = Renderer(store.pictures.pyramid, PageStore(384), kit), film.frame.size
        frames = [renderer.render(Request(film, Time(first + k), size, Quality.FINAL)).pixels for k in range(count)]

        form = FORMS["h264"]
        assert form.coding
        medium = dataclasses.replace(form, coding=dataclasses.replace(form.coding, options=(("preset", "medium"),)))

        def encode() -> None:
            floor = Path(folder) / "floor.mp4"
            with delivery(medium, floor, film.frame.size, film.fps, 18, Slate("")) as writer:
                for frame in frames:
                    writer.write(frame)

        row(name, wall, timed(encode), goal, "s")


def noise(width: int, height: int, path: Path) -> None:
    """A picture with some detail, of any size, quickly."""
    tile = pyvips.Image.gaussnoise(1000, 500, sigma=30, mean=128, seed=5).cast("uchar")
    colour = tile.bandjoin([tile, tile]).copy(interpretation="srgb")
    colour.replicate(width // 1000, height // 500).tiffsave(str(path), tile=True, bigtiff=True, compression="jpeg")


def plate_growth(store: Store, film: Film) -> None:
    """Frame time, and peak memory, with a plate of 48,000 x 24,000 pixels against one of 12,000 x 6,000."""
    with tempfile.TemporaryDirectory(dir=store.home) as folder:
        paths = []
        for width in (12000, 48000):
            source, target = Path(folder) / f"{width}.tif", Path(folder) / f"{width}-pyramid.tif"
            noise(width, width // 2, source)
            build_pyramid(source, target, source.name)
            source.unlink()
            paths.append(target)

        def figures(path: Path) -> list[float]:
            command = [sys.executable, __file__, "--growth", str(path)]
            return json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)

        # Turn by turn, so that a machine that slows down does so for both; the least of each counts.
        turns = [[figures(path) for path in paths] for _ in range(3)]
        (small_time, small_peak), (large_time, large_peak) = np.min(turns, axis=0).tolist()
        row("plate_growth", large_time, small_time, 1.15, "ms a frame")
        row("plate_growth_memory", large_peak, small_peak, 1.15, "MiB at peak")


def growth_of(path: Path) -> None:
    """Draw the same frames well inside one plate and print the median milliseconds and the peak memory in MiB."""
    pyramid, pages = open_pyramid(path), PageStore(256)
    width, height = pyramid.sizes[0]
    layer = PlateLayer("a", pyramid, Similarity(x=width / 2, y=height / 2).matrix(width, height))
    poses = [Pose(width / 2 + 24 * k, height / 2, span, 20, 5) for span in (1600, 4000) for k in range(40)]
    times = [
        timed(lambda p=pose: draw([layer], View.of(p, DRAFT), (0, 0, 0, 255), Quality.DRAFT, pages)) for pose in poses
    ]
    # Of this process alone: what getrusage tells of a child starts from the peak of the process that made it.
    status = Path("/proc/self/status").read_text()
    peak = int(next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1]) / 1024
    print(json.dumps([float(np.median(times)) * 1000, peak]))


def import_rate(store: Store, film: Film) -> None:
    """A plate of 96 megapixels taken in, against libvips writing the same pyramid."""
    with tempfile.TemporaryDirectory(dir=store.home) as folder:
        source = Path(folder) / "source.tif"
        noise(12000, 8000, source)
        pyramid = {"tile": True, "pyramid": True, "tile_width": PAGE, "tile_height": PAGE, "bigtiff": True}

        def floor() -> None:
            image = pyvips.Image.new_from_file(str(source), access="sequential")
            image.tiffsave(str(Path(folder) / "floor.tif"), compression="none", region_shrink="mean", **pyramid)

        timed(floor)
        ours = Store(Path(folder) / "store")
        wall = timed(lambda: ours.pictures.add(source, "source.tif", keep=True))
        row("import_rate", wall, timed(floor), 1.3, "s")


def soundings_rate(store: Store, film: Film) -> None:
    """All checks of the demo, as if it had 1,500 frames; in seconds, not against a floor."""

    renderer = Renderer(store.pictures.pyramid, PageStore(64), store.kit)

    def checks(film: Film, pieces: Pieces) -> float:
        return timed(lambda: soundings_of(film, pieces, renderer=renderer))

    seconds = min(checks(film, Pieces(store.pictures.pyramid)) for _ in range(3))
    row("soundings_rate", seconds / choreograph(film).frames * 1500, 1, 1, "s")
    pieces, edited = Pieces(store.pictures.pyramid), film.model_copy(deep=True)
    checks(film, pieces)
    edits = []
    for _ in range(5):
        edited.vantages[2].span *= 1.01
        edits.append(checks(edited, pieces))
    row("soundings_edit", float(np.median(edits)), 1, 0.3, "s")


def command_start(store: Store, film: Film) -> None:
    """From the command line to its help; in seconds, not against a floor."""
    help_ = [sys.executable, "-m", "yaila", "--help"]
    seconds = min(timed(lambda: subprocess.run(help_, check=True, stdout=subprocess.DEVNULL)) for _ in range(3))
    row("command_start", seconds, 1, 1, "s")


def drag_shown(store: Store, film: Film) -> None:
    """From a movement of a vantage of the demo, finish and all, to its picture, the page included; milliseconds."""
    from bench.page import drag_times

    row("drag_shown", p95(drag_times(store.home, FILM_ID)), 1, 80, "ms")


def play_thinned(store: Store, film: Film) -> None:
    """Distinct frames a second that are seen where a frame takes twice as long to draw as it lasts, against as many as
    can be drawn. More is better."""
    from bench.page import frames_seen

    takes = 2 * float(film.fps.seconds(1))
    row("play_thinned", frames_seen(store.home, FILM_ID, takes), 1 / takes, 0.9, "frames/s", least=True)


DRAW = """
import os, sys, time
os.sched_setaffinity(0, {int(sys.argv[1])})
from pathlib import Path
from yaila.core.imagery import PageStore
from yaila.core.picture import Renderer
from yaila.farm.reel import ReelSettings, write_piece
from yaila.standin.night_post import FILM_ID
from yaila.store import Store
store, first = Store(), int(sys.argv[2])
film = store.films.at_revision(FILM_ID, store.films.head(FILM_ID))
renderer, settings = Renderer(store.pictures.pyramid, PageStore(512), store.kit), ReelSettings(width=960)
write_piece(film, settings, Path(sys.argv[3]) / f"warm{first}.mp4", range(first, first + 2), renderer)
print("ready", flush=True)
sys.stdin.readline()
begin = time.perf_counter()
write_piece(film, settings, Path(sys.argv[3]) / f"piece{first}.mp4", range(first, first + 40), renderer)
print(time.perf_counter() - begin, flush=True)
"""


def workers(store: Store, film: Film) -> None:
    """Frames a second of two workers with a processor each, against those of one. More is better."""

    def drawn(count: int, folder: str) -> float:
        """Seconds until all have drawn their 40 frames, which are alike."""
        begun = [
            subprocess.Popen(
                [sys.executable, "-c", DRAW, str(k), str(560 + 40 * k), folder],
                env={**os.environ, "YAILA_HOME": str(store.home)},
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
            )
            for k in range(count)
        ]
        for one in begun:
            assert one.stdout
            assert one.stdout.readline() == "ready\n"
        took = []
        for one in begun:
            assert one.stdin
            one.stdin.write("\n")
            one.stdin.flush()
        for one in begun:
            assert one.stdout
            took.append(float(one.stdout.readline()))
            one.wait()
        return max(took)

    with tempfile.TemporaryDirectory() as folder:
        alone = max(drawn(1, folder), drawn(1, folder))
        row("workers", 2 * alone, drawn(2, folder), 1.7, "of one's", least=True)


def pieces(store: Store, film: Film) -> None:
    """A reel in pieces of 96 frames that are hashed and joined, against the same in one piece: 288 frames at 640."""
    from yaila.farm import pieces as parts

    film, settings = plain(film), ReelSettings(first=0, last=287, width=640)

    def rendered(folder: str, size: int) -> float:
        parts.PIECE = size
        path = Path(folder) / f"{size}.mp4"
        return timed(lambda: render(film, store.pictures.pyramid, path, settings, kit=store.kit))

    with tempfile.TemporaryDirectory() as folder:
        rendered(folder, 96)
        times = [(rendered(folder, 96), rendered(folder, 288)) for _ in range(3)]
        cut, whole = np.median(times, axis=0).tolist()
        row("pieces", cut, whole, 1.04, "s")


ROWS = {
    f.__name__: f
    for f in (
        draft_frame,
        draft_rich,
        seek_cold,
        reel_plain,
        reel_rich,
        plate_growth,
        import_rate,
        soundings_rate,
        command_start,
        drag_shown,
        play_thinned,
        workers,
        pieces,
    )
}


def main() -> None:
    """Print the rows asked for, or all."""
    if sys.argv[1:2] == ["--growth"]:
        return growth_of(Path(sys.argv[2]))
    store = Store()
    ensure_night_post(store, lambda text: print(text, file=sys.stderr))
    film = store.films.at_revision(FILM_ID, store.films.head(FILM_ID))
    print(json.dumps({"processors": os.cpu_count()}), flush=True)
    for name in sys.argv[1:] or ROWS:
        ROWS[name](store, film)
    return None


if __name__ == "__main__":
    main()
