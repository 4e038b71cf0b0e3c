"""Several equations in a study: kept, undone with their series, renamed, read off, reported and done again."""

from dataclasses import replace

import numpy as np
import pytest

from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.report.blocks import Equation, Paragraph, Table
from vettore.report.document import report_document
from vettore.report.figures.listed import study_figure
from vettore.study import edits, parts
from vettore.study.fitting.system_readings import read_off, typed_reading, words_of
from vettore.study.fitting.systems import derive_system, measurable, schemes_of
from vettore.study.kept_numbers import Outcome, kept_numbers
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.replay import replayed
from vettore.study.series import SetAside
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source
from vettore.study.table import Table as DataTable
from vettore.words.systems import coefficient_lines, conserved_words, doubts_of, sentence_of

T = np.linspace(0, 30, 31)
K1, K2, A0 = 0.2, 0.07, 2.0
CHAIN = "A -> B ; k1\nB -> gone ; k2\nA(0) = A0\nB(0) = 0\ngone(0) = 0"
STYLE = NumberStyle()
START = (("k1", K1), ("k2", K2), ("A0", A0))


def columns(k1=K1, noise=0.0, seed=1):
    rng = np.random.default_rng(seed)
    a = A0 * np.exp(-k1 * T)
    b = A0 * k1 / (K2 - k1) * (np.exp(-k1 * T) - np.exp(-K2 * T))
    return a + rng.normal(0, noise, 31), b + rng.normal(0, noise, 31)


def table(names=("A", "B"), **chosen):
    a, b = columns(**chosen)
    items = (RawColumn("t", "min", T), RawColumn(names[0], "mmol/L", a), RawColumn(names[1], "mmol/L", b))
    return DataTable(items, Source("chamber.csv"))


def study(text=CHAIN, noise=0.02, **chosen):
    made = edits.add_series(Study(title="Kinetics"), table(noise=noise), "Chamber 1")
    return parts.add(made, EquationsRecipe(series="s1", text=text, **chosen))


def derived(made):
    return derive_system(made.find_series("s1"), made.equations[0])


def test_they_are_kept_through_the_file_and_go_with_their_series():
    made = study(hold=(("k2", 0.07),), limits=(("k1", 0.0, None),), scheme="two steps")
    reading = typed_reading("maximum of B", derived(made))
    made = parts.change(made, made.equations[0].changed(readings=(reading,)))
    again = study_from_bytes(study_bytes(made), "chambers")
    assert again.equations == made.equations
    assert derived(again).result.values == derived(made).result.values
    assert parts.remove(made, "s1").parts == ()


def test_coefficients_have_units_and_rows_set_aside_do_not_count():
    made = study()
    system = derived(made)
    assert [line.text.split()[-1] for line in coefficient_lines(system, STYLE)] == ["1/min", "1/min", "mmol/L"]
    series = made.find_series("s1")
    made = parts.change(made, series.changed(set_aside=(SetAside(3, "spilt"),)))
    less = derived(made)
    assert less.result.n == system.result.n - 2
    assert 3 not in less.rows_of("A")[2]
    assert less.rows_of("B")[0].tolist() == np.delete(T, 3).tolist()


def test_what_is_read_off_a_chain_is_what_its_closed_form_says():
    system = derived(study(noise=1e-9, start=START))
    top = np.log(K2 / K1) / (K2 - K1)
    height = A0 * (K1 / K2) ** (K2 / (K2 - K1))
    asked = {
        "maximum of B": [top, height],
        "ln(2)/k1": [np.log(2) / K1],
        "A = 0.5": [np.log(A0 / 0.5) / K1],
        "A at 7.3": [A0 * np.exp(-K1 * 7.3)],
        "area of A from 0 to 5": [A0 / K1 * (1 - np.exp(-K1 * 5))],
        "minimum of A": [30.0, A0 * np.exp(-K1 * 30)],
        "A = 5": [],
    }
    for text, true in asked.items():
        reading = typed_reading(text, system)
        assert words_of(reading) == text
        assert [answer.value for answer in read_off(system, reading)] == pytest.approx(true, rel=1e-6)


def test_the_spread_of_what_is_read_is_that_of_many_made_up_sets():
    made = [derived(_set(seed)) for seed in range(24)]
    for text in ("maximum of B", "ln(2)/k1"):
        readings = [read_off(system, typed_reading(text, system))[0] for system in made]
        told = np.mean([answer.standard_error for answer in readings])
        assert np.std([answer.value for answer in readings], ddof=1) == pytest.approx(told, rel=0.4)


