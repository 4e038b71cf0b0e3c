"""Render docs/screenshots from the demo study. Run: make screens"""

from __future__ import annotations

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QElapsedTimer
from PySide6.QtWidgets import QApplication

from vettore.app.style import dress
from vettore.app.widgets.read_differently import ReadDifferently, guessed_layout
from vettore.app.window import Window
from vettore.demo.study import demo_study

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"
LONGEST_WAIT_MS = 30_000


def settle(app: QApplication, window: Window) -> None:
    """Let the window finish what it does in the background."""
    clock = QElapsedTimer()
    clock.start()
    while clock.elapsed() < 300 or (window.session.background.busy and clock.elapsed() < LONGEST_WAIT_MS):
        app.processEvents()


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
    take("line-up")
    named = {series.name.split(",")[0]: series.id for series in window.session.study.series}
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
    take("peaks")
    window.show_page("Polynomial")
    page = window.pages["Polynomial"]
    for text in ("0,5; 0; -3,5; 1,8", "1; -1; -2"):
        page.coefficients.setText(text)
        page.add_by_coefficients()
    page.make("÷")
    page.choose(window.session.study.polynomials[0].id)
    take("polynomial")
    window.session.show_curve(rating.id)
    window.show_page("Report")
    take("report")
    window.session.background.stop()


if __name__ == "__main__":
    main()
