"""The soundings find what is wrong, when and where; the planner mends it."""

from __future__ import annotations

import numpy as np
import pytest

from tests.stopwatch import quickest
from yaila.core.errors import BadEdit
from yaila.core.film import Duration, Feather, Film, Passage, Plate, Vantage
from yaila.core.film.model import Ground, PictureRef
from yaila.core.ground import Similarity
from yaila.core.ground.mercator import units_per_pixel
from yaila.core.soundings import Finding, budget_of, findings, plan_captures, soundings_of
from yaila.core.soundings.capture import SurveyReach, descent
from yaila.core.time import Ease
from yaila.standin.night_post import night_post, shots
from yaila.standin.survey import BOUNDS
from yaila.standin.world import World

REACH = SurveyReach(least=0, most=18, tile=256, box=tuple(BOUNDS))


def plate(name: str, x: float, y: float, pixel: float, size: tuple[int, int], **more: object) -> Plate:
    picture = PictureRef(sha256="0" * 64, width=size[0], height=size[1])
    return Plate(name=name, credit="own", picture=picture, placement=Similarity(x=x, y=y, scale=pixel), **more)


def rest(x: float, y: float, span: float, **more: object) -> Vantage:
    return Vantage(x=x, y=y, span=span, hold=1, **more)


def test_a_bare_corner_is_found_with_its_share_and_side() -> None:
    # The frame is 1920 x 1080 units; its right tenth lies beyond the plate.
    film = Film(plates=[plate("Only", 0, 0, 1, (4000, 4000))], vantages=[rest(2000 - 960 + 192, 0, 1920)])
    (bare,) = [finding for finding in soundings_of(film) if finding.kind == "bare"]
    assert (bare.first, bare.last) == (0, 24)
    assert bare.grave
    assert bare.figure == pytest.approx(0.1, abs=0.03)
    assert "the right edge" in bare.text
    assert bare.at
    assert bare.at[0] > 2000


@pytest.mark.parametrize(
    ("size", "opacity", "where"),
    [
        ((1400, 1400), 1, "at both sides"),
        ((2400, 700), 1, "above and below"),
        ((1500, 850), 1, "all round"),
        ((4000, 4000), 0.9, "all over"),
    ],
)
def test_what_is_bare_is_said_where_it_is(size: tuple[int, int], opacity: float, where: str) -> None:
    film = Film(plates=[plate("One", 0, 0, 1, size)], vantages=[rest(0, 0, 1920)])
    film.plates[0].opacity = opacity
    (bare,) = [finding for finding in soundings_of(film) if finding.kind == "bare"]
    assert bare.text.endswith(f"of the frame is bare {where}")


def test_a_hole_in_the_middle_is_there() -> None:
    places = np.stack(np.meshgrid(np.linspace(-0.5, 0.5, 9), np.linspace(-0.5, 0.5, 9)), axis=-1).reshape(-1, 2)
    lack = (np.abs(places) < 0.2).all(axis=1).astype(float)
    assert findings._where(lack, places) == "in the middle"


def test_soft_imagery_says_how_many_times_which_plate_and_what_to_fetch() -> None:
    film = Film(plates=[plate("Mush", 0, 0, 10, (4000, 4000))], vantages=[rest(0, 0, 9600)])
    (soft,) = [finding for finding in soundings_of(film) if finding.kind == "soft"]
    # 9600 units over 1920 pixels: 5 units a pixel, of plate pixels of 10.
    assert soft.figure == pytest.approx(2.0, rel=1e-3)
    assert soft.plate == film.plates[0].id
    assert soft.grave
    assert soft.remedy
    assert soft.remedy.size
    assert soft.remedy.size[0] == pytest.approx(1920 * 1.12, abs=120)
    sharp = film.model_copy(update={"vantages": [rest(0, 0, 19200)]})
    assert [finding for finding in soundings_of(sharp) if finding.kind == "soft"] == []


def test_the_feather_of_a_close_plate_leaves_its_rim_soft() -> None:
    close = plate("Close", 0, 0, 1, (2000, 1200), feather=Feather(width=60))
    film = Film(plates=[plate("Wide", 0, 0, 8, (2000, 2000)), close], vantages=[rest(0, 0, 1900)])
    look = budget_of(film)
    middle = look.enlarged[0].reshape(10, 17)
    assert middle[5, 8] == pytest.approx(1.0, abs=0.02)
    assert middle[0, 0] == pytest.approx(8, rel=0.02)
    assert look.sharp_share[0] < 0.9


