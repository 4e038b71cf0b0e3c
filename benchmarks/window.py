"""The window against a bare pyqtgraph window: start, and frames while panning."""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

TOP = Path(__file__).parents[1]

BARE = """
import sys, time
import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QTimer
app = pg.mkQApp()
plot = pg.PlotWidget()
plot.resize(1280, 800)
plot.plot(np.arange(10.0), np.arange(10.0))
plot.show()
QTimer.singleShot(0, lambda: (plot.repaint(), print("painted", flush=True), app.quit()))
app.exec()
"""

OURS = """
import sys
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
app = QApplication([])
from vettore.app.style import dress
dress(app)
from vettore.app.window import Window
window = Window()
window.show()
QTimer.singleShot(0, lambda: (window.repaint(), print("painted", flush=True), app.quit()))
app.exec()
"""


def _start(code: str, compiled: str) -> float:
    # Both with their modules compiled, as after any first start, wherever this one may write.
    home = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
    begun = time.perf_counter()
    process = subprocess.Popen(
        [sys.executable, "-c", code], stdout=subprocess.PIPE, env={**home, "PYTHONPYCACHEPREFIX": compiled}
    )
    assert process.stdout is not None
    process.stdout.readline()
    taken = time.perf_counter() - begun
    process.wait()
    return taken


def starts() -> None:
    """Print the times to the first painted window, by turns."""
    print("From the start of the process to the first window painted")
    taken: dict[str, list[float]] = {"ours": [], "bare": []}
    with tempfile.TemporaryDirectory() as compiled:
        for _ in range(6):
            taken["bare"].append(_start(BARE, compiled))
            taken["ours"].append(_start(OURS, compiled))
    ours, bare = (statistics.median(taken[name][1:]) for name in ("ours", "bare"))
    print(f"  Vettore {ours * 1e3:7.0f} ms   bare pyqtgraph {bare * 1e3:7.0f} ms   ratio {ours / bare:5.2f}")


def _frames(paint, pan, count: int = 25) -> float:
    times = []
    for _ in range(count):
        begun = time.perf_counter()
        pan()
        paint()
        times.append(time.perf_counter() - begun)
    return statistics.median(times)


def frames() -> None:
    """Print the time of a frame while panning points, ours and a bare scatter plot of the same data."""
    import pyqtgraph as pg

    from vettore.app.stage.plot import Plot
    from vettore.app.style import dress

    print("A frame while panning points, 900 × 500, offscreen paint included")
    app = pg.mkQApp()
    dress(app)
    rng = np.random.default_rng(1)
    for n in (1_000, 10_000, 100_000, 1_000_000):
        x = np.linspace(0, 100, n)
        y = np.sin(x / 9) + rng.normal(0, 0.1, n)
        few = 25 if n <= 10_000 else 3
        for kind in ("marks", "line"):
            plot = Plot(lambda *_said: None)
            plot.resize(900, 500)
            plot.show()
            if kind == "marks":
                plot.marks.set_data(x, y, np.arange(n), np.zeros(n, bool), "#333C42")
            else:
                plot.trace.set_data(x, y, "#333C42")
                plot.trace.setVisible(True)
            plot.show_home(x, y)
            app.processEvents()
            ours = _frames(lambda plot=plot: plot.grab(), lambda plot=plot: plot.upper.vb.translateBy(x=0.2))
            plot.close()
            bare = pg.PlotWidget()
            bare.resize(900, 500)
            bare.plot(x, y, pen=None, symbol="o", symbolSize=8) if kind == "marks" else bare.plot(x, y)
            bare.show()
            app.processEvents()
            theirs = _frames(lambda b=bare: b.grab(), lambda b=bare: b.plotItem.vb.translateBy(x=0.2), few)
            bare.close()
            words = f"  n = {n:>9,}  {kind}"
            print(f"{words}   Vettore {ours * 1e3:8.1f} ms   bare pyqtgraph {theirs * 1e3:8.1f} ms", flush=True)


def memory() -> None:
    """Print how much memory a file of 1e6 × 4 takes in the window, against its arrays."""
    code = """
import json, resource, sys, tempfile
from pathlib import Path
import numpy as np
from PySide6.QtWidgets import QApplication
from vettore.app.style import dress
from vettore.app.window import Window
app = QApplication([]); dress(app); window = Window(); window.show(); app.processEvents()
import pandas, scipy.special
path = Path(tempfile.mkdtemp()) / "long.csv"
with path.open("w") as out:
    rng = np.random.default_rng(1)
    out.write("a;b;c;d\\n")
    for block in range(100):
        rows = rng.normal(size=(10_000, 4)).round(5)
        rows[:, 0] = np.arange(10_000) + block * 10_000
        out.writelines(";".join(map(repr, row)) + "\\n" for row in rows.tolist())
def now():
    import gc
    gc.collect()
    return int(open("/proc/self/statm").read().split()[1]) * resource.getpagesize()
before = now()
window.open_paths([path])
while window.session.background.busy or not window.session.study.series:
    app.processEvents()
window.repaint()
import time
until = time.time() + 2
while time.time() < until:
    app.processEvents()
print(json.dumps([now() - before, 8 * 4 * 1_000_000])); window.session.background.stop()
"""
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    taken, arrays = json.loads(out.stdout)
    print(f"A file of 1e6 × 4 in the window: {taken / 1e6:.0f} MB for arrays of {arrays / 1e6:.0f} MB", end="")
    print(f"   ratio {taken / arrays:.1f}", flush=True)


