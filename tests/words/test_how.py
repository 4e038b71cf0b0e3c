"""How a fit is made, what was found in data, and readings in short: the sentences, word for word."""

import numpy as np
import pytest

from vettore.core.columns.inspection import what_to_look_at
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle
from vettore.study import edits
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.inspect import findings_of
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.kinds.readings import PlaceReading, ValueReading
from vettore.study.series import ErrorKind, ErrorOfY
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.findings import finding_sentence
from vettore.words.fits import how_in_words
from vettore.words.readings import present_lines

X, STYLE = np.arange(20.0), NumberStyle()


def study_of(y, names=("t", "v"), more=()):
    columns = (RawColumn(names[0], "s", X[: len(y)]), RawColumn(names[1], "mV", np.asarray(y, float)), *more)
    return edits.add_series(Study(title="how"), Table(columns, Source("made")), "how")


@pytest.mark.parametrize(
    ("fields", "error", "words"),
    [
        ({}, None, "All 20 rows, equal weights, ordinary least squares."),
        ({"intercept": False}, None, "All 20 rows, equal weights, ordinary least squares, through the origin."),
        ({"span": (2.0, 7.5)}, None, "Rows with t from 2 to 7.5, equal weights, ordinary least squares."),
        (
            {"use_errors": True},
            ErrorOfY(ErrorKind.CONSTANT, 0.5),
            "All 20 rows, weights from ± 0.5, relative, ordinary least squares.",
        ),
        (
            {"use_errors": True, "errors_known": True},
            ErrorOfY(ErrorKind.PERCENT, 3.0),
            "All 20 rows, weights from ± 3 %, known, ordinary least squares.",
        ),
    ],
)
def test_how_a_polynomial_is_fitted(fields, error, words):
    """Rows, weights, loss, origin and span, each where it was decided."""
    study = study_of(2 * X + 1)
    if error is not None:
        study = edits.set_error_of_y(study, "s1", error)
    recipe = PolynomialFit(**{"series": "s1", "degree": 1, **fields})
    assert how_in_words(study.series[0], recipe, STYLE) == words


def test_how_a_formula_is_fitted():
    """What is held and what has limits is named; rows set aside are not among all."""
    study = edits.set_rows_aside(study_of(2 * X + 1), "s1", [3, 4], "ice")
    recipe = FormulaFit(
        series="s1", formula="v = a + b*t", hold=(("a", 1.0),), limits=(("b", 0.0, None),), loss="huber"
    )
    words = "The 18 rows in use, equal weights, forgiving of outliers (Huber). a held. b within limits."
    assert how_in_words(study.series[0], recipe, STYLE) == words
    single = study_of([1.0])
    assert how_in_words(single.series[0], recipe, STYLE).startswith("The 1 row in use")


def test_rows_far_off_and_saturation_are_said():
    """One row and two rows; the largest and the smallest."""
    y = np.sin(X / 3)
    for rows, words in (((9,), "Row 10 is far from its neighbours ("), ((4, 14), "Rows 5 and 15 are far from their")):
        moved = y.copy()
        moved[list(rows)] += 3
        study = study_of(moved)
        findings = what_to_look_at(X, moved, np.ones(20, bool))
        said = [finding_sentence(finding, study.series[0], STYLE) for finding in findings]
        if len(rows) == 1:
            assert any(sentence.startswith(words) for sentence in said)
    low = np.maximum(y, -0.5)
    (finding,) = what_to_look_at(X, low, np.ones(20, bool))
    sentence = finding_sentence(finding, study_of(low).series[0], STYLE)
    assert sentence == f"{len(finding.rows)} rows have the smallest v, −0.5: was the instrument at its limit?"


def test_present_readings_have_a_line_for_every_answer_and_short_names():
    """Two crossings of a parabola are two lines; only the first says what was asked; long names are x and y."""
    long = "absorbance of the extract"
    study = edits.add_fit(study_of((X - 10) ** 2, names=("wavelength of the reading", long)), "s1", 2)
    curve = study.curves[0].id
    fit = derive_fit(study, curve)
    readings = [
        derive_reading(study, PlaceReading(curve=curve, at=25.0)),
        derive_reading(study, ValueReading(curve=curve, at=12.0)),
    ]
    lines = present_lines(fit, readings, STYLE)
    assert [line[0] for line in lines] == ["x where y = 25 mV", "", "y at x = 12 s"]
    assert lines[0][1].startswith("5.0000")
    assert lines[1][1].startswith("15.000")


def test_one_is_one():
    """Words for counts."""
    assert (counted(1, "row"), counted(0, "row"), counted(12, "row")) == ("1 row", "0 rows", "12 rows")
    assert (counted(1, "series", "series"), counted(2, "series", "series")) == ("1 series", "2 series")


def test_blanks_say_what_follows_from_them():
    """A blank in y leaves a row out of every fit; one in a column that is carried along is used by no curve."""
    y, carried = 2 * X + 1, X.copy()
    y[3], carried[5] = np.nan, np.nan
    series = study_of(y, more=(RawColumn("lux", "", carried),)).series[0]
    said = [finding_sentence(finding, series, STYLE) for finding in findings_of(series)]
    assert said[:2] == [
        "No number in v: row 4 (left out of every fit).",
        "No number in lux: row 6 (not used by any curve).",
    ]


def test_many_gaps_are_counted_and_the_first_are_named():
    """Three are named; of more, how many there are beside them."""
    for ends, more in (((3, 9, 15), ""), ((3, 9, 15, 21, 27), " and 2 more")):
        t = np.array([float(i) for i in range(40) if i not in {j for end in ends for j in (end, end + 1)}])
        columns = (RawColumn("t", "s", t), RawColumn("v", "mV", 2 * t))
        series = edits.add_series(Study(title="gaps"), Table(columns, Source("made")), "gaps").series[0]
        (said,) = [
            sentence for one in findings_of(series) if "gap" in (sentence := finding_sentence(one, series, STYLE))
        ]
        named = ", ".join(f"{end - 1} to {end + 2}" for end in ends[:3])
        assert said == f"t is regular (every 1) with {len(ends)} gaps: {named}{more}."
