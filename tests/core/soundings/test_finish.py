"""What the soundings say of the finish, and that the remedy they offer mends it."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.film.test_walk import Texture
from yaila.core.analysis.clearance import along_the_ground
from yaila.core.errors import BadEdit
from yaila.core.film import Film, choreograph
from yaila.core.film.acts import KeepClear
from yaila.core.imagery import PageStore
from yaila.core.picture import Kit, Renderer
from yaila.core.soundings import Pieces, soundings_of
from yaila.core.time import Time

KINDS = {"soft name", "behind", "no blur", "all blurred", "open", "night"}


def film_of(finish: dict, **more: object) -> Film:
    """A tilted rest and a quick pan over a fine texture."""
    picture = {"sha256": "a" * 64, "width": 600, "height": 400}
    plates = [{"name": "p", "picture": picture, "placement": {"kind": "similarity", "x": 0, "y": 0, "scale": 8}}]
    passage = {"duration": {"unit": "seconds", "value": 1}}
    views = [
        {"x": -300, "y": 0, "span": 600, "tilt": 50, "hold": 3, "passage": passage},
        {"x": 300, "y": 0, "span": 600, "tilt": 50, "hold": 1},
    ]  # fmt: skip
    return Film.model_validate({"plates": plates, "vantages": views, "finish": finish, **more})


def found(film: Film) -> dict:
    def pyramid(key: str) -> Texture:
        return Texture(600, 400)

    renderer = Renderer(pyramid, PageStore(16))
    return {one.kind: one for one in soundings_of(film, Pieces(pyramid), renderer=renderer) if one.kind in KINDS}


NAME = {"id": "n", "text": "Far", "x": -300, "y": 190, "comes": {"how": "cut"}, "look": {"size": 60}}


@pytest.mark.parametrize(
    ("kind", "finish", "more"),
    [
        ("soft name", {"lens": {"on": True, "f_number": 1.4, "nearness": 0.4}}, {"labels": [NAME]}),
        ("behind", {"lens": {"on": True, "focus": {"on": "place", "x": -300, "y": -5000}}}, {}),
        ("no blur", {"lens": {"on": True, "f_number": 16, "nearness": 100}}, {}),
        ("all blurred", {"lens": {"on": True, "f_number": 1, "focus": {"on": "free", "distance": 120}}}, {}),
        ("open", {"shutter": {"on": True, "angle": 10}}, {}),
        ("night", {"dusk": {"on": True, "dark": 7.5}}, {}),
    ],
)
def test_each_fault_of_the_finish_is_told_and_its_remedy_mends_it(kind: str, finish: dict, more: dict) -> None:
    film = film_of(finish, **more)
    told = found(film)
    assert kind in told
    finding = told[kind]
    assert finding.remedy
    assert finding.remedy.act
    mended = film
    for _ in range(4):
        # A night may need to be lightened more than once.
        mended = found(mended)[kind].remedy.act.done_to(mended)
        if kind not in found(mended):
            break
    assert kind not in found(mended)


def test_a_camera_under_a_mountain_is_told_and_the_mountain_made_lower() -> None:
    picture = {"sha256": "b" * 64, "width": 600, "height": 400}
    lies = {"kind": "similarity", "x": 0, "y": 0, "scale": 8}
    film = film_of({})
    heights = {"id": "h", "name": "h", "role": "heights", "picture": picture, "placement": lies}
    document = film.model_dump(mode="json")
    document["plates"].append(heights)
    document["finish"] = {"relief": {"on": True, "plate": "h", "times": 1}}
    film = Film.model_validate(document)

    def told(film: Film) -> dict:
        kit = Kit(heights=lambda key, codes: np.full((40, 60), 600.0, np.float32))
        renderer = Renderer(lambda key: Texture(600, 400), PageStore(16), kit)
        return {one.kind: one for one in soundings_of(film, Pieces(lambda key: Texture(600, 400)), renderer=renderer)}

    # The eye is 375 above the flat ground, and the ground 600 high.
    under = told(film)["under"]
    assert under.grave
    lower = under.remedy.act.done_to(film)
    assert lower.finish.relief.times == 0.5
    assert "under" not in told(lower)


def test_a_ridge_in_the_way_of_a_passage_is_flown_over() -> None:
    picture = {"sha256": "b" * 64, "width": 600, "height": 400}
    lies = {"kind": "similarity", "x": 0, "y": 0, "scale": 8}
    glide = {"duration": {"unit": "seconds", "value": 4}}
    views = [{"id": f"v{k}", "x": x, "y": 0, "span": 300, "tilt": 60, "heading": 90, "hold": 1, "passage": glide}
             for k, x in enumerate((-1500, 1500))]  # fmt: skip
    document = film_of({}).model_dump(mode="json") | {"vantages": views}
    document["plates"].append({"id": "h", "name": "h", "role": "heights", "picture": picture, "placement": lies})
    document["finish"] = {"relief": {"on": True, "plate": "h", "times": 1}}
    film = Film.model_validate(document)
    grid = np.zeros((40, 60), np.float32)
    grid[:, 27:32] = 500.0

    def told(film: Film) -> dict:
        renderer = Renderer(lambda key: Texture(600, 400), PageStore(16), Kit(heights=lambda key, codes: grid))
        return {one.kind: one for one in soundings_of(film, Pieces(lambda key: Texture(600, 400)), renderer=renderer)}

    under = told(film)["under"]
    assert under.remedy.text == "Fly over it"
    over = under.remedy.act.done_to(film)
    assert "under" not in told(over)
    # It rests where it did, looks at what it did, and flies over the ridge.
    before, after = (choreograph(one) for one in (film, over))
    assert after.frames == before.frames
    frames = range(before.frames)
    low, high = ([one.pose(Time(frame)) for frame in frames] for one in (before, after))
    assert low[0] == high[0]
    assert low[-1] == high[-1]
    assert max(abs(a.x - b.x) + abs(a.y - b.y) for a, b in zip(low, high, strict=True)) < 1e-6
    eyes = np.array([pose.eye() for pose in high])
    assert np.allclose(eyes[:, :2], [pose.eye()[:2] for pose in low], atol=1e-6)
    assert eyes[:, 2].max() > 500
    # No jerk: it climbs evenly from frame to frame.
    assert np.abs(np.diff(eyes[:, 2], 2)).max() < 0.25 * np.abs(np.diff(eyes[:, 2])).max()
    # Taken back it flies as before.
    again = KeepClear(vantage="v0").done_to(over)
    assert choreograph(again).pose(Time(60)) == low[60]


def test_a_sound_finish_is_passed_over_in_silence() -> None:
    film = film_of(
        {"lens": {"on": True, "f_number": 2.8}, "shutter": {"on": True}, "dusk": {"on": True, "dark": 2}},
        labels=[NAME | {"y": 0}],
    )
    assert found(film) == {}


def test_a_film_that_fades_to_black_by_night_is_not_called_too_dark() -> None:
    fades = {"on": True, "opens_over": 1.0, "closes_over": 1.0}
    assert "night" not in found(film_of({"dusk": {"on": True, "dark": 2.0, "share": 0.6}, "ends": fades}))
    # Nor is a day that is graded as dark as night: a lighter night would not mend it.
    graded = {"on": True, "exposure": -6}
    assert "night" in found(film_of({"dusk": {"on": True, "dark": 2.5}, "grade": graded}))
    assert "night" not in found(film_of({"dusk": {"on": True, "dark": 2.0, "share": 0}, "grade": graded}))


def hills(kind: str = "skim", **more: object) -> Film:
    """A passage east over ground of two ridges, 400 high, with a valley between that is below its start."""
    picture = {"sha256": "b" * 64, "width": 600, "height": 400}
    lies = {"kind": "similarity", "x": 0, "y": 0, "scale": 20}
    even = {"x1": 0.2, "y1": 0.2, "x2": 0.8, "y2": 0.8}
    passage = {"manner": {"kind": kind}, "ease": even, "duration": {"unit": "seconds", "value": 8}}
    views = [{"id": f"v{k}", "x": x, "y": 0, "span": 500, "tilt": 60, "heading": 90, "hold": 1, "passage": passage}
             for k, x in enumerate((-4200, 4600))]  # fmt: skip
    document = film_of({}).model_dump(mode="json") | {"vantages": views}
    document["plates"].append({"id": "h", "name": "h", "role": "heights", "picture": picture, "placement": lies})
    document["finish"] = {"relief": {"on": True, "plate": "h", "times": 1}}
    return Film.model_validate(document | more)


def ridges(x: np.ndarray, ridge: float = 260.0) -> np.ndarray:
    """How high the ground is."""
    return (
        60
        + ridge * (np.exp(-(((x + 1800) / 700) ** 2)) + np.exp(-(((x - 1800) / 700) ** 2)))
        - 50 * np.exp(-((x / 600) ** 2))
    )


def over_hills(film: Film, ridge: float = 260.0) -> Renderer:
    across = np.linspace(-6000, 6000, 600, endpoint=False) + 10
    grid = np.broadcast_to(ridges(across, ridge), (400, 600)).astype(np.float32)
    return Renderer(lambda key: Texture(600, 400), PageStore(16), Kit(heights=lambda key, codes: grid))


@pytest.mark.parametrize("kind", ["skim", "glide"])
def test_a_passage_follows_the_ground_over_ridges_and_into_valleys(kind: str) -> None:
    film = hills(kind)
    renderer = over_hills(film)
    made = along_the_ground(film, "v0", renderer.ground).apply(film)
    before, after = (choreograph(one) for one in (film, made))
    frames = range(after.frames)
    low, high = ([one.pose(Time(frame)) for frame in frames] for one in (before, after))
    assert (low[0], low[-1]) == (high[0], high[-1])
    eyes = np.array([pose.eye() for pose in high])
    clear = eyes[:, 2] - ridges(eyes[:, 0])
    # As high over what is below as at its ends, but for what is evened out.
    wanted = clear[0]
    assert clear[-1] == pytest.approx(wanted, rel=0.02)
    assert np.abs(clear - wanted).max() < 0.4 * wanted
    assert np.abs(clear - wanted).mean() < 0.1 * wanted
    # Without, it flies at one height (or its own), over ridges and valleys alike.
    flat = np.array([pose.eye()[2] for pose in low]) - ridges(np.array([pose.eye()[0] for pose in low]))
    assert np.abs(flat - wanted).max() > 0.8 * wanted
    # It climbs without a jerk.
    assert np.abs(np.diff(eyes[:, 2], 2)).max() < 0.3 * np.abs(np.diff(eyes[:, 2])).max()


def test_ground_too_steep_to_be_followed_is_kept_clear_of() -> None:
    film = hills()
    renderer = over_hills(film, 2400.0)
    made = along_the_ground(film, "v0", renderer.ground).apply(film)
    after = choreograph(made)
    eyes = np.array([after.pose(Time(frame)).eye() for frame in range(after.frames)])
    clear = eyes[:, 2] - ridges(eyes[:, 0], 2400.0)
    assert clear.min() > 0.25 * clear[0]


def test_what_cannot_follow_the_ground_says_why() -> None:
    film = hills()
    film.vantages[1] = film.vantages[1].model_copy(update={"span": 90.0, "name": "Low"})
    with pytest.raises(BadEdit, match="At “Low” the camera all but touches the ground"):
        along_the_ground(film, "v0", over_hills(film).ground)
    for kind in ("hop", "steps"):
        with pytest.raises(BadEdit, match="rises and comes down by itself"):
            along_the_ground(hills(kind), "v0", over_hills(film).ground)
    with pytest.raises(BadEdit, match="no passage"):
        along_the_ground(hills("cut"), "v0", over_hills(film).ground)


def test_a_passage_that_is_lowered_never_comes_down_to_the_ground() -> None:
    film = KeepClear(vantage="v0", rises=({"at": 0.5, "by": -1e6},)).apply(hills())
    after = choreograph(film)
    assert min(after.pose(Time(frame)).eye()[2] for frame in range(after.frames)) > 0