def _set(seed):
    made = edits.add_series(Study(), table(noise=0.02, seed=seed), "Set")
    return parts.add(made, EquationsRecipe(series="s1", text=CHAIN, start=START))


@pytest.mark.parametrize("text", ["foo", "k1*Q", "max of Q"])
def test_what_cannot_be_read_is_refused_with_what_can(text):
    with pytest.raises(DataError, match=r"no coefficient here, nor a curve.*maximum of B.*The curves are A, B, gone"):
        typed_reading(text, derived(study()))


def test_a_renamed_column_is_followed_in_the_equations():
    made = study("dA/dt = -k1*A\nB' = k1*A - k2*B; A(0) = A0; B(0) = 0; B jumps by d at t = 20")
    before = derived(made).result.values
    for place, name in ((1, "substrate"), (2, "product 2"), (0, "hours")):
        settings = made.find_series("s1").columns[place]
        made = edits.set_column(made, "s1", place, replace(settings, name=name))
    assert derived(made).result.values == pytest.approx(before, rel=1e-6)
    assert derived(made).measured == ("product 2", "substrate")


def test_the_numbers_are_kept_and_the_same_work_is_done_on_another_file():
    made = study(noise=0.01)
    made = parts.change(made, made.equations[0].changed(readings=(typed_reading("maximum of B", derived(made)),)))
    series = made.find_series("s1")
    numbers = {kept.number: kept for kept in kept_numbers(made, series)}
    assert [*numbers][:3] == ["k1", "k2", "A0"]
    assert (numbers["k1"].unit, numbers["t at the maximum of B"].unit, numbers["k1"].verdict) == (
        "1/min",
        "min",
        "good",
    )
    other = replace(table(k1=0.3, noise=0.01), columns=table(k1=0.3, noise=0.01).columns[::-1])
    result, done = replayed(made, [other])
    assert done == ("s1",)
    new = {kept.number: kept for kept in kept_numbers(result, result.find_series("s1"))}
    assert new["k1"].value == pytest.approx(0.3, rel=0.03)
    with pytest.raises(DataError, match="no column “B”"):
        replayed(made, [replace(other, columns=other.columns[1:])])


def test_what_fails_is_a_row_with_its_reason():
    made = study("A' = -k*A")
    (kept,) = kept_numbers(made, made.find_series("s1"))
    assert kept.outcome is Outcome.FAILED
    assert "no initial value" in kept.reason


def test_the_report_holds_equations_coefficients_columns_and_figure():
    made = study()
    section = report_document(made).section("equations")
    assert section is not None
    first = next(block for block in section.blocks if isinstance(block, Paragraph))
    assert first.text == sentence_of(derived(made), STYLE)
    assert len([block for block in section.blocks if isinstance(block, Equation)]) == 8
    coefficients, each = [block for block in section.blocks if isinstance(block, Table)]
    values = derived(made).result.coefficients
    assert [(row[1].value, row[2].value) for row in coefficients.rows] == [
        (entry.value, entry.standard_error) for entry in values.values()
    ]
    assert [row[0] for row in each.rows] == ["A", "B"]
    figure = study_figure(made, "e2", STYLE)
    assert figure("svg").count(b"<svg") == 1
    assert {*figure.tables()} == {"-1-rows.csv", "-1-curve.csv", "-2-rows.csv", "-2-curve.csv", "-3-curve.csv"}


def test_doubts_and_sums_that_never_change_are_told():
    made = study("A -> B ; k\nA(0) = A0\nB(0) = 0")
    system = derived(made)
    assert any("go the same way" in sentence for sentence in doubts_of(system))
    assert sentence_of(system, STYLE).endswith("to look at.")
    assert conserved_words(system.result.conserved, STYLE) == ("A + B",)
    series = made.find_series("s1")
    mixed = replace(series.columns[2], unit="mg/L")
    made = edits.set_column(made, "s1", 2, mixed)
    assert any("should share a unit" in sentence for sentence in doubts_of(derived(made)))


def test_schemes_are_offered_for_columns_over_time():
    series = study().find_series("s1")
    assert measurable(series) == ("A", "B")
    offered = {recipe.scheme: recipe for recipe in schemes_of(series, ("A", "B"))}
    assert "two steps" in offered
    assert offered["two steps"].limits == (("k1", 0.0, None), ("k2", 0.0, None))
    fits = {
        key: derive_system(series, recipe, thorough=False).result.aicc
        for key, recipe in offered.items()
        if "step" in key
    }
    assert min(fits, key=fits.get) == "two steps"
    assert schemes_of(series, ()) == ()