def test_a_tilted_frame_is_reckoned_with_its_true_area() -> None:
    film = Film(plates=[plate("Only", 0, 0, 1, (3000, 3000))], vantages=[rest(0, 0, 1500, tilt=60)])
    assert budget_of(film).bare_share[0] > 0.05
    flat = film.model_copy(update={"vantages": [rest(0, 0, 1500)]})
    assert budget_of(flat).bare_share[0] == 0


def test_unused_plates_missing_credits_and_holes_are_named() -> None:
    away = plate("Far away", 50000, 0, 1, (100, 100))
    away.credit = ""
    film = Film(
        plates=[plate("Only", 0, 0, 1, (4000, 4000), holes=((0, 0, 256, 256),)), away], vantages=[rest(0, 0, 2000)]
    )
    found = {finding.kind: finding for finding in soundings_of(film)}
    assert "Far away" in found["unused"].text
    assert "Far away" in found["credit"].text
    assert "1 tile is missing in Only" in found["hole"].text
    assert not any(finding.grave for finding in found.values())


def test_a_finer_plate_that_lies_hidden_is_to_be_raised_and_a_coarser_one_to_go() -> None:
    plates = [
        plate("Close", 0, 0, 0.5, (2000, 2000)),
        plate("Coarse", 0, 0, 9, (400, 400)),
        plate("Mid", 0, 0, 1, (3000, 3000)),
    ]
    film = Film(plates=plates, vantages=[rest(0, 0, 900)])
    found = {one.plate: one for one in soundings_of(film) if one.kind == "unused"}
    assert "hidden under Mid" in found[plates[0].id].text
    assert "never seen" in found[plates[1].id].text
    raised = found[plates[0].id].remedy.act.apply(film)
    assert [one.name for one in raised.plates] == ["Coarse", "Mid", "Close"]
    left = {one.plate: one for one in soundings_of(raised) if one.kind == "unused"}
    assert plates[0].id not in left


def test_reference_plates_carry_nothing() -> None:
    film = Film(plates=[plate("Traced", 0, 0, 1, (4000, 4000), role="reference")], vantages=[rest(0, 0, 2000)])
    assert budget_of(film).bare_share[0] == 1


@pytest.fixture(scope="module")
def shipped() -> Film:
    """The Night Post, without its pixels."""
    world = World()
    plates = [
        plate(s.name, s.x, s.y, s.width / s.pixels[0], s.pixels, feather=Feather(shape=s.shape, width=s.feather))
        for s in shots(world)
    ]
    return night_post(world, plates)


@pytest.fixture(scope="module")
def post(shipped: Film) -> Film:
    """The Night Post with nothing between the whole sea and the lighthouse."""
    missing = ("Ebbing reach", "Ebbing isle")
    return shipped.model_copy(update={"plates": [one for one in shipped.plates if one.name not in missing]})


def test_the_night_post_as_it_ships_has_no_grave_sounding(shipped: Film) -> None:
    assert [finding.text for finding in soundings_of(shipped) if finding.grave] == []


def test_soft_imagery_is_found_only_where_the_picture_is_slow_enough_for_it_to_be_seen() -> None:
    # Four times enlarged, four pixels soft: a shutter of 180 degrees smears more than that from 8 pixels a frame on.
    def gliding(pixels: float) -> list[Finding]:
        far = 100 * pixels * 0.25
        passage = Passage(ease=Ease(x1=0, y1=0, x2=1, y2=1), duration=Duration(unit="frames", value=100))
        film = Film(
            plates=[plate("Mush", 0, 0, 1, (9000, 9000))],
            vantages=[Vantage(x=-far / 2, span=480, hold=0, passage=passage), Vantage(x=far / 2, span=480, hold=0)],
        )
        return [finding for finding in soundings_of(film) if finding.kind == "soft"]

    (soft,) = gliding(7.8)
    assert soft.figure == pytest.approx(4, rel=0.01)
    assert soft.grave
    assert gliding(8.4) == []


