"""Peaks without starting values: number, numbers and their ±, on every background, and what they leave in doubt."""

import json
import math
from pathlib import Path

import numpy as np
import pytest
from scipy import stats

from vettore import core
from vettore.core.errors import Fault
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.peaks.backgrounds import plain
from vettore.core.peaks.one_more import peak_more
from vettore.core.peaks.search import of_count
from vettore.core.peaks.shapes import FWHM, SHAPES
from vettore.core.peaks.trace import PeakTrace
from vettore.core.remarks import RemarkKind

REFERENCE = Path(__file__).parents[2] / "reference" / "nonlinear"
X = np.linspace(350, 650, 400)


def gaussian(x, place, width, height):
    return height * np.exp(-4 * math.log(2) * ((x - place) / width) ** 2)


def with_shoulder(noise=0.008, seed=1):
    y = gaussian(X, 430, 30, 1) + gaussian(X, 470, 30, 0.45) + gaussian(X, 560, 40, 0.7) + 0.05 + 1e-4 * (X - 350)
    return y + np.random.default_rng(seed).normal(0, noise, len(X))


@pytest.fixture(scope="module")
def shoulder():
    return core.fit_peaks(X, with_shoulder())


def kinds(answer):
    return [remark.kind for remark in answer.remarks]


def test_a_shoulder_and_its_neighbours_are_found_with_their_numbers(shoulder):
    """The number by itself; each number within four of its ±, which are as small as the rows allow."""
    assert shoulder.count == 3
    for peak, (place, width, height) in zip(
        shoulder.peaks, ((430, 30, 1), (470, 30, 0.45), (560, 40, 0.7)), strict=True
    ):
        area = height * width * math.sqrt(math.pi / math.log(2)) / 2
        for number, true in ((peak.place, place), (peak.height, height), (peak.width, width), (peak.area, area)):
            assert abs(number.value - true) < 4 * number.standard_error
            assert number.standard_error < 0.02 * number.value
            assert number.low < number.value < number.high
    assert [peak.number for peak in shoulder.peaks] == [1, 2, 3]
    assert sum(peak.share for peak in shoulder.peaks) == pytest.approx(1)
    first, second = shoulder.peaks[:2]
    apart = second.place.value - first.place.value
    assert first.resolution == pytest.approx(FWHM / 2 * apart / (first.width.value + second.width.value))
    assert first.signal_to_noise == pytest.approx(first.height.value / shoulder.fit.residual_sd)
    assert shoulder.peaks[-1].resolution is None
    assert shoulder.warnings == ()
    assert [candidate.count for candidate in shoulder.candidates] == [0, 1, 2, 3, 4, 5]
    assert shoulder.candidates[3].p < 1e-9 < shoulder.candidates[4].p


def test_components_and_background_add_up_to_the_curve(shoulder):
    at = np.linspace(360, 640, 9)
    assert shoulder.components(at).shape == (3, 9)
    assert shoulder.components(at).sum(axis=0) + shoulder.background(at) == pytest.approx(
        shoulder.curve(at), abs=1e-14
    )
    assert shoulder.residuals == pytest.approx(with_shoulder() - shoulder.curve(X), abs=1e-13)


def test_the_area_has_the_ground_in_its_error(shoulder):
    """± of an area by simulation of the whole, background and all."""
    rng, mu, drawn = np.random.default_rng(8), shoulder.curve(X), []
    start = {name: coefficient.value for name, coefficient in shoulder.fit.coefficients.items()}
    for _ in range(60):
        y = mu + rng.normal(0, shoulder.fit.residual_sd, len(X))
        again = core.fit(shoulder.fit.formula, {"x": X, "y": y}, start=start, thorough=False).coefficients
        drawn.append(again["height2"].value * again["width2"].value * math.sqrt(math.pi / math.log(2)) / 2)
    assert np.std(drawn) == pytest.approx(shoulder.peaks[1].area.standard_error, rel=0.3)


