"""The Night Post: the demo film. The mail boat serves an archipelago in one night.

Its plates are pictures of the practice world, taken in different seasons and by different cameras, so their
tints differ, as such pictures do.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import cv2
import numpy as np

from yaila.core.analysis.overlap import tone_match_of
from yaila.core.camera import Breath
from yaila.core.film import (
    Duration,
    Feather,
    Film,
    Ground,
    Marker,
    Passage,
    Plate,
    Route,
    RoutePoint,
    Vantage,
    choreograph,
)
from yaila.core.film.acts import MatchTone
from yaila.core.film.finish import (
    Dusk,
    Ends,
    Finish,
    Glow,
    Grade,
    Grain,
    Haze,
    Lens,
    MarkFocus,
    PlaceFocus,
    Relief,
    Shutter,
    Sun,
    Surface,
    TargetFocus,
    Vignette,
)
from yaila.core.film.marked import Deck, Draws, Inset, Label, LabelStyle, Lamp, LampStyle, Leader, MarkerStyle, Region
from yaila.core.film.model import Fit
from yaila.core.ground import GroundBox, Point, Similarity
from yaila.core.ground.georeference import MERCATOR, Georeference
from yaila.core.marks import (
    Arrival,
    DeckLook,
    InsetLook,
    LampLook,
    Lettering,
    MarkerLook,
    RegionLook,
    Stroke,
    Traveller,
)
from yaila.core.time import Course, Ease, FilmMoment, MarkMoment, RouteMoment, Stop, VantageMoment
from yaila.standin.postcard import write_postcard
from yaila.standin.score import with_score
from yaila.standin.world import Harbour, World
from yaila.store import Store

Edge = Literal["arrives", "leaves"]

FILM_ID = "night-post"
CREDIT = "Pictures of an invented world, made for Yaila"


@dataclass(frozen=True)
class Shot:
    """A plate of the demo: its centre on the ground, its width in metres, its size in pixels, and its tint."""

    name: str
    x: float
    y: float
    width: float
    pixels: tuple[int, int]
    tint: tuple[float, ...]
    feather: float
    shape: str = "rectangle"

    def coarse(self, fine: float) -> Shot:
        """The same with a share of its pixels along each side."""
        width, height = self.pixels
        return replace(self, pixels=(round(width * fine), round(height * fine)), feather=self.feather * fine)


def place(harbour: Harbour, along: float, out: float) -> tuple[float, float]:
    """A place by its distances along a harbour's shore and out to sea, metres."""
    angle = math.radians(harbour.seaward)
    return (
        harbour.x + along * math.cos(angle) + out * math.sin(angle),
        harbour.y - along * math.sin(angle) + out * math.cos(angle),
    )


def at(harbour: Harbour, east: float, north: float) -> tuple[float, float]:
    """A place by its distances east and north of a harbour, metres."""
    return harbour.x + east, harbour.y + north


def shots(world: World) -> list[Shot]:
    """The plates, from the bottom of the stack to its top."""
    marrowick, quillhaven = world.harbours["Marrowick"], world.harbours["Quillhaven"]
    ebbing, sarnish = world.harbours["Ebbing Light"], world.harbours["Sarnish Point"]
    wall = place(marrowick, -120, 215)
    return [
        # name, centre, width in metres, pixels, tint, feather
        Shot("Overview", 480e3, 244e3, 170e3, (4480, 3008), (0.98, 1.0, 1.02, 0, 1, 3), 0),
        Shot("Marrowick coast", *at(marrowick, 1500, 3500), 40e3, (4096, 2730), (1.04, 1.0, 0.94, 2, 1, 0), 22),
        Shot("Quillhaven sheet", *at(quillhaven, 4000, 2500), 30e3, (3584, 2688), (0.95, 1.03, 0.96, 0, 4, 2), 22),
        Shot("Sarnish sheet", *at(sarnish, 4000, -1500), 28e3, (3072, 2304), (1.06, 1.01, 0.97, 4, 2, 4), 22),
        Shot("Ebbing reach", *at(ebbing, 0, 600), 15e3, (3456, 2592), (1.03, 1.02, 0.98, 3, 2, 1), 24),
        Shot("Ebbing isle", *at(ebbing, 100, 300), 4400, (3840, 3072), (1.0, 1.0, 1.03, 0, 1, 3), 24),
        Shot("Ebbing Light", ebbing.x, ebbing.y, 1800, (3072, 2048), (1.0, 1.0, 1.03, 0, 1, 3), 30, "ellipse"),
        Shot("Marrowick town", *place(marrowick, 100, -250), 7200, (3840, 2880), (0.98, 1.0, 1.02, 0, 1, 3), 24),
        Shot("Quillhaven town", *at(quillhaven, 0, 150), 4200, (4352, 3840), (1.06, 1.0, 0.93, 5, 3, 0), 20),
        Shot("Marrowick harbour", *place(marrowick, -20, 60), 1400, (3840, 2640), (1.03, 1.01, 0.97, 2, 1, 0), 24),
        Shot("Harbour basin", *place(marrowick, -85, 185), 660, (3840, 2640), (0.99, 1.0, 1.01, 0, 1, 2), 24),
        Shot("Harbour wall", *wall, 330, (3840, 2640), (1.0, 1.0, 1.0, 2, 2, 2), 26, "ellipse"),
    ]  # fmt: skip


