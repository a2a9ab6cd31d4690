"""How marks look. Lengths are pixels of the film's frame, so that they scale with it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from yaila.core.quantities import (
    AidSha,
    Angle,
    Bearing,
    Colour,
    Count,
    Factor,
    FamilyName,
    FrameLength,
    Frames,
    GroundLength,
    GroundSpeed,
    Height,
    LightKelvin,
    MarkSize,
    Percent,
    PerSecond,
    Share,
    TurnsAMinute,
)
from yaila.core.time import Changes, smoothstep


class _Look(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)


class Stroke(_Look):
    """A route's line: ``dash`` says what it is made of, ``spacing`` how far dashes or dots are apart; ``edge`` is the
    width of a border in ``edge_colour``; ``glow`` that of a light around it; ``to_come`` the opacity, percent, of the
    part that is not travelled yet. ``blend`` is how it lies on the ground (W3C Compositing and Blending Level 1).

    ``scales`` says whether ``width`` is pixels of the frame, or the line is ``ground`` units wide and all its lengths,
    dashes too, grow with the ground. With ``end_colour`` its colour runs over to that along the whole route. ``core``
    is the width of a white line in its middle, as in a neon tube, ``shadow`` how soft a shadow it casts, ``wobble`` how
    far a hand that draws it strays.
    """

    colour: Changes[Colour] = "#fff4d6"
    end_colour: Changes[Colour] | None = Field(None, title="Colour at its end")
    width: Changes[FrameLength] = Field(8.0, ge=0.2, le=200)
    scales: Literal["frame", "ground"] = Field("frame", title="Its width")
    ground: Changes[GroundLength] = Field(60.0, gt=0, ge=1e-3, le=1e7, title="Width on the ground")
    core: Changes[FrameLength] = Field(0.0, ge=0, le=100, title="White core")
    shadow: Changes[FrameLength] = Field(0.0, ge=0, le=100)
    wobble: Changes[FrameLength] = Field(0.0, ge=0, le=60, title="By hand")
    caps: Literal["round", "flat", "square"] = Field("round", title="Ends")
    dash: Literal["solid", "dashes", "dots", "double"] = Field("solid", title="Line")
    spacing: Changes[FrameLength] = Field(14.0, ge=1, le=400)
    edge: Changes[FrameLength] = Field(2.0, ge=0, le=60)
    edge_colour: Changes[Colour] = "#14222a"
    glow: Changes[FrameLength] = Field(0.0, ge=0, le=200)
    opacity: Changes[Share] = Field(1.0, ge=0, le=1)
    to_come: Changes[Percent] = Field(0.0, ge=0, le=100, title="Part to come")
    blend: Literal["normal", "multiply", "screen", "overlay"] = "normal"
    head: Literal["none", "arrow", "dot"] = "none"


class MarkerLook(_Look):
    """A marker: ``scales`` says whether ``size`` is pixels of the frame, or the marker lies on the ground and is
    ``ground`` units wide, or, between the two, it stands upright and grows with the root of what it would grow by on
    the ground. ``pulses`` rings a second run out from it. ``shadow`` is how dark a shadow is that it casts."""

    symbol: Literal["ring", "dot", "target", "square", "cross", "star", "pin", "flag", "picture"] = "ring"
    picture: AidSha | None = None
    """The sign that is drawn if the symbol is a picture, by its SHA-256."""
    colour: Changes[Colour] = "#fff4d6"
    size: Changes[MarkSize] = Field(34.0, ge=1, le=1000)
    edge: Changes[FrameLength] = Field(2.0, ge=0, le=60)
    edge_colour: Changes[Colour] = "#14222a"
    opacity: Changes[Share] = Field(1.0, ge=0, le=1)
    scales: Literal["frame", "between", "ground"] = Field("frame", title="Size")
    ground: Changes[GroundLength] = Field(200.0, gt=0, ge=1e-3, le=1e8, title="Width on the ground")
    pulses: PerSecond = Field(0.0, ge=0, le=10)
    spin: PerSecond = Field(0.0, ge=-20, le=20, title="Spins")
    """Turns a second."""
    shadow: Changes[Share] = Field(0.0, ge=0, le=1)


class InsetLook(_Look):
    """A picture or clip: ``size`` is how wide it is, pixels of the frame, or it is ``ground`` units wide there. Its
    corners are rounded by ``round``, a border of ``edge`` stands around it, and ``shadow`` is how soft a shadow it
    casts; ``soft`` is how far it melts at its edge. ``lies`` says whether it lies over what is below, or lightens it
    (screen, W3C Compositing and Blending Level 1), so that its black is not seen."""

    size: Changes[MarkSize] = Field(560.0, ge=8, le=8000, title="Width")
    scales: Literal["frame", "ground"] = Field("frame", title="Its width")
    ground: Changes[GroundLength] = Field(1000.0, gt=0, ge=1e-3, le=1e8, title="Width on the ground")
    round: Changes[FrameLength] = Field(6.0, ge=0, le=1000, title="Corners")
    edge: Changes[FrameLength] = Field(8.0, ge=0, le=200, title="Border")
    edge_colour: Changes[Colour] = Field("#fbf7ee", title="Border colour")
    shadow: Changes[FrameLength] = Field(26.0, ge=0, le=200)
    soft: Changes[FrameLength] = Field(0.0, ge=0, le=1000, title="Soft edge")
    lies: Literal["over", "light"] = Field("over", title="Lies")
    opacity: Changes[Share] = Field(1.0, ge=0, le=1)


class Lettering(_Look):
    """How a label's letters look: ``scales`` says whether ``size`` is pixels of the frame, or they are ``ground`` units
    high. ``tracking`` is room between letters, percent of the size.

    ``outline`` is the width of an edge round the letters, ``halo`` that of a light around them, ``shadow`` how soft the
    shadow is that they cast, ``thickness`` how deep they are; a ``box`` stands ``pad`` around them.
    """

    family: FamilyName = Field("Noto Sans", min_length=1, max_length=64)
    bold: bool = True
    italic: bool = False
    size: Changes[MarkSize] = Field(46.0, ge=4, le=1000)
    scales: Literal["frame", "ground"] = Field("frame", title="Size")
    ground: Changes[GroundLength] = Field(200.0, gt=0, ge=1e-3, le=1e8, title="Size on the ground")
    tracking: Changes[Percent] = Field(0.0, ge=-20, le=200, title="Spaced by")
    align: Literal["left", "middle", "right"] = Field("middle", title="Lines")
    capitals: bool = False
    colour: Changes[Colour] = "#ffffff"
    opacity: Changes[Share] = Field(1.0, ge=0, le=1)
    outline: Changes[FrameLength] = Field(0.0, ge=0, le=60)
    outline_colour: Changes[Colour] = "#14222a"
    halo: Changes[FrameLength] = Field(10.0, ge=0, le=200)
    halo_colour: Changes[Colour] = Field("#14222a", title="Halo colour")
    shadow: Changes[FrameLength] = Field(0.0, ge=0, le=100)
    shadow_opacity: Changes[Share] = Field(0.5, ge=0, le=1, title="Shadow’s depth")
    thickness: Changes[FrameLength] = Field(0.0, ge=0, le=200)
    side_colour: Changes[Colour] = Field("#8d9a98", title="Sides")
    box: Literal["none", "square", "round"] = "none"
    box_colour: Changes[Colour] = "#14222a"
    box_opacity: Changes[Share] = Field(0.85, ge=0, le=1)
    pad: Changes[FrameLength] = Field(16.0, ge=0, le=400, title="Room inside")


class RegionLook(_Look):
    """How a region is drawn.

    ``filled`` is the opacity of its fill alone. ``gap`` keeps the fill away from the outline, so that neighbours are
    parted by what lies below; ``hatch`` is how far lines of ``hatch_colour`` are apart; ``glow`` the width of a light
    along the inside of the outline; ``border`` a line along it; ``shadow`` the softness of one that falls to the lower
    right; ``soft`` how far its edge melts.

    ``lift`` cuts it out and raises it, ``sides`` says how thick the piece is that is seen. ``raised`` makes land of it
    that stands out by so many ground units, with all that lies on it, with sides, and a shadow that is as dark as
    ``shadow_opacity``. ``rest`` is what becomes of
    the picture around it, by ``rest_by`` (0..1). ``opens`` cuts so much of the map away within it, for what lies under
    the map to be seen.
    """

    fill: Changes[Colour] = "#e9e2cf"
    filled: Changes[Share] = Field(1.0, ge=0, le=1, title="Filled by")
    opacity: Changes[Share] = Field(1.0, ge=0, le=1)
    gap: Changes[FrameLength] = Field(0.0, ge=0, le=200, title="Gap at the edge")
    hatch: Changes[FrameLength] = Field(0.0, ge=0, le=200, title="Hatch every")
    hatch_colour: Changes[Colour] = "#14222a"
    glow: Changes[FrameLength] = Field(0.0, ge=0, le=400, title="Inner glow")
    glow_colour: Changes[Colour] = Field("#ffffff", title="Glow and flash")
    border: Changes[FrameLength] = Field(0.0, ge=0, le=100)
    border_colour: Changes[Colour] = "#ffffff"
    shadow: Changes[FrameLength] = Field(0.0, ge=0, le=200)
    shadow_opacity: Changes[Share] = Field(0.5, ge=0, le=1)
    soft: Changes[FrameLength] = Field(0.0, ge=0, le=400, title="Soft edge")
    lift: Changes[FrameLength] = Field(0.0, ge=0, le=400, title="Lifted out by")
    sides: Changes[FrameLength] = Field(0.0, ge=0, le=400, title="Thickness")
    raised: Changes[Height] = Field(0.0, ge=0, le=1e7, title="Stands out by")
    side_colour: Changes[Colour] = Field("#5b4c35", title="Sides")
    opens: Changes[Share] = Field(0.0, ge=0, le=1, title="Opens the map")
    rest: Literal["kept", "dimmed", "grey", "blurred"] = Field("kept", title="The rest")
    rest_by: Changes[Share] = Field(0.7, ge=0, le=1, title="By")


class LampLook(_Look):
    """A light over the ground: how bright it is below itself, beside the day (1); how far it reaches; ``warmth`` and
    ``colour`` of its light; ``edge``, how softly it ends, 0..1.

    ``beam`` narrows it to so many degrees about a direction, which may turn; ``flicker`` lets it waver by a share;
    ``glow`` is how much of it hangs in the air, and is seen as light itself. One that burns at ``dusk`` is as bright as
    it is dark.
    """

    bright: Changes[Factor] = Field(3.0, ge=0, le=50, title="Brightness")
    reach: Changes[GroundLength] = Field(500.0, gt=0, ge=1e-3, le=1e8)
    warmth: Changes[LightKelvin] = Field(2700.0, ge=1500, le=12000)
    colour: Changes[Colour] = Field("#ffffff", title="Coloured")
    edge: Changes[Share] = Field(1.0, ge=0, le=1, title="Soft edge")
    beam: Changes[Angle] = Field(360.0, ge=1, le=360, title="Beam’s width")
    points: Changes[Bearing] = Field(0.0, ge=-360, le=360, title="Points to")
    turns: TurnsAMinute = Field(0.0, ge=-600, le=600, title="Turns round")
    flicker: Changes[Share] = Field(0.0, ge=0, le=1)
    glow: Changes[Share] = Field(0.3, ge=0, le=1)
    burns: Literal["dusk", "always"] = "dusk"


class DeckLook(_Look):
    """A layer of cloud: how much of the sky it covers, how large its clouds are, how softly they end, and how dense
    they are; ``seed`` gives others. ``lies`` says whether it lies over what is below, or lightens it.

    ``wind`` carries it along, ground units a second, towards a bearing; ``shadow`` is how dark its shadow on the ground
    is. As the camera comes down, it thins out from ``parts`` times its height on, and is gone when the camera has come
    to it; ``white`` is how much of the picture is cloud in that moment.
    """

    cover: Changes[Share] = Field(0.5, ge=0, le=1)
    size: Changes[GroundLength] = Field(20_000.0, gt=0, ge=1e-3, le=1e8, title="Clouds’ size")
    soft: Changes[Share] = Field(0.6, ge=0, le=1, title="Softness")
    opacity: Changes[Share] = Field(0.9, ge=0, le=1)
    colour: Changes[Colour] = "#ffffff"
    lies: Literal["over", "light"] = Field("over", title="Lies")
    wind: GroundSpeed = Field(0.0, ge=0, le=1e7)
    towards: Bearing = Field(90.0, ge=-360, le=360, title="Wind towards")
    shadow: Changes[Share] = Field(0.3, ge=0, le=1)
    parts: Changes[Factor] = Field(3.0, ge=1.01, le=1000, title="Thins from")
    white: Changes[Share] = Field(0.0, ge=0, le=1, title="White as one passes")
    seed: Count = Field(1, ge=0, le=9999, title="Other clouds")


Look = Stroke | MarkerLook | Lettering | RegionLook | LampLook | DeckLook | InsetLook


class Arrival(_Look):
    """How a mark comes, or, backwards, how it goes: within ``frames``.

    Texts can also come ``letters`` by letter, by ``words``, ``typed``, ``rise`` from below or be uncovered by a
    ``wipe``; outlines ``draw`` themselves; pictures ``unfold`` from their middle line or open as an ``iris``. What that
    looks like is up to whoever draws it, by the share that is there.
    """

    how: Literal["cut", "fade", "pop", "grow", "drop", "letters", "words", "typed", "rise", "wipe", "draw",
                 "unfold", "iris"] = "pop"  # fmt: skip
    frames: Frames = Field(10, ge=1, le=500)

    def state(self, share: float) -> tuple[float, float, float]:
        """Opacity, scale, and height above its place in sizes, when it is there by ``share`` (0 not at all, 1 all).

        A pop runs past its size by a tenth and comes back (common practice, no source).
        """
        share = min(max(share, 0.0), 1.0)
        eased = smoothstep(share)
        if share <= 0:
            return 0.0, 0.0, 0.0
        if self.how == "fade":
            return eased, 1.0, 0.0
        if self.how == "grow":
            return 1.0, eased, 0.0
        if self.how == "drop":
            return min(1.0, share * 3), 1.0, (1 - eased) * 3
        if self.how == "pop":
            # A damped swing: 0 at the start, 1.1 at the most, 1 at the end.
            over = 1.70158
            t = share - 1
            return min(1.0, share * 4), 1 + (over + 1) * t**3 + over * t**2, 0.0
        return 1.0, 1.0, 0.0
