"""Grade, vignette, grain and bars against colour-science and against what is known of them."""

from __future__ import annotations

from pathlib import Path

import colour
import cv2
import numpy as np
import pytest
from skimage.metrics import structural_similarity

from yaila.core.camera import FrameSize, Pose, View
from yaila.core.colour import decoded, encoded, oklab_from_linear
from yaila.core.colour.grading import _XYZ_OF_RGB, Grading, balance, graded, table_of
from yaila.core.colour.temperature import daylight
from yaila.core.errors import BadEdit
from yaila.core.film import Film
from yaila.core.film.finish import Finish
from yaila.core.picture.frame_finish import _noise, finished
from yaila.formats.cube import cube_text, read_cube

SIZE = FrameSize(480, 270)
FRAME = FrameSize(1920, 1080)


def finish(**effects: dict) -> Finish:
    return Finish.model_validate({name: {"on": True, **values} for name, values in effects.items()})


def view(size: FrameSize = FRAME, region: tuple[int, int, int, int] | None = None) -> View:
    return View.of(Pose(0, 0, 1000), size, size.width / FRAME.width, region)


def noise(size: FrameSize = SIZE, seed: int = 1) -> np.ndarray:
    pixels = np.random.default_rng(seed).integers(0, 256, (size.height, size.width, 4), np.uint8)
    pixels[..., 3] = 255
    return pixels


def even(value: int, size: FrameSize = FRAME) -> np.ndarray:
    pixels = np.full((size.height, size.width, 4), value, np.uint8)
    pixels[..., 3] = 255
    return pixels


def test_a_grade_of_nothing_leaves_every_colour_as_it_is() -> None:
    pixels = noise()
    assert finished(pixels, finish(grade={}), view(SIZE), 0) is pixels
    assert finished(pixels, Finish(), view(SIZE), 0) is pixels
    rgb = np.random.default_rng(2).random((500, 3))
    assert np.abs(graded(rgb, Grading()) - rgb).max() < 1e-6
    # Through the table too, to 1 of 255.
    table = finish(grade={"pivot": 0.3, "exposure": 1e-9})
    assert np.abs(finished(pixels, table, view(SIZE), 0).astype(int) - pixels).max() <= 1


GRADE = {
    "exposure": 0.3,
    "warmth": 30,
    "contrast": 35,
    "saturation": 20,
    "shadows_by": 0.3,
    "lights_by": 0.3,
    "hue": 20,
}


def test_the_table_is_read_as_colour_science_reads_it() -> None:
    pixels, made = noise(), finish(grade=GRADE)
    table = table_of(made.grade.grading)
    wanted = colour.algebra.table_interpolation_tetrahedral(pixels[..., :3] / 255, table)
    got = finished(pixels, made, view(SIZE), 0)[..., :3]
    # The table holds blue in 10 bits, the others in 11: to an eighth of a code.
    assert np.abs(got - wanted * 255).max() <= 0.51 + 0.125
    # And it is near to what it was made of, but where colours are clipped.
    exact = graded(pixels[..., :3] / 255, made.grade.grading) * 255
    kept = ((exact > 2) & (exact < 253)).all(axis=-1)
    assert kept.mean() > 0.2
    assert np.quantile(np.abs(got - exact)[kept], 0.95) < 1.0


def test_a_grade_is_given_out_as_a_file_that_others_read(tmp_path: Path) -> None:
    table = table_of(finish(grade=GRADE).grade.grading)
    file = tmp_path / "grade.cube"
    file.write_text(cube_text(table, 'The "Night" Post'))
    read = colour.read_LUT(str(file))
    assert read.size == 33
    assert np.abs(read.table - table).max() < 1e-6


def test_white_balance_is_bradfords() -> None:
    for warmth in (40, -30):
        whites = [_XYZ_OF_RGB @ daylight(kelvin) for kelvin in (6504, 1e6 / (1e6 / 6504 + warmth))]
        adapts = colour.adaptation.matrix_chromatic_adaptation_VonKries(*whites, transform="Bradford")
        wanted = np.linalg.inv(_XYZ_OF_RGB) @ adapts @ _XYZ_OF_RGB
        assert balance(warmth, 0) == pytest.approx(wanted, abs=2e-3)
    warm, cool = (graded(np.array([0.5, 0.5, 0.5]), Grading(warmth=by)) for by in (60, -60))
    assert warm[0] > warm[1] > warm[2]
    assert cool[0] < cool[1] < cool[2]
    green, magenta = (graded(np.array([0.5, 0.5, 0.5]), Grading(tint=by)) for by in (-50, 50))
    assert green[1] > green[0]
    assert magenta[1] < magenta[0]


