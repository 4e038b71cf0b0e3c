"""Drives every page of a real window and prints, as JSON, how long the window's thread was held at most by each act.

Time is that of the thread alone, in milliseconds, so that other programs on the machine do not count; it is set beside a
loop that takes 100 ms on the machine on which the limit was chosen. Run as a program of its own by holds.py, with the number of
rows of a second study, if any.
"""

import json
import os
import sys
import time

os.environ["QT_QPA_PLATFORM"] = "offscreen"

import numpy as np
from PySide6.QtCore import QEventLoop
from PySide6.QtWidgets import QApplication

from vettore.app.main import calm
from vettore.app.shell.warming import warm
from vettore.app.style import dress
from vettore.app.window import Window
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

LOOP = 1_100_000
PAGES = ("Data", "Fit", "Interpolate", "Integrate", "Polynomial", "Surface", "Report")
held = {"most": 0.0, "by": "", "depth": 0}


class Watched(QApplication):
    """Measures every event that the loop delivers, with all that it leads to."""

    def notify(self, receiver, event):
        held["depth"] += 1
        start = time.thread_time()
        try:
            return super().notify(receiver, event)
        finally:
            held["depth"] -= 1
            spent = time.thread_time() - start
            if held["depth"] == 0 and spent > held["most"]:
                held["most"], held["by"] = spent, f"{event.type().name} of {type(receiver).__name__}"


def pace():
    """How many times slower this machine is than the one on which the limit was chosen."""
    spent = []
    for _ in range(3):
        start, total = time.thread_time(), 0
        for i in range(LOOP):
            total += i
        spent.append(time.thread_time() - start)
    return max(min(spent) / 0.1, 1.0)


def many(rows):
    rng = np.random.default_rng(1)
    x = np.linspace(0, 100, rows)
    y = 5 * np.exp(-x / 20) + np.sin(x) + rng.normal(0, 0.1, rows)
    table = Table((RawColumn("t", "s", x), RawColumn("y", "V", y)), Source("made"))
    study = edits.add_series(Study(title="many"), table, "many")
    return edits.add_model(study, "s1", "exponential-decay-level")


class Driver:
    def __init__(self, app, window, name):
        self.app, self.window, self.name, self.told = app, window, name, []

    def act(self, label, act):
        """Do something, let the window settle, and note the longest hold."""
        held["most"], held["by"] = 0.0, ""
        start = time.thread_time()
        act()
        spent, by, quiet, end = time.thread_time() - start, "the call", 0, time.monotonic() + 60
        while quiet < 8 and time.monotonic() < end:
            self.app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 1)
            quiet = 0 if self.window.session.background.busy else quiet + 1
            # The other threads need Python, too.
            time.sleep(0.004)
        if held["most"] > spent:
            spent, by = held["most"], held["by"]
        self.told.append((spent * 1000, f"{self.name}: {label} ({by})"))

    def drive(self, study):
        session, pages = self.window.session, self.window.pages
        for name in PAGES:
            # A page is made once, when it is first shown; docs/ARCHITECTURE.md has how long that takes.
            _ = pages[name]
        self.act("start", lambda: self.window.start(study))
        first = session.series.id
        for name in PAGES:
            # The surface is over the sites of a study that has some.
            sites = [series.id for series in study.series if series.name.startswith("Nitrate, reed")]
            session.choose(sites[0] if sites and name == "Surface" else first)
            self.act(f"first sight of {name}", lambda name=name: self.window.show_page(name))
            page = pages[name]
            if name == "Integrate":
                self.act("spline", page.choices.points.rules["spline"].click)
                for act in (page.keep_area, page.make_slopes, session.undo, page.find_peaks):
                    self.act(getattr(act, "__name__", "act"), act)
            if name == "Interpolate":
                for method in ("smoothing", "cubic"):
                    self.act(method, lambda page=page, method=method: page.choose(method))
            if name == "Surface" and sites:
                for method in ("linear", "kriging"):
                    self.act(method, lambda page=page, method=method: page.deciding.choose_method(method))
            if name not in ("Data", "Fit", "Integrate"):
                continue
            aside = edits.set_rows_aside(session.study, session.series.id, [5], "bubble")
            self.act(f"a row set aside on {name}", lambda aside=aside: session.do("set a row aside", aside))
            self.act(f"undone on {name}", session.undo)


def main():
    app = Watched([])
    dress(app)
    calm()
    warm()
    told, rows = [], int(sys.argv[1])
    for name, study in (("demo", demo_study()), *([(f"{rows:,} rows", many(rows))] if rows else [])):
        window = Window()
        window.resize(1280, 800)
        window.show()
        driver = Driver(app, window, name)
        driver.drive(study)
        told += driver.told
        window.session.background.stop()
        window.hide()
    print(json.dumps({"pace": pace(), "held": sorted(told, reverse=True)}), flush=True)
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
