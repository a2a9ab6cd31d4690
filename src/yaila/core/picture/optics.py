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
from yaila.core.film.choreography import Camera
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
class Exposed:
    """The camera while the shutter is open, at ``count`` moments between two times, frames.

    Attributes:
        ends: where it is then.
        motion: the longest way that the ground goes in the frame in that time, pixels.
        reach: how far it is at most from where it is in the middle, pixels.
    """

    camera: Camera
    first: float
    last: float
    ends: tuple[Pose, Pose]
    motion: float = 0.0
    reach: float = 0.0
    count: int = 1

    @staticmethod
    def of(camera: Camera, first: float, last: float, view: View) -> Exposed:
        """Between two times, as the view of the middle sees it."""
        ends = camera.at(np.array([first, last]))
        return Exposed(camera, first, last, (ends.pose(0), ends.pose(1))).seen(view)

    def seen(self, view: View) -> Exposed:
        """The same as another view of the middle sees it."""
        before, after = (_moved(view, pose) for pose in self.ends)
        return replace(self, motion=_longest(after - before), reach=max(_longest(before), _longest(after)))

    @property
    def across(self) -> float:
        """The longest way that the ground goes from the first moment to the last, pixels."""
        return self.motion * (1 - 1 / self.count)

    @cached_property
    def poses(self) -> tuple[Pose, ...]:
        """Where it is at the moments, from the first to the last."""
        track = self.camera.at(self.first + (np.arange(self.count) + 0.5) / self.count * (self.last - self.first))
        return tuple(track.pose(k) for k in range(self.count))


