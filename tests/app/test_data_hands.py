"""Hands on data in the real window: paste, type, fill, lasso, ask, work out, read differently, practice."""

import os
import signal
import subprocess
import sys

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialogButtonBox

from vettore import core
from vettore.app.shell.recent import recent_studies
from vettore.app.stage.hand_box import Hand
from vettore.app.stage.picture import save_picture
from vettore.core.columns.inspection import FindingKind
from vettore.core.rounding import NumberStyle
from vettore.demo.make_data import FOLDER
from vettore.demo.study import demo_study
from vettore.files.journal import recover
from vettore.files.readers import read_file
from vettore.study import edits
from vettore.study.series import Role
from vettore.words.readings import rows_at

LEFT = Qt.MouseButton.LeftButton
CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def page(window, settled):
    """The Data page of the demo study, with the oxygen series chosen."""
    window.start(demo_study())
    oxygen = next(series for series in window.session.study.series if series.name.startswith("Oxygen"))
    window.session.choose(oxygen.id)
    settled()
    return window.pages["Data"]


def cell(page, row, place):
    return page.table.visualRect(page.table.model().index(row, place)).center()


def test_a_column_is_typed_filled_and_pasted(window, qtbot, settled):
    """Values typed with Enter and Tab, a sequence, a pasted block and fill down land where hands expect; all is undone."""
    page = window.pages["Data"]
    page.bringing.type_columns()
    table = page.table
    editor_keys = [
        ("1,5", Qt.Key.Key_Return),
        ("2.5", Qt.Key.Key_Return),
        ("n/a", Qt.Key.Key_Return),
        ("4", Qt.Key.Key_Return),
    ]
    for text, end in editor_keys:
        table.edit(table.currentIndex())
        editor = QApplication.focusWidget()
        QTest.keyClicks(editor, text)
        QTest.keyClick(editor, end)
        # The editor commits and closes once its key press is through.
        QApplication.processEvents()
    series = window.session.series
    np.testing.assert_array_equal(series.data[0].values, [1.5, 2.5, np.nan, 4])
    assert series.data[0].words == {2: "n/a"}
    table.setCurrentIndex(table.model().index(0, 1))
    page.hands.fill_sequence(0, 5, None, 4, False)
    assert window.session.series.data[1].values.tolist() == [0, 5, 10, 15]
    QApplication.clipboard().setText("7\t70\n8\t80\n")
    table.setCurrentIndex(table.model().index(3, 0))
    qtbot.keyClick(table, Qt.Key.Key_V, CONTROL)
    assert window.session.series.data[1].values.tolist() == [0, 5, 10, 70, 80]
    table.setCurrentIndex(table.model().index(2, 0))
    table.selectionModel().select(table.model().index(3, 0), table.selectionModel().SelectionFlag.Select)
    qtbot.keyClick(table, Qt.Key.Key_D, CONTROL)
    assert window.session.series.data[0].words == {2: "n/a", 3: "n/a"}
    window.session.choose_rows({0})
    page.hands.delete_rows()
    assert window.session.series.rows == 4
    while window.session.history.undo_label:
        window.session.undo()
    assert window.session.study.series == ()


