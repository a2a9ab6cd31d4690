"""One renderer: a film at a moment becomes a picture, whoever asks for it.

A frame is made by passes, one after the other (``PASSES``): the plates, what lies on the ground, what stands or floats.
What needs no picture for it (marks, light, tables of the finish) is worked out beside the plates, as that is Python
and those are compiled loops.
The same request always gives the same pixels, whichever process or thread draws them and whatever is in memory.
"""

from __future__ import annotations

import dataclasses
import math
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from itertools import chain, groupby
from typing import Any, Literal, NamedTuple

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose, View
from yaila.core.colour import bytes_of
from yaila.core.errors import Damaged, NotFound
from yaila.core.film import Choreography, Film, Plate, Scene, choreograph, scene_at
from yaila.core.film.finish import Relief, Surface
from yaila.core.film.focus import Ground, level
from yaila.core.film.running import running
from yaila.core.film.scene import finish_at, light_at
from yaila.core.film.sunlight import Light as Sunlight
from yaila.core.ground.mercator import stretch_at
from yaila.core.ground.placement import through
from yaila.core.imagery import PageStore, Pyramid
from yaila.core.picture import insets, markers, regions, room, routes
from yaila.core.picture.backdrop import on_backdrop
from yaila.core.picture.blocks import Block, Blocks, blocks_of, height_of_blocks, stands_out
from yaila.core.picture.canvas import WIDE, painted
from yaila.core.picture.decks import PresentDeck, Sky, parted
from yaila.core.picture.frame_finish import finished, make_ready, mixed_pixels, regraded
from yaila.core.picture.ground import PlateLayer, Quality, Stack, draw_plates, layer_of, pyramid_of, shot_of
from yaila.core.picture.heights import Heights, cast
from yaila.core.picture.kit import Kit
from yaila.core.picture.layers import Motion, put_over, softened_layer
from yaila.core.picture.lens import SHARP
from yaila.core.picture.light import Field, field_of, is_lit, lights_of, linear_of, night_of
from yaila.core.picture.linear import Light
from yaila.core.picture.optics import GRIDS, Optics
from yaila.core.picture.resting import Itself, Last
from yaila.core.picture.stage import NO_GROUND, Easel, Piece, Stage
from yaila.core.picture.surface import Tile, laid_on, shipped
from yaila.core.picture.terrain import DETAIL, Contours, Raised, Slopes, Terrain
from yaila.core.picture.threads import FEW, Made, beside
from yaila.core.picture.underneath import is_opened, on_what_lies_under
from yaila.core.stopping import go_on, late
from yaila.core.surfaces import material_of
from yaila.core.time import ZERO, Time

MOST_FILMS = 16
"""Films whose choreography a renderer keeps."""

MOST_PLAYING = 4
"""Stacks of plates of which a renderer keeps the pictures of clips at one moment."""

MOST_HEIGHTS = 3
"""Plates of heights, and surfaces of plates, that a renderer keeps made ready."""

PLAYS = 12
"""A picture so many frames after the last one, or fewer, is taken to be one of a film that plays."""

CAST_STEPS = 50
"""For how many steps of its logarithm the height of the ground has shadows of its own."""

Part = Literal["all", "ground", "marks", "matte", "depth"]
"""What of the film a picture holds: all of it, the ground with all that sticks to it, the marks alone, how much of each
pixel marks cover (white: all of it), or how near the ground is (white at the camera, half at the target's distance,
black where it ends)."""

PART_NAMES: dict[Part, str] = {
    "all": "All of the film",
    "ground": "The ground alone",
    "marks": "Marks alone",
    "matte": "A matte of marks, black and white",
    "depth": "Depth, white where near",
}
"""What the parts are called."""

PARTS_OF_MARKS: tuple[Part, ...] = ("marks", "matte")
"""Those that may hold some of the marks only."""

FRAME_EFFECTS = frozenset({"glow", "grade", "glass", "vignette", "wear", "grain", "ends", "bars"})
"""What is done to all of the frame, and so to no part of it."""

Pixels = NDArray[np.uint8]
"""(height, width, 4) uint8 premultiplied RGBA, sRGB."""


@dataclass(frozen=True)
class Request:
    """What is to be drawn: a film at a moment, the size of the frame, and how carefully.

    ``pose`` is another camera than the film's own at that moment. ``clear`` leaves what no plate covers see-through
    instead of the film's background. ``region`` draws a part of the frame alone: left, top, width and height, pixels.
    ``without`` names effects of the finish that are left out (``EFFECTS``).

    ``part`` draws the ground without marks, or the marks alone over nothing, both without what is done to the whole
    frame. Laid over one another they give the whole without that, where no cloud lies over marks and nothing is blurred
    by the lens or by its motion. ``only`` names the marks that are drawn, by their ids; without it all are.
    """

    film: Film
    time: Time
    size: FrameSize
    quality: Quality = Quality.FINAL
    pose: Pose | None = None
    clear: bool = False
    region: tuple[int, int, int, int] | None = None
    without: frozenset[str] = frozenset()
    part: Part = "all"
    only: frozenset[str] = frozenset()

    @property
    def alone(self) -> bool:
        """Whether marks are drawn over nothing."""
        return self.part in PARTS_OF_MARKS

    @property
    def whole(self) -> Request:
        """The same with what its part makes of the rest."""
        if self.part == "all":
            return self
        without = self.without | FRAME_EFFECTS | ({"lens", "shutter"} if self.part == "depth" else set())
        return replace(self, clear=self.clear or self.alone, without=without)


@dataclass(frozen=True)
class Picture:
    """A finished frame, or one that lacks marks, as its time was over before all of them were painted."""

    pixels: Pixels
    unfinished: bool = False

    @property
    def rgb(self) -> NDArray[np.uint8]:
        """(height, width, 3) uint8: as it is over black where it is see-through."""
        return np.asarray(cv2.cvtColor(self.pixels, cv2.COLOR_RGBA2RGB), dtype=np.uint8)


