"""The same work on a new file from the Report page: five files whose columns differ, each right, or asked for in place."""

import numpy as np
import pytest
from PySide6.QtCore import Qt

from tests.app.conftest import short_report
from vettore.app.pages.again.present import NO_COLUMN
from vettore.files.study_file import open_study
from vettore.study.derive import derive_fit

LEFT = Qt.MouseButton.LeftButton
STAGE = 0.18 + 0.06 * np.arange(14)
FLOW = 0.02 + 0.13 * STAGE + 0.9 * STAGE**2 + 0.01 * (-1.0) ** np.arange(14)
# Names with units, and what was done to the values, of new files; whether something is asked, and what.
FILES = {
    "same": ("stage (m)", "discharge (m³/s)", 1.0, 1.0, ""),
    "spelt": ("Stage (m)", "DISCHARGE (m³/s)", 1.0, 1.0, ""),
    "by unit": ("level (m)", "flow (m³/s)", 1.0, 1.0, ""),
    "in L/s": ("stage (m)", "discharge (L/s)", 1.0, 1000.0, ""),
    "unknown": ("stage (m)", "q", 1.0, 1.0, "no column “discharge”"),
}


@pytest.fixture
def page(window, settled):
    window.resize(1280, 800)
    window.start(short_report())
    window.show_page("Report")
    settled()
    return window.page


def written(folder, name):
    x_name, y_name, by_x, by_y, asked = FILES[name]
    lines = [
        f"{y_name},{x_name}",
        *(f"{y * by_y!r},{x * by_x!r}" for x, y in zip(STAGE.tolist(), FLOW.tolist(), strict=True)),
    ]
    path = folder / "new.csv"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return path, asked


@pytest.mark.parametrize("name", FILES)
def test_columns_that_differ_are_found_or_asked_for(page, window, settled, qtbot, tmp_path, name):
    """Then old and new stand side by side; taken, the fit has the new numbers, and undo brings the old ones back."""
    path, asked = written(tmp_path, name)
    before = window.session.study
    page.again.open_file(path)
    settled()
    panel = page.again.panel
    assert panel.isVisible()
    assert (asked in page.again.again.trouble) if asked else not page.again.again.trouble
    if asked:
        assert not panel.take.isEnabled()
        assert panel.combos["stage"].currentText() == "stage"
        combo = panel.combos["discharge"]
        assert combo.currentText() == NO_COLUMN
        combo.setCurrentText("q")
        combo.activated.emit(combo.currentIndex())
        settled()
    lines = {line.name: line for line in page.again.again.lines}
    assert lines["Quadratic · a2"].old == "0.874 ± 0.059 m/s"
    assert lines["Quadratic · a2"].new == "0.900 ± 0.058 m/s"
    assert lines["Quadratic · a2"].apart == "+0.3 σ"
    assert lines["Quadratic · At the summer mark"].new == "0.5513 ± 0.0042 m³/s"
    qtbot.mouseClick(panel.take, LEFT)
    settled()
    assert not panel.isVisible()
    curve = window.session.study.reported_curve
    expected = np.polynomial.polynomial.polyfit(STAGE, FLOW, 2)
    assert derive_fit(window.session.study, curve.id).result.values == pytest.approx(expected, rel=1e-9)
    window.undo()
    assert window.session.study == before


def test_it_is_saved_as_a_study_of_its_own(page, window, settled, tmp_path):
    """The open study stays as it is; a file that cannot be read is said, and Escape goes back to the report."""
    path, _ = written(tmp_path, "same")
    before = window.session.study
    page.again.open_file(path)
    settled()
    page.again.save(tmp_path / "june.vettore")
    settled()
    assert window.session.study is before
    made = open_study(tmp_path / "june.vettore")
    assert [part.id for part in made.parts] == [part.id for part in before.parts]
    assert derive_fit(made, made.reported_curve.id).result.values[2] == pytest.approx(0.9, abs=0.01)
    assert page.close_topmost()
    assert not page.again.panel.isVisible()
    (tmp_path / "empty.csv").write_text("")
    page.again.open_file(tmp_path / "empty.csv")
    settled()
    assert not page.again.panel.isVisible()
