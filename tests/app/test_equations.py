"""The Equations page, by mouse and keys in the real window: schemes, the bench, coefficients under the hand, the report."""

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt

from vettore.app.pages.equations.derived import TriedScheme, weights_of
from vettore.app.pages.equations.present import bench_of, present, telling_column
from vettore.app.pages.equations.state import EquationsState
from vettore.core.interpolation.interpolant import interpolate
from vettore.core.rounding import NumberStyle
from vettore.report.document import report_document
from vettore.report.renderers.html import html
from vettore.study import edits, parts
from vettore.study.kinds.equations import AskedFor, EquationsRecipe
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

LEFT = Qt.MouseButton.LeftButton
CONTROL = Qt.KeyboardModifier.ControlModifier
T = np.linspace(0, 30, 31)
CHAIN = "A -> B ; k1\nB -> gone ; k2\nA(0) = A0\nB(0) = 0\ngone(0) = 0"
START = (("k1", 0.2), ("k2", 0.07), ("A0", 2.0))


def columns():
    rng = np.random.default_rng(1)
    a = 2 * np.exp(-0.2 * T)
    b = 2 * 0.2 / (0.07 - 0.2) * (np.exp(-0.2 * T) - np.exp(-0.07 * T))
    return a + rng.normal(0, 0.02, 31), b + rng.normal(0, 0.02, 31)


def kinetics():
    a, b = columns()
    items = (RawColumn("t", "min", T), RawColumn("A", "mmol/L", a), RawColumn("B", "mmol/L", b))
    return edits.add_series(Study(title="Kinetics"), Table(items, Source("chamber.csv")), "Chamber 3")


@pytest.fixture
def page(window, settled):
    """The page on A and B of A → B → C, a system kept and fitted; no scheme is tried, for time."""
    window.start(parts.add(kinetics(), EquationsRecipe(series="s1", text=CHAIN, start=START)))
    window.session.choose("s1")
    page = window.pages["Equations"]
    page.state = EquationsState("s1", left_out=frozenset({"A", "B"}))
    window.show_page("Equations")
    settled()
    return page


def recipe(window):
    return window.session.study.equations[-1]


def test_from_a_file_of_three_columns_to_two_rates_in_a_report(window, settled, qtbot, tmp_path):
    path = tmp_path / "chamber.csv"
    lines = [f"{t:g},{a:.4f},{b:.4f}" for t, a, b in zip(T, *columns(), strict=True)]
    path.write_text("\n".join(["t (min),A (mmol/L),B (mmol/L)", *lines]))
    window.open_paths([path])
    settled()
    qtbot.keyClick(window, Qt.Key.Key_3, CONTROL)
    settled()
    page = window.pages["Equations"]
    assert window.page is page
    # The likeliest is drawn before anything is chosen; it is no part of the study yet.
    assert page.system is not None
    assert page.system.recipe.scheme == "two steps"
    assert window.session.study.equations == ()
    first = page.choices.schemes.thumbnails["two steps"]
    assert page.choices.schemes._made[0] is first
    qtbot.mouseClick(first, LEFT)
    settled()
    assert recipe(window).scheme == "two steps"
    qtbot.keyClicks(page.stage.ask, "ln(2)/k1")
    qtbot.keyClick(page.stage.ask, Qt.Key.Key_Return)
    settled()
    assert [(reading.what, reading.formula) for reading in recipe(window).readings] == [(AskedFor.NUMBER, "ln(2)/k1")]
    assert page.stage.ask.text() == ""
    shown = [entry.line.text for entry in page._view.readings]
    coefficients = {entry.name: text for entry, text, _ in page._view.coefficients}
    qtbot.mouseClick(page.findings.report, LEFT)
    assert window.page is window.pages["Report"]
    settled()
    text = html(report_document(window.session.study))
    result = page.system.result.coefficients
    for name in ("k1", "k2"):
        value, error = NumberStyle().with_error(result[name].value, result[name].standard_error)
        assert f"{value} ± {error} 1/min" == coefficients[name]
        assert f">{value}<" in text
        assert f">{error}<" in text
    assert shown[0] in text.replace("\u00a0", " ")