@dataclass
class Work:
    """A frame on its way through the passes."""

    request: Request
    scene: Scene
    view: View
    """Of what is drawn: the frame, and the margin that lens and shutter need around it."""
    outer: View
    """The frame with that margin."""
    optics: Optics
    renderer: Renderer
    terrain: Terrain | None = None
    """The ground where it is not flat: then ``view`` is of the flat ground, and shows all of it that is seen."""
    field: Field | None = None
    """What light and air do to the flat ground."""
    deep: NDArray[np.float32] | None = None
    """What each pixel shows, where the ground is not flat (``Terrain.over``)."""
    pixels: Pixels = dataclasses.field(default_factory=lambda: np.zeros((0, 0, 4), np.uint8))
    pieces: Callable[[], list[Piece]] = list
    """Gives what is painted of marks, in order."""
    soft: dict[int, tuple[NDArray[np.float32], tuple[int, int]] | None] = dataclasses.field(default_factory=dict)
    """What lens and shutter make of pieces that stand, by their Python ids, as far as that is made ready: their light,
    and where it begins in the frame with its margin; none of it if nothing of one is there."""
    lit: Callable[[], Lit] | None = None
    """Gives what light and air do to the ground, if they do anything."""
    standing: list[Piece] = dataclasses.field(default_factory=list)
    unfinished: bool = False

    light: Light | None = None
    """The picture while it is in linear light: with the margin before the lens, without it after."""

    @property
    def seconds(self) -> float:
        """The time of the film."""
        return self.request.time.seconds(self.request.film.fps)

    def in_light(self) -> Light:
        """The frame in linear light."""
        if self.light is None:
            self.light = Light.of(self.framed(self.pixels), self.request.clear)
        return self.light

    def in_pixels(self) -> None:
        """Bring the frame into pixels, if it is in linear light."""
        if self.light is not None:
            # Pixels of its own: the ground's are kept, and serve while the camera rests. No more of them than the frame
            # is seen.
            self.pixels = np.zeros_like(self.pixels)
            self.light.into(self.framed(self.pixels), self.optics.view.left, self.optics.view.top)
            self.light = None

    def framed(self, pixels: Pixels) -> Pixels:
        """The frame in pixels that have a margin."""
        margin = self.optics.margin
        return pixels[margin : pixels.shape[0] - margin, margin : pixels.shape[1] - margin]

    @property
    def background(self) -> tuple[int, int, int, int]:
        """What shows where no plate covers, premultiplied RGBA."""
        return NOTHING if self.opened or self.scene.finish.backdrop.on else self.lowest

    @property
    def lowest(self) -> tuple[int, int, int, int]:
        """What shows where there is nothing at all, premultiplied RGBA."""
        return NOTHING if self.request.clear else (*bytes_of(self.request.film.background), 255)

    @property
    def opened(self) -> bool:
        """Whether something is under the map, or cut out of it."""
        return not self.request.alone and is_opened(self.scene)


def _meanwhile(view: View, made: Callable[[], Made]) -> Callable[[], Made]:
    """Begin what needs no picture while one is drawn; of a small one only when it is asked for, as that is drawn sooner
    than another thread begins."""
    return made if math.prod(view.size) <= FEW else beside(made)


def marks_made_ready(work: Work) -> None:
    """What is painted of marks, worked out while the ground is drawn."""
    if work.request.part != "ground":
        work.pieces = _meanwhile(work.view, partial(_pieces, work))


def optics_made_ready(work: Work) -> None:
    """Where the camera is while the shutter is open, worked out while the ground is drawn."""
    _meanwhile(work.view, work.optics.make_ready)


def finish_made_ready(work: Work) -> None:
    """Tables of what sticks to the frame, worked out while the ground is drawn."""
    finish = work.scene.finish
    if finish.grade.on or finish.vignette.on:
        _meanwhile(work.view, lambda: make_ready(finish, work.renderer.kit.cube(finish.grade)))


def light_made_ready(work: Work) -> None:
    """What light and air do to the ground, worked out while that is drawn."""
    if is_lit(work.scene) and not work.request.alone:
        work.lit = _meanwhile(work.view, partial(_lit, work))


def plates(work: Work) -> None:
    """The ground's pictures."""
    if work.request.alone:
        width, height = work.view.size
        work.pixels = np.zeros((height, width, 4), np.uint8)
    else:
        work.pixels = work.renderer.plates(work)
        work.renderer.look_ahead(work)


def surface(work: Work) -> None:
    """Paper, cloth or stone on the ground."""
    if work.scene.finish.surface.shown and not work.request.alone:
        work.pixels = work.renderer.surfaced(work)


def grade_of_the_ground(work: Work) -> None:
    """A grade that does not go over the whole frame."""
    grade, film = work.scene.finish.grade, work.request.film
    if not grade.on or grade.over == "frame" or work.request.alone:
        return
    region = next((one for one in film.regions if one.id == grade.region), None)
    if grade.over == "inside" and region is None:
        return
    made = regraded(work.pixels, grade, work.renderer.kit.cube(grade), work.view)
    if grade.over != "ground" and region is not None:
        share = regions.covered(region, work.view, film.ground.kind == "mercator")
        share = share if grade.over == "inside" else 255 - share
        made = mixed_pixels(work.pixels, made, share)
    work.pixels = made


def under_the_map(work: Work) -> None:
    """What lies under the map, and is seen through it."""
    if work.opened:
        lowest = NOTHING if work.scene.finish.backdrop.on else work.lowest
        work.pixels = on_what_lies_under(work.pixels, work.scene, _stage(work), lowest)


def backdrop(work: Work) -> None:
    """What the map lies on, and the sky; nothing where a film is to be laid over something else."""
    made = work.scene.finish.backdrop
    if made.on and not work.request.clear:
        work.pixels = on_backdrop(work.pixels, made, work.view, work.scene.light, _closest(work))


def _closest(work: Work) -> float:
    """The smallest span of the film."""
    return min((vantage.span for vantage in work.request.film.vantages), default=work.view.pose.span)