def ensure_night_post(store: Store, tell: Callable[[str], None], fine: float = 1.0) -> None:
    """Make the demo film in a store, with its pictures, unless it is there already. ``fine`` is the share of their
    pixels along each side that the pictures have."""
    if any(card.id == FILM_ID for card in store.films.cards()):
        return
    tell("Surveying the practice world for The Night Post. This happens once and takes a minute or two.")
    world = World()
    plates = []
    todo = [shot.coarse(fine) for shot in shots(world)]
    for number, shot in enumerate(todo, 1):
        tell(f"  {number} of {len(todo)}: {shot.name}, {shot.pixels[0]:,} × {shot.pixels[1]:,} pixels")
        plates.append(_plate(store, world, shot))
    film = night_post(world, plates, _heights(store, world, fine), night_lights(store, world, fine))
    for plate in plates[1:]:
        # Their seasons differ: each takes the tone of those below it.
        film = MatchTone(plate=plate.id, match=tone_match_of(film, film.plate(plate.id), store.pictures.pyramid)).apply(
            film
        )
    film = with_postcard(store, film, world.harbours["Ebbing Light"], fine)
    seconds = float(film.fps.seconds(choreograph(film).frames))
    store.films.create(with_score(store, film, seconds), FILM_ID)


def night_lights(store: Store, world: World, fine: float = 1.0) -> list[Plate]:
    """The lights of the archipelago, and those of its towns from near; ``fine`` as of :func:`ensure_night_post`."""
    marrowick, quillhaven = world.harbours["Marrowick"], world.harbours["Quillhaven"]
    ebbing = world.harbours["Ebbing Light"]
    lit = [
        Shot("All lights", 480e3, 244e3, 170e3, (4096, 2750), (), 0),
        Shot("Ebbing lights", *at(ebbing, 0, 600), 15e3, (2048, 1536), (), 20),
        Shot("Marrowick lights", *place(marrowick, 100, -250), 7200, (3072, 2304), (), 20),
        Shot("Quillhaven lights", *at(quillhaven, 0, 150), 4200, (2560, 2260), (), 20),
    ]
    return [_plate(store, world, shot.coarse(fine)).model_copy(update={"role": "lights"}) for shot in lit]


def _plate(store: Store, world: World, shot: Shot) -> Plate:
    """A plate of the world, or, if it has no tint, of its lights."""
    import pyvips

    width, height = shot.pixels
    scale = shot.width / width
    box = GroundBox(
        shot.x - shot.width / 2,
        shot.y - scale * height / 2,
        shot.x + shot.width / 2,
        shot.y + scale * height / 2,
    )
    with store.room() as folder:
        file = folder / f"{shot.name}.jpg"
        image = pyvips.Image.new_from_array(
            world.picture(box, width, shot.tint) if shot.tint else world.lights(box, width), interpretation="srgb"
        )
        image.jpegsave(str(file), Q=94, subsample_mode="off")
        picture = store.pictures.add(file, file.name)
    return Plate(
        id=hashlib.sha256(shot.name.encode()).hexdigest()[:8],
        name=shot.name,
        credit=CREDIT,
        picture=picture,
        placement=Similarity(x=shot.x, y=shot.y, scale=scale),
        fit=Fit(by="file"),
        georeference=Georeference(crs=MERCATOR, affine=(scale, 0.0, box.west, 0.0, -scale, box.north)),
        feather=Feather.model_validate({"shape": shot.shape, "width": shot.feather}),
    )