def test_the_bench_underlines_what_is_wrong_and_fits_what_is_right(page, window, qtbot, settled):
    before = recipe(window).text
    qtbot.keyClick(window, Qt.Key.Key_E, CONTROL)
    bench = page.bench
    assert bench.isVisible()
    assert bench.field.toPlainText() == before
    bench.field.setPlainText("A' = -k*A\nB' = k*")
    assert bench.remark.property("kind") == "bad"
    assert bench.field.extraSelections()[0].cursor.blockNumber() == 1
    assert not bench.fit.isEnabled()
    qtbot.keyClick(bench.field, Qt.Key.Key_Return, CONTROL)
    assert recipe(window).text == before
    bench.field.setPlainText("A -> B ; k\nA(0) = A0\nB(0) = 0")
    assert bench.remark.text() == "measured: A and B · to be fitted: k, A0"
    qtbot.keyClick(bench.field, Qt.Key.Key_Return, CONTROL)
    settled()
    assert [*page.system.result.values] == ["k", "A0"]
    assert any("go the same way" in sentence for sentence in page._view.doubts)
    window.session.undo()
    settled()
    assert recipe(window).text == before
    assert [*page.system.result.values] == ["k1", "k2", "A0"]
    assert page.close_topmost()
    assert not bench.isVisible()


def test_a_coefficient_under_the_hand_moves_every_curve_and_refit_begins_there(page, window, qtbot, settled):
    stage, strip = page.stage, page.strip
    fitted = stage.line.lines[0].y.copy()
    assert stage.line.lines[0].low is not None
    frame = strip.frame_of("k1").center().toPoint()
    qtbot.mousePress(strip, LEFT, pos=frame)
    for step in range(1, 5):
        qtbot.mouseMove(strip, frame + QPointF(10 * step, 0).toPoint())
    qtbot.mouseRelease(strip, LEFT, pos=frame + QPointF(40, 0).toPoint())
    moved = page.hands.shaped["k1"]
    assert moved != page.system.result.values["k1"]
    line = stage.line.lines[0]
    assert line.low is None
    assert line.y[-1] == pytest.approx(2.0 * np.exp(-moved * line.x[-1]), rel=0.05)
    assert len(stage._low_lines[0].lines) == 1
    assert strip.again.isEnabled()
    assert page.take_back()
    assert np.array_equal(stage.line.lines[0].y, fitted)
    page.hands.shape("k1", 0.4)
    qtbot.mouseClick(strip.again, LEFT)
    settled()
    assert dict(recipe(window).start)["k1"] == 0.4
    assert page.system.result.values["k1"] == pytest.approx(0.2, rel=0.03)


def test_a_pulled_grip_moves_where_the_curve_begins(page, qtbot):
    (grip,) = page._view.grips
    assert (grip.name, grip.x) == ("A0", 0.0)
    page.stage.grips.pulled.emit(0, 0.0, 1.5)
    assert page.hands.shaped["A0"] == pytest.approx(1.5)
    assert page.stage.line.lines[0].y[0] == pytest.approx(1.5)
    assert page.stage.grips.grips[0][1] == pytest.approx(1.5)
    page.stage.grips.pulled.emit(0, 0.0, 1.2)
    assert page.hands.shaped["A0"] == pytest.approx(1.2)


def test_a_held_coefficient_keeps_its_value(page, window, settled):
    page.hands.turn_hold("k2")
    settled()
    held = dict(recipe(window).hold)["k2"]
    assert page.system.result.coefficients["k2"].held
    assert page.system.result.values["k2"] == held
    page.hands.turn_hold("k2")
    settled()
    assert recipe(window).hold == ()
    popup = page.hands.ask_coefficient("k1")
    popup.low.setText("0")
    popup.value.setText("0.19")
    popup.hold.setChecked(True)
    popup.apply()
    settled()
    assert recipe(window).limits == (("k1", 0.0, None),)
    assert page.system.result.values["k1"] == 0.19


def test_columns_come_to_the_front_and_what_nobody_measured_is_dashed(page, window, qtbot, settled):
    stage = page.stage
    assert stage.plot.titles == ("t (min)", "A (mmol/L)")
    low = stage._low_plots[0]
    assert low.titles[1] == "B (mmol/L)"
    qtbot.mouseClick(low.viewport(), LEFT, pos=low.viewport().rect().center())
    assert stage.plot.titles[1] == "B (mmol/L)"
    residuals = page.system.result.residuals["B"]
    assert stage.plot.residual_marks.ys.tolist() == residuals.tolist()
    assert all(line.dashed for line in stage._low_lines[1].lines)
    page.choices.states.setChecked(False)
    settled()
    assert not recipe(window).shows_states
    assert not stage._low_plots[1].isVisibleTo(stage)