def opening() -> None:
    """Print the time from asking for a file of 1e5 rows to its points, and to its cubic, on screen."""
    code = """
import json, sys, tempfile, time
from pathlib import Path
import numpy as np
from PySide6.QtWidgets import QApplication
from vettore.app.style import dress
from vettore.app.window import Window
app = QApplication([]); dress(app)
rng = np.random.default_rng(1); x = np.linspace(0, 100, 100_000)
path = Path(tempfile.mkdtemp()) / "long.csv"
np.savetxt(path, np.column_stack([x, np.sin(x / 9) + rng.normal(0, .1, len(x))]), delimiter=",", fmt="%.6g")
window = Window(); window.show(); app.processEvents()
def wait(ready, worst):
    while not ready():
        begun = time.perf_counter(); app.processEvents(); worst[0] = max(worst[0], time.perf_counter() - begun)
        time.sleep(0.001)
worst = [0.0]
begun = time.perf_counter(); window.open_paths([path]); wait(lambda: window.session.study.series, worst); window.repaint()
opened = time.perf_counter() - begun
begun = time.perf_counter(); window.show_page("Fit"); page = window.pages["Fit"]; page.deciding.choose_degree(3)
wait(lambda: page.fit is not None and page.fit.recipe.degree == 3, worst); window.repaint()
print(json.dumps([opened, time.perf_counter() - begun, worst[0]])); window.session.background.stop()
"""
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    opened, fitted, worst = json.loads(out.stdout)
    print("A file of 100,000 rows in the window")
    print(f"  opened and shown {opened * 1e3:.0f} ms   cubic fitted and drawn {fitted * 1e3:.0f} ms   ", end="")
    print(f"longest hold-up of the window {worst * 1e3:.0f} ms", flush=True)


def searching() -> None:
    """Print how long the window stands still while the slowest reference problem is searched for, and after Stop."""
    problem = TOP / "tests" / "reference" / "nonlinear" / "Gauss2.json"
    code = f"""
import json, time
from pathlib import Path
import numpy as np
from PySide6.QtWidgets import QApplication
from vettore.app.main import calm
from vettore.app.style import dress
from vettore.app.window import Window
from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
app = QApplication([]); dress(app)
problem = json.loads(Path({str(problem)!r}).read_text())
columns = tuple(RawColumn(name, "", np.array(problem["data"][name], dtype=float)) for name in ("x", "y"))
study = edits.add_series(Study(), Table(columns, Source("made")), "Two peaks")
window = Window(); window.start(study); window.show_page("Fit"); window.show()
background = window.session.background
calm()
def wait(least):
    longest, begun = 0.0, time.perf_counter()
    while background.busy or time.perf_counter() - begun < least:
        here = time.perf_counter(); app.processEvents(); longest = max(longest, time.perf_counter() - here)
        time.sleep(0.001)
    return longest
wait(1.0)
longest = []
for turn in range(5):
    window.session.do("fit", edits.add_formula(study, "s1", problem["formula"].replace("b", chr(97 + turn))))
    longest.append(wait(0.3))
window.session.do("fit", edits.add_formula(study, "s1", problem["formula"].replace("b", "q")))
until = time.perf_counter() + 0.2
while time.perf_counter() < until:
    app.processEvents()
begun = time.perf_counter(); window.pages["Fit"].stop_search(); answered = time.perf_counter() - begun
background.stop(); print(json.dumps([sorted(longest), answered, time.perf_counter() - begun]))
"""
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    longest, answered, ended = json.loads(out.stdout)
    print("The slowest reference problem fitted in the window, five times")
    print(f"  longest hold-up: median {longest[2] * 1e3:.0f} ms, worst {longest[4] * 1e3:.0f} ms", end="")
    print(f"   Stop answers in {answered * 1e3:.0f} ms, the search ends after {ended * 1e3:.0f} ms", flush=True)


def main() -> None:
    """Print all figures."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    starts()
    opening()
    searching()
    memory()
    frames()