def _heights(store: Store, world: World, fine: float = 1.0) -> Plate:
    """The heights of the land behind Sarnish Point, as a GeoTIFF of metres."""
    import rasterio
    from rasterio.transform import from_bounds

    from yaila.formats.rasters import take_in

    sarnish = world.harbours["Sarnish Point"]
    half, side = 36e3, round(1440 * fine)
    box = GroundBox(sarnish.x - half, sarnish.y - half, sarnish.x + half, sarnish.y + half)
    with store.room() as folder:
        raw, file = folder / "raw.tif", folder / "Sarnish heights.tif"
        profile = {"driver": "GTiff", "width": side, "height": side, "count": 1, "dtype": "float32", "crs": MERCATOR}
        placed = from_bounds(box.west, box.south, box.east, box.north, side, side)
        with rasterio.open(raw, "w", transform=placed, **profile) as out:
            out.write(world.heights(box, side).astype(np.float32), 1)
        taken = take_in(raw, raw.name, file)
        picture = store.pictures.add(file, file.name)
    return Plate(
        id="heights",
        name="Sarnish heights",
        credit=CREDIT,
        picture=picture,
        role="heights",
        placement=Similarity(x=sarnish.x, y=sarnish.y, scale=2 * half / side),
        fit=Fit(by="file"),
        georeference=taken.place,
    )


WAY = (
    (437.44, 210.94), (454.19, 211.81), (471.2, 227.9), (470.9, 233.2), "Tolvane", (482.94, 235.06), "Quillhaven",
    (483.69, 235.56), (483.31, 217.44), "Ebbing Light", (484.4, 215.0), (487.2, 212.6), (503.56, 212.94),
    (521.31, 230.19), "Sarnish Point",
)  # fmt: skip
"""The boat's way from Marrowick: places in kilometres, and the harbours that it calls at."""


def mail_boat(world: World) -> Route:
    """The route of the mail boat, which reaches each harbour as the camera does."""
    waits = {"Tolvane": 0.2, "Quillhaven": 1.6, "Ebbing Light": 3.0}
    points = []
    for step in ("Marrowick", *WAY):
        if isinstance(step, str):
            harbour = world.harbours[step]
            x, y = place(harbour, 0, min(harbour.radius * 0.35, 260))
            points.append(RoutePoint(x=x, y=y, stop=step, wait=waits.get(step, 0.0)))
        else:
            points.append(RoutePoint(x=step[0] * 1000, y=step[1] * 1000))
    return Route(
        id="boat", name="Mail boat", points=tuple(points), look=Stroke(dash="dashes", width=7, spacing=15),
        traveller=Traveller(symbol="boat", size=54),
        draws=Draws(
            shown=True, starts=VantageMoment(vantage="v3", edge="leaves"), pace="legs", legs=(3.6, 2.2, 4.4, 4.4),
            ease=Ease(x1=0.5, y1=0.0, x2=0.4, y2=1.0),
        ),
    )  # fmt: skip


