"""Render docs/screenshots from the demo study. Run: make screens"""

from __future__ import annotations

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtCore import QElapsedTimer
from PySide6.QtWidgets import QApplication

from vettore.app.style import dress
from vettore.app.widgets.data.read_differently import ReadDifferently, guessed_layout
from vettore.app.window import Window
from vettore.demo.study import demo_study
from vettore.files.delimited import parse
from vettore.study import edits
from vettore.study.fitting.peaks_tried import FIRST
from vettore.study.kinds.figure import Note
from vettore.study.table import RawColumn, Source, Table

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"
LONGEST_WAIT_MS = 30_000


NITRIFICATION = """ammonium' = -V*ammonium/(K + ammonium)
oxygen' = y*ammonium' - r
ammonium(0) = N0
oxygen(0) = C0"""


def settle(app: QApplication, window: Window) -> None:
    """Let the window finish what it does in the background."""
    clock = QElapsedTimer()
    clock.start()
    while clock.elapsed() < 300 or (window.session.background.busy and clock.elapsed() < LONGEST_WAIT_MS):
        app.processEvents()


def _with_jars(study):
    """Return a study with six jars more, made up, whose oxygen falls at one rate."""
    t, rng = np.linspace(0, 90, 20), np.random.default_rng(2)
    for number, height in enumerate((3.0, 5.0, 8.0, 6.5, 4.2, 7.1), 1):
        y = height * np.exp(-0.05 * t) + 1 + rng.normal(0, 0.08, len(t))
        table = Table((RawColumn("minute", "min", t), RawColumn("oxygen", "mg/L", y)), Source("made"))
        study = edits.add_series(study, table, f"Jar {number}")
    return study


def _doubtful(study):
    """Return a study with a made-up file whose commas may group digits or part decimals."""
    flow = (1234, 1310, 1402, None, 1488, 1601, 1719, None, 1850, 1968, 2101, 2244)
    lines = [f'{day},"{value:,}"' if value else f"{day},<LOD" for day, value in enumerate(flow)]
    table, _ = parse("\n".join(["day,flow (L/d)", *lines]).encode(), "reed-bed-flow.csv", "reed-bed-flow.csv")
    return edits.add_series(study, table, "Flow")


def main() -> None:
    """Take a picture of each main view."""
    app = QApplication([])
    dress(app)
    window = Window()
    window.show()
    window.start(demo_study())
    oxygen = next(series for series in window.session.study.series if series.name.startswith("Oxygen"))
    rating = window.session.curve
    assert rating is not None

    def take(name: str) -> None:
        settle(app, window)
        # Once more, so that what the background brought is laid out, too.
        settle(app, window)
        window.grab().save(str(FOLDER / f"{name}.png"))

    window.session.choose(oxygen.id)
    window.show_page("Data")
    settle(app, window)
    window.session.choose_rows({12})
    take("data")
    path = Path(oxygen.table.source.path)
    layout = guessed_layout(path.read_bytes(), path.name)
    dialog = ReadDifferently(path.read_bytes(), str(path), layout, window)
    dialog.resize(1180, 640)
    dialog.show()
    settle(app, window)
    dialog.grab().save(str(FOLDER / "bring-in.png"))
    dialog.close()
    window.session.show_curve(rating.id)
    window.show_page("Fit")
    take("fit")
    window.session.choose(oxygen.id)
    settle(app, window)
    window.pages["Fit"].choose("exponential-decay-level")
    fit = window.pages["Fit"]
    settle(app, window)
    fit.over.open_sheet()
    take("line-up")
    fit.over.sheet.closed.emit()
    for key in ("exponential-decay-level", "two-decays", 3):
        fit.line_up.pinned.emit(key)
    fit.comparing.open()
    take("compare")
    fit.comparing.close()
    fit.open_bench()
    fit.own.setText("(A*exp(-k*time) + C)/(1 + q*time)")
    take("own-formula")
    fit.bench.put_away()
    window.session.do("bring back", edits.bring_rows_back(window.session.study, oxygen.id, range(oxygen.rows)))
    settle(app, window)
    fit.preview_without([9])
    settle(app, window)
    for row in fit.findings.checks.rows[:2]:
        row.turn()
    settle(app, window)
    bar = fit.findings.verticalScrollBar()
    bar.setValue(fit.findings.checks.y() - 30)
    take("checks")
    bar.setValue(0)
    fit.drawn.without.close_bar()
    window.session.undo()
    settle(app, window)
    window.session.do("jars", _with_jars(window.session.study))
    settle(app, window)
    fit.over.several.open(fit.fit)
    fit.stage.setCurrentWidget(fit.over.several)
    for identity, box in fit.over.several.series.items():
        box.setChecked(window.session.study.find_series(identity).name.startswith("Jar"))
    fit.over.several.common["k"].setChecked(True)
    take("many-series")
    fit.over.several.closed.emit()
    window.session.undo()
    settle(app, window)
    named = {series.name.split(",")[0]: series.id for series in window.session.study.series}
    window.session.choose(named["Pigments"])
    settle(app, window)
    fit.choose(FIRST)
    settle(app, window)
    fit.peaks.choose(2)
    take("spectrum")
    window.session.undo()
    window.session.choose(named["Nitrification"])
    window.show_page("Equations")
    equations = window.pages["Equations"]
    settle(app, window)
    equations.open_bench()
    equations.bench.field.setPlainText(NITRIFICATION)
    equations.bench.ask()
    settle(app, window)
    equations.read("4.57 - y")
    settle(app, window)
    equations.bring_to_front("oxygen")
    take("equations")
    window.session.choose(named["Pond temperature"])
    window.show_page("Interpolate")
    settle(app, window)
    window.pages["Interpolate"].choose("smoothing")
    take("interpolate")
    window.session.choose(named["Dye pulse"])
    window.show_page("Integrate")
    settle(app, window)
    take("integrate")
    window.pages["Integrate"].find_peaks()
    settle(app, window)
    take("peaks")
    window.show_page("Polynomial")
    page = window.pages["Polynomial"]
    for text in ("0,5; 0; -3,5; 1,8", "1; -1; -2"):
        page.shelf.coefficients.setText(text)
        page.shelf.coefficients.returnPressed.emit()
    page.shelf.makers["÷"].click()
    page.choose(window.session.study.polynomials[0].id)
    take("polynomial")
    window.session.choose(named["Nitrate"])
    window.show_page("Surface")
    settle(app, window)
    surface = window.pages["Surface"]
    surface._draw_section(6.0, 34.0, 56.0, 20.0, True)
    settle(app, window)
    surface.deciding.choose_method("kriging")
    settle(app, window)
    surface.read_at("22", "18.5")
    surface.keep_reading()
    take("surface")
    window.session.show_curve(rating.id)
    window.show_page("Report")
    take("report")
    report = window.page
    report.open_figure()
    settle(app, window)
    made = report.editor.recipe.changed(
        title="Rating of the outflow weir",
        legend="upper left",
        notes=(Note("ice at the gauge", 0.88, 0.77, (0.87, 0.4)),),
    )
    report.editor._change(lambda _recipe: made)
    take("figure")
    report.close_figure()
    window.start(_doubtful(demo_study()))
    window.session.choose(window.session.study.series[-1].id)
    window.show_page("Data")
    take("doubt")
    window.show_page("Integrate")
    page = window.pages["Integrate"]
    page.choices.panel.fill("x/(1 + x^2)", "-inf", "inf")
    page.take_function()
    take("not-settled")
    window.session.background.stop()


if __name__ == "__main__":
    main()
