"""Situations with what is said of them: the sentence names what the figures show, and never claims what they do not."""

import re

import numpy as np
import pytest

import vettore.core as core
from vettore.core.fitting.after.checks import Check, Kind, Outcome, Verdict, checks
from vettore.core.fitting.record import Status
from vettore.core.remarks import Remark, RemarkKind
from vettore.core.rounding import NumberStyle
from vettore.words.checks import CHECKS, check_figure, check_sentence, gravest_first
from vettore.words.fits import summary

X, LONG = np.linspace(0, 10, 30), np.linspace(0, 10, 80)
WIDE, SIX = np.linspace(1, 10, 60), np.repeat(np.arange(6.0), 4)
DECAY, TO_LEVEL = "y = A*exp(-k*x)", "y = A*exp(-k*x) + C"


def noise(seed, size=0.1, n=30):
    return np.random.default_rng(seed).normal(0, size, n)


def at(n, **places):
    out = np.zeros(n)
    for place, value in places.items():
        out[int(place[1:])] = value
    return out


def line(x, y, degree=1, **options):
    return core.fit_polynomial(x, y, degree, **options)


def formula(text, y, x=X, **options):
    return core.fit(text, {"x": x, "y": y}, **options)


def fan(seed):
    level = 2 + 3 * WIDE
    return level * (1 + noise(seed, 0.15, 60)), 0.15 * level


MEMORY = np.convolve(noise(18, 0.3, 90), np.ones(11) / 5, "valid")
TAILS = 0.1 * np.random.default_rng(17).standard_t(1.3, 80)
FAR = "farther from the curve than chance"
SHAPE = "the curve misses part of the shape"