def night_post(world: World, plates: list[Plate], heights: Plate | None = None, lights: Sequence[Plate] = ()) -> Film:
    """The film on its plates, with mountains if there are heights, and with lights by night."""
    marrowick, quillhaven = world.harbours["Marrowick"], world.harbours["Quillhaven"]
    ebbing, sarnish = world.harbours["Ebbing Light"], world.harbours["Sarnish Point"]

    def leave(manner: str, seconds: float, ease: tuple[float, float, float, float]) -> Passage:
        x1, y1, x2, y2 = ease
        return Passage.model_validate(
            {
                "manner": {"kind": manner},
                "ease": Ease(x1=x1, y1=y1, x2=x2, y2=y2),
                "duration": Duration(unit="seconds", value=seconds),
            }
        )

    settle, swell = (0.3, 0.0, 0.2, 1.0), (0.6, 0.0, 0.4, 1.0)
    wall = place(marrowick, -96, 240)
    harbour = place(marrowick, -10, 40)
    quill = place(quillhaven, 0, -40)
    vantages = [
        Vantage(id="v1", name="The sound", x=478e3, y=243e3, span=138e3, hold=2.4, passage=leave("glide", 7, settle)),
        Vantage(
            id="v2", name="Harbour wall", x=wall[0], y=wall[1], span=150, hold=1.8, breath=Breath(across=3, up=2),
            passage=leave("glide", 3.4, swell),
        ),
        Vantage(
            id="v3", name="Marrowick", x=harbour[0], y=harbour[1], span=620, tilt=52, heading=-28, focal=30, hold=1.4,
            breath=Breath(turn=4),
            passage=leave("hop", 6, swell),
        ),
        Vantage(
            id="v4", name="Quillhaven", x=quill[0], y=quill[1], span=1900, tilt=48, heading=38, focal=32, hold=1.6,
            breath=Breath(turn=3, across=2),
            passage=leave("hop", 4.4, swell),
        ),
        Vantage(
            id="v5", name="Ebbing Light", x=ebbing.x - 40, y=ebbing.y + 30, span=1130, tilt=20, heading=40, hold=3.0,
            passage=leave("hop", 4.4, settle),
        ),
        Vantage(
            id="v6", name="Sarnish Point", x=sarnish.x + 2500, y=sarnish.y - 800, span=17e3, tilt=46, heading=104,
            focal=28, hold=1.4, breath=Breath(turn=6), passage=leave("glide", 4.6, settle),
        ),
        Vantage(id="v7", name="Home again", x=478e3, y=243e3, span=138e3, hold=4.2),
    ]  # fmt: skip
    route = mail_boat(world)
    stops = [(k, point) for k, point in enumerate(route.points) if point.stop]
    markers = [
        Marker(
            id=f"m{number}", name=point.stop or "", x=point.x, y=point.y,
            starts=RouteMoment(route=route.id, point=k), style="calls",
        )
        for number, (k, point) in enumerate(stops)
    ]  # fmt: skip
    # The lamp is low as the camera comes, bright when it is there, and goes down before it leaves.
    burns: Course[float] = Course(
        stops=(
            Stop(id="low", value=0.3, at=VantageMoment(vantage="v5", offset=-12)),
            Stop(id="bright", value=1.0, at=VantageMoment(vantage="v5", offset=4)),
            Stop(id="out", value=0.4, at=VantageMoment(vantage="v5", edge="leaves", offset=20)),
        )
    )
    markers.append(
        Marker(
            id="light", name="The light", x=ebbing.x, y=ebbing.y, starts=VantageMoment(vantage="v5", offset=-12),
            ends=VantageMoment(vantage="v5", edge="leaves", offset=20),
            look=MarkerLook(
                symbol="dot", colour="#ffe9a8", edge=0, scales="ground", ground=44, pulses=0.7, opacity=burns
            ),
        )
    )  # fmt: skip
    return Film(
        name="The Night Post", rate="25", background="#16435f", ground=Ground(kind="mercator"),
        plates=[*plates, *lights, *([heights] if heights else [])],
        vantages=vantages, routes=[route], markers=markers, labels=_labels(stops, ebbing), regions=[_island(world)],
        styles=[
            MarkerStyle(id="calls", name="Calls", look=MarkerLook(size=38, shadow=0.45)),
            LabelStyle(id="names", name="Harbour names", look=Lettering(family="Lato", size=46, halo=12)),
            LampStyle(id="quays", name="Quay lamps", look=LampLook(bright=3.2, reach=330, warmth=2500, glow=0.3)),
        ],
        lamps=_lamps(world), decks=_decks(), finish=_finish(marrowick, heights),
    )  # fmt: skip


def with_postcard(store: Store, film: Film, ebbing: Harbour, fine: float) -> Film:
    """The film with the light as it is seen from the water, beside it on the map."""
    with store.room() as folder:
        file = folder / "The light.mp4"
        write_postcard(file, max(fine, 0.25))
        clip = store.clips.add(file, file.name)
    inset = Inset(
        id="postcard",
        name="The light from the water",
        x=ebbing.x - 372,
        y=ebbing.y + 38,
        shows=clip.model_copy(update={"after": "again"}),
        stands="facing",
        gap=0,
        starts=VantageMoment(vantage="v5", offset=6),
        ends=VantageMoment(vantage="v5", edge="leaves", offset=6),
        comes=Arrival(how="unfold", frames=12),
        goes=Arrival(how="grow", frames=10),
        look=InsetLook(size=520, round=4, edge=10, edge_colour="#f3ead6", shadow=34),
    )
    return film.model_copy(update={"insets": [inset]})