def test_rows_are_typed_by_tab_and_enter_alone(window, qtbot, settled):
    """Tab goes right, Enter below to where the Tabs began; an arrow in between begins anew; Del blanks; copy gives all."""
    page = window.pages["Data"]
    page.bringing.type_columns()
    table = page.table
    keys = [
        ("1", "Tab"),
        ("10", "Enter"),
        ("2", "Tab"),
        ("20", "Enter"),
        ("3", "Enter"),
        ("4", "Tab"),
        ("40", "Enter"),
    ]
    places = []
    for text, end in keys:
        places.append((table.currentIndex().row(), table.currentIndex().column()))
        if QApplication.focusWidget() is table:
            # The first key opens the cell; after a Tab it is open.
            QTest.keyClicks(table, text[0])
            text = text[1:]
        editor = QApplication.focusWidget()
        QTest.keyClicks(editor, text)
        QTest.keyClick(editor, Qt.Key.Key_Tab if end == "Tab" else Qt.Key.Key_Return)
        QApplication.processEvents()
    assert places == [(0, 0), (0, 1), (1, 0), (1, 1), (2, 0), (3, 0), (3, 1)]
    assert (table.currentIndex().row(), table.currentIndex().column()) == (4, 0)
    x, y = (column.values for column in window.session.series.data)
    np.testing.assert_array_equal(x, [1, 2, 3, 4])
    np.testing.assert_array_equal(y, [10, 20, np.nan, 40])
    table.setCurrentIndex(table.model().index(1, 0))
    qtbot.keyClick(table, Qt.Key.Key_Tab)
    qtbot.keyClick(table, Qt.Key.Key_Up)
    qtbot.keyClick(table, Qt.Key.Key_Return)
    assert (table.currentIndex().row(), table.currentIndex().column()) == (1, 1)
    table.selectAll()
    qtbot.keyClick(table, Qt.Key.Key_C, CONTROL)
    assert QApplication.clipboard().text().splitlines()[1:] == ["1.0\t10.0", "2.0\t20.0", "3.0\t", "4.0\t40.0"]
    qtbot.mouseClick(table.viewport(), LEFT, pos=table.visualRect(table.model().index(0, 1)).center())
    qtbot.keyClick(table, Qt.Key.Key_Delete)
    assert np.isnan(window.session.series.data[1].values[0])
    window.session.undo()
    assert window.session.series.data[1].values[0] == 10


def test_series_stand_beside_each_other_by_ctrl_and_a_click(window, qtbot, settled):
    """The chosen series stays chosen; the other is ringed in the tray, drawn, and named in a legend that fits."""
    window.start(demo_study())
    chosen = window.session.series.id
    others = [one.id for one in window.session.study.series if one.id != chosen][:2]
    name = "Redox potential at the outlet of the northern basin, probe 7"
    window.session.do("rename", edits.rename_series(window.session.study, others[0], name))
    settled()
    for other in others:
        qtbot.mouseClick(window.tray.list.entries[other, ""], LEFT, CONTROL)
    page, entries = window.pages["Data"], window.tray.list.entries
    assert window.session.series.id == chosen
    assert [entries[one, ""].beside for one in (chosen, *others)] == [False, True, True]
    assert len(page.plot.others) == 2
    (low, high), _ = page.plot.framing.limits()
    assert all(low < marks.xs.min() and marks.xs.max() < high for marks in (page.plot.marks, *page.plot.others))
    assert page.plot.legend.entries[1][0] == name
    qtbot.mouseClick(entries[others[0], ""], LEFT, CONTROL)
    assert [entries[one, ""].beside for one in others] == [False, True]


def test_a_value_from_a_file_shows_its_original_and_comes_back(page, window, qtbot):
    """Typing over a file's value keeps the original beside it; Ctrl+Backspace brings it back."""
    table = page.table
    table.setFocus()
    index = table.model().index(3, 1)
    table.setCurrentIndex(index)
    before = window.session.series.data[1].values[3]
    table.model().setData(index, "9,99")
    assert window.session.series.data[1].values[3] == 9.99
    assert window.session.series.table.columns[1].values[3] == before
    assert "It came as" in table.model().data(index, Qt.ItemDataRole.ToolTipRole)
    table.setCurrentIndex(table.model().index(3, 1))
    qtbot.keyClick(table, Qt.Key.Key_Backspace, CONTROL)
    assert window.session.series.data[1].values[3] == before


def test_a_paste_becomes_a_series_and_a_copy_goes_back_out(window, qtbot, settled):
    """Two columns pasted from a spreadsheet are a plotted series with names and units; copying gives them back."""
    page = window.pages["Data"]
    QApplication.clipboard().setText("t (s)\tlevel (cm)\n0\t1,5\n1\t2,5\n2\t3\n")
    page.bringing.paste()
    series = window.session.series
    assert (series.label(Role.X), series.label(Role.Y), series.rows) == ("t (s)", "level (cm)", 3)
    page.table.selectAll()
    qtbot.keyClick(page.table, Qt.Key.Key_C, CONTROL)
    assert QApplication.clipboard().text().splitlines()[:2] == ["t (s)\tlevel (cm)", "0.0\t1.5"]
    QApplication.clipboard().setText("")
    page.bringing.paste()
    assert "holds no text" in window._status.text()