# name, fit, what the sentence says (a word of each), the kind of the gravest check or None
SITUATIONS = [
    ("good line", lambda: line(X, 2 + 3 * X + noise(2)), ("explains 99.9",), None),
    ("good decay", lambda: formula(DECAY, 6 * np.exp(-0.4 * X) + noise(2, 0.05)), ("99.9", "about zero"), None),
    ("exact line", lambda: line(X, 2 + 3 * X), ("100 %", "rounding only"), None),
    ("exact formula", lambda: formula("y = a + b*x + c*x^2", 1 + X**2), ("100 %", "rounding only"), None),
    ("y constant", lambda: line(X, np.full(30, 4.0)), ("same in every row",), None),
    ("constant model", lambda: line(X, 4 + noise(5), 0), ("is the mean", "none of its variation"), None),
    ("no relation", lambda: line(X, noise(4, 1.0)), ("explains only",), Kind.VAGUE),
    ("weak relation", lambda: line(X, 0.05 * X + noise(5, 0.3)), ("explains only",), Kind.VAGUE),
    ("line through a bend", lambda: line(X, X**2 + noise(6, 0.5)), ("explains 93", SHAPE), Kind.PATTERN),
    ("level left out", lambda: formula(DECAY, 5 * np.exp(-0.8 * X) + 2 + noise(7, 0.05)), (SHAPE,), Kind.PATTERN),
    ("too many powers", lambda: line(X[:12], 2 + X[:12] + noise(8, 0.3, 12), 9), ("12 rows for 10",), Kind.OUTLIERS),
    ("every point hit", lambda: line(X[:4], [1.0, 3.0, 2.0, 5.0], 3), ("passes through every point",), Kind.ROWS),
    ("one row to spare", lambda: line(X[:3], [1.0, 2.2, 2.9]), ("3 rows for 2", "only roughly"), Kind.ROWS),
    ("four to spare", lambda: line(X[:6], 2 + X[:6] + noise(9, 0.1, 6)), ("6 rows for 2",), Kind.ROWS),
    ("seven rows", lambda: line(X[:7], 2 + X[:7] + noise(10, 0.1, 7)), ("explains 99.8",), None),
    ("one outlier", lambda: line(X, 2 + 3 * X + noise(11) + at(30, _14=2.5)), ("row 15 lies", FAR), Kind.OUTLIERS),
    (
        "two outliers",
        lambda: line(X, 2 + 3 * X + noise(12) + at(30, _5=3, _20=-3)),
        ("rows 6 and 21",),
        Kind.OUTLIERS,
    ),
    ("outlier at the end", lambda: line(X, 2 + 3 * X + noise(13) + at(30, _29=4)), ("row 30", FAR), Kind.OUTLIERS),
    (
        "outlier forgiven",
        lambda: formula(DECAY, 6 * np.exp(-0.4 * X) + noise(14, 0.05) + at(30, _9=2), loss="tukey"),
        ("row 10", FAR),
        Kind.OUTLIERS,
    ),
    (
        "one far lever",
        lambda: line(np.r_[X[:29], 80.0], 2 + np.r_[X[:29], 30.0] + noise(15)),
        ("row 30",),
        Kind.OUTLIERS,
    ),
    ("scatter grows", lambda: line(WIDE, fan(17)[0]), ("scatter grows", "Weights"), Kind.SPREAD),
    ("scatter grows, weighted", lambda: line(WIDE, fan(17)[0], sigma=fan(17)[1]), ("explains 90",), None),
    ("heavy tails", lambda: line(LONG, 2 + LONG + TAILS), (FAR,), Kind.OUTLIERS),
    ("scatter with memory", lambda: line(LONG, 2 + LONG + MEMORY), (SHAPE,), Kind.PATTERN),
    ("replicates, right", lambda: line(SIX, 1 + 2 * SIX + noise(19, 0.2, 24)), ("explains 99.7",), None),
    ("replicates, wrong", lambda: line(SIX, 1 + SIX**2 / 2 + noise(20, 0.2, 24)), (SHAPE,), Kind.PATTERN),
    ("alternating", lambda: line(X, 2 + X + 0.3 * (-1.0) ** np.arange(30)), ("more regularly",), Kind.PATTERN),
    (
        "at a limit",
        lambda: formula(TO_LEVEL, 5 * np.exp(-0.8 * X) + 2 + noise(21, 0.05), limits={"C": (2.2, None)}),
        (SHAPE,),
        Kind.PATTERN,
    ),
    (
        "near a limit",
        lambda: formula(TO_LEVEL, 5 * np.exp(-0.8 * X) + noise(33, 0.05), limits={"C": (0.02, None)}),
        ("C stands at a limit",),
        Kind.LIMITS,
    ),
    (
        "held",
        lambda: formula(TO_LEVEL, 5 * np.exp(-0.8 * X) + 2 + noise(21, 0.05), hold={"C": 2.0}),
        ("99.96",),
        None,
    ),
    (
        "one straight stretch",
        lambda: formula(TO_LEVEL, 2 - 0.05 * X + noise(22, 0.02)),
        ("A and C can hardly",),
        Kind.TOGETHER,
    ),
    (
        "the same term twice",
        lambda: formula("y = a*x + b*x + c", 2 + X + noise(23)),
        ("b cannot be told",),
        Kind.DEPENDENT,
    ),
    (
        "a vague coefficient",
        lambda: formula("y = a + b*x + c*x^2", 2 + X + noise(24)),
        ("c is known to no",),
        Kind.VAGUE,
    ),
    ("through the origin", lambda: line(X, 3 * X + noise(26), intercept=False), ("about zero",), None),
    (
        "runs against",
        lambda: formula(DECAY, 1 + X + noise(27), limits={"k": (0.05, None)}),
        ("does the opposite",),
        Kind.TREND,
    ),
    ("x far from zero", lambda: line(1e6 + X, 2 + 3 * X + noise(28)), ("explains 99.9",), None),
]