def _lamps(world: World) -> list[Lamp]:
    """Lamps over the quays, the lighthouse with its beam, and the boat's own light."""
    lamps: list[Lamp] = []
    for name, places in (
        ("Marrowick", ((-30, 60), (150, 210), (-190, 260))),
        ("Tolvane", ((0, 40),)),
        ("Quillhaven", ((-60, 130), (240, 260), (30, 420))),
        ("Sarnish Point", ((0, 60),)),
    ):
        harbour = world.harbours[name]
        for number, (along, inland) in enumerate(places, 1):
            x, y = place(harbour, along, -inland)
            lamps.append(Lamp(id=f"quay{len(lamps)}", name=f"{name} {number}", x=x, y=y, height=120, style="quays"))
    ebbing = world.harbours["Ebbing Light"]
    lamps.append(
        Lamp(
            id="beam", name="The beam", x=ebbing.x, y=ebbing.y, height=140,
            look=LampLook(bright=7, reach=2600, warmth=4300, beam=34, turns=9, edge=0.8, glow=0.5),
        )
    )  # fmt: skip
    lamps.append(
        Lamp(
            id="mast", name="Mast light", x=ebbing.x, y=ebbing.y, height=40, hangs="boat",
            look=LampLook(bright=4, reach=170, warmth=3000, flicker=0.12, glow=0.2),
        )
    )  # fmt: skip
    return lamps


def _decks() -> list[Deck]:
    """The cloud that the camera falls through."""
    look = DeckLook(cover=0.44, size=24e3, soft=0.55, parts=2.6, wind=260, towards=70, shadow=0.35, white=0.25, seed=7)
    ends = VantageMoment(vantage="v2", edge="arrives")
    return [Deck(id="cloud", name="Evening cloud", height=26e3, ends=ends, look=look)]


def _finish(marrowick: Harbour, heights: Plate | None) -> Finish:
    """Evening into night, a shallow focus that goes over from the town to the boat, mountains that rise as the camera
    comes to Sarnish Point, and an open shutter."""

    def stop(
        key: str, value: Any, vantage: str, edge: Literal["arrives", "leaves"] = "arrives", offset: int = 0
    ) -> Any:
        return Stop(id=key, value=value, at=VantageMoment(vantage=vantage, edge=edge, offset=offset))

    # Night falls until the lighthouse, and breaks as the boat is home.
    falls: tuple[Any, ...] = (
        ("a", 0.0, "v1"), ("b", 0.12, "v2"), ("c", 0.42, "v3"), ("d", 0.72, "v4"), ("e", 0.96, "v5"),
        ("f", 0.9, "v6", "leaves"), ("g", 0.5, "v7", "arrives", -16), ("h", 0.2, "v7", "leaves"),
    )  # fmt: skip
    # What was flown over is a chart in the end.
    printed = (stop("air", 0.0, "v6", "leaves", 40), stop("paper", 0.6, "v7", "arrives", 16))
    town = place(marrowick, 60, -420)
    focus = (
        stop("far", PlaceFocus(x=town[0], y=town[1]), "v3", "arrives", -8),
        stop("stays", PlaceFocus(x=town[0], y=town[1]), "v3", "arrives", 4),
        stop("near", MarkFocus(mark="boat"), "v3", "leaves", -4),
        stop("on", TargetFocus(), "v3", "leaves", 6),
    )
    first: Any = Stop(id="first", value=TargetFocus(), at=VantageMoment(vantage="v2", edge="leaves"))
    rises = (
        stop("flat", 0.0, "v5", "leaves", 20),
        stop("high", 1.7, "v6", "arrives", -10),
        stop("stay", 1.7, "v6", "leaves"),
        stop("down", 0.0, "v6", "leaves", 60),
    )
    return Finish(
        surface=Surface(
            on=True,
            kind="chartcloth",
            folds=0,
            light=Course(stops=tuple(one.model_copy(update={"value": one.value * 0.5}) for one in printed)),
            own_colour=0.5,
            strength=Course(stops=printed),
        ),
        relief=Relief(
            on=heights is not None, plate=heights.id if heights else None, times=Course(stops=rises), shadows=0.25
        ),
        sun=Sun(on=True, azimuth=300, height=24, warmth=4000, tints=0.6),
        dusk=Dusk(on=True, share=Course(stops=tuple(stop(*one) for one in falls)), dark=2.6),
        haze=Haze(on=True, clear=1.4, sees=7.0, colour="#b9c6d8"),
        lens=Lens(on=True, f_number=2.4, nearness=0.55, focus=Course(stops=(first, *focus))),
        shutter=Shutter(on=True),
        # Warm while the sun is there, cool by night.
        grade=Grade(
            on=True,
            contrast=16,
            vibrance=12,
            shadows="#1c3a63",
            shadows_by=0.22,
            lights_by=0.08,
            black=0.01,
            warmth=Course(
                stops=(
                    stop("warm", 14.0, "v1"),
                    stop("even", 0.0, "v3"),
                    stop("cool", -12.0, "v5"),
                    stop("still", -12.0, "v6", "leaves"),
                    stop("dawn", 16.0, "v7", "arrives", 20),
                )
            ),
        ),
        glow=Glow(on=True, strength=0.22, above=0.62, wide=0.014, colour="#ffe4bd"),
        vignette=Vignette(on=True, by=0.38, soft=0.7),
        ends=Ends(on=True, opens="cut", closes_over=1.6),
        grain=Grain(on=True, strength=2.2),
    )


