"""What is wrong with the finish: names out of focus, a focus that is nowhere, blur for nothing, a shutter that strobes,
a night in which nothing is seen."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache, partial
from typing import Literal

import numpy as np

from yaila.core.analysis.clearance import CLEAR, over_the_ground
from yaila.core.camera import FrameSize, View
from yaila.core.camera.lens import Aperture
from yaila.core.colour import relative_luminance
from yaila.core.errors import NotFound
from yaila.core.film import Choreography, Film
from yaila.core.film.acts import Act, Focus, SetValue
from yaila.core.film.focus import NEAREST, aperture_of
from yaila.core.film.running import running
from yaila.core.film.scene import present_at
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.picture.labels import seen_at
from yaila.core.soundings.pace import Paces
from yaila.core.soundings.pieces import Pieces, digest, unseen
from yaila.core.stopping import go_on
from yaila.core.time import Time

MOST_LOOKS, MOST_READ, MOST_DRAWN = 120, 40, 12
"""Moments at which the lens is looked at, a name, and a picture."""

BLURRED = 0.12
"""A name is blurred from a circle on whose diameter is this share of its type size: the bars of an e are as far apart
(common practice, no source)."""

HIDDEN = 0.3
"""... for this share of the time in which it is there to be read."""

UNSEEN = 0.08
"""A circle narrower than this, percent of the frame's width, is not seen: 1.5 pixels of 1,920."""

SEEN = 1.0
"""A circle so wide, percent of the frame's width, is well seen."""

NOTHING_SHARP = 0.25
"""Where the narrowest circle of the ground in the frame is wider than this, percent, nothing is sharp."""

STROBES = 0.04
"""From this way on between one exposure's end and the next one's start, in frame widths, edges are seen apart (common
practice, no source)."""

TOO_DARK = 0.0025
"""A picture of less light than this, of white's, is in the lowest codes of the limited range, where ITU-R BT.709 has
few of them: 16 to about 24 of 235."""

DARK = FrameSize(160, 90)


@dataclass(frozen=True)
class FinishFault:
    """Frames ``first`` to ``last``, worst at ``frame``, with what mends it."""

    kind: Literal["soft name", "behind", "no blur", "all blurred", "open", "night", "under"]
    grave: bool
    first: int
    last: int
    frame: int
    figure: float
    text: str
    says: str = ""
    act: Act | None = None
    mark: str | None = None


def finish_faults(
    film: Film, choreography: Choreography, paces: Paces, pieces: Pieces, renderer: Renderer | None
) -> list[FinishFault]:
    """All that is wrong with the finish, in no order."""
    found: list[FinishFault] = []
    if film.finish.lens.on:
        lenses = Lenses(film, choreography)
        found += _lens(film, choreography, lenses)
        found += _names(film, choreography, lenses)
    if film.finish.shutter.on:
        found += _shutter(film, choreography, paces)
    if film.finish.relief.on and renderer:
        found += _under(film, choreography, renderer)
    if film.finish.dusk.on and renderer:
        found += _night(film, choreography, pieces, renderer)
    return found


class Lenses:
    """How a film is seen at its frames, and the lens at work there, worked out once for all that ask."""

    def __init__(self, film: Film, choreography: Choreography) -> None:
        def view(frame: int) -> View:
            return View.of(choreography.pose(Time(frame)), film.frame.size)

        def aperture(frame: int) -> Aperture:
            time = Time(frame)
            lens = running(film.finish.lens, time, choreography.timeline)
            return aperture_of(film, choreography, lens, self.view(frame), time)

        self.view, self.aperture = cache(view), cache(aperture)


