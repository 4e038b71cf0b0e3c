"""Remarks of the core and findings in data: each kind has one sentence, and the sentence names what the fact holds."""

import numpy as np
import pytest

import vettore.core as core
from vettore.core.columns.inspection import FindingKind
from vettore.core.remarks import SENTENCES, Remark, RemarkKind
from vettore.words.findings import FINDINGS

X = np.arange(12.0)


def test_every_kind_has_its_sentence():
    """One entry a kind; each holds the names, rows and figures of its fact."""
    assert set(SENTENCES) == set(RemarkKind)
    assert set(FINDINGS) == set(FindingKind)
    for kind in RemarkKind:
        told = Remark(kind, ("first", "second", "third"), (3, 4, 7), (6.0, 2.0)).sentence
        assert len(told) > 10
        assert "{" not in told


@pytest.mark.parametrize(
    ("made", "kind", "names", "rows"),
    [
        (
            lambda: core.fit("y = a + b*x", {"x": X, "y": np.r_[1.0, np.nan, X[2:]]}),
            "ROWS_WITHOUT_NUMBER",
            ("y",),
            (2,),
        ),
        (
            lambda: core.fit_polynomial(X, X, 1, weights=np.r_[0.0, np.ones(11)]),
            "ROWS_WITHOUT_WEIGHT",
            ("weights",),
            (1,),
        ),
        (lambda: core.fit("y = a*x + b*x", {"x": X, "y": 2 * X}), "DEPENDENT_TERM", None, ()),
        (lambda: core.fit("y = a*x + b*(x - x)", {"x": X, "y": 2 * X}), "ZERO_TERM", ("b",), ()),
        (lambda: core.fit("y = a + b*tiem", {"time": X, "y": X}), "SPELT_ALIKE", ("tiem", "time"), ()),
        (lambda: core.fit("y = a + b", {"x": X, "y": X}), "NO_COLUMN", (), ()),
        (lambda: core.fit("y = a + e*x", {"x": X, "y": X}), "NUMBER_E", (), ()),
        (lambda: core.fit_polynomial(X[:2], X[:2], 1), "THROUGH_EVERY_POINT", (), ()),
        (lambda: core.fit_polynomial(X, np.full(12, 3.0), 1), "SAME_Y", (), ()),
        (lambda: core.integrate(np.r_[X, 3.0], np.r_[X, 5.0]), "REPEATS_AVERAGED", (), ()),
        (lambda: core.interpolate(np.r_[np.nan, X], np.r_[0.0, X]), "POINTS_WITHOUT_NUMBER", (), (1,)),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_a_situation_leaves_its_remark(made, kind, names, rows):
    """The fact itself, and its sentence among those that scripts read."""
    result = made()
    remark = next(remark for remark in result.remarks if remark.kind is RemarkKind[kind])
    assert names is None or remark.names == names
    assert remark.rows == rows
    told = result.warnings if hasattr(result, "warnings") else result.notes
    assert remark.sentence in told