def _labels(stops: list[tuple[int, RoutePoint]], ebbing: Harbour) -> list[Label]:
    """The title, the harbours' names, which come as the boat calls, a sea's name, and two callouts."""
    names = [
        Label(
            id=f"n{number}", name=point.stop or "", text=point.stop or "", x=point.x, y=point.y, style="names", gap=34,
            starts=MarkMoment(mark=f"m{number}", offset=4), comes=Arrival(how="letters", frames=16),
        )
        for number, (_, point) in enumerate(stops)
    ]  # fmt: skip
    title = Label(
        id="title", name="Title", text="THE NIGHT POST", stands="frame", u=0.5, v=0.47,
        starts=FilmMoment(seconds=0.2), ends=VantageMoment(vantage="v1", edge="leaves", offset=14),
        comes=Arrival(how="words", frames=20), goes=Arrival(how="fade", frames=14),
        # It opens as long as it stands.
        look=Lettering(
            family="Dosis", size=118, halo=26,
            tracking=Course(
                stops=(
                    Stop(id="close", value=26.0, at=FilmMoment(seconds=0.2)),
                    Stop(id="wide", value=44.0, at=VantageMoment(vantage="v1", edge="leaves", offset=14)),
                )
            ),
        ),
    )  # fmt: skip
    sea = Label(
        id="sea", name="Sea", text="Aldermere Sound", x=441e3, y=259e3, stands="board", turn=-8, sits="over",
        closest=34e3, comes=Arrival(how="fade", frames=20),
        look=Lettering(
            family="Noto Serif", bold=False, italic=True, scales="ground", ground=2700, size=46, tracking=30,
            colour="#cfe6ef", halo=0, opacity=0.75,
        ),
    )  # fmt: skip
    keeper = Label(
        id="keeper", name="Keeper", text="The light\nlit since 1871", x=ebbing.x, y=ebbing.y,
        starts=VantageMoment(vantage="v5", offset=2), ends=VantageMoment(vantage="v5", edge="leaves", offset=12),
        leader=Leader(dx=330, dy=-210, frames=8), comes=Arrival(how="typed", frames=14),
        look=Lettering(family="Roboto Slab", bold=False, size=36, halo=0, align="left", box="round", pad=20),
    )  # fmt: skip
    home = Label(
        id="home", name="Isle", text="Hollin Isle\nno quay, no post", x=499.4e3, y=224.2e3,
        starts=MarkMoment(mark="isle", offset=16), leader=Leader(dx=240, dy=150),
        comes=Arrival(how="rise", frames=12),
        look=Lettering(family="Roboto Slab", bold=False, size=32, halo=0, align="left", box="round", pad=18),
    )  # fmt: skip
    return [sea, *names, title, keeper, home]


def _island(world: World) -> Region:
    """The island that the boat does not call at, lifted out as the camera is home again."""
    box = GroundBox(493e3, 217e3, 506e3, 232e3)
    land = (world.heights(box, 520) > 0).astype(np.uint8)
    outlines, _ = cv2.findContours(land, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    shore = cv2.approxPolyDP(max(outlines, key=cv2.contourArea), 1.2, True)[:, 0]
    pixel = (box.east - box.west) / 520
    ring = tuple(Point(box.west + (x + 0.5) * pixel, box.north - (y + 0.5) * pixel) for x, y in shore.tolist())
    return Region(
        id="isle", name="Hollin Isle", rings=(ring,), starts=VantageMoment(vantage="v7", offset=-20),
        comes=Arrival(how="fade", frames=20), flashes=1, flash=16,
        look=RegionLook(
            filled=0, border=3, lift=30, sides=20, shadow=18, rest="dimmed", rest_by=0.16, side_colour="#4d4430"
        ),
    )  # fmt: skip
