"""Every number that a spreadsheet gets in full is the one that stands beside its label, rounded."""

import re
from datetime import date

import pytest

from vettore.demo.study import demo_study
from vettore.report.blocks import Pairs
from vettore.report.document import report_document
from vettore.study import edits
from vettore.study.derive import derive_fit


def shown(text):
    """The number that a text begins with: percent as a share, the typographic minus, a power of ten."""
    found = re.match(r"(−?[\d.]+)(?:\u00a0?×\u00a0?10([⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+))?(\s*%)?", text.replace(" ", ""))
    if found is None:
        return None
    digits = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")
    value = float(found[1].replace("−", "-")) * 10.0 ** int((found[2] or "0").translate(digits))
    return value / 100 if found[3] else value


@pytest.mark.parametrize("known", [False, True], ids=["relative weights", "known standard deviations"])
def test_numbers_in_full_are_those_that_are_shown(known):
    """Goodness of fit, by hand: R², adjusted R², s or χ²/ν, the sum of squares or χ², ν, AICc, BIC; and all other pairs."""
    study = demo_study()
    curve = study.curves[1].changed(use_errors=known, errors_known=known)
    study = edits.change_fit(study, curve)
    result = derive_fit(study, curve.id).result
    document = report_document(study, date(2026, 6, 5))
    (pairs,) = [block for block in document.section("goodness").blocks if isinstance(block, Pairs)]
    scatter = (
        (result.reduced_chi_squared, result.chi_squared) if known else (result.residual_sd, result.sum_of_squares)
    )
    wanted = (
        result.r_squared,
        result.adjusted_r_squared,
        *scatter,
        result.degrees_of_freedom,
        result.aicc,
        result.bic,
    )
    assert pairs.values == wanted
    assert [line.label for line in pairs.lines][-3:] == ["degrees of freedom", "AICc", "BIC"]
    compared = 0
    for block in (block for section in document.sections for block in section.blocks if isinstance(block, Pairs)):
        assert len(block.values) in (0, len(block.lines))
        for line, value in zip(block.lines, block.values, strict=False):
            told = None if value is None else shown(line.text)
            if told is not None:
                assert told == pytest.approx(value, rel=2e-2, abs=1e-12), line
                compared += 1
    assert compared >= 7