def test_what_cannot_be_read_off_is_said_and_what_was_can_go(page, window, settled):
    page.read("maximum of B")
    settled()
    assert [entry.line.label for entry in page._view.readings] == ["t at the maximum of B", "maximum of B"]
    page.read("half of nothing")
    assert len(recipe(window).readings) == 1
    page.findings.unkeep_asked.emit(0)
    settled()
    assert recipe(window).readings == ()


def test_two_stand_beside_each_other_and_one_is_removed(page, window, settled):
    page.keep_another()
    settled()
    assert len(window.session.study.equations) == 2
    page.choose_kept("e2")
    settled()
    assert page.recipe.id == "e2"
    page.remove()
    settled()
    assert [each.id for each in window.session.study.equations] == ["e3"]


def test_the_report_that_is_asked_for_holds_the_equations(page, window, settled):
    """Also where it was about one fit of another series, and without this section."""
    study = edits.add_series(window.session.study, kinetics().series[0].table, "Other")
    study = edits.add_fit(study, study.series[-1].id, 1)
    study = edits.set_report(study, study.report.changed(left_out=("equations", "working")))
    window.session.do("another", study)
    window.session.choose("s1")
    settled()
    page.show_report()
    assert report_document(window.session.study).section("equations") is not None
    assert window.page is window.pages["Report"]


def test_equations_that_fail_say_why(page, window, settled):
    page.fit_written("A' = -k*A")
    settled()
    assert "no initial value" in page.stage.refusal.text()
    assert page.stage.refusal.isVisibleTo(page.stage)
    assert page.findings.sentence.text() == page.stage.refusal.text()


def test_several_equations_on_the_fit_page_are_taken_here(window, qtbot, settled):
    window.start(kinetics())
    window.session.choose("s1")
    window.show_page("Fit")
    fit = window.pages["Fit"]
    fit.open_bench()
    fit.own.setText("A' = -k*A; A(0) = 2")
    assert "Equations page" in fit.bench.remark.text()
    qtbot.keyClick(fit.own, Qt.Key.Key_Return)
    settled()
    assert window.page is window.pages["Equations"]
    assert recipe(window).text == "A' = -k*A; A(0) = 2"
    assert [*window.page.system.result.values] == ["k"]


def test_columns_without_anything_that_runs_are_told_the_next_step():
    study = edits.add_series(Study(), Table((RawColumn("t", "s", T),), Source("one.csv")), "One column")
    view = present(study, EquationsState().on(study, study.series[0]), None, "", (), NumberStyle())
    assert view.invites.startswith("Equations need a column that runs")
    assert present(Study(), EquationsState(), None, "", (), NumberStyle()).invites.startswith("Bring in data")


def test_cards_share_the_evidence_and_show_the_column_that_tells_them_apart():
    def tried(key, aicc, level):
        curves = {"A": interpolate(T, np.exp(-T)), "B": interpolate(T, level * T)}
        return TriedScheme(EquationsRecipe(series="s1", text="", scheme=key), aicc, curves)

    schemes = (
        tried("one step", 10.0, 1.0),
        tried("two steps", 8.0, 2.0),
        TriedScheme(EquationsRecipe(series="s1", text="", scheme="enzyme")),
    )
    weights = weights_of(schemes)
    assert weights["two steps"] / weights["one step"] == pytest.approx(np.e)
    assert (weights["enzyme"], sum(weights.values())) == (0.0, pytest.approx(1.0))
    assert telling_column(schemes) == "B"


def test_an_empty_bench_shows_an_example_of_the_columns():
    series = kinetics().series[0]
    assert bench_of(series, "t", " ").remark.startswith("One equation a line: A' = -k*A")
    wrong = bench_of(series, "t", "A' = -k*A\nA(0) = A0\nB' = k*A")
    assert (wrong.is_wrong, wrong.can_fit) == (True, False)
    assert "B" in wrong.remark