def captured(film: Film, plan: object) -> Film:
    """A film with the plates of a plan laid among its own, by their pixels."""
    plates = list(film.plates)
    for planned in plan.plates:
        west, south, east, north = planned.box
        pixel = (east - west) / planned.size[0]
        made = plate(
            f"z{planned.zoom}", (west + east) / 2, (south + north) / 2, pixel, planned.size, feather=Feather(width=12)
        )
        at = max((i + 1 for i, other in enumerate(plates) if other.placement.scale >= pixel), default=0)
        plates.insert(at, made)
    return film.model_copy(update={"plates": plates})


def test_the_planner_leaves_the_night_post_without_a_grave_sounding(post: Film) -> None:
    assert any(finding.grave for finding in soundings_of(post))
    plan = plan_captures(post, REACH, budget=20000)
    grave = [finding for finding in soundings_of(captured(post, plan)) if finding.grave]
    assert [(finding.time, finding.text) for finding in grave] == []


def test_without_its_finest_plate_time_place_and_size_are_named(post: Film) -> None:
    full = captured(post, plan_captures(post, REACH, budget=20000))
    finest = min(full.plates, key=lambda one: one.placement.scale)
    assert finest.name == "Harbour wall"
    less = full.model_copy(update={"plates": [one for one in full.plates if one is not finest]})
    grave = [finding for finding in soundings_of(less) if finding.grave]
    assert grave
    worst = max(grave, key=lambda finding: finding.figure)
    wall = post.vantages[1]
    assert worst.time > "00:00:04:00"
    assert np.hypot(worst.at[0] - wall.x, worst.at[1] - wall.y) < 200
    west, south, east, north = worst.remedy.box
    assert west < wall.x < east
    assert south < wall.y < north
    assert worst.remedy.size[0] >= 1920


def test_a_larger_budget_buys_fewer_plates() -> None:
    film = descent(Film(ground=Ground(kind="mercator")), 430e3, 214e3, 40000, 1200)
    less, more = (plan_captures(film, REACH, budget=budget) for budget in (1500, 100_000))
    assert len(less.plates) > len(more.plates)
    assert less.tiles <= 1500 < more.tiles
    assert less.density == more.density == 1


def askew(span: float = 1500) -> Film:
    """A pan across the grid of the survey's tiles, 28 km long."""
    passage = Passage(duration=Duration(unit="seconds", value=12))
    views = [Vantage(x=x, y=y, span=span, hold=0, passage=passage) for x, y in ((400e3, 200e3), (420e3, 220e3))]
    return Film(ground=Ground(kind="mercator"), vantages=views)


def test_a_pan_askew_is_planned_in_strips_that_leave_nothing_out() -> None:
    film = askew()
    plan = plan_captures(film, REACH, budget=100_000)
    side = units_per_pixel(18) * 256
    around = (20e3 + 1500) / side * ((20e3 + 1500 * 9 / 16) / side)
    # The frame sweeps along its diagonal.
    swept = np.hypot(20e3, 20e3) * (1500 + 1500 * 9 / 16) / np.sqrt(2) / side**2
    assert swept < plan.tiles < min(0.3 * around, 3 * swept)
    assert len(plan.plates) < 15
    assert not [one for one in soundings_of(captured(film, plan)) if one.kind in ("bare", "soft")]
    for one in plan.plates:
        west, south, east, north = one.box
        assert min(east - west, north - south) > 4 * side


def test_a_budget_is_kept_and_what_it_leaves_is_said() -> None:
    for film in (askew(), descent(Film(ground=Ground(kind="mercator")), 430e3, 214e3, 40000, 1200)):
        plans = [plan_captures(film, REACH, budget=budget) for budget in (1, 20, 100, 500, 1500)]
        assert all(
            plan.tiles <= budget for plan, budget in zip(plans, (1, 20, 100, 500, 1500), strict=True) if budget > 8
        )
        densities = [plan.density for plan in plans]
        assert densities == sorted(densities)
        assert [plan.left for plan in plans] == sorted((plan.left for plan in plans), reverse=True)
        assert plans[1].density < 0.5
        assert plans[1].left > 0.5
        assert len({plan.whole for plan in plans}) == 1
        # However coarse, what was bare is bare no more.
        assert not [one for one in soundings_of(captured(film, plans[2])) if one.kind == "bare"]


