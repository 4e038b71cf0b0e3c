"""Areas above floors of every kind, and under fitted curves."""

import numpy as np
import pytest

from tests.made import parabola_and_line
from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.study import edits, edits_of_curves
from vettore.study.areas import baseline_typed, derive_area
from vettore.study.derive import derive_fit
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import BetweenEnds, CurveOf, FormulaOfX, Level, PointsOf, Spans
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.table import RawColumn, Source, Table
from vettore.words.areas import baseline_words

X = np.linspace(0, 10, 41)


@pytest.fixture
def study():
    """y = x² and y = 2x as series s1, s2, a parabola fitted to the first."""
    return parabola_and_line(X)


@pytest.mark.parametrize(
    ("baseline", "wanted"),
    [
        (Level(), 1000 / 3),
        (Level(5.0), 1000 / 3 - 50),
        (BetweenEnds(), 1000 / 3 - 500),
        (PointsOf("s2"), 1000 / 3 - 100),
        (FormulaOfX("2*x"), 1000 / 3 - 100),
        (CurveOf("c3"), 0.0),
    ],
)
def test_baselines_of_every_kind(study, baseline, wanted):
    """Between two curves, above a level, a line, a formula, a fit; points and fitted curve agree."""
    study = edits_of_curves.set_interpolant(study, InterpolantRecipe("s2", "linear"))
    area = derive_area(study, study.series[0], AreaRecipe("s1", rule="simpson", baseline=baseline))
    assert area.area == pytest.approx(wanted, abs=1e-6)
    under = derive_area(study, study.series[0], AreaRecipe("s1", rule="fit", curve="c3", baseline=baseline))
    assert under.area == pytest.approx(wanted, abs=1e-6)
    assert under.strips.sum() == pytest.approx(under.area)
    assert baseline_words(study, baseline, NumberStyle())


def test_an_area_under_a_fit_has_the_error_of_its_coefficients(study):
    """As the curve itself tells it; reversed limits change the sign."""
    rng = np.random.default_rng(1)
    noisy = Table((RawColumn("x", "s", X), RawColumn("y", "m", X**2 + rng.normal(0, 1, 41))), Source("made"))
    study = edits.set_table(study, "s1", noisy)
    curve = derive_fit(study, "c3").result.curve
    one = derive_area(study, study.series[0], AreaRecipe("s1", 2.0, 8.0, "fit", curve="c3"))
    assert (one.area, one.standard_error) == (pytest.approx(curve.area(2, 8)), pytest.approx(curve.area_error(2, 8)))
    back = derive_area(study, study.series[0], AreaRecipe("s1", 8.0, 2.0, "fit", curve="c3"))
    assert back.area == pytest.approx(-one.area)


def test_baselines_as_people_type_them(study):
    """A level with a decimal comma, spans of base, a formula; anything else is refused in a sentence."""
    assert baseline_typed("0,5") == Level(0.5)
    assert baseline_typed("ends") == BetweenEnds()
    assert baseline_typed("0 .. 2; 8 to 10") == Spans(((0.0, 2.0), (8.0, 10.0)))
    assert baseline_typed("2*x + 1") == FormulaOfX("2*x + 1")
    spans = derive_area(study, study.series[1], AreaRecipe("s2", baseline=baseline_typed("0 .. 2; 8 … 10")))
    assert spans.area == pytest.approx(0.0, abs=1e-9)
    for wrong in ("2*k", "upper and lower", "1 .. a"):
        with pytest.raises(VettoreError):
            baseline_typed(wrong)
    with pytest.raises(VettoreError, match="s9"):
        derive_area(study, study.series[0], AreaRecipe("s1", baseline=PointsOf("s9")))