@pytest.mark.parametrize("name", ["Gauss1", "Gauss2"])
def test_certified_peaks_on_a_decay_from_no_start(name):
    """Nine digits and more, with the background typed as a formula."""
    known = json.loads((REFERENCE / f"{name}.json").read_text())
    answer = core.fit_peaks(known["data"]["x"], known["data"]["y"], background="b1*exp(-b2*x)")
    assert answer.count == 2
    b1, b2, *peaks = known["certified"]
    at = answer.fit.coefficients
    found = [at["b1"].value, at["b2"].value]
    for number in ("1", "2"):
        # Certified widths are those of exp(−(x − m)²/w²).
        found += [
            at[f"height{number}"].value,
            at[f"place{number}"].value,
            at[f"width{number}"].value / 2 / math.sqrt(math.log(2)),
        ]
    assert found == pytest.approx([b1, b2, *peaks], rel=1e-9)
    assert answer.fit.sum_of_squares == pytest.approx(known["residual_sum_of_squares"], rel=1e-9)


def test_random_spectra_end_at_the_squares_from_the_truth_with_the_right_number():
    """Shoulders down to 1.15 widths of standard deviations, on a slope: five made-up spectra of 2 to 6 peaks."""
    for seed in range(5):
        rng = np.random.default_rng(500 + seed)
        count, x = int(rng.integers(2, 7)), np.linspace(350, 650, 200)
        while True:
            s, m = rng.uniform(6, 14, count), np.sort(rng.uniform(370, 630, count))
            if (np.diff(m) > 1.15 * (s[:-1] + s[1:])).all():
                break
        h = 10 ** rng.uniform(-0.7, 0, count)
        y = sum(gaussian(x, *of) for of in zip(m, FWHM * s, h, strict=True)) + 0.03 + 1e-4 * (x - 350)
        y = y + rng.normal(0, 0.003, len(x))
        trace = PeakTrace(x, y, None, plain("slope", x).columns, SHAPES["gaussian"])
        best = trace.refine(np.column_stack([m, np.log(FWHM * s)]), 200, 1e-13)
        assert of_count(trace, trace.start(), count).squares <= 1.001 * best.squares
        assert core.fit_peaks(x, y).count == count


def test_a_range_ends_where_the_likelihood_says_so():
    """With a number held at the end of its range, the least squares have risen by the quantile squared."""
    x = np.linspace(0, 100, 200)
    y = gaussian(x, 40, 9, 1) + gaussian(x, 48, 8, 0.5) + 0.1 + np.random.default_rng(2).normal(0, 0.04, len(x))
    answer = core.fit_peaks(x, y, count=2, background="level")
    fit, peak = answer.fit, answer.peaks[1]
    start = {name: coefficient.value for name, coefficient in fit.coefficients.items()}
    allowed = stats.t.ppf(0.975, fit.degrees_of_freedom) ** 2 * fit.sum_of_squares / fit.degrees_of_freedom
    for name, number in (("width2", peak.width), ("place2", peak.place), ("height2", peak.height)):
        for end in (number.low, number.high):
            others = {other: value for other, value in start.items() if other != name}
            held = core.fit(fit.formula, {"x": x, "y": y}, hold={name: end}, start=others)
            assert held.sum_of_squares - fit.sum_of_squares == pytest.approx(allowed, rel=0.03)
    reach = peak.area.high - peak.area.value, peak.area.value - peak.area.low
    assert max(reach) > 1.03 * min(reach)


@pytest.mark.parametrize("key", ["lorentzian", "mixed", "voigt", "tailed", "split", "log-normal", "1/(1 + u^4)"])
def test_every_shape_is_found_again(key):
    from vettore.core.peaks.numbers import numbers_of
    from vettore.core.peaks.shapes import shape_of

    shape, x = shape_of(key), np.linspace(0, 100, 250)
    beside = {"share": 0.4, "tail": 1.2, "lean": 0.3, "skew": 0.4}
    extras = [beside[extra.name] for extra in shape.extras]
    truth = [[1.0, 30.0, 8.0, *extras], [0.7, 62.0, 9.0, *extras]]
    y = 0.1 + sum(of[0] * shape.unit((x - of[1]) / of[2], *extras) for of in truth)
    answer = core.fit_peaks(x, y + np.random.default_rng(3).normal(0, 0.004, len(x)), key, background="level")
    assert answer.count == 2
    for peak, of in zip(answer.peaks, truth, strict=True):
        for number, true in zip((peak.place, peak.height, peak.width, peak.area), numbers_of(shape, of), strict=True):
            assert abs(number.value - true) < 4.5 * number.standard_error
    assert answer.shape is shape or answer.shape.key == key