@dataclass(frozen=True)
class Optics:
    """What lens and shutter do to a frame.

    Attributes:
        view: the frame that was asked for.
        quality: how many samples are taken.
        aperture: the lens; none where all is sharp.
        opens, closes: how much of the frame's time before and after its moment the shutter is open, in frames, 0..0.5.
        exposed: how the camera moves in that time; none where it does not.
    """

    view: View
    quality: Quality
    aperture: Aperture | None = None
    iris: Iris = Iris()  # noqa: RUF009 - frozen
    opens: float = 0.0
    closes: float = 0.0
    exposed: Exposed | None = None
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
        view = self.view.on(height)
        return replace(self, view=view, top=0.0, exposed=self.exposed and self.exposed.seen(view))

    def _exposed(self, choreography: Choreography, open_for: float, samples: int, time: Time) -> Optics:
        # Never beyond the cuts before and after it.
        shot = choreography.shot(time)
        first = max(time.frames - open_for / 2, shot.start.frames)
        last = min(time.frames + open_for / 2, shot.end.frames - 1e-6)
        made = replace(self, opens=time.frames - first, closes=last - time.frames)
        exposed = Exposed.of(choreography.camera, first, last, self.view)
        if exposed.motion < STILL:
            return made
        return replace(made, exposed=replace(exposed, count=samples or self.moments.of(exposed.motion)))

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
        return self.aperture is None and not self.exposed

    @cached_property
    def margin(self) -> int:
        """How much more than the frame is drawn of the ground on every side, pixels."""
        # So that what is worked out on a grid of pixels is so at the same places, whichever part of the frame is drawn.
        return math.ceil((self._lens_reach + self._shutter_reach) / GRIDS) * GRIDS

    @property
    def lens_margin(self) -> int:
        """How far beyond what the shutter needs the lens looks, pixels."""
        return self._lens_reach if self.exposed else self.margin

    @property
    def shutter_margin(self) -> int:
        """How far beyond the frame the shutter looks, pixels."""
        return self.margin - self.lens_margin

    @cached_property
    def _lens_reach(self) -> int:
        return self._within(self._farthest_circle())

    @property
    def _shutter_reach(self) -> int:
        return self._within(self.exposed.reach) if self.exposed else 0

    def _within(self, reach: float) -> int:
        return math.ceil(min(reach, MOST_MARGIN * self.view.whole.width))

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
            light = self._blurred(light, view, places)
        if self.exposed:
            light = self._averaged(light, self.exposed, places)
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
            steps = source[np.newaxis]
            if ready > 1:
                steps = np.empty((ready, height, width), np.uint64)
                in_threads(partial(_copied, source, steps[0]), source)
            for k in range(1, ready):
                in_threads(partial(_smoothed, steps[k - 1], steps[k], 1 << (k - 1)), source)
            out = np.empty((height - 2 * margin, width - 2 * margin), np.uint64)
            how = (margin, margin, radii, deep, self.hold, least, counts, places)
            in_threads(lambda a, b: lens.blur_rows(steps, ready, out, a, b, *how), out)
            return out

        return light.each(plane)

    def make_ready(self) -> None:
        """Work out what :meth:`through` looks up, which needs no picture."""
        if self.exposed:
            _ = self._spaces if self.uneven else (self._maps, self._piece)

    @property
    def _exposed_view(self) -> View:
        """What is averaged over the exposure."""
        return self.view.wider(self.shutter_margin)

    @cached_property
    def _maps(self) -> NDArray[np.float64]:
        """From what is averaged at each moment to that of the middle, (n, 3, 3)."""
        assert self.exposed
        view = self._exposed_view
        return np.array([view.frame_from_ground @ view.posed(pose).ground_from_frame for pose in self.exposed.poses])

    @cached_property
    def _piece(self) -> int:
        return _piece(self._maps, self._exposed_view)

    @cached_property
    def _spaces(self) -> NDArray[np.float64]:
        """From places in space, counted from the middle moment's target, to what is averaged at each, (n, 3, 4)."""
        assert self.exposed
        view, here = self._exposed_view, np.array([self.view.pose.x, self.view.pose.y])
        return np.array([_counted_from(view.posed(pose), here) for pose in self.exposed.poses])

    def _averaged(self, light: Light, exposed: Exposed, places: NDArray[np.float32] | None) -> Light:
        margin = self.shutter_margin

        def plane(source: NDArray[np.uint64]) -> NDArray[np.uint64]:
            if exposed.across / exposed.count > SMOOTHED:
                sharp, source = source, np.empty_like(source)
                in_threads(partial(_smoothed, sharp, source, 1), source)
            out = np.empty((source.shape[0] - 2 * margin, source.shape[1] - 2 * margin), np.uint64)
            if places is None:
                how = (margin, margin, self._maps, self._piece)
                in_threads(lambda a, b: shutter.average_rows(source, out, a, b, *how), out)
            else:
                spaces = self._spaces
                in_threads(lambda a, b: shutter.average_deep_rows(source, out, a, b, margin, spaces, places), out)
            return out

        return light.each(plane)

    def unsharp(self, nearness: NDArray[np.float64], view: View) -> NDArray[np.float64]:
        """How wide what lens and shutter make of a point is, at places of a plane that are so near (1 / depth); ground
        units."""
        wide = np.zeros_like(nearness)
        if self.aperture:
            share = self.aperture.focused / self.aperture.target
            wide = 2 * self.hold * np.abs(1 - share * np.maximum(nearness, 0))
        if self.exposed:
            wide = wide + self.exposed.across
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
        if not self.exposed:
            return self.view, self.view, self.view
        poses = self.exposed.poses
        return self.view.posed(poses[0]), self.view, self.view.posed(poses[-1])

    def motion(self, piece: Piece) -> Motion:
        """How a piece moves in the frame while the shutter is open."""
        if piece.spot is None or not (self.opens or self.closes) or not (self.exposed or any(piece.moves)):
            return Motion()
        x, y, z = piece.spot
        dx, dy, dz = piece.moves
        spots = []
        for view, by in zip(self._exposures, (-self.opens, 0.0, self.closes), strict=True):
            spots.append(view.spot((x + dx * by, y + dy * by), z + dz * by))
        if min(spot[2] for spot in spots) <= 0:
            return Motion()
        begin, middle, end = spots
        return Motion(
            (middle[0], middle[1]),
            (begin[0] - middle[0], begin[1] - middle[1]),
            (end[0] - middle[0], end[1] - middle[1]),
            middle[2] / begin[2],
            middle[2] / end[2],
        )


def _counted_from(view: View, place: NDArray[np.float64]) -> NDArray[np.float64]:
    """3x4: places in space, counted from a place of the ground, to the frame."""
    space = view.space.copy()
    space[:, 3] += space[:, :2] @ (place - view.target)
    return space


def _moved(view: View, pose: Pose) -> NDArray[np.float64]:
    """How far what a view shows, at places all over it, is from there as a pose sees it, pixels, (n, 2); 0 where one of
    both does not see it."""
    places = _spread(*view.size)
    ground = places @ view.ground_from_frame.T
    there = ground @ view.posed(pose).frame_from_ground.T
    seen = (ground[:, 2] > 0) & (there[:, 2] > 0.05)
    moved = np.zeros((len(places), 2))
    moved[seen] = there[seen, :2] / there[seen, 2:] - places[seen, :2]
    return moved


def _longest(ways: NDArray[np.float64]) -> float:
    return math.sqrt(float((ways * ways).sum(axis=1).max()))


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


def _copied(source: NDArray[np.uint64], out: NDArray[np.uint64], first: int, last: int) -> None:
    np.copyto(out[first:last], source[first:last])