def drag(qtbot, plot, points):
    places = [plot.position_of(x, y).toPoint() for x, y in points]
    view = plot.viewport()
    qtbot.mousePress(view, LEFT, pos=places[0])
    for place in places[1:]:
        for step in (0.5, 1.0):
            here = places[0] + (place - places[0]) * step if len(places) == 2 else place
            qtbot.mouseMove(view, QPoint(here))
            QTest.qWait(5)
    qtbot.mouseRelease(view, LEFT, pos=places[-1])


def test_rows_are_chosen_by_lasso_span_and_box(page, window, qtbot):
    """What is enclosed on the plot is chosen in the table; the view stays."""
    x, y = window.session.series.values(Role.X), window.session.series.values(Role.Y)
    view = page.plot.upper.vb.viewRange()
    page.choices.hand.setCurrentText(str(Hand.SPAN))
    drag(qtbot, page.plot, [(25, 4), (50, 4)])
    assert window.session.rows == frozenset(np.flatnonzero((x >= 25) & (x <= 50)).tolist())
    page.choices.hand.setCurrentText(str(Hand.LASSO))
    drag(qtbot, page.plot, [(50, 1.7), (120, 1.7), (120, 3.2), (50, 3.2), (50, 2.0)])
    assert window.session.rows == frozenset(np.flatnonzero((x > 50) & (y < 3.2)).tolist())
    assert page.plot.upper.vb.viewRange() == view
    page.choices.hand.setCurrentText(str(Hand.ZOOM))
    drag(qtbot, page.plot, [(20, 3), (60, 5)])
    assert page.plot.upper.vb.viewRange() != view
    qtbot.keyClick(page.plot, Qt.Key.Key_Backspace)
    np.testing.assert_allclose(page.plot.upper.vb.viewRange(), view)


def test_questions_are_answered_before_anything_changes(page, window, qtbot):
    """A condition tells its count; errors say the remedy; setting aside keeps the condition as the reason."""
    study = window.session.study
    qtbot.mouseClick(page.tools.links["Find rows …"], LEFT)
    qtbot.keyClicks(page.ask.field, "time > 60 and oxygen < 2.2")
    rows = page.ask.rows()
    assert f"{len(rows)} of 25" in page.ask.answer.text()
    assert window.session.study is study
    qtbot.mouseClick(page.ask.aside, LEFT)
    assert not window.session.series.kept[rows].any()
    assert window.session.series.reason(rows[0]) == "time > 60 and oxygen < 2.2"
    page.ask.field.setText("oxigen > 2")
    assert "no column “oxigen”" in page.ask.answer.text()
    assert not page.ask.aside.isEnabled()


def test_a_worked_column_is_added_and_decided_about(page, window, qtbot):
    """A formula becomes a live column; its form renames it, converts units and sorts by it."""
    qtbot.mouseClick(page.tools.links["Work out a column …"], LEFT)
    assert not page.ask.isVisible()
    qtbot.keyClicks(page.work_out.name, "rest")
    qtbot.keyClicks(page.work_out.formula, "ln(oxygen - 2)")
    qtbot.mouseClick(page.work_out.add, LEFT)
    series = window.session.series
    assert series.columns[-1].formula == "ln(oxygen - 2)"
    page.decide_column(0, page.table.mapToGlobal(QPoint(10, 10)))
    page.popup.convert.setText("s")
    page.popup.apply()
    assert window.session.series.values(Role.X)[1] == 120
    assert window.session.series.columns[0].unit == "s"
    page.decide_column(0, page.table.mapToGlobal(QPoint(10, 10)))
    page.popup.convert.setText("mg")
    page.popup.apply()
    assert "measure different things" in page.popup.problem.text()
    page.popup._sort(True)
    assert page.table.model().row_of(0) == 24
    assert window.session.series.table.columns[0].values[1] == 2