def test_each_number_does_what_it_says() -> None:
    grey = np.array([[0.2, 0.2, 0.2], [0.45, 0.45, 0.45], [0.8, 0.8, 0.8]])
    # A stop is twice the light.
    assert decoded(graded(grey[:2], Grading(exposure=1))) == pytest.approx(2 * decoded(grey[:2]), rel=1e-6)
    # Contrast leaves the pivot, black and white, and makes the rest steeper.
    more = graded(grey, Grading(contrast=50))[:, 0]
    assert more[0] < 0.2
    assert more[1] == pytest.approx(0.45, abs=1e-6)
    assert more[2] > 0.8
    ends = graded(np.array([[0.0] * 3, [1.0] * 3]), Grading(contrast=50))
    assert ends == pytest.approx(np.array([[0.0] * 3, [1.0] * 3]), abs=1e-6)
    steep = graded(np.array([[0.445] * 3, [0.455] * 3]), Grading(contrast=50))[:, 0]
    assert (steep[1] - steep[0]) / 0.01 == pytest.approx(1.5, rel=0.03)
    assert graded(np.array([0.1, 0.1, 0.1]), Grading(black=0.1)) == pytest.approx([0, 0, 0], abs=1e-6)
    # Saturation, hue and vibrance in Oklab.
    blue = np.array([0.25, 0.35, 0.6])
    lab = oklab_from_linear(decoded(blue))
    gone = oklab_from_linear(decoded(graded(blue, Grading(saturation=-100))))
    assert gone == pytest.approx([lab[0], 0, 0], abs=1e-4)
    turned = oklab_from_linear(decoded(graded(blue, Grading(hue=40))))
    assert np.degrees(np.arctan2(turned[2], turned[1]) - np.arctan2(lab[2], lab[1])) % 360 == pytest.approx(40, abs=0.5)
    pale, vivid = np.array([0.5, 0.52, 0.55]), np.array([0.1, 0.2, 0.9])

    def grown(one: np.ndarray) -> float:
        before, after = (oklab_from_linear(decoded(c)) for c in (one, graded(one, Grading(vibrance=60))))
        return float(np.hypot(*after[1:]) / np.hypot(*before[1:]))

    assert grown(pale) > 1.4
    assert grown(vivid) < 1.1
    # Tints of shadows do not touch lights, nor the other way round.
    tinted = graded(grey, Grading(shadows=(0.1, 0.2, 0.6), shadows_by=1))
    assert tinted[0, 2] - tinted[0, 0] > 4 * (tinted[2, 2] - tinted[2, 0])
    # Black and white, in the luminance of ITU-R BT.709, with a tint.
    plain = graded(blue, Grading(grey=1))
    assert plain == pytest.approx([encoded(decoded(blue) @ [0.2126, 0.7152, 0.0722])] * 3, abs=1e-4)
    sepia = graded(blue, Grading(grey=1, grey_tint=(1.0, 0.85, 0.6)))
    assert sepia == pytest.approx(plain * [1.0, 0.85, 0.6], abs=1e-4)


def test_a_curve_goes_through_its_points_and_never_back() -> None:
    """Monotone between points, as Fritsch and Carlson's; each channel by its own."""
    points = ((0.0, 0.05), (0.3, 0.2), (0.6, 0.75), (1.0, 0.95))
    values = np.linspace(0, 1, 400)
    made = graded(np.column_stack([values] * 3), Grading(curve=points))
    assert (np.diff(made[:, 0]) >= -1e-9).all()
    at = graded(np.array([[x] * 3 for x, _ in points]), Grading(curve=points))[:, 0]
    assert at == pytest.approx([y for _, y in points], abs=1e-6)
    red = graded(np.array([[0.5, 0.5, 0.5]]), Grading(curve_red=((0.0, 0.0), (0.5, 0.7), (1.0, 1.0))))[0]
    assert red == pytest.approx([0.7, 0.5, 0.5], abs=1e-6)
    half = graded(np.array([[0.5] * 3]), Grading(curve_red=((0.0, 0.0), (0.5, 0.7), (1.0, 1.0)), curves_by=0.5))[0]
    assert half[0] == pytest.approx(0.6, abs=1e-6)
    back = [[{"x": 0.5, "y": 0}, {"x": 0.4, "y": 1}], [{"x": 0.2, "y": 0}], [{"x": 0.2, "y": 0}, {"x": 0.2, "y": 1}]]
    for wrong in back:
        with pytest.raises(ValueError, match="curve"):
            finish(grade={"curve": wrong})


