"""Compile once what is compiled, so that nobody waits for it in the middle of work. Setting up runs it:
``python -m yaila.prepare``."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np
import pyvips

from yaila.core.analysis.tracing import trace
from yaila.core.camera import FrameSize
from yaila.core.compiling import forget_old
from yaila.core.film import Film
from yaila.core.film.finish import EFFECTS
from yaila.core.ground import GroundBox
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.soundings import Pieces, soundings_of
from yaila.core.time import Time
from yaila.standin.world import World
from yaila.store import Store

SIZE = FrameSize(480, 270)

MOVING = 30
"""A frame on which the camera is on its way."""


def prepare() -> None:
    """Draw, check and trace a small film that asks for every way of drawing plates, and survey a little of the practice
    world: side by side, as compiling uses one processor, and so that neither compiles what the other one does."""
    forget_old()
    with ProcessPoolExecutor(1, get_context("spawn")) as beside, _small_film() as (film, renderer):
        finished, checked = beside.submit(_finished), beside.submit(_checked)
        ground = film.model_copy(update={"lamps": [], "decks": []})
        # The other one soon needs this too.
        alone = ground.model_copy(update={"plates": film.plates[:1]})
        for quality in Quality:
            renderer.render(Request(alone, Time(0), SIZE, quality, without=frozenset(EFFECTS)))
        for without in (frozenset(EFFECTS), frozenset(EFFECTS) - {"relief"}):
            for quality in Quality:
                for frame in (0, MOVING, 49):
                    for clear in (False, True):
                        renderer.render(Request(ground, Time(frame), SIZE, quality, clear=clear, without=without))
        finished.result()
        for without in (frozenset({"relief"}), frozenset[str]()):
            for quality in Quality:
                renderer.render(Request(film, Time(MOVING), SIZE, quality, without=without))
        renderer.render(Request(film, Time(MOVING), SIZE, clear=True, without=frozenset({"relief"})))
        checked.result()


def _finished() -> None:
    """The practice world, and all that lies over the ground, where there is nothing on it."""
    _survey()
    with _small_film() as (film, renderer):
        trace(next(plate for plate in film.plates if plate.name == "land"), renderer.open_picture)
        bare = film.model_copy(update={"plates": []})
        for quality in Quality:
            for clear in (False, True):
                frame = Request(bare, Time(MOVING), SIZE, quality, clear=clear, without=frozenset({"relief"}))
                renderer.render(frame)


def _checked() -> None:
    with _small_film() as (film, renderer):
        plain = film.model_copy(update={"finish": film.finish.without(EFFECTS)})
        soundings_of(plain, Pieces(renderer.open_picture), renderer=renderer)


def _survey() -> None:
    """A little of the practice world, from far and from near."""
    world = World()
    harbour = world.harbours["Marrowick"]
    for half in (90, 9_000):
        box = GroundBox(harbour.x - half, harbour.y - half, harbour.x + half, harbour.y + half)
        world.picture(box, 32)
        world.cloud(box, 16)
        world.land_share(box)
    world.lights(box, 32)


@contextmanager
def _small_film() -> Iterator[tuple[Film, Renderer]]:
    """A film with one of everything, and what draws it."""
    heights = np.random.default_rng(2).random((40, 60), np.float32) * 60
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder))
        kit = replace(store.kit, heights=lambda key, codes: heights)
        yield _film(store, Path(folder)), Renderer(store.pictures.pyramid, PageStore(64), kit)
        store.engine.dispose()


def _film(store: Store, folder: Path) -> Film:
    """Plates of every kind under a camera that comes down and tilts."""
    pixels = np.random.default_rng(1).integers(0, 255, (400, 600, 4), np.uint8)
    plates: list[dict[str, Any]] = []
    for name, bands, more in (
        ("opaque", 3, {}),
        ("alpha", 4, {"opacity": 0.8, "feather": {"shape": "ellipse", "width": 40}}),
        ("toned", 3, {"tone": {"exposure": 0.2}, "feather": {"width": 20}, "edges": {"reach": 20}}),
        ("outlined", 3, {"feather": {"shape": "outline", "width": 10, "outline": [(50, 50), (500, 60), (300, 350)]}}),
        ("bright", 3, {"land": {"by": "brightness"}}),
        ("land", 3, {"land": {"by": "colour", "samples": [(120, 120, 120)]}}),
    ):
        file = folder / f"{name}.png"
        pyvips.Image.new_from_array(pixels[..., :bands], interpretation="srgb").pngsave(str(file))
        lies = {"kind": "similarity", "x": 300, "y": 200, "scale": 0.5 if plates else 1, "turn": 3}
        plates.append({"name": name, "picture": store.pictures.add(file, file.name), "placement": lies, **more})
    views = [{"x": 300, "y": 200, "span": 500, "hold": 1}, {"x": 300, "y": 200, "span": 60, "tilt": 40, "hold": 0}]
    plates.append(plates[0] | {"id": "heights", "name": "heights", "role": "heights"})
    plates += [plates[0] | {"name": role, "role": role, "height": 40} for role in ("floats", "lights")]
    plates[5]["raised"] = 10
    return Film.model_validate(
        {
            "plates": plates,
            "vantages": views,
            "labels": [{"text": "A", "x": 300, "y": 200}],
            # Light so wide that it is painted in half floats.
            "regions": [{"rings": [[(250, 150), (350, 150), (350, 250), (250, 250)]], "look": {"glow": 300}}],
            "routes": [{"points": [{"x": 200, "y": 150}, {"x": 400, "y": 250}], "draws": {"shown": True}}],
            "lamps": [{"x": 300, "y": 200, "height": 20, "look": {"reach": 80, "beam": 60, "burns": "always"}}],
            "decks": [{"height": 100, "look": {"size": 100}}],
            "finish": {
                "relief": {"on": True, "plate": "heights", "lines": 20},
                **{name: {"on": True} for name in EFFECTS if name != "relief"},
            },
        }
    )


if __name__ == "__main__":
    prepare()