def test_backgrounds_of_every_kind():
    """None, a parabola, a smooth one that bends twice: two peaks on each, none of them made up for by another."""
    rng, t = np.random.default_rng(4), (X - 500) / 150
    bare = gaussian(X, 430, 16, 1) + gaussian(X, 540, 20, 0.6) + rng.normal(0, 0.01, len(X))
    for kind, ground in (
        ("none", 0 * t),
        ("parabola", 0.3 + 0.2 * t - 0.3 * t * t),
        ("smooth", 0.5 + 0.25 * np.sin(3.2 * t)),
    ):
        answer = core.fit_peaks(X, bare + ground, background=kind)
        assert answer.count == 2
        assert np.abs(answer.background(X) - ground).max() < 0.02
        assert answer.peaks[0].area.value == pytest.approx(16 * math.sqrt(math.pi / math.log(2)) / 2, rel=0.02)


def test_counts_and_known_scatter_weigh_the_rows():
    rng = np.random.default_rng(5)
    mu = gaussian(X, 430, 30, 200) + gaussian(X, 470, 30, 90) + 12
    counts = rng.poisson(mu)
    answer = core.fit_peaks(X, counts, background="level", noise="poisson")
    assert (answer.count, answer.fit.noise) == (2, "poisson")
    assert answer.peaks[1].place.value == pytest.approx(470, abs=3)
    known = core.fit_peaks(X, with_shoulder(), sigma=np.full(len(X), 0.008), absolute_sigma=True)
    assert known.count == 3
    assert known.fit.reduced_chi_squared == pytest.approx(1, abs=0.3)


def test_widths_places_and_signs_can_be_asked_for():
    """One width for all; limits that hold; a search begun at places; peaks that point down."""
    y = gaussian(X, 430, 20, 1) + gaussian(X, 460, 20, 0.6) + np.random.default_rng(6).normal(0, 0.01, len(X))
    equal = core.fit_peaks(X, y, equal_widths=True)
    assert [peak.width.value for peak in equal.peaks] == [equal.fit.coefficients["width"].value] * 2
    limited = core.fit_peaks(X, y, count=1, limits={"place": (445, 480)})
    assert 445 <= limited.fit.coefficients["place1"].value <= 480
    assert core.fit_peaks(X, y, places=[431, 459]).count == 2
    down = core.fit_peaks(X, -y, negative=True)
    assert [round(peak.height.value, 1) for peak in down.peaks] == [-1.0, -0.6]
    assert down.peaks[0].area.high < 0


def test_the_same_rows_in_another_order_give_the_same_peaks(shoulder):
    order = np.random.default_rng(7).permutation(len(X))
    again = core.fit_peaks(X[order], with_shoulder()[order])
    assert [peak.area.value for peak in again.peaks] == pytest.approx(
        [peak.area.value for peak in shoulder.peaks], rel=1e-9
    )


def test_what_the_rows_leave_open_is_said():
    """A cut top, a top at the end of the rows, two that are hardly told apart."""
    cut = np.minimum(gaussian(X, 430, 40, 1) + gaussian(X, 540, 30, 0.5), 0.8)
    answer = core.fit_peaks(X, cut + 0.001 * np.sin(7 * X) * (cut < 0.8), count=2)
    (remark,) = [remark for remark in answer.remarks if remark.kind is RemarkKind.CEILING]
    assert remark.names[2] == "0.8"
    noise = np.random.default_rng(9).normal(0, 0.02, len(X))
    edge = core.fit_peaks(X, gaussian(X, 648, 30, 1) + noise, count=1)
    assert RemarkKind.PEAK_AT_EDGE in kinds(edge)
    near = core.fit_peaks(X, gaussian(X, 480, 40, 1) + gaussian(X, 497, 40, 0.8) + noise, count=2)
    assert RemarkKind.PEAK_NOT_APART in kinds(near)


