"""The working of a curve adds up to the curve: its pieces, its banded system, its divided differences."""

import numpy as np
import pytest

from vettore.core.interpolation.interpolant import interpolate
from vettore.core.interpolation.working import divided_differences, pieces, working

X = np.array([0.0, 1.0, 2.5, 3.0, 4.5, 6.0])
Y = np.array([1.0, 2.0, 0.5, 0.7, 3.0, 2.5])


@pytest.mark.parametrize(
    "method", ["linear", "quadratic", "cubic", "natural", "clamped", "monotone", "local", "smoothing"]
)
def test_the_pieces_written_out_are_the_curve(method):
    """Summed up from the table, they give its values anywhere."""
    curve = interpolate(X, Y, method, end_slopes=(1.0, -1.0))
    part = pieces(curve)
    powers = ["1", "u", "u²", "u³"]
    for x in np.linspace(0.01, 5.99, 40):
        row = next(row for row in part.rows if row[0] <= x <= row[1])
        value = sum(
            c * (x - row[0]) ** powers.index(name) for c, name in zip(row[2:], part.headings[2:], strict=True)
        )
        assert value == pytest.approx(float(curve(x)), abs=1e-12)


@pytest.mark.parametrize("method", ["cubic", "natural", "clamped"])
def test_the_banded_system_holds_for_its_solution(method):
    """Each row times the slopes beside it is the right side."""
    rows = np.nan_to_num(working(interpolate(X, Y, method, end_slopes=(1.0, -1.0)))[0].rows)
    m = np.pad(rows[:, 5], 1)
    left = rows[:, 1] * m[:-2] + rows[:, 2] * m[1:-1] + rows[:, 3] * m[2:]
    np.testing.assert_allclose(left, rows[:, 4], atol=1e-12)


def test_divided_differences_are_newtons_polynomial():
    """The first row, multiplied out, passes through every point."""
    table = divided_differences(X, Y).rows
    for x, y in zip(X, Y, strict=True):
        total, product = 0.0, 1.0
        for k, c in enumerate(table[0, 1:]):
            total += c * product
            product *= x - X[k]
        assert total == pytest.approx(y)
    assert working(interpolate(X, Y, "polynomial"))[0].title == "Divided differences"