def test_saturation_by_hue_takes_that_hue_alone() -> None:
    red, cyan = np.array([0.7, 0.3, 0.3]), np.array([0.3, 0.7, 0.7])
    made = [graded(one, Grading(reds=-100)) for one in (red, cyan)]
    assert np.ptp(made[0]) < 0.3 * np.ptp(red)
    assert made[1] == pytest.approx(cyan, abs=0.01)
    # All of them together are plain saturation.
    every = dict.fromkeys(("reds", "yellows", "greens", "cyans", "blues", "magentas"), 30.0)
    some = np.random.default_rng(4).random((200, 3)) * 0.5 + 0.2
    assert graded(some, Grading(**every)) == pytest.approx(graded(some, Grading(saturation=30)), abs=1e-6)


def test_tables_of_others_are_read_as_colour_science_reads_them(tmp_path: Path) -> None:
    random = np.random.default_rng(6)
    table = np.clip(np.stack(np.meshgrid(*[np.linspace(0, 1, 17)] * 3, indexing="ij"), -1) ** 1.3 * 0.9 + 0.02, 0, 1)
    file = tmp_path / "other.cube"
    colour.write_LUT(colour.LUT3D(table, "Other", domain=np.array([[0, 0, 0], [1, 1, 1]])), str(file), decimals=10)
    cube = read_cube(file.read_bytes(), file.name, "k")
    some = random.random((500, 3))
    wanted = colour.read_LUT(str(file)).apply(some, interpolator=colour.algebra.table_interpolation_trilinear)
    assert cube.of(some) == pytest.approx(wanted, abs=1e-5)
    made = graded(some, Grading(cube=cube, table_by=0.5))
    assert made == pytest.approx((some + wanted) / 2, abs=1e-5)
    # One dimension too, and another domain.
    curve = tmp_path / "curve.cube"
    curve.write_text('TITLE "One"\nLUT_1D_SIZE 3\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\n0 0 0\n.5 .4 .3\n1 1 1\n')
    read = read_cube(curve.read_bytes(), curve.name, "k")
    assert read.of(np.array([[1.0, 1.0, 1.0], [2.0, 0.0, 0.5]])) == pytest.approx(
        np.array([[0.5, 0.4, 0.3], [1.0, 0.0, 0.15]]), abs=1e-5
    )
    # Given out and read back it is the same.
    again = read_cube(cube_text(cube.table, "x").encode(), "x.cube", "k")
    assert again.table == pytest.approx(cube.table, abs=1e-6)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "how large"),
        ("LUT_3D_SIZE 2\n0 0 0\n", "asks for 8"),
        ("LUT_3D_SIZE 130\n", "from 2 to 129"),
        ("LUT_3D_SIZE 1\n", "from 2 to 129"),
        ("LUT_3D_SIZE -2\n", "from 2 to 129"),
        ("LUT_1D_SIZE 2\n0 0 nan\n1 1 1\n", "line 2: a number is not finite"),
        ("LUT_1D_SIZE 2\n0 0\n1 1 1\n", "line 2: here should be three numbers"),
        ("LUT_1D_SIZE 2\nDOMAIN_MIN 1 1 1\n0 0 0\n1 1 1\n", "not below"),
        ("LUT_4D_SIZE 2\n", "not a word"),
        ("\x00\x01", "how large"),
    ],
)
def test_a_table_that_is_none_says_where_it_goes_wrong(text: str, says: str) -> None:
    with pytest.raises(BadEdit, match=says):
        read_cube(text.encode(), "bad.cube", "k")
    with pytest.raises(BadEdit, match="not a text file"):
        read_cube(b"\xff\xfe\x00", "bad.cube", "k")


@pytest.mark.thorough
def test_the_largest_table_that_others_write_is_read() -> None:
    rows = np.linspace(0, 1, 129**3)
    text = "LUT_3D_SIZE 129\n" + "\n".join(f"{v:.4f} {v:.4f} {v:.4f}" for v in rows.tolist())
    assert read_cube(text.encode(), "x.cube", "k").table.shape == (129, 129, 129, 3)


