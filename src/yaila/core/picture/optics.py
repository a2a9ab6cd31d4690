"""Lens and shutter at work on a frame: how wide circles of confusion are in it, and where things are while the shutter
is open."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache, partial

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import Aperture, Pose, View
from yaila.core.camera.lens import WIDEST
from yaila.core.film import Choreography, Film
from yaila.core.film.finish import Finish
from yaila.core.film.focus import Ground, aperture_of, level
from yaila.core.picture import lens, shutter
from yaila.core.picture.ground import Quality
from yaila.core.picture.layers import STILL, Moments, Motion
from yaila.core.picture.lens import Iris
from yaila.core.picture.linear import Light
from yaila.core.picture.stage import Piece
from yaila.core.picture.threads import in_threads
from yaila.core.time import Time

GRIDS = 12
"""A multiple of the pixels of all grids that something is worked out on: light, and rays over relief."""

MOST_MARGIN = 0.12
"""How much is drawn beyond the frame for lens and shutter at most, in widths of the frame; beyond that, what is at its
edge goes on."""

LOW = 0.4
"""A camera that is not so much of its height over the highest ground flies among summits."""

BESIDE_RELIEF = 0.03
"""How far the lens looks beyond the frame where the ground is raised, in widths of it."""

LENS_PLACES = {Quality.DRAFT: 16, Quality.FINAL: 64}
"""How many places of the lens a pixel is seen from at most."""

MOMENTS = {Quality.DRAFT: Moments(0.4, 4, 8), Quality.FINAL: Moments(1.5, 8, 64)}
"""Moments of an exposure."""

SMOOTHED = 1.1
"""Where moments are further apart than so many pixels, the picture is smoothed a little before they are averaged: so
thin lines do not comb."""


@dataclass(frozen=True)
class Optics:
    """What lens and shutter do to a frame.

    Attributes:
        view: the frame that was asked for.
        aperture: the lens; none where all is sharp.
        poses: the camera at moments of the exposure, from the first to the last; none where it does not move.
        openings: how much of the frame's time before and after its moment the shutter is open, in frames, 0..0.5.
        quality: how many samples are taken.
    """

    view: View
    quality: Quality
    aperture: Aperture | None = None
    iris: Iris = Iris()  # noqa: RUF009 - frozen
    poses: tuple[Pose, ...] = ()
    opens: float = 0.0
    closes: float = 0.0
    top: float = 0.0
    """How high the ground may reach, ground units: where it is raised its circles do not follow the plane's."""

    @staticmethod
    def of(
        film: Film,
        choreography: Choreography,
        finish: Finish,
        view: View,
        time: Time,
        quality: Quality,
        own_camera: bool,
        ground: Ground = level,
        top: float = 0.0,
    ) -> Optics:
        """What the finish of a moment asks for; ``own_camera`` says whether the view is the film's own,
        ``ground`` how high the ground is, and ``top`` how high it may be anywhere."""
        made = Optics(view, quality, top=top)
        if finish.lens.on:
            aperture = aperture_of(film, choreography, finish.lens, view, time, ground)
            made = replace(made, aperture=aperture, iris=Iris(finish.lens.blades, finish.lens.roundness))
        if finish.shutter.on and finish.shutter.angle > 0 and own_camera and choreography.frames:
            made = made._exposed(choreography, finish.shutter.angle / 360, finish.shutter.samples, time)
        return made

    def on(self, height: float) -> Optics:
        """The same for a plane at a height instead of the ground."""
        return replace(self, view=self.view.on(height), top=0.0)

    def _exposed(self, choreography: Choreography, open_for: float, samples: int, time: Time) -> Optics:
        # Never beyond the cuts before and after it.
        shot = choreography.shot(time)
        first = max(time.frames - open_for / 2, shot.start.frames)
        last = min(time.frames + open_for / 2, shot.end.frames - 1e-6)
        made = replace(self, opens=time.frames - first, closes=last - time.frames)
        ends = choreography.camera.at(np.array([first, last]))
        motion = _longest(self.view, ends.pose(0), ends.pose(1))
        if motion < STILL:
            return made
        count = samples or self.moments.of(motion)
        track = choreography.camera.at(first + (np.arange(count) + 0.5) / count * (last - first))
        return replace(made, poses=tuple(track.pose(k) for k in range(count)))

    @property
    def moments(self) -> Moments:
        """How many moments a motion needs."""
        return MOMENTS[self.quality]

    @property
    def uneven(self) -> bool:
        """Whether the ground is raised anywhere."""
        return self.top > 0

    @property
    def idle(self) -> bool:
        """Whether all of the ground is sharp."""
        return self.aperture is None and not self.poses

    @cached_property
    def lens_margin(self) -> int:
        """How far beyond what the shutter needs the lens looks, pixels."""
        return self._margin(self._farthest_circle())

    @cached_property
    def shutter_margin(self) -> int:
        """How far beyond the frame the shutter looks, pixels."""
        if not self.poses:
            return 0
        return self._margin(_longest(self.view, self.view.pose, self.poses[0], self.poses[-1]))

    @property
    def margin(self) -> int:
        """How much more than the frame is drawn of the ground on every side, pixels."""
        return self.shutter_margin + self.lens_margin

    def _margin(self, reach: float) -> int:
        # So that what is worked out on a grid of pixels is so at the same places, whichever part of the frame is drawn.
        return math.ceil(min(reach, MOST_MARGIN * self.view.whole.width) / GRIDS) * GRIDS if reach else 0

    def _farthest_circle(self) -> float:
        if self.aperture is None:
            return 0.0
        base, across, down = self.radii(self.view)
        width, height = self.view.size
        corners = [base, base + across * width, base + down * height, base + across * width + down * height]
        if self.uneven:
            left = 1 - self.top / self.view.pose.eye()[2]
            if left < LOW:
                # How near a summit comes is not known before its rays are followed.
                return BESIDE_RELIEF * self.view.whole.width
            # What is as high as the ground may be is so much nearer than the ground below it on its ray.
            corners += [self.hold - (self.hold - radius) / left for radius in corners]
        reach = max(min(abs(min(radius, self.hold)), WIDEST * self.view.whole.width) for radius in corners)
        return reach if reach >= lens.SHARP else 0.0

    @property
    def hold(self) -> float:
        """The radius of what is infinitely far, pixels."""
        assert self.aperture
        return self.aperture.widest(self.view.whole.width)

    def radii(self, view: View) -> tuple[float, float, float]:
        """The signed radius of the ground's circles in a view: at its upper left corner, and what a pixel across and
        down adds."""
        assert self.aperture
        nearness = view.ground_from_frame[2]
        plane = self.hold * (np.array([0.0, 0.0, 1.0]) - self.aperture.focused / self.aperture.target * nearness)
        return float(plane[2]), float(plane[0]), float(plane[1])

    def through(self, light: Light, view: View, places: NDArray[np.float32] | None = None) -> Light:
        """The ground as it is seen through lens and shutter: light of a view that is wider by ``margin``, in, and of
        the frame, out. Where it is not flat, ``places`` says what each pixel of the view shows (``Terrain.places``)."""
        if self.aperture and self.lens_margin:
            light, view = self._blurred(light, view, places), view.wider(-self.lens_margin)
        if self.poses:
            light = self._averaged(light, view, places)
        return light

    def _deep(self, places: NDArray[np.float32]) -> NDArray[np.float32]:
        """The signed radius of what pixels show, without the margin of the lens."""
        assert self.aperture
        share = self.aperture.focused / self.aperture.target * self.view.pose.distance
        margin, (height, width) = self.lens_margin, places.shape[:2]
        out = np.empty((height - 2 * margin, width - 2 * margin), np.float32)
        how = (margin, np.float32(self.hold), np.float32(share))
        in_threads(lambda a, b: lens.deep_rows(places, out, a, b, *how), out)
        return out

    def _blurred(self, light: Light, view: View, places: NDArray[np.float32] | None) -> Light:
        deep = np.zeros((0, 0), np.float32) if places is None else self._deep(places)
        margin, radii, least = self.lens_margin, self.radii(view), -WIDEST * self.view.whole.width
        counts, places = lens.openings(LENS_PLACES[self.quality], self.iris)
        farthest = max(cv2.norm(deep, cv2.NORM_INF) if deep.size else self._farthest_circle(), 1.0)
        apart = farthest * math.sqrt(math.pi / LENS_PLACES[self.quality])
        ready = 1 + min(lens.MOST_STEPS, math.ceil(math.log2(max(apart / 1.2, 1.0)) + 1e-9))

        def plane(source: NDArray[np.uint64]) -> NDArray[np.uint64]:
            height, width = source.shape
            steps = np.empty((ready, height, width), np.uint64)
            steps[0] = source
            for k in range(1, ready):
                in_threads(partial(_smoothed, steps[k - 1], steps[k], 1 << (k - 1)), source)
            out = np.empty((height - 2 * margin, width - 2 * margin), np.uint64)
            how = (margin, margin, radii, deep, self.hold, least, counts, places)
            in_threads(lambda a, b: lens.blur_rows(steps, ready, out, a, b, *how), out)
            return out

        return light.each(plane)

    def _averaged(self, light: Light, view: View, places: NDArray[np.float32] | None) -> Light:
        """``view`` is that of the light."""
        margin = self.shutter_margin
        maps = np.array([view.frame_from_ground @ view.posed(pose).ground_from_frame for pose in self.poses])
        longest = _longest(self.view, self.poses[0], self.poses[-1])
        piece = _piece(maps, view)
        # From places counted from the middle moment's target.
        here = np.array([view.pose.x, view.pose.y])
        spaces = np.array([_counted_from(view.posed(pose), here) for pose in self.poses])

        def plane(source: NDArray[np.uint64]) -> NDArray[np.uint64]:
            if longest / len(maps) > SMOOTHED:
                sharp, source = source, np.empty_like(source)
                in_threads(partial(_smoothed, sharp, source, 1), source)
            out = np.empty((source.shape[0] - 2 * margin, source.shape[1] - 2 * margin), np.uint64)
            if places is not None:
                in_threads(lambda a, b: shutter.average_deep_rows(source, out, a, b, margin, spaces, places), out)
                return out
            in_threads(lambda a, b: shutter.average_rows(source, out, a, b, margin, margin, maps, piece), out)
            return out

        return light.each(plane)

    def unsharp(self, nearness: NDArray[np.float64], view: View) -> NDArray[np.float64]:
        """How wide what lens and shutter make of a point is, at places of a plane that are so near (1 / depth); ground
        units."""
        wide = np.zeros_like(nearness)
        if self.aperture:
            share = self.aperture.focused / self.aperture.target
            wide = 2 * self.hold * np.abs(1 - share * np.maximum(nearness, 0))
        if self.poses:
            wide = wide + _longest(self.view, self.poses[0], self.poses[-1])
        return wide / view.pixels_per_unit / np.maximum(nearness, 1e-9)

    # What stands: layers of their own.

    def circle(self, piece: Piece) -> float:
        """The signed radius of the circle of what stands, pixels; of what stands in the frame none."""
        if self.aperture is None or piece.depth <= 0:
            return 0.0
        return self.aperture.radius(piece.depth, self.view.whole.width)

    @cached_property
    def _exposures(self) -> tuple[View, View, View]:
        """The view as the shutter opens, in the middle, and as it closes."""
        if not self.poses:
            return self.view, self.view, self.view
        return self.view.posed(self.poses[0]), self.view, self.view.posed(self.poses[-1])

    def motion(self, piece: Piece) -> Motion:
        """How a piece moves in the frame while the shutter is open."""
        if piece.spot is None or not (self.opens or self.closes) or not (self.poses or any(piece.moves)):
            return Motion()
        x, y, z = piece.spot
        dx, dy, dz = piece.moves
        spots = []
        for view, by in zip(self._exposures, (-self.opens, 0.0, self.closes), strict=True):
            spots.append(view.project(np.array([[x + dx * by, y + dy * by]]), z + dz * by)[0])
        if min(spot[2] for spot in spots) <= 0:
            return Motion()
        begin, middle, end = spots
        return Motion(
            (float(middle[0]), float(middle[1])),
            (float(begin[0] - middle[0]), float(begin[1] - middle[1])),
            (float(end[0] - middle[0]), float(end[1] - middle[1])),
            float(middle[2] / begin[2]),
            float(middle[2] / end[2]),
        )