@pytest.mark.parametrize(
    ("given", "code"),
    [
        ({"shape": "triangle"}, Fault.NO_SUCH_CHOICE),
        ({"background": "wavy"}, Fault.NO_SUCH_CHOICE),
        ({"background": "y = a + b*x"}, Fault.FORMULA_NAME),
        ({"background": "3*x"}, Fault.WRONG_KIND),
        ({"background": "height1*exp(-k*x)"}, Fault.CONFLICT),
        ({"count": 0}, Fault.OUT_OF_BOUNDS),
        ({"count": 2.5}, Fault.OUT_OF_BOUNDS),
        ({"limits": {"area": (0, 1)}}, Fault.NO_SUCH_NAME),
        ({"limits": {"width": (5, 2)}}, Fault.OUT_OF_BOUNDS),
        ({"noise": "pink"}, Fault.NO_SUCH_CHOICE),
        ({"level": 95}, Fault.OUT_OF_BOUNDS),
    ],
)
def test_what_cannot_be_is_refused_in_a_sentence(given, code):
    with pytest.raises(core.VettoreError) as refused:
        core.fit_peaks(X[::4], with_shoulder()[::4], **{"count": 2, **given})
    assert refused.value.code is code
    assert str(refused.value)[0].isupper() or str(refused.value)[0] in "“hny"


def test_rows_without_a_peak_are_refused_and_few_rows_too():
    rng = np.random.default_rng(11)
    with pytest.raises(core.DataError) as refused:
        core.fit_peaks(X, rng.normal(size=len(X)))
    assert refused.value.code is Fault.NOT_TOLD
    with pytest.raises(core.DataError, match="at least 6 rows"):
        core.fit_peaks(X[:5], X[:5])


def test_peaks_tell_themselves_in_a_line_a_table_and_a_dict(shoulder):
    assert repr(shoulder).startswith("<PeaksFit: 3 Gaussian peaks at 4")
    told = json.loads(json.dumps(shoulder.to_dict(), allow_nan=False))
    assert [peak["area"]["value"] for peak in told["peaks"]] == [peak.area.value for peak in shoulder.peaks]
    assert told["background"] == "a + b*x"
    frame = shoulder.to_frame()
    assert list(frame["place"]) == [peak.place.value for peak in shoulder.peaks]


def test_a_doublet_keeps_its_distance_and_ratio_and_its_numbers_carry_the_errors_over():
    """What follows from others is no coefficient, and its ± is theirs, scaled."""
    y = gaussian(X, 430, 30, 1) + gaussian(X, 445, 30, 0.5) + 0.05 + np.random.default_rng(3).normal(0, 0.01, len(X))
    links = {"place2": "place1 + 15", "width2": "width1", "height2": "height1/2"}
    first, second = core.fit_peaks(X, y, count=2, background="level", links=links).peaks
    assert second.place.value == first.place.value + 15
    assert second.place.standard_error == first.place.standard_error
    assert second.area.value == pytest.approx(first.area.value / 2, rel=1e-12)
    assert second.area.standard_error == pytest.approx(first.area.standard_error / 2, rel=1e-9)
    assert set(first.coefficients) == {"height1", "place1", "width1"}
    assert not second.coefficients
    assert abs(first.place.value - 430) < 4 * first.place.standard_error
    free = core.fit_peaks(X, y, count=2, background="level").peaks
    assert first.place.standard_error < free[0].place.standard_error


def test_a_place_that_is_held_stays_and_others_move(shoulder):
    held = core.fit_peaks(X, with_shoulder(), hold={"place2": 472.0})
    assert held.peaks[1].place.value == 472.0
    assert held.peaks[1].place.standard_error is None
    assert held.fit.sum_of_squares > shoulder.fit.sum_of_squares
    limited = core.fit_peaks(X, with_shoulder(), limits={"width2": (10.0, 25.0)})
    assert limited.fit.coefficients["width2"].at_limit