def test_a_vignette_leaves_the_middle_and_takes_the_corners() -> None:
    made = finished(even(150), finish(vignette={"by": 0.6, "soft": 0.8}), view(), 0)
    assert made[540, 960, 0] == 150
    corner = decoded(made[0, 0, 0] / 255) / decoded(150 / 255)
    assert corner == pytest.approx(0.4, abs=0.015)
    assert (np.diff(made[540, 960:, 0].astype(int)) <= 0).all()
    assert (made[:, ::-1] == made).all()


def test_grain_is_as_strong_and_as_wide_as_it_says_and_the_same_wherever_it_is_drawn() -> None:
    grain = {"strength": 4, "size": 4, "middle": 1, "coloured": 0}
    one, again = (finished(even(128), finish(grain=grain), view(), 7)[..., 1].astype(float) for _ in range(2))
    assert np.array_equal(one, again)
    assert one.std() == pytest.approx(0.04 * 255, rel=0.04)
    assert one.mean() == pytest.approx(128, abs=0.3)
    # The spectrum of a Gaussian: neighbours are alike by exp(-d^2 / size^2).
    away = one - one.mean()
    for step in (1, 2, 4):
        alike = float((away[:, step:] * away[:, :-step]).mean() / away.var())
        assert alike == pytest.approx(np.exp(-(step**2) / 16), abs=0.03)
    # In black and white there is none; the next frame has another.
    assert finished(even(0), finish(grain=grain), view(), 7)[..., :3].max() <= 1
    other = finished(even(128), finish(grain=grain), view(), 8)[..., 1].astype(float)
    assert abs(float((away * (other - other.mean())).mean())) < 0.05 * away.var()
    # A draft of half the size has the mean of the film's grains, which are not made anew for it.
    made = _noise.cache_info().misses
    small = finished(even(128, FrameSize(960, 540)), finish(grain=grain), view(FrameSize(960, 540)), 7)[..., 1]
    assert _noise.cache_info().misses == made
    halved = cv2.resize(one, (960, 540), interpolation=cv2.INTER_AREA)
    assert structural_similarity(halved, small.astype(float), data_range=60) > 0.9
    # A part of the frame has the grain of that part.
    part = finished(even(128, FrameSize(200, 100)), finish(grain=grain), view(FRAME, (300, 500, 200, 100)), 7)[..., 1]
    assert np.array_equal(part, one[500:600, 300:500])


def test_bars_are_as_high_as_they_should_be() -> None:
    share = finished(even(200), finish(bars={"share": 0.0625}), view(), 0)[:, 700, 0]
    # 67.5 rows: the half one by half.
    assert share[66] == 0
    assert share[67] == pytest.approx(100, abs=1)
    assert share[68] == 200
    assert np.array_equal(share, share[::-1])
    wide = finished(even(200), finish(bars={"by": "ratio", "ratio": 2.4}), view(), 0)
    assert ((wide[:, 0, 0] == 200).sum()) == 800
    tall = finished(even(200), finish(bars={"by": "ratio", "ratio": 1.0}), view(), 0)
    assert ((tall[0, :, 0] == 200).sum()) == 1080


def test_what_shines_through_stays_so() -> None:
    pixels = noise()
    pixels[..., 3] = 128
    pixels[..., :3] //= 2
    made = finished(pixels, finish(grade=GRADE, vignette={}, grain={}), view(SIZE), 0)
    assert (made[..., 3] == 128).all()
    assert (made[..., :3] <= 129).all()


@pytest.mark.parametrize("grade", [{"white": 0.55, "black": 0.45}, {"middle": 5, "contrast": 200}, {"exposure": -6}])
def test_grades_at_their_limits_give_a_clean_picture(grade: dict) -> None:
    made = finished(noise(), finish(grade=grade), view(SIZE), 0)
    assert made.shape == (*SIZE[::-1], 4)
    assert np.isfinite(table_of(finish(grade=grade).grade.grading)).all()


def test_a_film_knows_its_new_effects_and_they_may_change() -> None:
    stops = [{"id": f"s{k}", "value": value, "at": {"on": "film", "seconds": k}} for k, value in enumerate((0.0, 40.0))]
    film = Film.model_validate({"finish": {"grade": {"on": True, "contrast": {"stops": stops}}}})
    assert len(film.finish.grade.contrast.stops) == 2
    assert film.finish.without({"grade"}).grade.on is False
