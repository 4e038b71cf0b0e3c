"""What lies outside the data says so wherever it is read: in the window, the report, tables and pasted text."""

import numpy as np
import pytest

from vettore.core.rounding import NumberStyle
from vettore.study import edits, edits_of_curves
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.kept_numbers import kept_numbers
from vettore.study.kinds.readings import PlaceReading, SlopeReading, ValueReading, read
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.areas import between_lines
from vettore.words.readings import present_lines, reading_line

STYLE = NumberStyle()


@pytest.fixture
def study():
    x = np.linspace(1, 10, 19)
    y = 2 + 3 * x + 0.1 * np.sin(7 * x)
    made = edits.add_series(
        Study(), Table((RawColumn("x", "s", x), RawColumn("y", "m", y)), Source("made.csv")), "made"
    )
    return edits.add_fit(made, "s1", 1)


@pytest.mark.parametrize(
    ("asked", "beyond"),
    [
        (ValueReading(at=5.0), False),
        (ValueReading(at=10.0), False),
        (ValueReading(at=10.5), True),
        (ValueReading(at=0.5), True),
        (SlopeReading(at=11.0), True),
        (SlopeReading(at=9.0), False),
        (PlaceReading(at=20.0), False),
        (PlaceReading(at=35.0), True),
    ],
)
def test_a_reading_outside_the_data_is_extrapolated(study, asked, beyond):
    fit = derive_fit(study, study.curves[0].id)
    reading = read(fit, asked)
    assert reading_line(fit, reading, STYLE).text.endswith(" (extrapolated)") == beyond
    assert [text.endswith(" (extrapolated)") for _, text in present_lines(fit, [reading], STYLE)] == [beyond]
    kept = edits.keep(study, asked.changed(curve=study.curves[0].id, name="asked"))
    again = derive_reading(kept, kept.readings[0])
    assert again.beyond == beyond
    reasons = [one.reason for one in kept_numbers(kept, kept.series[0]) if one.number.startswith("asked")]
    assert all((reason == "beyond the data") == beyond for reason in reasons)
    assert reasons


def test_a_value_between_points_that_is_not_between_them_says_so(study):
    recipe = study.interpolant_of("s1").changed(read_at=(0.5, 5.0, 12.0), outside="linear")
    study = edits_of_curves.set_interpolant(study, recipe)
    lines = between_lines(study, study.series[0], STYLE)
    assert [", beyond the points)" in line.label for line in lines] == [True, False, True]
    told = [one.reason for one in kept_numbers(study, study.series[0]) if one.part == "between points"]
    assert told == ["beyond the points", "", "beyond the points"]


def test_fits_of_one_name_are_told_apart_by_their_numbers(study):
    """Their coefficients would overwrite each other in a table by names."""
    study = edits.add_fit(edits.add_fit(study, "s1", 1), "s1", 2)
    parts = [one.part for one in kept_numbers(study, study.series[0]) if one.number == "R²"]
    assert len(set(parts)) == 3
    assert parts[1].startswith(parts[0])
    assert not parts[2].startswith(parts[0])