def test_a_file_is_read_differently_and_the_choice_is_remembered(window, qtbot, settled, tmp_path):
    """A decimal comma taken for a delimiter is put right, at once, and for the next file that looks the same."""
    for name in ("a.csv", "b.csv"):
        (tmp_path / name).write_text("t,v\n1,5\n2,5\n3,7\n")
    window.open_paths([tmp_path / "a.csv"])
    settled()
    assert len(window.session.series.columns) == 2

    def answer():
        dialog = window.files.dialog
        dialog.mark.setCurrentIndex(dialog.mark.findData(","))
        dialog.delimiter.setCurrentIndex(dialog.delimiter.findData(";"))
        assert dialog.table.columns[0].values.tolist() == [1.5, 2.5, 3.7]
        dialog.buttons.button(QDialogButtonBox.StandardButton.Ok).click()

    QTimer.singleShot(200, answer)
    window.files.read_differently()
    assert len(window.session.study.series) == 1
    assert window.session.series.data[0].values.tolist() == [1.5, 2.5, 3.7]
    window.open_paths([tmp_path / "b.csv"])
    settled()
    assert window.session.series.data[0].values.tolist() == [1.5, 2.5, 3.7]


def test_a_changed_file_is_read_again_into_the_same_recipes(window, qtbot, settled, tmp_path):
    """New data under the same work: roles and fits stay, the numbers follow."""
    path = tmp_path / "run.csv"
    path.write_text("t,v\n0,1\n1,3\n2,5.5\n")
    window.open_paths([path])
    settled()
    window.show_page("Fit")
    window.pages["Fit"].deciding.choose_degree(1)
    settled()
    path.write_text("t,v\n0,1\n1,3\n2,5\n3,7\n")
    window.files.read_again()
    settled()
    fit = window.pages["Fit"].fit.result
    assert fit.n == 4
    assert fit.values == pytest.approx((1.0, 2.0))


def test_practice_data_keep_their_truth(window, qtbot, settled):
    """The panel previews, refuses in a sentence, makes the series, and the fit shows the truth beside it."""
    page = window.pages["Data"]
    page.practice.open()
    panel = page.practice.panel
    assert len(page.plot.marks.xs) == 40
    panel.noise.setText("-1")
    assert "not be negative" in panel.problem.text()
    panel.noise.setText("0,05")
    panel.formula.setText("y = a + b*x")
    panel._values["b"].setText("3")
    qtbot.mouseClick(panel.make, LEFT)
    assert window.session.series.table.source.kind == "practice"
    window.show_page("Fit")
    settled()
    assert "b = 3" in window.pages["Fit"].findings._truth.text()
    assert window.pages["Fit"].fit.result.values[1] == pytest.approx(3, abs=0.01)


def test_rows_are_planned_before_there_are_data(window, qtbot, settled):
    """The plan of the core is made into rows, told beside rows spread evenly; the field for it is there only then."""
    page = window.pages["Data"]
    page.practice.open()
    panel = page.practice.panel
    assert not panel.wanted.isVisible()
    panel.count.setText("12")
    panel.noise.setText("0.3")
    panel.spacing.setCurrentText("where they tell most")
    assert panel.wanted.isVisible()
    places = np.linspace(0, 100, 201)
    values = {"A": 6, "k": 0.04, "C": 2}
    every = core.plan_rows("y = A*exp(-k*t) + C", values, places, 12, "all", sigma=0.3)
    assert page.plot.marks.xs.tolist() == list(every.x)
    assert f"k ± {every.standard_errors['k']:.2g}" in panel.plan.text()
    panel.wanted.setCurrentText("k")
    plan = core.plan_rows("y = A*exp(-k*t) + C", values, places, 12, "k", sigma=0.3)
    assert page.plot.marks.xs.tolist() == list(plan.x)
    assert panel.plan.text() == (
        f"12 rows at {rows_at(plan.x, NumberStyle())}: k would be known to ± {plan.standard_error:.2g}. "
        f"Spread evenly they would make it ± {plan.even:.2g}."
    )
    # What one column says of another: where y is small, a scatter that goes with it is small, too.
    panel.kind.setCurrentText("relative")
    shares = core.plan_rows(
        "y = A*exp(-k*t) + C", values, places, 12, "k", sigma=0.3 * (6 * np.exp(-0.04 * places) + 2)
    )
    assert page.plot.marks.xs.tolist() == list(shares.x)
    panel.count.setText("2")
    assert "3 to 200 rows" in panel.problem.text()
    panel.count.setText("12")
    qtbot.mouseClick(panel.make, LEFT)
    assert window.session.series.values(Role.X).tolist() == list(shares.x)