@pytest.mark.parametrize(("name", "made", "said", "gravest"), SITUATIONS, ids=[one[0] for one in SITUATIONS])
def test_a_situation_is_said_as_its_figures_show_it(name, made, said, gravest):
    """The words of the situation, the gravest check named, and no share above the true one."""
    result = made()
    found = checks(result)
    words = summary(
        result, "constant" if name.startswith("constant") else "model", "y", "mg/L", 0, NumberStyle(), found
    )
    for part in said:
        assert part in words
    share = re.search(r"(more than )?([\d.]+) %", words)
    if share is not None and not result.exact:
        assert float(share[2]) <= 100 * result.r_squared + 1e-9
    assert ("100 %" in words) <= result.exact or result.degrees_of_freedom == 0
    bad = [one for one in found if one.verdict is Verdict.BAD and one.kind is not Kind.ROWS]
    assert ("But look" in words) >= bool(bad)
    asking = gravest_first([check for check in found if check.verdict is not Verdict.GOOD])
    assert (asking[0].kind if asking else None) is gravest
    # Every check has its words, and its figure holds no number but its own.
    for check in found:
        assert check_sentence(check, result).endswith(".")
        assert "nan" not in check_figure(check, result, NumberStyle())


def test_what_did_not_converge_is_no_answer():
    """Whatever R² says, the sentence says first that the search did not converge."""
    result = formula(DECAY, 6 * np.exp(-0.4 * X) + noise(2, 0.05), progress=lambda *_: True)
    words = summary(result, "decay", "y", "", 0, NumberStyle(), checks(result))
    assert result.converged or words.startswith("The search did not converge")
    from dataclasses import replace

    stopped = replace(result, status=Status.NOT_CONVERGED)
    words = summary(stopped, "decay", "y", "", 2, NumberStyle(), checks(stopped))
    assert "not an answer" in words
    assert "explain" not in words
    assert checks(stopped)[0].verdict is Verdict.BAD


def test_rows_are_named_in_the_singular_and_in_the_plural():
    """One row moves, two move; more than five are counted."""
    result = line(X, 2 + 3 * X)

    def said(kind, *numbers):
        check = Check(kind, Verdict.LOOK, rows=numbers, numbers=numbers, figures={"largest": 2.0})
        return check_sentence(check, result)

    assert said(Kind.INFLUENCE, 3) == "Row 3 moves the curve strongly."
    assert said(Kind.INFLUENCE, 9, 3) == "Rows 3 and 9 move the curve strongly."
    assert said(Kind.OUTLIERS, 7) == "Row 7 lies farther from the curve than chance would have it."
    assert said(Kind.OUTLIERS, 9, 1, 3, 5, 7, 11, 13).startswith("Rows 1, 3, 5, 7 and 9 and 2 more lie farther")


def test_every_kind_of_check_has_its_words():
    """One entry a kind, no more and no less; what several situations share is seen in the table above."""
    assert set(CHECKS) == set(Kind)


def test_figures_of_checks_have_the_digits_that_tell_them_apart():
    """Two digits for errors beside each other; a remark is repeated as it is; rows and coefficients are counted."""
    result = core.fit_polynomial(np.arange(5.0), np.array([0, 1.1, 1.9, 3.2, 4.0]), 1)
    told = {"leave-one-out error": 1.2345, "residual sd": 0.5678}
    leans = Check(Kind.ROWS, Verdict.LOOK, Outcome.LEANS, figures=told)
    assert check_figure(leans, result, NumberStyle()) == "leave-one-out error 1.2, residual standard deviation 0.57"
    few = Check(Kind.ROWS, Verdict.LOOK, Outcome.FEW_ROWS, figures={"rows": 1, "coefficients": 2})
    assert check_figure(few, result, NumberStyle()) == "1 row, 2 coefficients"
    remark = Remark(RemarkKind.SAME_Y)
    repeated = Check(Kind.UNCERTAINTY, Verdict.BAD, remark=remark)
    assert check_sentence(repeated, result) == remark.sentence != ""


def test_a_residual_that_no_number_can_tell_is_written_as_beyond_the_largest():
    """A studentised residual of an otherwise exact fit has no bound."""
    x = np.arange(9.0)
    y = 2 * x
    y[4] += 5
    found = {check.kind: check for check in checks(core.fit_polynomial(x, y, 1))}
    words = check_figure(found[Kind.OUTLIERS], core.fit_polynomial(x, y, 1), NumberStyle())
    assert "1e" not in words
    assert "inf" not in words