class Lit(NamedTuple):
    """What light and air do to the flat ground; the lights of plates on it, encoded, and how bright they are."""

    field: Field
    lights: Pixels | None
    bright: float


def _lit(work: Work) -> Lit:
    sky = Sky(work.scene, work.view, work.seconds)
    field = field_of(work.scene, work.view, work.seconds, sky.shade())
    bright, coarse = lights_of(work.scene), work.view.coarse(FINE_LIGHTS[work.request.quality])
    lights = None
    if bright > 0:
        lights = work.renderer.drawn(work.scene.lights, work.scene, coarse, Quality.DRAFT, NIGHT)
    if lights is not None:
        field = field.with_glow(lights, bright * GLOWING, coarse.step)
        lights = _as_fine(lights, work.view, coarse.step)
    return Lit(field, lights, bright)


def light_and_air(work: Work) -> None:
    """Dusk, lamps, shadows of clouds and haze on the ground."""
    if work.lit:
        work.field, lights, bright = work.lit()
        work.light = work.field.on(Light.of(work.pixels, work.request.clear), lights, bright)


def _as_fine(pixels: Pixels, view: View, step: int) -> Pixels:
    """Pixels drawn once for so many along each side as those of a view."""
    if step == 1:
        return pixels
    height, width = pixels.shape[:2]
    large = cv2.resize(pixels, (width * step, height * step), interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(large[: view.size.height, : view.size.width], np.uint8)


def marks_on_the_ground(work: Work) -> None:
    """Regions, lines, and whatever else lies on the ground. No night falls on them: they are drawn to be read."""
    pieces = work.pieces()
    work.standing = [piece for piece in pieces if not piece.lies]
    lying = [piece for piece in pieces if piece.lies]
    if not lying:
        return
    if work.light is None:
        work.pixels = work.renderer.with_marks("lying", work, lying)
    else:
        # The ground as it was is kept: the same one serves while the camera rests.
        work.pixels = np.empty_like(work.pixels)
        work.light.into(work.pixels, work.view.left, work.view.top)
        ground = work.pixels.copy()
        _paint(work, lying, ground)
        work.light = work.light.with_marks(ground, work.pixels, work.request.clear)


def _pieces(work: Work) -> list[Piece]:
    """What is painted of marks: worked out, as far as there is time for it beside the painting itself."""
    pieces = list(chain.from_iterable(work.renderer.pieces(work, kind) for kind in PAINTERS))
    if only := work.request.only:
        pieces = [piece for piece in pieces if piece.of in only]
    if terrain := work.terrain:
        pieces = [seen for piece in pieces if (seen := _seen(piece, terrain))]
    for piece in pieces:
        if not piece.lies and not piece.shows_ground and not late(AHEAD) and (how := _softness(work, piece)):
            work.soft[id(piece)] = _softened(work, piece, NO_GROUND, *how)
    return pieces


def _recorded(work: Work, kind: str, stage: Stage) -> list[Piece]:
    left, top = work.outer.left - work.view.left, work.outer.top - work.view.top
    lying, standing = skia.IRect.MakeWH(*work.view.size), skia.IRect.MakeXYWH(left, top, *work.outer.size)
    either = skia.Rect.Make(lying)
    either.join(skia.Rect.Make(standing))
    made = []
    for piece in PAINTERS[kind](getattr(work.scene, kind), stage):
        go_on()
        if not late(AHEAD):
            piece = piece.recorded(either)
            if _is_pictured(work, piece):
                piece = piece.pictured(lying if piece.lies else standing)
        made.append(piece)
    return made


def _is_pictured(work: Work, piece: Piece) -> bool:
    """Whether a piece is painted beside the plates: not one that needs fine pixels, nor one that is blurred, for which
    it is painted anyway."""
    fine = work.request.quality is Quality.FINAL and piece.wide >= WIDE
    return not fine and (piece.lies or not _softness(work, piece))


def raised(work: Work) -> None:
    """The ground laid over its heights and blocks."""
    if work.terrain:
        light = work.light or Light.of(work.pixels, work.request.clear)
        careful = work.request.quality is Quality.FINAL
        deep = work.optics.uneven and not work.optics.idle
        work.light, work.deep = work.terrain.over(light, careful, work.field, deep)
        width, height = work.outer.size
        work.pixels = np.zeros((height, width, 4), np.uint8)


def lens_and_shutter(work: Work) -> None:
    """The ground as it is seen through the lens while the shutter is open."""
    if not work.optics.idle:
        light = work.light or Light.of(work.pixels, work.request.clear)
        work.light = work.optics.through(light, work.outer, work.deep)


def what_stands(work: Work) -> None:
    """Travellers, signs, names, plates that float and decks of cloud: what stands on the ground, floats over it or
    stands in the frame, from far to near, each with its own blur."""
    work.standing.sort(key=lambda piece: -piece.depth)
    planes = sorted(_planes(work), key=lambda plane: plane.height) if not work.request.alone else []
    if planes or work.light or not work.optics.idle:
        _in_storeys(work, planes)
    elif work.standing:
        work.pixels = work.renderer.with_marks("standing", work, work.standing)
    work.pixels = np.ascontiguousarray(work.framed(work.pixels))


def _in_storeys(work: Work, planes: list[_Plane]) -> None:
    """What stands, between planes that float over it."""
    ground, eye = work.pixels, work.optics.view.pose.eye()[2]
    if work.light is None:
        # What was made so far may serve again.
        work.pixels = ground.copy()
    # Those above the camera are farther away the lower they seem to hang.
    for plane in planes:
        if plane.height >= eye:
            work.light = plane.over(work.in_light())
    below = [plane for plane in planes if plane.height < eye]
    for storey in range(len(below) + 1):
        # What stands in the frame is before all else.
        there = [piece for piece in work.standing if _storey(piece, below) == storey]
        if there:
            work.in_pixels()
            _stand(work, there, ground)
        if storey < len(below) and not work.unfinished:
            work.light = below[storey].over(work.in_light())
    work.in_pixels()


def _seen(piece: Piece, terrain: Terrain) -> Piece | None:
    """A piece as much as its place is seen, and not behind a mountain; none if it is not seen at all. What lies on the
    ground goes with it."""
    if piece.lies or piece.spot is None:
        return piece
    share = terrain.seen(piece.spot)
    if share > 0.95:
        return piece
    return replace(piece, paint=partial(_faded, piece.paint, share)) if share > 0.05 else None


def _faded(paint: Callable[[Easel], None], share: float, easel: Easel) -> None:
    easel.canvas.saveLayerAlpha(None, round(255 * share))
    paint(easel)
    easel.canvas.restore()


def on_the_frame(work: Work) -> None:
    """Grade, vignette, grain and bars."""
    frame = math.floor(work.request.time.frames)
    scene = work.scene
    cube = work.renderer.kit.cube(scene.finish.grade)
    work.pixels = finished(work.pixels, scene.finish, work.optics.view, frame, scene.going, cube)


@dataclass(frozen=True)
class _Plane:
    """Something at a height over all of the ground, and how it is laid over the picture."""

    height: float
    over: Callable[[Light], Light]


def _planes(work: Work) -> list[_Plane]:
    sky = Sky(work.scene, work.optics.view, work.seconds)
    decks = [_Plane(deck.mark.height, partial(_deck_over, work, sky, deck)) for deck in work.scene.decks]
    return decks + [_Plane(float(plate.height), partial(_plate_over, work, plate)) for plate in work.scene.floating]


def _deck_over(work: Work, sky: Sky, deck: PresentDeck, light: Light) -> Light:
    return sky.over(light, deck, work.optics)


def _plate_over(work: Work, plate: Plate, light: Light) -> Light:
    """Light with a plate before it that floats: through the lens as the ground is, gone as the camera comes near."""
    optics = work.optics.on(float(plate.height))
    eye = optics.view.pose.eye()[2]
    near = parted(eye, plate.height, PARTS)
    if near <= 0:
        return light
    outer = optics.view.wider(optics.margin)
    pixels = work.renderer.drawn((plate,), work.scene, outer, work.request.quality)
    if pixels is None:
        return light
    made = Light.of(pixels, True)
    if not optics.idle:
        made = optics.through(made, outer)
    night = night_of(work.scene.finish)
    if (night < 1).any():
        made = Field.even(outer, night).on(made)
    return made.over(light, near)


def _storey(piece: Piece, planes: list[_Plane]) -> int:
    """Over how many of the planes a piece stands."""
    if piece.spot is None:
        return len(planes)
    return sum(plane.height <= piece.spot[2] for plane in planes)


def _stand(work: Work, pieces: list[Piece], ground: Pixels) -> None:
    plain: list[Piece] = []
    for piece in pieces:
        how = _softness(work, piece)
        if how is None:
            plain.append(piece)
            continue
        _paint(work, plain, ground)
        plain.clear()
        if work.unfinished:
            return
        ready = id(piece) in work.soft
        if made := work.soft[id(piece)] if ready else _softened(work, piece, ground, *how):
            put_over(work.pixels, *made)
    _paint(work, plain, ground)


def _softness(work: Work, piece: Piece) -> tuple[float, Motion] | None:
    """The circle and the motion of what stands; none if it is as sharp as it is painted."""
    radius, motion = work.optics.circle(piece), work.optics.motion(piece)
    return None if abs(radius) < SHARP and not motion.seen(REACH) else (radius, motion)


def _softened(
    work: Work, piece: Piece, ground: Pixels, radius: float, motion: Motion
) -> tuple[NDArray[np.float32], tuple[int, int]] | None:
    """What lens and shutter make of what stands, and where in the frame with its margin that begins."""
    optics, margin = work.optics, work.optics.margin
    left, top, layer = _layer(work, piece, ground)
    inside = replace(motion, at=(motion.at[0] + margin - left, motion.at[1] + margin - top))
    made = softened_layer(layer, radius, inside, optics.iris, optics.moments)
    return made and (made[0], (left + made[1][0], top + made[1][1]))


def _layer(work: Work, piece: Piece, ground: Pixels) -> tuple[int, int, Pixels]:
    """A piece by itself, and where in the frame with its margin that begins."""
    # Over relief, pieces are placed in the view of the flat ground, and pixels are those of the frame.
    across, down = work.view.left - work.outer.left, work.view.top - work.outer.top
    left, top, (right, bottom) = 0, 0, work.outer.size
    if piece.bounds:
        left, right = max(piece.bounds[0] + across, 0), min(piece.bounds[2] + across, right)
        top, bottom = max(piece.bounds[1] + down, 0), min(piece.bounds[3] + down, bottom)
    layer = np.zeros((max(bottom - top, 1), max(right - left, 1), 4), np.uint8)
    with painted(layer, opaque=False) as canvas:
        canvas.translate(across - left, down - top)
        piece.paint(Easel(canvas, ground))
    return left, top, layer


def _away(work: Work) -> NDArray[np.float32]:
    """How far the ground is that each pixel shows, along the line of sight, ground units; infinite for the sky."""
    width, height = work.outer.size
    if work.terrain:
        wide, high = work.view.size
        nothing = Light.of(np.zeros((high, wide, 4), np.uint8), True)
        _, deep = work.terrain.over(nothing, work.request.quality is Quality.FINAL, None, True)
        assert deep is not None
        away = deep[..., 3]
        return np.where(away > 0, away, np.float32(np.inf))
    across, down, at = work.view.ground_from_frame[2]
    near = across * (np.arange(width) + 0.5) + down * (np.arange(height)[:, None] + 0.5) + at
    with np.errstate(divide="ignore"):
        away = np.where(near > 0, work.view.pose.distance / near, np.inf)
    return away.astype(np.float32)


def _grey(values: NDArray[np.uint8]) -> Pixels:
    """A picture of grey values that covers all of its frame."""
    return np.asarray(cv2.cvtColor(values, cv2.COLOR_GRAY2RGBA), np.uint8)


TILE = (2040, 1020)
"""Width and height of the tiles that a large picture is drawn in, pixels: multiples of ``optics.GRIDS``."""

TILE_ROOM = 8 * GRIDS
"""How much more than a tile is drawn around it, pixels."""


TileOf = Callable[[int, Callable[[], Pixels]], Pixels]
"""Gives a tile by its number; what it is given besides draws it."""


def tiles_of(size: FrameSize) -> list[tuple[int, int, int, int]]:
    """The tiles of a frame, row by row: left, top, width and height, pixels."""
    return [
        (left, top, min(TILE[0], size.width - left), min(TILE[1], size.height - top))
        for top in range(0, size.height, TILE[1])
        for left in range(0, size.width, TILE[0])
    ]


PARTS = 1.6
"""A plate that floats begins to go where the camera is so many times as high as it."""

NIGHT = (0, 0, 0, 255)
"""What lights are drawn on. They have nothing so fine that it would need more than a draft's care."""

NOTHING = (0, 0, 0, 0)
"""What plates are drawn on that are laid over something."""

FINE_LIGHTS = {Quality.DRAFT: 2, Quality.FINAL: 1}
"""Pixels along each side for which lights are drawn once: they are spread out by their glow anyway."""

GLOWING = 0.6
"""How much of the light of plates hangs in the air."""

AHEAD = 0.5
"""Marks are worked out before they are painted for this share of the time that a frame may take; what is left of them
then, while it is painted."""

REACH = 100.0
"""How large what stands is taken to be when it is judged whether its growing is seen, pixels."""


def _paint(work: Work, pieces: list[Piece], ground: Pixels) -> None:
    at = work.view.left, work.view.top
    # A draft is packed more coarsely than terraces of one code can be seen in it.
    careful = work.request.quality is Quality.FINAL
    for wide, some in groupby(pieces, key=lambda piece: careful and piece.wide >= WIDE):
        with painted(work.pixels, not work.request.clear, wide, at) as canvas:
            # Over relief, pieces are placed in the view of the flat ground, and pixels are those of the frame.
            if not pieces[0].lies:
                canvas.translate(work.view.left - work.outer.left, work.view.top - work.outer.top)
            for piece in some:
                go_on()
                if late():
                    work.unfinished = True
                    return
                canvas.save()
                if piece.bounds:
                    # Layers in it are as large as what is clipped to: of the whole frame they take most of the time.
                    canvas.clipRect(skia.Rect(*piece.bounds))
                piece.paint(Easel(canvas, ground))
                canvas.restore()


PAINTERS: dict[str, Callable[[Any, Stage], list[Piece]]] = {
    "regions": regions.pieces,
    "routes": routes.pieces,
    "markers": markers.pieces,
    "insets": insets.pieces,
    "labels": room.pieces,
}
"""What gives the pieces of each kind of mark, in the order in which they are painted; named as in ``Scene``."""


def painted_marks(film: Film) -> dict[str, list[str]]:
    """The ids of the marks that are painted, and so can be shown by themselves, by the list of the film they stand in:
    lamps and decks are light and air."""
    return {kind: [mark.id for mark in getattr(film, kind)] for kind in PAINTERS}


def _all_there(scene: Scene, kind: str, kit: Kit) -> bool:
    """Whether every picture is there that marks of a kind show: one that is not may come."""
    if kind == "insets":
        shown = [one.mark.shows for one in scene.insets]
        return all(one.kind != "picture" or kit.picture(one.sha256, 1) is not None for one in shown)
    signs = [one.look.picture for one in scene.markers if one.look.symbol == "picture"] if kind == "markers" else []
    if kind == "routes":
        signs = [one.route.traveller.picture for one in scene.routes if one.route.traveller]
    return all(kit.sign(sign) for sign in signs if sign)


PASSES: tuple[Callable[[Work], None], ...] = (
    optics_made_ready,
    marks_made_ready,
    light_made_ready,
    finish_made_ready,
    plates,
    surface,
    grade_of_the_ground,
    under_the_map,
    backdrop,
    light_and_air,
    marks_on_the_ground,
    raised,
    lens_and_shutter,
    what_stands,
    on_the_frame,
)


def _slopes(relief: Relief, light: Sunlight) -> Slopes:
    return Slopes((light.east, light.north), relief.shade, relief.shadows, light.wide)


def _stage(work: Work) -> Stage:
    georeferenced = work.request.film.ground.kind == "mercator"
    raised = work.terrain.height_at if work.terrain else None
    return Stage(work.view, georeferenced, work.scene.light, work.renderer.kit, raised)


class Renderer:
    """Draws pictures. It keeps the pages of plates that were looked at, and the last ground, which stays the same while
    the camera rests; nothing of that changes what is drawn."""

    def __init__(
        self,
        open_picture: Callable[[str], Pyramid],
        pages: PageStore,
        kit: Kit | None = None,
        lenient: bool = False,
    ) -> None:
        """``lenient`` leaves plates out whose pictures are not there; otherwise nothing is drawn then."""
        self.open_picture, self.pages, self.kit, self.lenient = open_picture, pages, kit or Kit(), lenient
        self._plates: Last[Pixels] = Last()
        self._laid: Last[Pixels] = Last()
        self._pieces: dict[str, Last[list[Piece]]] = {kind: Last() for kind in PAINTERS}
        self._marked: dict[str, Last[Pixels]] = {"lying": Last(), "standing": Last()}
        self._tiles: OrderedDict[str, Tile] = OrderedDict()
        self._stacks: OrderedDict[tuple[int, ...], tuple[tuple[Plate, ...], Stack]] = OrderedDict()
        self._playing: OrderedDict[int, tuple[Stack, dict[int, float], Stack]] = OrderedDict()
        self._heights: OrderedDict[tuple[object, ...], Heights] = OrderedDict()
        self._shadows: tuple[tuple[object, ...], Heights] | None = None
        self._films: OrderedDict[int, tuple[Film, Choreography]] = OrderedDict()
        self._before: tuple[Film | None, Time] = (None, ZERO)

    def render(self, request: Request) -> Picture:
        """Draw a picture.

        Raises:
            BadEdit: the film cannot be worked out.
            NotFound: a picture is not there.
            Damaged: a picture was, again and again, found to be damaged while it was drawn.
        """
        try:
            return self._rendered(request)
        except Damaged:
            # Opened anew, it is made anew.
            self._stacks.clear()
            self._playing.clear()
            return self._rendered(request)

    def _rendered(self, request: Request) -> Picture:
        request = request.whole
        work = self._begun(request)
        if request.region and work.scene.finish.moves_pixels:
            # What is seen there comes from elsewhere in the frame.
            whole, (left, top, width, height) = self._rendered(replace(request, region=None)), request.region
            pixels = np.ascontiguousarray(whole.pixels[top : top + height, left : left + width])
            return Picture(pixels, whole.unfinished)
        if request.part == "depth":
            return Picture(self._near(work))
        for one in PASSES:
            one(work)
        if request.part == "matte":
            work.pixels = _grey(work.pixels[..., 3])
        return Picture(work.pixels, work.unfinished)

    def in_tiles(self, request: Request, out: Pixels, tile_of: TileOf = lambda number, draw: draw()) -> None:
        """Draw a large picture tile by tile (``tiles_of``): as in one piece, but for a few levels where edges are
        smoothed or rays meet relief. What takes pixels from elsewhere in the frame, as glow does, needs memory for
        some copies of all of it.

        Args:
            out: (height, width, 4) uint8, of the size that is asked for; it becomes the picture.
            tile_of: gives a tile by its number, from elsewhere or as it is drawn.
        """
        work = self._begun(replace(request, region=(0, 0, 1, 1)).whole)
        last = work.scene.finish.moves_pixels and request.part == "all"
        part = replace(request, without=request.without | FRAME_EFFECTS) if last else request
        for number, (left, top, width, height) in enumerate(tiles_of(request.size)):
            tile = tile_of(number, partial(self._tile_drawn, part, (left, top, width, height)))
            out[top : top + height, left : left + width] = tile
        if last:
            whole = View.of(work.optics.view.pose, request.size, work.view.scale)
            work.pixels, work.optics = out, replace(work.optics, view=whole)
            on_the_frame(work)
            out[:] = work.pixels

    def _tile_drawn(self, request: Request, tile: tuple[int, int, int, int]) -> Pixels:
        """A tile of a frame: what is soft is seen beyond its edge."""
        left, top, width, height = tile
        x, y = max(left - TILE_ROOM, 0), max(top - TILE_ROOM, 0)
        right, bottom = left + width + TILE_ROOM, top + height + TILE_ROOM
        region = (x, y, min(right, request.size.width) - x, min(bottom, request.size.height) - y)
        pixels = self.render(replace(request, region=region)).pixels
        return np.ascontiguousarray(pixels[top - y :, left - x :][:height, :width])

    def in_layers(self, request: Request) -> dict[str, Pixels | NDArray[np.float32]]:
        """A frame and its parts by name, as pictures with layers hold them: the whole by the empty name, the ground,
        the marks, the marks of each kind that the film has, and ``Z``, as :meth:`depth`."""
        kinds = painted_marks(request.film)
        made: dict[str, Pixels | NDArray[np.float32]] = {"": self.render(request).pixels}
        for part in ("ground", "marks"):
            made[part] = self.render(replace(request, part=part, clear=True)).pixels
        for kind, ids in kinds.items():
            if ids:
                one = replace(request, part="marks", only=frozenset(ids))
                made[kind] = self.render(one).pixels
        return made | {"Z": self.depth(request)}

    def depth(self, request: Request) -> NDArray[np.float32]:
        """How far the ground is that each pixel shows, along the line of sight, metres (on a plain ground its units);
        infinite where none shows: (height, width) float32."""
        work = self._begun(replace(request, part="depth").whole)
        stretched = stretch_at(work.view.pose.y) if request.film.ground.kind == "mercator" else 1.0
        return _away(work) / np.float32(stretched)

    def _near(self, work: Work) -> Pixels:
        distance = work.view.pose.distance
        return _grey(np.round(255 * distance / (distance + _away(work))).astype(np.uint8))

    def _begun(self, request: Request, detail: float = DETAIL) -> Work:
        film, time, choreography = request.film, request.time, self._choreography(request.film)
        pose = request.pose or choreography.pose(time)
        view = View.of(pose, request.size, request.size.width / film.frame.width, request.region)
        finish = finish_at(film, choreography, time, request.without)
        light = light_at(film, choreography, time, finish)
        blocks: list[Block] = []
        scene_of: Callable[[], Scene] = partial(scene_at, film, choreography, time, finish=finish)
        if stands_out(film):
            scene = scene_of()
            blocks, scene_of = (
                blocks_of(scene, film.ground.kind == "mercator", partial(self._land, scene)),
                lambda: scene,
            )
        raised = self._raised(film, finish.relief, light) if finish.relief.shown else None
        ground = self._ground(film, finish.relief, blocks, pose.span / request.size.width)
        top = (raised.top if raised else 0.0) + max((block.high for block in blocks), default=0.0)
        optics = Optics.of(film, choreography, finish, view, time, request.quality, request.pose is None, ground, top)
        outer = view.wider(optics.margin)
        if raised:
            # Marks are looked for, which is Python, while rays are followed, which are compiled loops.
            scene_of = _meanwhile(view, scene_of)
        terrain = self._terrain(finish.relief, light, raised, blocks, outer, detail)
        return Work(request, scene_of(), terrain.flat if terrain else outer, outer, optics, self, terrain)

    def ground(self, film: Film, time: Time) -> Ground:
        """How high the ground is at a moment, with land that stands out."""
        choreography, blocks = self._choreography(film), []
        if stands_out(film):
            # Of marks regions alone do.
            scene = scene_at(film, choreography, time, kinds=("region",))
            blocks = blocks_of(scene, film.ground.kind == "mercator", partial(self._land, scene))
        # The rest of the finish is not asked for; a weaker look leaves heights as they are.
        relief = running(film.finish.relief, time, choreography.timeline)
        fine = choreography.pose(time).span / film.frame.width if choreography.frames else 1.0
        return self._ground(film, relief, blocks, fine)

    def _ground(self, film: Film, relief: Relief, blocks: list[Block], fine: float) -> Ground:
        """``fine``: ground units of the places that are told apart."""
        found = self.heights_of(film, relief) if relief.raises else None
        if found is None and not blocks:
            return level

        def high(x: float, y: float) -> float:
            place = np.array([[x, y]])
            risen = found[1] * float(found[0].at(place, found[0].step)[0]) if found else 0.0
            return risen + height_of_blocks(blocks, (x, y), fine)

        return high

    def place_at(self, request: Request, u: float, v: float) -> tuple[float, float] | None:
        """The place of the ground that shows at a pixel of the frame, east and north; none where it is the sky."""
        left = int(np.clip(u, 0, request.size.width - 1))
        top = int(np.clip(v, 0, request.size.height - 1))
        one = replace(request, region=(left, top, 1, 1), without=request.without | {"lens", "shutter"})
        work = self._begun(one, 1.0)
        if work.terrain is None:
            x, y, nearness = work.view.ground_from_frame @ [0.5, 0.5, 1.0]
            return (float(x / nearness), float(y / nearness)) if nearness > 0 else None
        x, y, _, away = work.terrain.found[0, 0].tolist()
        pose = work.view.pose
        return (pose.x + x, pose.y + y) if away > 0 else None

    def heights_of(self, film: Film, relief: Relief) -> tuple[Heights, float] | None:
        """What raises the ground, and how many ground units a metre of it is; none where it is flat. ``relief`` with
        the values of a moment.

        Raises:
            NotFound: the picture is not there.
            BadPicture: it holds no heights.
        """
        read = self.kit.heights
        if not relief.on or relief.plate is None or read is None:
            return None
        plate = film.plate(relief.plate)
        how = (relief.codes, relief.low, relief.high, relief.sea, relief.smooth)
        key = (plate.picture.sha256, plate.matrix.tobytes(), how)
        heights = self._heights.get(key)
        if heights is None:
            try:
                grid = relief.metres(read(plate.picture.sha256, relief.codes))
            except NotFound:
                if not self.lenient:
                    raise
                return None
            rows, columns = grid.shape
            width, height = plate.extent
            shrunk = np.diag([width / columns, height / rows, 1.0])
            heights = self._heights[key] = Heights.of(grid, plate.matrix @ shrunk, relief.sea, relief.smooth)
            while len(self._heights) > MOST_HEIGHTS:
                self._heights.popitem(last=False)
        y = float(through(plate.matrix, np.array([[plate.extent[0] / 2, plate.extent[1] / 2]]))[0, 1])
        return heights, relief.times * (stretch_at(y) if film.ground.kind == "mercator" else 1.0)

    def _terrain(
        self, relief: Relief, light: Sunlight, raised: Raised | None, blocks: list[Block], view: View, detail: float
    ) -> Terrain | None:
        """The ground as a view sees it, by so many rays for a pixel along a side; none where it is flat."""
        if raised is None and not blocks:
            return None
        made = Blocks.of(blocks, view, raised.top if raised else 0.0, light.fall) if blocks else None
        return Terrain.of(raised, made, view, _slopes(relief, light), detail)

    def _raised(self, film: Film, relief: Relief, light: Sunlight) -> Raised | None:
        slopes = _slopes(relief, light)
        found = self.heights_of(film, relief)
        if found is None:
            return None
        heights, times = found
        shadows = self._cast(heights, times, slopes) if relief.shadows > 0 else None
        contours = (
            Contours(relief.lines, linear_of(relief.line_colour), relief.line_width) if relief.lines > 0 else None
        )
        return Raised(heights, times, shadows, relief.drawing, contours)

    def _cast(self, heights: Heights, times: float, slopes: Slopes) -> Callable[[], Heights]:
        """Gives the shadows of heights: those that are known, or what is made of them beside what needs none."""
        # While the ground rises, a shadow is worked out anew for every fiftieth of it.
        steps = math.exp(round(math.log(times) * CAST_STEPS) / CAST_STEPS)
        cast_of = (id(heights), steps, slopes.fall, slopes.wide)
        if self._shadows and self._shadows[0] == cast_of:
            known = self._shadows[1]
            return lambda: known
        made = beside(partial(cast, heights, steps, np.array(slopes.fall), slopes.wide))

        def shadows() -> Heights:
            self._shadows = (cast_of, made())
            return self._shadows[1]

        return shadows

    def _land(self, scene: Scene, plate: Plate, view: View) -> Pixels:
        """How much of each pixel of a view of the flat ground a plate covers, (height, width) uint8, however much it
        lets shine through."""
        pixels = self.drawn((plate,), scene, view, Quality.DRAFT)
        if pixels is None:
            return np.zeros((view.size.height, view.size.width), np.uint8)
        return np.asarray(cv2.convertScaleAbs(pixels[..., 3], alpha=1 / plate.opacity), np.uint8)

    def _choreography(self, film: Film) -> Choreography:
        """That of a film, which is not changed any more once it is drawn."""
        known = self._films.get(id(film))
        if known is None or known[0] is not film:
            known = self._films[id(film)] = (film, choreograph(film))
            while len(self._films) > MOST_FILMS:
                self._films.popitem(last=False)
        return known[1]

    def plates(self, work: Work) -> Pixels:
        """The plates of a scene; marks may move on them while they stay the same."""
        scene, request = work.scene, work.request
        plates, stack = self._stack(scene.plates, scene)
        made_of = plates, scene.reveals, work.view, request.quality
        return self._plates.of(
            (Itself(stack), *made_of, work.background),
            lambda: draw_plates(stack, *made_of, self.pages, work.background),
        )

    def look_ahead(self, work: Work) -> None:
        """Have the pages read that the next picture will need, if the film goes on as from the last one to this, while
        the rest of this one is drawn."""
        request = work.request
        (film, time), self._before = self._before, (request.film, request.time)
        step = request.time - time
        goes_on = film is request.film and 0 < abs(step.frames) <= PLAYS
        # What a clip shows next is not what it shows now.
        if request.pose is None and goes_on and not work.scene.playing and math.prod(work.view.size) > FEW:
            beside(partial(self._read_ahead, work, request.time + step))

    def _read_ahead(self, work: Work, time: Time) -> None:
        view = work.view.posed(self._choreography(work.request.film).pose(time))
        _, stack = self._stack(work.scene.plates, work.scene)
        stack.read_ahead(view, work.request.quality, self.pages)

    def surfaced(self, work: Work) -> Pixels:
        """The plates of a scene with a surface on them."""
        film, made, light = work.request.film, work.scene.finish.surface, work.scene.light
        tile = self._tile(film, made)
        if tile is None:
            return work.pixels
        closest, pixels = _closest(work), work.pixels
        return self._laid.of(
            (Itself(pixels), tile.key, made.model_dump_json(), light, work.view, closest),
            lambda: laid_on(pixels, made, tile, work.view, light, closest),
        )

    def pieces(self, work: Work, kind: str) -> list[Piece]:
        """What is painted of the marks of a kind; the same as long as they and the camera rest."""
        stage, marks = _stage(work), getattr(work.scene, kind)
        given = (marks, stage.view, stage.georeferenced, stage.light, Itself(stage.kit), work.outer)
        if work.terrain or not _all_there(work.scene, kind, stage.kit):
            return _recorded(work, kind, stage)
        return self._pieces[kind].of(given, lambda: _recorded(work, kind, stage), lambda: not late(AHEAD))

    def with_marks(self, which: str, work: Work, pieces: list[Piece]) -> Pixels:
        """Pixels with what is painted of marks that are "lying" or "standing"; the same as long as nothing of both
        changes."""
        ground = work.pixels

        def painted_over() -> Pixels:
            # The ground as it was is kept: pieces of it are lifted, and the same one serves while the camera rests.
            work.pixels = ground.copy()
            _paint(work, pieces, ground)
            return work.pixels

        given = (Itself(ground), *map(Itself, pieces), work.view, work.request.clear, work.request.quality)
        return self._marked[which].of(given, painted_over, lambda: not work.unfinished)

    def _tile(self, film: Film, surface: Surface) -> Tile | None:
        if surface.kind != "own":
            return shipped(surface.kind)
        plate = film.plate(str(surface.plate))
        look = plate.look
        if look not in self._tiles:
            try:
                self._tiles[look] = Tile.of(look, material_of(pyramid_of(plate, self.open_picture)))
            except NotFound:
                if not self.lenient:
                    raise
                return None
            while len(self._tiles) > MOST_HEIGHTS:
                self._tiles.popitem(last=False)
        return self._tiles[look]

    def drawn(
        self,
        plates: tuple[Plate, ...],
        scene: Scene,
        view: View,
        quality: Quality,
        background: tuple[int, int, int, int] = NOTHING,
    ) -> Pixels | None:
        """Plates by themselves as a view shows them; none if none of their pictures is there, or nothing of them."""
        found, stack = self._stack(plates, scene)
        if not found:
            return None
        pixels = draw_plates(stack, found, scene.reveals, view, quality, self.pages, background)
        nothing = np.array(background, np.uint8).view(np.uint32)[0]
        return pixels if (pixels.view(np.uint32) != nothing).any() else None

    def _stack(self, plates: tuple[Plate, ...], scene: Scene) -> tuple[tuple[Plate, ...], Stack]:
        """Plates made ready, with what their clips show in a scene, and which they are."""
        there, stack = self._standing(plates)
        playing = {i: scene.playing[plate.id] for i, plate in enumerate(reversed(there)) if plate.id in scene.playing}
        if not playing:
            return there, stack
        known = self._playing.get(id(stack))
        if known and known[0] is stack and known[1] == playing:
            return there, known[2]
        top_first = there[::-1]
        shots = {i: shot_of(top_first[i], moment, self.open_picture, self.kit) for i, moment in playing.items()}
        shown = stack.showing({i: shot for i, shot in shots.items() if shot})
        # Those of the moment before go, with the pictures that they hold.
        self._playing[id(stack)] = stack, playing, shown
        while len(self._playing) > MOST_PLAYING:
            self._playing.popitem(last=False)
        return there, shown

    def _standing(self, plates: tuple[Plate, ...]) -> tuple[tuple[Plate, ...], Stack]:
        """Plates made ready with their own pictures, kept for as long as they are the very same, and which they are."""
        ids = tuple(map(id, plates))
        known = self._stacks.get(ids)
        if known and all(a is b for a, b in zip(known[0], plates, strict=True)):
            return known
        layers: list[PlateLayer] = []
        found: list[Plate] = []
        for plate in plates:
            try:
                layers.append(layer_of(plate, self.open_picture))
                found.append(plate)
            except NotFound:
                if not self.lenient:
                    raise
        made = (tuple(found), Stack(layers[::-1]))
        if len(found) == len(plates):
            self._stacks[ids] = made
            while len(self._stacks) > MOST_FILMS:
                self._stacks.popitem(last=False)
        return made


def jpeg(picture: Picture, quality: int) -> bytes:
    """A picture as JPEG."""
    shown = cv2.cvtColor(picture.pixels, cv2.COLOR_RGBA2BGR)
    _, data = cv2.imencode(".jpg", shown, [cv2.IMWRITE_JPEG_QUALITY, quality])
    return data.tobytes()