def test_what_to_look_at_offers_its_remedy(page, window, qtbot, settled):
    """Bringing the far-off row back names it again; its remedy sets it aside with the sentence as reason."""
    window.session.choose_rows({9})
    window.session.bring_back()
    settled()
    (far,) = [finding for finding in page.findings.look.findings if finding.kind is FindingKind.FAR_OFF]
    assert far.rows == (9,)
    page._remedy(far)
    assert "far from" in window.session.series.reason(9)


def test_pictures_recent_studies_and_several_series(window, qtbot, settled, tmp_path, monkeypatch):
    """The plot is saved in three kinds, series stand together with a legend, and a saved study is recent."""
    window.start(demo_study())
    page = window.pages["Data"]
    settled()
    other = window.session.study.series[0].id
    window.session.turn_beside(other)
    assert [name for name, _ in page.plot.legend.entries] == ["Stage–discharge rating", "Nitrate probe"]
    window.take_theme(True)
    window.take_theme(False)
    for ending, mark in ((".png", b"\x89PNG"), (".svg", b"<svg"), (".pdf", b"%PDF")):
        save_picture(page.plot, tmp_path / f"plot{ending}")
        assert mark in (tmp_path / f"plot{ending}").read_bytes()[:200]
    page.choices.log_y.click()
    assert page.plot.upper.vb.viewRange()[1][0] < np.log10(0.0652) < page.plot.upper.vb.viewRange()[1][1]
    window.session.path = tmp_path / "kept.vettore"
    window.saving.save()
    (recent,) = recent_studies(window.places.recent)
    assert recent.path == tmp_path / "kept.vettore"
    assert recent.picture.exists()


def test_all_demo_files_open_by_their_contents():
    """The demo's own files open through the common reader."""
    assert all(len(read_file(path)) == 1 for path in sorted(FOLDER.iterdir()))


WORKING = """
import os, sys
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from vettore.app.main import begin
from vettore.app.style import dress
from vettore.app.window import Window
from vettore.demo.study import demo_study
from vettore.files.journal import Journal
from vettore.study import edits
app = QApplication([]); dress(app)
window = Window(); window.show(); begin(window, [], False); window.start(demo_study())
keep = Journal.keep
def keep_and_tell(journal, number, study, path):
    keep(journal, number, study, path)
    if study.title.startswith("edit "):
        print("kept", study.title.split()[-1], flush=True)
Journal.keep = keep_and_tell
count = 0
def edit():
    global count
    count += 1
    window.session.do("edit", edits.set_title(window.session.study, f"edit {count}"))
timer = QTimer(); timer.timeout.connect(edit); timer.start(20)
app.exec()
"""
KILLS = int(os.environ.get("VETTORE_KILLS", "3"))


def test_a_killed_window_loses_nothing_that_was_kept(tmp_path):
    """SIGKILL in a scripted editing run: every edit is on its way to the journal at once, and what is recovered is whole."""
    for number in range(KILLS):
        home = tmp_path / str(number)
        process = subprocess.Popen(
            [sys.executable, "-c", WORKING], stdout=subprocess.PIPE, env={**os.environ, "VETTORE_HOME": str(home)}
        )
        for _ in range(1 + 7 * number):
            first = process.stdout.readline()
        os.kill(process.pid, signal.SIGKILL)
        kept = int((first + process.communicate()[0]).split()[-1])
        (found,) = recover(home / "journal")
        assert int(found.study.title.split()[-1]) >= kept
        assert len(found.study.series) == len(demo_study().series)