def _moments(first: int, end: int, most: int) -> list[int]:
    """About ``most`` frames from ``first`` on, before ``end``, those at its ends among them: mostly frames that another
    part of the film has looked at, too."""
    if end <= first:
        return []
    step = 1 << max(round(math.log2((end - first) / most)), 0)
    return sorted({first, *range(-(-first // step) * step, end, step), end - 1})


def _lens(film: Film, choreography: Choreography, lenses: Lenses) -> list[FinishFault]:
    found, widest, behind, all_blurred = [], 0.0, list[int](), dict[int, float]()
    for frame in _moments(0, choreography.frames, MOST_LOOKS):
        go_on()
        before, least, most = _circles(lenses.view(frame), lenses.aperture(frame))
        widest = max(widest, most)
        if not before:
            behind.append(frame)
        elif least > NOTHING_SHARP:
            all_blurred[frame] = least
    if behind:
        text = "The focus is behind the camera: nothing is sharp"
        act = Focus(frame=behind[0], on="target")
        found.append(
            FinishFault("behind", True, behind[0], behind[-1], behind[0], 0.0, text, "Focus on the target", act)
        )
    if all_blurred:
        worst = max(all_blurred, key=lambda frame: all_blurred[frame])
        text = f"Nothing on the ground is sharp: the least blurred of it by {all_blurred[worst]:.1f} % of the width"
        frames = list(all_blurred)
        act = Focus(frame=worst, on="target")
        found.append(
            FinishFault(
                "all blurred", False, frames[0], frames[-1], worst, all_blurred[worst], text, "Focus on the target", act
            )
        )
    if widest < UNSEEN and not behind:
        text = f"Depth of field is on, and its widest blur is {widest:.2f} % of the width: nobody sees it"
        last = choreography.frames - 1
        says, mends = _softer(film, widest)
        found.append(FinishFault("no blur", False, 0, last, 0, widest, text, says, mends))
    return found


def _softer(film: Film, widest: float) -> tuple[str, Act | None]:
    """What makes the widest blur about a hundredth of the frame's width: circles grow as the model becomes smaller."""
    lens, times = film.finish.lens, SEEN / max(widest, 1e-6)
    if lens.model == "scale" and isinstance(lens.scale, float | int):
        scale = min(float(f"{lens.scale * times:.2g}"), 1e9)
        return f"See it as a model 1 to {scale:,.0f}", SetValue(of=lens.id, field="scale", frame=0, value=scale)
    if lens.model == "nearness" and isinstance(lens.nearness, float | int):
        near = max(float(f"{lens.nearness / times:.2g}"), 0.2)
        return f"Let it seem {near:g} m near", SetValue(of=lens.id, field="nearness", frame=0, value=near)
    return "", None


def _circles(view: View, aperture: Aperture) -> tuple[bool, float, float]:
    """Whether the focus of a frame is before the camera, and the narrowest and the widest circle of the ground in it,
    percent of its width."""
    width, height = view.size
    corners = np.array([[0, 0, 1], [width, 0, 1], [width, height, 1], [0, height, 1]], np.float64)
    nearness = np.maximum(corners @ view.ground_from_frame[2], 1e-6)
    edges = [abs(aperture.radius(1 / one, width)) for one in (float(nearness.min()), float(nearness.max()))]
    sharp = nearness.min() <= aperture.target / aperture.focused <= nearness.max()
    percent = 200 / width
    return aperture.focus > NEAREST, 0.0 if sharp else min(edges) * percent, max(edges) * percent


def _names(film: Film, choreography: Choreography, lenses: Lenses) -> list[FinishFault]:
    """Names that stand where it is blurred while they are read."""
    found = []
    size, rate = film.frame.size, float(film.fps.value)
    for label in film.labels:
        go_on()
        if not label.shown or label.stands == "frame":
            continue
        there = choreography.timeline.ranges[label.id]
        first, end = max(there.start.first_frame, 0), min(there.end.first_frame, choreography.frames)
        read, blurred = 0, dict[int, float]()
        for frame in _moments(first, end, MOST_READ):
            present = present_at(film, choreography, label, Time(frame))
            view = lenses.view(frame)
            if not present or present.came < 1 or seen_at(label, view.pose.span) < 0.6:
                continue
            u, v, depth = view.spot(present.mark.place, present.mark.height)
            if not (0 <= u <= size.width and 0 <= v <= size.height and depth > 0):
                continue
            read += 1
            circle = 2 * abs(lenses.aperture(frame).radius(depth, size.width))
            if circle > BLURRED * present.look.size:
                blurred[frame] = circle
        if read and len(blurred) >= max(HIDDEN * read, 2):
            worst = max(blurred, key=lambda frame: blurred[frame])
            seconds = len(blurred) / read * (end - first) / rate
            text = f"{label.name} is out of focus while it is read, for {seconds:.1f} s"
            act = Focus(frame=worst, on="mark", mark=label.id, change=True)
            frames = list(blurred)
            found.append(
                FinishFault(
                    "soft name", False, frames[0], frames[-1], worst, blurred[worst], text, "Focus on it there", act,
                    label.id,
                )
            )  # fmt: skip
    return found


def _shutter(film: Film, choreography: Choreography, paces: Paces) -> list[FinishFault]:
    """Where the picture jumps further between two exposures than is seen as one movement."""
    rate = float(film.fps.value)
    angle = film.finish.shutter.angle
    widest = max((stop.value for stop in angle.stops), default=0.0) if hasattr(angle, "stops") else float(angle)
    jump = paces.middle / rate * (1 - widest / 360)
    fast = np.flatnonzero(jump > STROBES)
    if not len(fast) or widest >= 180:
        return []
    worst = int(fast[np.argmax(jump[fast])])
    frames = paces.frames
    text = (
        f"A shutter of {widest:.0f}° strobes: from one exposure to the next the picture jumps "
        f"{100 * float(jump[worst]):.0f} % of its width"
    )
    act = None if hasattr(angle, "stops") else SetValue(of=film.finish.shutter.id, field="angle", frame=0, value=180.0)
    return [
        FinishFault("open", False, int(frames[fast[0]]), int(frames[fast[-1]]), int(frames[worst]), float(jump[worst]),
                    text, "Open it to 180°", act)
    ]  # fmt: skip


def _under(film: Film, choreography: Choreography, renderer: Renderer) -> list[FinishFault]:
    """Where the camera is under the ground that it looks at, or so near to it that nothing else is seen."""

    def above(frame: float) -> tuple[float, float]:
        """How high over the ground the camera is, and how far from its target."""
        pose = choreography.pose(Time(frame))
        x, y, high = pose.eye()
        return high - renderer.ground(film, Time(frame))(x, y), pose.distance

    deep = {}
    try:
        for frame in _moments(0, choreography.frames, MOST_LOOKS):
            go_on()
            clear, distance = above(frame)
            if clear < CLEAR * distance:
                deep[frame] = clear
        if not deep:
            return []
        worst, frames = min(deep, key=lambda frame: deep[frame]), list(deep)
        says, act = _higher(film, choreography, renderer, worst) or _lower(film)
    except NotFound:
        # That a picture is gone is a finding of its own.
        return []
    text = "The camera is under the ground" if deep[worst] < 0 else "The camera all but touches the ground"
    return [FinishFault("under", deep[worst] < 0, frames[0], frames[-1], worst, deep[worst],
                        f"{text}: a mountain stands there", says, act)]  # fmt: skip


def _higher(film: Film, choreography: Choreography, renderer: Renderer, worst: int) -> tuple[str, Act] | None:
    """Fly over it, if it stands in the way of a passage and not of a vantage."""
    leg = choreography.legs[choreography.leg_at(worst)]
    if not leg.passage or worst < leg.start + leg.hold:
        return None
    act = over_the_ground(film, film.vantages[choreography.leg_at(worst)].id, renderer.ground)
    return ("Fly over it", act) if act else None


def _lower(film: Film) -> tuple[str, Act | None]:
    times = film.finish.relief.times
    if not isinstance(times, float | int):
        return "", None
    act = SetValue(of=film.finish.relief.id, field="times", frame=0, value=round(float(times) / 2, 3))
    return "Raise the ground half as high", act


def _night(film: Film, choreography: Choreography, pieces: Pieces, renderer: Renderer) -> list[FinishFault]:
    """Where all of the picture is so dark that a film's codes can hardly tell it apart."""
    plain = unseen(film, "label", "marker", "route", "inset")
    made_of = digest(plain.model_dump_json())
    size = FrameSize(DARK.width, max(round(DARK.width * film.frame.height / film.frame.width), 2))

    def light(frame: int) -> float:
        picture = renderer.render(
            Request(plain, Time(frame), size, Quality.DRAFT, without=frozenset({"lens", "shutter", "ends"}))
        )
        return float(np.quantile(relative_luminance(picture.rgb), 0.9))

    dark = {}
    for frame in _moments(0, choreography.frames, MOST_DRAWN):
        go_on()
        if running(film.finish.dusk, Time(frame), choreography.timeline).share == 0:
            continue
        bright = pieces.kept(("night", made_of, frame), partial(light, frame), lambda _: 64)
        if bright < TOO_DARK:
            dark[frame] = bright
    if not dark:
        return []
    worst = min(dark, key=lambda frame: dark[frame])
    frames = list(dark)
    stops = film.finish.dusk.dark
    act = None
    if isinstance(stops, float | int):
        lighter = max(float(stops) - 1.5, 0.0)
        act = SetValue(of=film.finish.dusk.id, field="dark", frame=0, value=lighter)
    text = f"The night is too dark: nine tenths of the picture have less than {100 * TOO_DARK:.2f} % of white's light"
    return [
        FinishFault("night", False, frames[0], frames[-1], worst, dark[worst], text, "Lighten it by 1.5 stops", act)
    ]
