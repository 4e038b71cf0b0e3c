"""The equation is the control: the Fit page by mouse and by keys."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QApplication, QLabel

from tests.waiting import wait_for
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.fitting.line_up import OWN
from vettore.study.fitting.profiles import likelihood_ranges
from vettore.study.kinds.readings import AreaReading, FormulaReading, PlaceReading, ValueReading

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def page(window, qtbot, settled):
    """The Fit page on the chamber data with a decay to a level chosen in the line-up by mouse."""
    window.start(demo_study())
    window.session.choose(next(one.id for one in window.session.study.series if one.name.startswith("Oxygen")))
    window.show_page("Fit")
    settled()
    one = window.pages["Fit"]
    qtbot.mouseClick(one.line_up.thumbnails["exponential-decay-level"], LEFT)
    settled()
    return one


def test_a_copy_of_a_series_gets_a_curve_of_its_own(window, qtbot, settled):
    """What suggests itself for a series stays with it; the copy of its content asks anew and is fitted itself."""
    window.start(demo_study())
    oxygen = next(one.id for one in window.session.study.series if one.name.startswith("Oxygen"))
    bare = window.session.study
    for fit in [one for one in bare.curves if one.series == oxygen]:
        bare = edits.remove_fit(bare, fit.id)
    window.session.do("Let go", bare)
    window.session.choose(oxygen)
    window.show_page("Fit")
    settled()
    page = window.pages["Fit"]
    suggested = page.fit.result.formula
    window.session.do("Duplicate", edits.duplicate_series(window.session.study, oxygen))
    copy = window.session.study.series[-1].id
    window.session.choose(copy)
    settled()
    assert (page.fit.recipe.series, page.fit.result.formula) == (copy, suggested)
    qtbot.mouseClick(page.line_up.thumbnails["exponential-decay-level"], LEFT)
    settled()
    assert (window.session.curve.series, window.session.study.curves[-1].series) == (copy, copy)


def test_undo_takes_back_the_last_drag_before_any_edit(page, qtbot, settled, window):
    """Two drags, three times Ctrl+Z: the first drag again, then the fit, then the choice of the model."""
    best = page.fit.result.coefficients["k"].value
    drag(qtbot, page, "k", 120)
    first = page.strip.chips["k"].number
    drag(qtbot, page, "C", 60)
    assert page.strip.chips["C"].number > page.fit.result.coefficients["C"].value
    undo = QKeySequence(QKeySequence.StandardKey.Undo)[0]
    qtbot.keyClick(window, undo.key(), undo.keyboardModifiers())
    assert page.strip.chips["k"].number == first
    assert page.strip.chips["C"].number == page.fit.result.coefficients["C"].value
    qtbot.keyClick(window, undo.key(), undo.keyboardModifiers())
    assert page.strip.chips["k"].number == best
    assert not page.strip.again.isEnabled()
    assert page.session.curve.model == "exponential-decay-level"
    qtbot.keyClick(window, undo.key(), undo.keyboardModifiers())
    settled()
    assert page.session.curve is None or page.session.curve.model != "exponential-decay-level"


def drag(qtbot, page, name, by, keys=NONE):
    start = page.strip.frame_of(name).center().toPoint()
    qtbot.mousePress(page.strip, LEFT, keys, start)
    for step in range(1, 6):
        qtbot.mouseMove(page.strip, start + QPoint(by * step // 5, 0))
    qtbot.mouseRelease(page.strip, LEFT, keys, start + QPoint(by, 0))


def test_the_line_up_holds_the_catalogue_best_first(page):
    """The decay leads; the curve, its units, its half-life and its checks are shown."""
    first = next(iter(page.line_up.thumbnails))
    assert first == "exponential-decay-level"
    assert page.strip.chips["k"].value.endswith("1/min")
    assert len(page.findings.checks.sentences) >= 5
    assert page.fit.recipe.model == "exponential-decay-level"
    page.findings.copying.copy()
    rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    assert rows[0] == ["coefficient", "value", "standard error", "from", "to", "unit"]
    copied = {name: (float(value), float(error)) for name, value, error, *_ in rows[1:]}
    coefficients = page.fit.result.coefficients.values()
    assert copied == {one.name: (one.value, one.standard_error) for one in coefficients}


def test_dragging_shapes_the_curve_and_refit_brings_it_back(page, qtbot, settled):
    """The curve and the residuals follow; the strip says how far from the best; Refit starts from there."""
    best = page.fit.result.coefficients["k"].value
    drag(qtbot, page, "k", 120)
    shaped = page.strip.chips["k"].number
    assert shaped > best
    assert page.plot.line.curve.values["k"] == shaped
    assert "× the best" in page.strip.note.text()
    assert page.session.study.curves[-1].start == ()
    qtbot.mouseClick(page.strip.again, LEFT)
    settled()
    assert page.fit.result.coefficients["k"].value == pytest.approx(best, rel=1e-9)
    assert dict(page.session.curve.start)["k"] == pytest.approx(shaped)
    assert not page.strip.again.isEnabled()


def pull(qtbot, page, words, to):
    """Pull a grip by mouse to a point of the plot."""
    from PySide6.QtTest import QTest

    vb, view = page.plot.upper.vb, page.plot.viewport()
    x, y, _ = next(one for one in page.drawn.grips.grips if one[2] == words)
    pixels = [page.plot.mapFromScene(vb.mapViewToScene(QPointF(*at))) for at in ((x, y), to)]
    qtbot.mouseMove(view, pixels[0])
    QTest.qWait(5)
    qtbot.mousePress(view, LEFT, pos=pixels[0])
    for step in range(1, 5):
        qtbot.mouseMove(view, pixels[0] + (pixels[1] - pixels[0]) * step / 4)
        QTest.qWait(5)
    qtbot.mouseRelease(view, LEFT, pos=pixels[1])


def test_the_curve_is_pulled_by_its_half_life_and_a_line_by_two_points(page, qtbot, settled):
    """A grip sets the coefficients it stands for and no others; the other point of a line stays."""
    before = page.plot.upper.vb.viewRange()
    values = {name: one.value for name, one in page.fit.result.coefficients.items()}
    pull(qtbot, page, "half-life", (40.0, 5.0))
    assert page.plot.upper.vb.viewRange() == before
    assert page.plot.line.curve.values["k"] == pytest.approx(np.log(2) / 40, rel=0.02)
    assert page.plot.line.curve.values["C"] == values["C"]
    assert "× the best" in page.strip.note.text()
    page.hands.turn_hold("k")
    settled()
    assert "half-life" not in [words for *_, words in page.drawn.grips.grips]
    page.choose(1)
    settled()
    (x0, y0, _), (x1, *_) = page.drawn.grips.grips
    page.hands.pull(1, x1, 9.0)
    line = page.plot.line.curve
    assert (float(line(x0)), float(line(x1))) == pytest.approx((y0, 9.0))
    page.own.setText("A*exp(-k*time) + C*cos(time)")
    page.bench.ask()
    settled()
    page.hands.pull(1, 50.0, 6.0)
    assert float(page.plot.line.curve(50.0)) == pytest.approx(6.0)


def test_a_click_holds_and_lets_go_and_keys_do_the_same(page, qtbot, settled):
    """Held coefficients have no standard error; undo takes it all back."""
    place = page.strip.frame_of("C").center().toPoint()
    qtbot.mouseClick(page.strip, LEFT, pos=place)
    wait_for(lambda: page.session.curve.hold != ())
    settled()
    assert page.fit.result.coefficients["C"].held
    assert page.strip.chips["C"].held
    page.strip.setFocus()
    qtbot.keyClick(page.strip, Qt.Key.Key_Space)
    settled()
    assert page.session.curve.hold == ()
    before = page.strip.chips["C"].number
    qtbot.keyClick(page.strip, Qt.Key.Key_Up)
    assert page.strip.chips["C"].number > before
    qtbot.keyClick(page.strip, Qt.Key.Key_Backtab)
    qtbot.keyClick(page.strip, Qt.Key.Key_Space)
    settled()
    assert [name for name, _ in page.session.curve.hold] == ["k"]
    for _ in range(3):
        page.session.undo()
    settled()
    assert page.session.curve.hold == ()


def test_value_and_limits_are_asked_under_the_chip(page, qtbot, settled):
    """A wrong entry is said in the form; a limit is kept and shown as reached."""
    popup = page.hands.ask_coefficient("C")
    popup.low.setText("three")
    popup.apply()
    assert "not a number" in popup.problem.text()
    popup.low.setText("3")
    popup.value.setText("3,5")
    popup.apply()
    settled()
    assert page.fit.result.coefficients["C"].at_limit
    assert page.fit.result.coefficients["C"].value == 3


def test_shaping_a_polynomial_turns_it_into_its_formula_only_when_held(page, qtbot, settled):
    """A straight line can be shaped; holding its intercept keeps the formula."""
    page.choose(1)
    settled()
    drag(qtbot, page, "a0", 60)
    assert page.plot.line.curve.values["a0"] > page.fit.result.coefficients["a0"].value
    page.hands.turn_hold("a0")
    settled()
    assert page.session.curve.formula == "oxygen = a0 + a1*time"
    assert page.fit.result.coefficients["a0"].held
    np.testing.assert_allclose(page.fit.result.curve(0.0), page.fit.result.coefficients["a0"].value)


def test_the_working_is_shown_step_by_step_and_replayed(page, qtbot, settled, monkeypatch):
    """The path of a search runs on the plot; a line has its sums, normal equations and R² from its two sums."""
    monkeypatch.setattr("vettore.app.widgets.fits.working.STEP_MS", 1)
    best = page.fit.result.coefficients["k"].value
    qtbot.mouseClick(page.findings.working, LEFT)
    drawer = page.findings.drawer
    assert drawer.steps[0].title == "The path of the search"
    drawer.slider.setValue(0)
    assert page.plot.line.curve.values["k"] == page.fit.result.path[0].values["k"] != best
    assert "step 0 of" in page.strip.note.text()
    qtbot.mouseClick(drawer.play, LEFT)
    wait_for(lambda: drawer.play.text() == "Replay on the plot")
    assert page.plot.line.curve is page.fit.result.curve
    drawer.close()
    page.choose(1)
    settled()
    qtbot.mouseClick(page.findings.working, LEFT)
    drawer = page.findings.drawer
    drawer.copy()
    text = QApplication.clipboard().text()
    for words in ("The sums", "Σ1", "design matrix", "normal equations", "determinant", "R² from its two sums"):
        assert words in text
    drawer.tables[1].copy()
    assert QApplication.clipboard().text().splitlines()[2].startswith("1.0\t2.0\t")
    drawer.close()


def test_outliers_are_forgiven_in_words(page, settled):
    """The loss is chosen in words, kept in the study, and the rows that it weighs down are named."""
    page.session.do("bring all back", edits.bring_rows_back(page.session.study, page.session.series.id, range(25)))
    settled()
    page.how.loss.activated.emit(2)
    settled()
    assert page.session.curve.loss == "tukey"
    assert "Row 10 weighed less than half" in page.findings._warnings.text()


def test_the_equation_is_copied_in_words_that_others_read(page):
    """Text, LaTeX and MathML, with symbols or numbers; the text with numbers is a formula again."""
    from xml.dom.minidom import parseString

    from vettore.core.formula.formula import read_formula

    assert page.strip.equation_text("text", False) == "oxygen = A*exp(-k*time) + C"
    numbers = read_formula(page.strip.equation_text("text", True), ["time", "oxygen"])
    assert numbers.coefficients == ()
    assert "{e}^{-k" in page.strip.equation_text("LaTeX", False)
    assert "6.41" in page.strip.equation_text("LaTeX", True)
    for with_numbers in (False, True):
        assert parseString(page.strip.equation_text("MathML", with_numbers)).documentElement.tagName == "math"


def test_one_model_over_several_series_with_a_common_rate(page, qtbot, settled):
    """A table of all; one rate for all when it is ticked; kept as curves by one click, undone by one undo."""
    from vettore.study.table import RawColumn, Source, Table

    session, t = page.session, np.linspace(0, 90, 20)
    study = session.study
    for number, height in enumerate((3.0, 5.0, 8.0)):
        y = height * np.exp(-0.05 * t) + 1 + 0.03 * np.sin(7 * t + number)
        columns = (RawColumn("minute", "min", t), RawColumn("o2", "mg/L", y))
        study = edits.add_series(study, Table(columns, Source("made")), f"Jar {number}")
    session.do("jars", study)
    settled()
    qtbot.mouseClick(page.choices.more, LEFT)
    dialog = page.over.several
    dialog.series[page.fit.series.id].setChecked(False)
    for one in session.study.series:
        if one.name.startswith("Jar"):
            dialog.series[one.id].setChecked(True)
    settled()
    assert len(dialog.table.texts) == 3
    rates = {row.coefficients["k"].value for row in dialog.several.rows}
    assert len(rates) == 3
    dialog.common["k"].setChecked(True)
    settled()
    assert dialog.several.shared == ("k",)
    assert len({row.coefficients["k"].value for row in dialog.several.rows}) == 1
    before = len(session.study.curves)
    qtbot.mouseClick(dialog.keep, LEFT)
    assert len(session.study.curves) == before + 3
    settled()
    kept = derive_fit(session.study, session.study.curves[-1].id).result
    row = dialog.several.rows[-1]
    assert kept.coefficients["k"].held
    assert kept.coefficients["A"].value == pytest.approx(row.coefficients["A"].value, rel=1e-6)
    assert float(row.curve(30.0)) == pytest.approx(float(kept.curve(30.0)), rel=1e-6)
    qtbot.mouseClick(dialog.turn, LEFT)
    assert len(dialog.overlay.legend.entries) == 3
    session.undo()
    assert len(session.study.curves) == before
    dialog.closed.emit()
    assert page.stage.currentIndex() == 1


def test_a_search_can_be_stopped_and_never_blocks_the_window(page, qtbot, settled, monkeypatch):
    """While the slowest reference problem is searched the window keeps moving; Stop does not wait for the search."""
    import json
    import threading
    from pathlib import Path

    from vettore.study.table import RawColumn, Source, Table

    problem = json.loads((Path(__file__).parents[1] / "reference" / "nonlinear" / "Gauss2.json").read_text())
    columns = tuple(RawColumn(name, "", np.array(problem["data"][name], dtype=float)) for name in ("x", "y"))
    study = edits.add_series(page.session.study, Table(columns, Source("reference")), "Two peaks")
    page.session.do("bring in", study)
    page.session.choose_newest()
    settled()
    gate = threading.Event()
    monkeypatch.setattr("vettore.app.pages.fit.page.breathe", lambda *_: gate.wait())
    page.own.setText(problem["formula"])
    page.bench.ask()
    wait_for(lambda: page.drawn.searching.isVisible())
    gate.set()
    settled()
    assert page.fit.result.converged
    gate.clear()
    page.own.setText(problem["formula"].replace("b1", "b9"))
    page.bench.ask()
    page.stop_search()
    assert "stopped" in page.drawn.refusal.text()
    gate.set()


def test_a_formula_is_written_with_completion_built_from_terms_and_saved(page, qtbot, settled, window, tmp_path):
    """Names are completed, an error is underlined where it is, ticked terms show their matrix, saved models return."""
    from vettore.core.models.model import own_model
    from vettore.files.library import read_library, write_library

    bench = page.bench
    qtbot.mouseClick(page.choices.write, LEFT)
    assert bench.field.text() == "oxygen = A*exp(-k*time) + C"
    bench.field.clear()
    qtbot.keyClicks(bench.field, "A*exp(-k*ti")
    assert bench.field.completions.popup().isVisible()
    assert bench.field.completions.currentCompletion() == "time"
    bench.field.completions.activated.emit("time")
    assert bench.field.text() == "A*exp(-k*time"
    assert bench.field._error_at == len("A*exp")
    bench.field.completions.popup().hide()
    qtbot.keyClicks(bench.field, ") + C*time")
    assert bench.remark.text().endswith("A, k, C")
    qtbot.mouseClick(bench.save, LEFT)
    qtbot.keyClicks(bench.saving.called, "Leaky jar")
    bench.saving.meanings["k"].setText("rate of loss")
    qtbot.mouseClick(bench.saving.keep, LEFT)
    settled()
    (kept,) = read_library(window.places.library)
    assert (kept.formula, kept.meanings) == ("y = A*exp(-k*x) + C*x", {"k": "rate of loss"})
    assert OWN + "leaky-jar" in page.line_up.thumbnails
    qtbot.mouseClick(page.line_up.thumbnails[OWN + "leaky-jar"], LEFT)
    settled()
    assert page.fit.recipe.name == "Leaky jar"
    qtbot.mouseClick(bench.by_terms, LEFT)
    for term in ("1", "time", "sqrt(time)"):
        bench.terms.ticked[term].setChecked(True)
    qtbot.keyClicks(bench.terms.term, "ln(time + 1)")
    qtbot.keyClick(bench.terms.term, Qt.Key.Key_Return)
    assert bench.field.text() == "oxygen = a0 + a1*time + a2*sqrt(time) + a3*ln(time + 1)"
    assert bench.terms.design.texts[1][:3] == ("2", "1.0000", "2.0000")
    qtbot.mouseClick(bench.fit, LEFT)
    settled()
    assert page.fit.result.method == "linear least squares"
    # A library that somebody damaged is said and left as it is.
    window.places.library.write_text('{"format": 1, "models": [{"name": "Bad", "formula": "y = "}]}')
    again = type(window.session.own_models)(window.places.library)
    assert again.models == {}
    assert "Model 1" in again.problem
    with pytest.raises(ValueError, match="left as it is"):
        again.keep(kept)
    write_library(tmp_path / "two.json", [kept, own_model("Line", "y = a + b*t", "t", "y")])
    assert [one.formula for one in read_library(tmp_path / "two.json")] == [kept.formula, "y = a + b*x"]


def test_models_are_pinned_compared_large_hidden_and_one_is_taken(page, qtbot, settled):
    """By mouse: the corner pins, Compare opens; by keys P pins and H hides; the ladder chooses a degree."""
    thumbnails = page.line_up.thumbnails
    other = next(key for key in thumbnails if key not in ("gaussian-level", "exponential-decay-level"))
    for key in ("gaussian-level", other):
        one = page.line_up.thumbnails[key]
        qtbot.mouseClick(one, LEFT, pos=QPoint(one.width() - 12, 12))
        wait_for(lambda key=key: key in page.filler.pinned)
    assert page.session.curve.model == "exponential-decay-level"
    third = page.line_up.thumbnails["exponential-decay-level"]
    third.setFocus()
    qtbot.keyClick(third, Qt.Key.Key_P)
    wait_for(lambda: len(page.filler.pinned) == 3)
    assert page.line_up.thumbnails["exponential-decay-level"].hasFocus()
    assert list(page.line_up.thumbnails)[:3] == ["gaussian-level", other, "exponential-decay-level"]
    qtbot.mouseClick(page.panel.compare, LEFT)
    settled()
    comparison = page.comparing.comparison
    name = page.line_up.thumbnails[other].text()
    assert page.stage.currentWidget() is comparison
    assert comparison.words.text().startswith("Decay to a level is favoured")
    assert [row[0] for row in comparison.table.texts] == [
        "Decay to a level",
        "Peak on a level",
        name,
    ]
    assert len(comparison.plots) == 3
    wait_for(lambda: comparison.plots[1].upper.vb.viewRange() == comparison.plots[0].upper.vb.viewRange())
    comparison.chosen.emit(other)
    settled()
    assert (page.session.curve.degree, page.session.curve.formula) == (other, "")
    assert page.stage.currentIndex() == 1
    page.session.undo()
    taken = page.line_up.thumbnails[other]
    taken.setFocus()
    qtbot.keyClick(taken, Qt.Key.Key_H)
    wait_for(lambda: other not in page.line_up.thumbnails)
    assert page.panel.hidden.text() == "1 hidden"
    qtbot.mouseClick(page.panel.hidden, LEFT)
    assert other in page.line_up.thumbnails
    qtbot.mouseClick(page.panel.degrees, LEFT)
    ladder = page.comparing.ladder
    assert ladder.take.text() == "Fit degree 4"
    at = ladder.plot.place_of(2)
    qtbot.mouseClick(ladder.plot, LEFT, pos=at.toPoint())
    settled()
    assert page.session.curve.degree == 2
    assert len(thumbnails) > 4


def test_a_span_is_dragged_and_rows_weighed_by_percent(page, qtbot, settled):
    """Only rows in the span are fitted and the rest is beyond; a percentage of y becomes its ±; each can be undone."""
    from PySide6.QtTest import QTest

    vb, view = page.plot.upper.vb, page.plot.viewport()
    qtbot.mouseClick(page.how.turn, LEFT)
    qtbot.mouseClick(page.how.span, LEFT)
    start, end = (page.plot.mapFromScene(vb.mapViewToScene(QPointF(x, 7.5))) for x in (20, 70))
    qtbot.mousePress(view, LEFT, pos=start)
    for step in range(1, 5):
        qtbot.mouseMove(view, start + (end - start) * step / 4)
        QTest.qWait(5)
    qtbot.mouseRelease(view, LEFT, pos=end)
    settled()
    x = page.fit.result.x
    assert (x.min() >= 19, x.max() <= 71, len(x) < 15) == (True, True, True)
    assert page.plot.beyond.span == (x.min(), x.max())
    assert "use all" in page.how.span.text()
    page.how.weights.setCurrentText("± of y in % is …")
    page.how.weights.activated.emit(2)
    qtbot.keyClicks(page.how.error, "0")
    qtbot.keyClick(page.how.error, Qt.Key.Key_Return)
    assert page.how.error.property("wrong")
    page.how.error.clear()
    qtbot.keyClicks(page.how.error, "2,5")
    qtbot.keyClick(page.how.error, Qt.Key.Key_Return)
    settled()
    np.testing.assert_allclose(page.fit.result.sigma / page.fit.result.y, 0.025)
    page.session.undo()
    settled()
    assert not page.fit.result.weighted
    qtbot.mouseClick(page.how.span, LEFT)
    settled()
    assert page.session.curve.span is None
    assert len(page.fit.rows) == 24


def test_readings_of_every_kind_are_asked_kept_named_and_used_by_a_formula(page, qtbot, settled):
    """Three signals averaged, an area, a number from a formula with a given ±, a list as a table and as a series."""
    bar, session = page.readings, page.session
    qtbot.keyClicks(bar.fields[PlaceReading], "4,1; 4,3; 4,2")
    (three,) = bar.present()
    assert len(three.recipe.signals) == 3
    assert float(page.fit.result.curve(three.crossings[0].x)) == pytest.approx(4.2)
    qtbot.keyClick(bar.fields[PlaceReading], Qt.Key.Key_Return)
    bar.more.setCurrentIndex(1)
    qtbot.keyClicks(bar.fields[AreaReading], "0 .. 60")
    assert page.plot.pennants.pennants[-1][2].startswith("area")
    qtbot.mouseClick(bar.keep_it, LEFT)
    bar.more.setCurrentIndex(3)
    qtbot.keyClicks(bar.fields[FormulaReading], "Q = M/area where M = 500")
    assert bar.answer.text().startswith("Q = ")
    qtbot.keyClick(bar.fields[FormulaReading], Qt.Key.Key_Return)
    settled()
    assert [one.name for one in session.study.readings_of(session.curve.id)] == ["place", "area", "Q"]
    kept = page.findings.kept
    kept._begin_naming(session.study.readings_of(session.curve.id)[1].id)
    kept.name.setText("used up")
    qtbot.keyClick(kept.name, Qt.Key.Key_Return)
    assert session.study.readings_of(session.curve.id)[2].formula == "Q = M/`used up` where M = 500"
    qtbot.keyClicks(bar.fields[ValueReading], "0 .. 60 every 20")
    assert len(bar.present()) == 4
    qtbot.keyClick(bar.fields[ValueReading], Qt.Key.Key_Return)
    assert len(bar.table.table.texts) == 4
    qtbot.mouseClick(bar.table.as_series, LEFT)
    settled()
    made = session.study.series[-1]
    assert (made.rows, [c.name for c in made.columns]) == (4, ["time", "oxygen", "standard error"])
    bar.fields[ValueReading].setText("ten")
    assert bar.fields[ValueReading].property("wrong")
    for _ in range(5):
        session.undo()
    assert session.study.readings_of(session.curve.id) == ()


def test_an_outlier_is_named_looked_at_and_set_aside_after_its_effect_was_seen(page, qtbot, settled):
    """The check opens its picture, the fit without the row is shown beside, and one click sets it aside."""
    session = page.session
    session.do("bring all back", edits.bring_rows_back(session.study, session.series.id, range(25)))
    settled()
    row = page.findings.checks.rows[0]
    assert "Row 10" in page.findings.checks.sentences[0]
    qtbot.mouseClick(row, LEFT, pos=QPoint(60, 8))
    px, py = row.picture.places()
    far = int(np.nanargmax(np.abs(row.picture._picture.y)))
    qtbot.mouseClick(row.picture, LEFT, pos=QPoint(int(px[far]), int(py[far])))
    assert session.rows == {9}
    with_it = page.fit.result.coefficients["k"].value
    qtbot.mouseClick(row.without, LEFT)
    settled()
    told = page.drawn.without.without
    assert told.now.result.coefficients["k"].value == with_it
    assert page.plot.ghost.curve is told.then.result.curve
    assert page.drawn.without.table.texts[-2][0] == "residual s"
    assert [entry.row for entry in session.series.set_aside] == []
    qtbot.keyClicks(page.drawn.without.reason, "bubble")
    qtbot.mouseClick(page.drawn.without.aside, LEFT)
    settled()
    assert session.series.reason(9) == "bubble"
    assert page.fit.result.coefficients["k"].value == told.then.result.coefficients["k"].value
    assert page.plot.ghost.curve is None
    qtbot.mouseClick(page.findings.turn_tests, LEFT)
    assert page.findings.turn_tests.text() == "95 % range, likelihood"
    settled()
    low, high = likelihood_ranges(page.fit)["k"]
    one = page.fit.result.coefficients["k"]
    assert (low, high) == pytest.approx((one.low, one.high), rel=0.02)
    assert session.style.interval(low, high, one.standard_error) in [
        told.text() for told in page.findings.findChildren(QLabel)
    ]
    qtbot.mouseClick(page.findings.turn_tests, LEFT)
    assert page.findings.turn_tests.text() == "t and p"
    qtbot.mouseClick(page.findings.turn_correlations, LEFT)
    assert "A with k" not in page.findings.correlations.accessibleName()
    assert "k with A" in page.findings.correlations.accessibleName()
    session.choose_rows({3})
    qtbot.mouseClick(page.drawn.rows.ask, LEFT)
    settled()
    qtbot.mouseClick(page.drawn.without.leave, LEFT)
    assert page.plot.ghost.curve is None


def test_models_of_several_columns_and_of_transforms_are_shown_for_what_they_are(page, qtbot, settled, window):
    """Two predictors have fitted points and no line, and can be shaped; ln(y) is drawn on its own axis and read as it."""
    from vettore.report.document import report_document
    from vettore.report.renderers.html import html
    from vettore.study.table import RawColumn, Source, Table

    rng, x = np.random.default_rng(1), np.linspace(0, 10, 40)
    z = rng.normal(0, 1, 40)
    columns = (("x", x), ("y", 20 + 3 * x - 1.5 * z + rng.normal(0, 0.1, 40)), ("z", z))
    table = Table(tuple(RawColumn(name, "m", values) for name, values in columns), Source("made"))
    page.session.do("bring in", edits.add_series(page.session.study, table, "Two predictors"))
    page.session.choose_newest()
    settled()
    page.fit_own("y = a + b*x + c*z")
    settled()
    assert page.fit.result.coefficients["c"].value == pytest.approx(-1.5, abs=0.1)
    assert page.plot.line.curve is None
    assert [name for name, _ in page.plot.legend.entries] == ["measured", "fitted"]
    page.hands.shape("b", 4.0)
    assert "× the best" in page.strip.note.text()
    page.readings.fields[ValueReading].setText("3")
    assert "several columns" in page.readings.answer.text()
    assert "svg" in html(report_document(page.session.study))
    page.fit_own("ln(y) = a + b*x")
    settled()
    assert page.plot.upper.getAxis("left").labelText == "ln(y)"
    assert page.plot.marks.ys[0] == pytest.approx(np.log(columns[1][1][0]))
    assert page.plot.line.curve is not None
    assert page.plot.others == []
    assert page.readings.answer.text().startswith("ln(y) = ")