@pytest.mark.parametrize(
    ("decided", "code"),
    [
        ({"hold": {"place7": 1.0}}, Fault.NO_SUCH_NAME),
        ({"links": {"place2": "place9 + 1"}}, Fault.NO_SUCH_NAME),
        ({"links": {"place2": "place1 + 1", "place1": "place2 - 1"}}, Fault.CONFLICT),
        ({"limits": {"place": (400.0, None)}}, Fault.MISSING),
    ],
)
def test_what_is_decided_of_no_coefficient_is_refused(decided, code):
    with pytest.raises(core.VettoreError) as refusal:
        core.fit_peaks(X, with_shoulder(), **decided)
    assert refusal.value.code is code


def test_columns_go_by_their_names_in_the_formula():
    """A name that is also that of a coefficient makes the coefficient step aside."""
    answer = core.fit_peaks(X, with_shoulder(), names=("place1", "A of 1"))
    assert answer.fit.formula.startswith("`A of 1` = height1*exp(-4*ln(2)*((place1 - place1_0)/width1)^2)")
    assert answer.peaks[0].place.value == core.fit_peaks(X, with_shoulder()).peaks[0].place.value
    assert answer.background(500.0) == pytest.approx(0.065, abs=0.01)


def test_where_one_more_would_help_is_told_with_what_chance_does(shoulder):
    fewer = peak_more(core.fit_peaks(X, with_shoulder(), count=2))
    assert fewer is not None
    assert fewer.is_told
    assert fewer.gain > 0.9
    assert min(abs(fewer.place - place) for place in (430, 470, 560)) < 2
    more = peak_more(shoulder)
    assert more is not None
    assert not more.is_told
    assert 0 < more.gain < 0.1


def test_expected_peaks_keep_their_numbers_and_what_is_gone_or_new_is_said():
    """Peak 2 of three is gone, another stands farther on: numbers of the others stay, so that readings do."""
    y = gaussian(X, 432, 30, 1) + gaussian(X, 558, 40, 0.7) + gaussian(X, 610, 20, 0.3) + 0.05
    y = y + np.random.default_rng(4).normal(0, 0.008, len(X))
    answer = core.fit_peaks(X, y, expected=((430.0, 30.0), (490.0, 30.0), (560.0, 40.0)))
    assert [(peak.number, round(peak.place.value)) for peak in answer.peaks] == [(1, 432), (3, 558), (4, 610)]
    assert "place3" in answer.peaks[1].coefficients
    assert kinds(answer) == [RemarkKind.PEAK_GONE, RemarkKind.PEAK_NEW]
    assert answer.warnings[0] == "Peak 2 is gone: there is none within its width of 490."


def test_many_narrow_peaks_are_found_though_the_first_that_is_tried_is_their_sum():
    """Peaks so dense that one broad one takes most of them at first; it is no end of the search."""
    rng = np.random.default_rng(3)
    x = np.linspace(0, 300, 320)
    places = np.linspace(20, 280, 14) + rng.uniform(-3, 3, 14)
    y = sum(gaussian(x, place, rng.uniform(9, 12), 10 ** rng.uniform(-0.7, 0)) for place in places)
    answer = core.fit_peaks(x, y + 0.05 + rng.normal(0, 0.02, len(x)), most=16)
    assert answer.count == 14
    assert np.abs([peak.place.value for peak in answer.peaks] - places).max() < 1
    assert all(peak.width.value < 20 for peak in answer.peaks)


@pytest.mark.parametrize("key", ["two-peaks", "three-peaks"])
def test_the_models_of_several_peaks_begin_where_the_search_has_them(key):
    """A shoulder that the models' own estimates take for the flank of its neighbour."""
    count = 2 if key == "two-peaks" else 3
    y = sum(gaussian(X, place, 34, height) for place, height in ((430, 0.9), (462, 0.4), (560, 0.3))[:count])
    y = y + 0.03 + np.random.default_rng(6).normal(0, 0.004, len(X))
    least = core.fit_peaks(X, y, count=count, background="level").fit.sum_of_squares
    assert core.fit(CATALOGUE[key], {"x": X, "y": y}).sum_of_squares == pytest.approx(least, rel=1e-9)
