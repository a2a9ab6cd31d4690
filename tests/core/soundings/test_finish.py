"""What the soundings say of the finish, and that the remedy they offer mends it."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.film.test_walk import Texture
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