def _counted_from(view: View, place: NDArray[np.float64]) -> NDArray[np.float64]:
    """3x4: places in space, counted from a place of the ground, to the frame."""
    space = view.space.copy()
    space[:, 3] += space[:, :2] @ (place - view.target)
    return space


def _longest(view: View, first: Pose, *later: Pose) -> float:
    """The longest way that the ground goes in the frame from one pose to any of some, pixels."""
    places = _spread(*view.size)
    on_the_ground = places @ view.posed(first).ground_from_frame.T
    there = on_the_ground[:, 2] > 0
    longest = 0.0
    for pose in later:
        through = on_the_ground @ view.posed(pose).frame_from_ground.T
        ahead = there & (through[:, 2] > 0.05)
        if ahead.any():
            moved = through[ahead, :2] / through[ahead, 2:] - places[ahead, :2]
            longest = max(longest, math.sqrt(float((moved * moved).sum(axis=1).max())))
    return longest


@lru_cache(maxsize=16)
def _spread(width: int, height: int) -> NDArray[np.float64]:
    """Places all over a frame, (n, 3), homogeneous."""
    u, v = np.meshgrid(np.linspace(0, width, 5), np.linspace(0, height, 5))
    return np.column_stack([u.ravel(), v.ravel(), np.ones(u.size)])


def _piece(maps: NDArray[np.float64], view: View) -> int:
    """Over how many pixels of a row motions are even, to a tenth of a pixel or two."""
    width, height = view.size
    places = np.array([[u, v, 1.0] for u in (0, width / 2, width) for v in (0, height / 2, height)])
    most = 0.0
    for one in (maps[0], maps[-1]):
        here, beside = places @ one.T, (places + np.array([1.0, 0.0, 0.0])) @ one.T
        if min(here[:, 2].min(), beside[:, 2].min()) > 0.05:
            step = beside[:, :2] / beside[:, 2:] - here[:, :2] / here[:, 2:] - [1.0, 0.0]
            most = max(most, float(np.abs(step).max()))
    return int(np.clip(shutter.EVEN / max(most, 1e-9), 8, shutter.PIECE))


def _smoothed(source: NDArray[np.uint64], out: NDArray[np.uint64], step: int, first: int, last: int) -> None:
    lens.smooth_rows(source, out, first, last, step)
