"""One model over several series of a study: what is common to all, tested against each alone."""

import numpy as np
import pytest

from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle
from vettore.study import edits
from vettore.study.fitting.fits import fit_series
from vettore.study.fitting.several import fit_together
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.several import several_in_words


def beds(rates, noise=0.02):
    """A study of decays, each with a height of its own, fitted by a decay."""
    rng, t, study = np.random.default_rng(6), np.linspace(0, 40, 20), Study(title="Beds")
    for place, rate in enumerate(rates):
        y = (3 + place) * np.exp(-rate * t) + rng.normal(0, noise, 20)
        table = Table((RawColumn("t", "h", t), RawColumn("c", "mg/L", y)), Source(f"bed {place}"))
        study = edits.add_series(study, table, f"bed {place}")
    return edits.add_formula(study, study.series[0].id, "c = A*exp(-k*t)")


def test_a_rate_that_is_common_and_one_that_is_not():
    """F and AICc in the sentence are those of the fits alone."""
    alike = fit_together((study := beds([0.05, 0.05, 0.05])).series, study.curves[0], ["k"])
    words = several_in_words(alike, NumberStyle())
    assert "3 series together, with k common to all" in words
    assert "Each series alone fits no better than chance would have it (F = " in words
    assert f"p = {alike.against_apart.p:.2f}" in words
    study = beds([0.05, 0.05, 0.07])
    differ = fit_together(study.series, study.curves[0], ["k"])
    alone = sum(fit_series(one, study.curves[0].changed(series=one.id)).result.sum_of_squares for one in study.series)
    together = differ.residual_sd**2 * 56
    assert differ.against_apart.f == pytest.approx((together - alone) / 2 / (alone / 54), rel=1e-6)
    words = several_in_words(differ, NumberStyle())
    assert "Each series alone fits better than chance would have it (F = " in words
    assert "p < 0.001" in words
    assert "higher together): look whether they differ." in words


def test_limits_hold_together():
    """Limits of the fit go with every series; a robust loss is refused in a sentence."""
    study = beds([0.05, 0.06])
    bounded = fit_together(study.series, study.curves[0].changed(limits=(("A", None, 3.5),)), ["k"])
    assert bounded.rows[1].coefficients["A"].value == 3.5
    assert bounded.rows[1].coefficients["A"].at_limit
    with pytest.raises(DataError, match="take the huber loss away"):
        fit_together(study.series, study.curves[0].changed(loss="huber"), ["k"])