def test_a_plan_for_a_place_is_a_ladder_centred_on_it() -> None:
    film = descent(Film(ground=Ground(kind="mercator")), 430e3, 214e3, 40000, 1200)
    plan = plan_captures(film, REACH, margin=10)
    zooms = [one.zoom for one in plan.plates]
    assert zooms == sorted(zooms)
    assert len(plan.plates) >= 3
    assert plan.left == 0
    for one in plan.plates:
        west, south, east, north = one.box
        side = units_per_pixel(one.zoom) * 256
        assert abs((west + east) / 2 - 430e3) <= side
        assert abs((south + north) / 2 - 214e3) <= side
        assert one.tiles == one.columns * one.rows
    assert plan.tiles <= 1500
    # Laid, they carry the whole descent.
    assert not [finding for finding in soundings_of(captured(film, plan)) if finding.kind in ("bare", "soft")]


def test_heights_are_planned_as_one_plate_though_pictures_carry_all_of_it() -> None:
    film = descent(Film(ground=Ground(kind="mercator")), 430e3, 214e3, 40000, 1200)
    film = captured(film, plan_captures(film, REACH))
    assert not plan_captures(film, REACH).plates
    heights = REACH.model_copy(update={"holds": "heights", "most": 13})
    (one,) = plan_captures(film, heights).plates
    west, south, east, north = one.box
    assert one.zoom == 13
    assert west < 410e3
    assert east > 450e3
    assert north - south > 40000 * 9 / 16
    # Within a budget they are as fine as it allows, and still one plate.
    (less,) = plan_captures(film, heights, budget=20).plates
    assert less.tiles <= 20
    assert less.zoom < 13
    # No more of them than are kept, however wide the film begins.
    wide = descent(Film(ground=Ground(kind="mercator")), 0, 0, 3e6, 1200)
    (most,) = plan_captures(
        wide, SurveyReach(least=0, most=15, tile=256, box=(-2e7, -2e7, 2e7, 2e7), holds="heights")
    ).plates
    assert 2048 < max(most.size) < 2 * 4096
    # Once they are there, nothing is missing any more; light by night is another matter.
    (laid,) = captured(Film(ground=film.ground), plan_captures(film, heights)).plates
    film.plates.append(laid.model_copy(update={"role": "heights"}))
    assert not plan_captures(film, heights.model_copy(update={"most": 11})).plates
    assert plan_captures(film, REACH.model_copy(update={"holds": "lights", "most": 12})).plates


def test_a_remedy_captures_what_its_own_stretch_lacks(post: Film) -> None:
    soft = next(finding for finding in soundings_of(post) if finding.kind == "soft" and finding.grave)
    plan = plan_captures(post, REACH, budget=20000, stretch=(soft.first, soft.last))
    assert plan.whole < plan_captures(post, REACH, budget=20000).whole / 3
    assert all(soft.first <= one.first and one.last <= soft.last for one in plan.plates)
    after = soundings_of(captured(post, plan))
    assert not [one for one in after if one.grave and one.first <= soft.frame <= one.last]


def test_on_a_plain_ground_the_remedy_is_a_picture_to_lay() -> None:
    film = Film(plates=[plate("Mush", 0, 0, 10, (4000, 4000))], vantages=[rest(0, 0, 9600)])
    (soft,) = [finding for finding in soundings_of(film) if finding.kind == "soft"]
    assert soft.remedy.kind == "lay"


def test_what_the_survey_cannot_give_is_said() -> None:
    film = descent(Film(ground=Ground(kind="mercator")), 430e3, 214e3, 40000, 100)
    assert plan_captures(film, REACH).left > 0.1
    with pytest.raises(BadEdit, match="georeferenced"):
        plan_captures(Film(vantages=[rest(0, 0, 100)]), REACH)


def test_checks_keep_pace(post: Film) -> None:
    soundings_of(post)
    # The goal is 1,500 frames in two seconds; a busy machine gets some slack.
    assert quickest(lambda: soundings_of(post), runs=3) / len(budget_of(post).frames) * 1500 < 4


def test_a_plate_that_lets_a_little_through_everywhere_is_told_of() -> None:
    film = Film(plates=[plate("Thin", 0, 0, 1, (4000, 4000))], vantages=[rest(0, 0, 1920)])
    film.plates[0].opacity = 0.99
    (bare,) = [finding for finding in soundings_of(film) if finding.kind == "bare"]
    assert bare.figure == pytest.approx(0.01, rel=1e-3)
    assert bare.remedy
