"""Random hands on the real window: ``make hands SECONDS=120 SEEDS=1-6``; each failure is kept as its shortest list of acts.

A child process opens the window offscreen on the demo study, which grows, and clicks, drags, types, pastes, drops files, opens
a second window, changes the theme and undoes, at random but from a seed. It fails by an exception, a warning of Qt, a crash, or
an act that holds the window for longer than a second of the machine that limits are chosen for; time that this one gave to
others, and its being slower, are taken off (``Pace``). What failed is done again with fewer and fewer acts; the shortest list
that still fails is written to ``tests/app/hands/``, where ``tests/app/test_hands.py`` does it again for everybody.
"""

from __future__ import annotations

import argparse
import json
import math
import os
import random
import re
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from pathlib import Path

TOP = Path(__file__).parents[1]
KEPT = TOP / "tests" / "app" / "hands"
HOLD = 1.0
# Tries to make a list of acts shorter, and seconds for one of them.
MOST_TRIES, TRY_SECONDS = 60, 120
WORDS = (
    *(
        "12",
        "0.7",
        "-3",
        "1e400",
        "nan",
        "abc",
        "",
        "1;2;3",
        "0 … 5 every 0.5",
        "A*exp(-k*x)+C",
        "sin(",
        "y = a + b*time",
    ),
    *(
        "2,5",
        "°",
        "x^2-1",
        "<b>h</b>",
        "9" * 40,
        "time > 20",
        "k0=1",
        "\u202e12",
        "if(x<m,a,b)",
        "1/0",
        "exactly 3",
        "4 × 3",
    ),
    *("oxygen = A*sin(w*time + p)", "0.5 ± 0.1", "\x0b\x1b", "x" * 300),
)
PASTED = ("", "1\t2\n2\t3\n3\t5", "x\ty\n1\t0,5\n2\t0,7\n", "no table at all", "t,y\n0,1\n1,4\n2,9\n")
KEYS = (
    *((("Z", "ctrl"),) * 4),
    *((("Z", "ctrl+shift"),) * 2),
    *((key, "") for key in ("Escape", "Tab", "Space", "Delete", "F6", "F1", "Right", "Return", "Home", "PageDown")),
    *((key, "ctrl") for key in "KLVCSTAFD123456"),
)


class Pace:
    """What a second of the clock is worth here and now: beside this machine at its fastest, and the one of the limit."""

    # Seconds that the loop takes on the machine for which limits are chosen, see benchmarks/holds.py.
    STANDARD = 0.1 * 20_000 / 1_100_000

    def __init__(self) -> None:
        self.fastest = min(self.STANDARD, *(self._loop() for _ in range(20)))
        self._ticks = self._read()

    def _loop(self) -> float:
        began, total = time.thread_time(), 0
        for number in range(20_000):
            total += number
        return time.thread_time() - began

    def _read(self) -> tuple[int, int]:
        """Return the ticks of all processors that were taken away, and all."""
        ticks = [int(part) for part in Path("/proc/stat").read_text().split("\n")[0].split()[1:9]]
        return ticks[7], sum(ticks)

    def begin(self) -> None:
        """An act begins."""
        self._ticks = self._read()

    def worth(self) -> float:
        """Return what a second since the act began was worth, 1 at most."""
        taken, all_of_them = (now - then for now, then in zip(self._read(), self._ticks, strict=True))
        now = min(self._loop() for _ in range(3))
        self.fastest = min(self.fastest, now)
        return min(self.fastest / now, 1.0) * (1 - taken / max(all_of_them, 1))


class Hands:
    """The window with what watches it."""

    def __init__(self, home: str) -> None:
        from PySide6.QtCore import qInstallMessageHandler
        from PySide6.QtWidgets import QApplication

        self.home, self.failures, self.count = Path(home), [], 0
        self.begun, self.longest, self.held, self.pace = math.inf, 0.0, "", Pace()
        self.app = QApplication([])
        sys.excepthook = lambda kind, error, trace: self.fail(
            "exception", "".join(traceback.format_exception(kind, error, trace))
        )
        qInstallMessageHandler(self._hear)
        self._answer_dialogs()
        from vettore.app.main import calm
        from vettore.app.style import dress
        from vettore.app.window import Window
        from vettore.demo.study import demo_study

        dress(self.app)
        calm()
        self.window = Window()
        self.window.saving.may_leave = lambda: True
        self.window.keeper.start_journal()
        self.window.start(demo_study())
        self.window.show()
        self.others = []
        self.rest(400)
        threading.Thread(target=self.watch, daemon=True).start()

    def watch(self) -> None:
        """Note, on a thread of its own, where the window's thread is while an act holds it."""
        main = threading.main_thread().ident
        while True:
            time.sleep(0.1)
            if time.monotonic() - self.begun > HOLD * 0.6 and not self.held:
                self.held = "".join(traceback.format_stack(sys._current_frames()[main])[-14:])

    def fail(self, kind: str, text: str) -> None:
        """Note a failure, the first of its kind."""
        lines = [line for line in text.strip().splitlines() if line.strip()]
        key = f"{kind}: {re.sub(r'[0-9]+', '#', lines[-1] if lines else '')[:140]}"
        if key not in {failure["key"] for failure in self.failures}:
            self.failures.append({"key": key, "text": text[-3000:], "act": self.count})

    def _hear(self, _kind: object, _context: object, message: str) -> None:
        harmless = ("propagateSizeHints", "This plugin does not support", "Populating font", "XDG_RUNTIME")
        if not any(word in message for word in harmless):
            self.fail("qt", "".join(traceback.format_stack(limit=16)[:-1]) + message)

    def _answer_dialogs(self) -> None:
        from PySide6.QtGui import QColor, QDrag
        from PySide6.QtTest import QTest
        from PySide6.QtWidgets import (
            QColorDialog,
            QDialog,
            QFileDialog,
            QInputDialog,
            QMenu,
            QMessageBox,
        )

        self.file = self.home / "made.csv"
        self.file.write_text(
            "t (s);y (mV);± y\n" + "".join(f"{i};{5 * 0.9**i:.3f};0,05\n".replace(".", ",") for i in range(40))
        )
        self.saves = 0

        def save_name(*_: object, **__: object) -> tuple[str, str]:
            self.saves += 1
            endings = ("pdf", "html", "xlsx", "md", "docx", "vettore", "png", "svg", "csv", "json")
            return (
                str(self.home / f"o{self.saves}.{endings[self.saves % len(endings)]}") if self.saves % 3 == 0 else "",
                "",
            )

        QFileDialog.getSaveFileName = staticmethod(save_name)
        QFileDialog.getOpenFileName = staticmethod(lambda *_, **__: (str(self.file), ""))
        QFileDialog.getOpenFileNames = staticmethod(lambda *_, **__: ([str(self.file)], ""))
        QMessageBox.exec = lambda _box: 0
        QDialog.exec = lambda dialog: (dialog.show(), QTest.qWait(60), dialog.close(), 0)[-1]
        QMenu.exec = lambda *_, **__: None
        QInputDialog.getText = staticmethod(lambda *_, **__: ("name", True))
        QInputDialog.getItem = staticmethod(lambda *a, **__: (str(a[3][0]) if len(a) > 3 and a[3] else "", True))
        QInputDialog.getDouble = staticmethod(lambda *_, **__: (1.5, True))
        QInputDialog.getInt = staticmethod(lambda *_, **__: (2, True))
        QInputDialog.getMultiLineText = staticmethod(lambda *_, **__: ("text", True))
        QColorDialog.getColor = staticmethod(lambda *_, **__: QColor("#336699"))
        QDrag.exec = lambda *_, **__: None

    def rest(self, milliseconds: int) -> None:
        """Let the window do what it has to do."""
        from PySide6.QtTest import QTest

        QTest.qWait(milliseconds)

    # What can be touched: widgets by class, name and place among those that are alike.

    def visible(self, kinds: tuple[type, ...]) -> list[object]:
        """Return widgets in view, of kinds, in the order in which they were made."""
        from PySide6.QtWidgets import QWidget

        found = [widget for widget in self.window.findChildren(QWidget) if isinstance(widget, kinds)]
        return [w for w in found if w.isVisible() and w.isEnabled() and w.width() > 3 and w.height() > 3]

    def named(self, widget: object) -> list[object]:
        """Return what a widget is found again by."""
        return [type(widget).__name__, self._name(widget)]

    def _name(self, widget: object) -> str:
        text = getattr(widget, "text", None)
        return widget.accessibleName() or (text() if callable(text) and "Edit" not in type(widget).__name__ else "")

    def found(self, kinds: tuple[type, ...], name: list[object]) -> object | None:
        """Return the first widget in view of a name."""
        return next((w for w in self.visible(kinds) if self.named(w) == name), None)

    def kinds(self) -> dict[str, tuple[type, ...]]:
        """What is clicked, typed into, chosen from, dragged on, filled in."""
        from PySide6.QtWidgets import (
            QAbstractButton,
            QComboBox,
            QGraphicsView,
            QLineEdit,
            QPlainTextEdit,
            QTableView,
            QTextEdit,
        )

        return {
            "button": (QAbstractButton,),
            "field": (QLineEdit, QPlainTextEdit, QTextEdit),
            "combo": (QComboBox,),
            "plot": (QGraphicsView,),
            "table": (QTableView,),
        }

    def think(self, rng: random.Random) -> list[object]:
        """Return an act that can be done now."""
        from PySide6.QtWidgets import QMenu

        from vettore.app.pages.listed import PAGES

        what = rng.choices(
            [
                "page",
                "button",
                "field",
                "combo",
                "plot",
                "key",
                "table",
                "series",
                "resize",
                "menu",
                "paste",
                "drop",
                "window",
                "rest",
            ],
            [2, 10, 7, 4, 9, 6, 3, 2, 0.6, 2, 0.7, 0.4, 0.2, 1.5],
        )[0]
        kinds = self.kinds()
        if what == "page":
            return ["page", rng.choice([entry.name for entry in PAGES])]
        if what in kinds:
            there = self.visible(kinds[what])
            if what == "button":
                there = [w for w in there if w.text() != "Quit"]
            if not there:
                return ["rest", 20]
            name = self.named(rng.choice(there))
            if what == "button":
                return ["button", name]
            if what == "field":
                return ["field", name, rng.choice(WORDS), rng.random() < 0.8]
            if what == "combo":
                return ["combo", name, rng.randrange(100)]
            if what == "table":
                return [
                    "table",
                    name,
                    rng.randrange(1000),
                    rng.randrange(100),
                    rng.choice(WORDS)[:10] if rng.random() < 0.5 else "",
                ]
            path = [[rng.random(), rng.random()]]
            if rng.random() < 0.6:
                path += [[p + rng.uniform(-0.1, 0.1) for p in path[-1]] for _ in range(5)]
            return [
                "plot",
                name,
                path,
                rng.choice(["", "shift", "ctrl"]),
                rng.choice(["left", "left", "left", "right", "double"]),
            ]
        if what == "key":
            return ["key", *rng.choice(KEYS)]
        if what == "series":
            return ["series", rng.randrange(100)]
        if what == "resize":
            return ["resize", rng.choice([1024, 1280, 1600, 1920]), rng.choice([700, 800, 1000])]
        if what == "menu":
            skipped = ("Quit", "Demo", "New study")
            actions = [
                a
                for m in self.window.findChildren(QMenu)
                for a in m.actions()
                if a.isEnabled() and a.text() and not a.menu()
            ]
            actions = [a.text() for a in actions if not any(word in a.text() for word in skipped)]
            return ["menu", rng.choice(actions)] if actions else ["rest", 20]
        if what == "paste":
            return ["paste", rng.choice(PASTED)]
        return [what, rng.choice([20, 150, 400])] if what == "rest" else [what]

    def do(self, act: list) -> None:
        """Do an act, unless there is no longer what it touches; a hold of the window is a failure."""
        self.count += 1
        self.pace.begin()
        self.begun, self.longest, self.held = time.monotonic(), 0.0, ""
        try:
            getattr(self, f"_{act[0]}")(*act[1:])
        except RuntimeError as error:
            if "already deleted" not in str(error):
                self.fail("exception", traceback.format_exc())
        except Exception:
            self.fail("exception", traceback.format_exc())
        if act[0] != "rest":
            self.app.processEvents()
            spent = max(self.longest, time.monotonic() - self.begun)
            worth = spent * self.pace.worth() if spent > HOLD else 0.0
            if worth > HOLD:
                what = f"{act[0]} {act[1] if len(act) > 1 else ''} held the window ({worth:.1f} s, {spent:.1f} by the clock)"
                self.fail("hold", f"{self.held}\n{what}")
        from PySide6.QtWidgets import QDialog

        if self.count % 5 == 0:
            for widget in self.app.topLevelWidgets():
                if widget is not self.window and widget.isVisible() and isinstance(widget, QDialog):
                    widget.close()

    def _page(self, name: str) -> None:
        self.window.show_page(name)

    def _button(self, name: list[object]) -> None:
        from PySide6.QtCore import Qt
        from PySide6.QtTest import QTest

        widget = self.found(self.kinds()["button"], name)
        if widget is not None:
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton)

    def _field(self, name: list[object], words: str, enter: bool) -> None:
        from PySide6.QtCore import Qt
        from PySide6.QtTest import QTest

        widget = self.found(self.kinds()["field"], name)
        if widget is not None:
            widget.setFocus()
            QTest.keyClick(widget, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
            self._type(widget, words)
            if enter:
                QTest.keyClick(widget, Qt.Key.Key_Return)

    def _type(self, widget: object, words: str) -> None:
        from PySide6.QtCore import QEvent, Qt
        from PySide6.QtGui import QKeyEvent

        for letter in words:
            # Each letter is an event of its own, between which the window breathes.
            self.begun = time.monotonic()
            for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
                self.app.sendEvent(widget, QKeyEvent(kind, 0, Qt.KeyboardModifier.NoModifier, letter))
            self.longest = max(self.longest, time.monotonic() - self.begun)
        self.begun = time.monotonic()

    def _combo(self, name: list[object], place: int) -> None:
        widget = self.found(self.kinds()["combo"], name)
        if widget is not None and widget.count():
            widget.setCurrentIndex(place % widget.count())
            widget.activated.emit(place % widget.count())

    def _plot(self, name: list[object], path: list, modifier: str, how: str) -> None:
        from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
        from PySide6.QtGui import QMouseEvent
        from PySide6.QtTest import QTest

        widget = self.found(self.kinds()["plot"], name)
        if widget is None:
            return
        port, left = widget.viewport(), Qt.MouseButton.LeftButton
        keys = MODIFIERS()[modifier]
        points = [
            QPoint(*(int(min(max(p, 0), 0.999) * s) for p, s in zip(at, (port.width(), port.height()), strict=True)))
            for at in path
        ]
        if len(points) == 1 and how != "double":
            QTest.mouseClick(port, left if how == "left" else Qt.MouseButton.RightButton, keys, points[0])
        elif len(points) == 1:
            QTest.mouseDClick(port, left, keys, points[0])
        else:
            QTest.mousePress(port, left, keys, points[0])
            for at in points[1:]:
                there = QPointF(port.mapToGlobal(at))
                self.app.sendEvent(port, QMouseEvent(QEvent.Type.MouseMove, QPointF(at), there, left, left, keys))
            QTest.mouseRelease(port, left, keys, points[-1])

    def _key(self, key: str, modifier: str) -> None:
        from PySide6.QtCore import Qt
        from PySide6.QtTest import QTest

        QTest.keyClick(self.app.focusWidget() or self.window, getattr(Qt.Key, f"Key_{key}"), MODIFIERS()[modifier])

    def _table(self, name: list[object], row: int, column: int, words: str) -> None:
        from PySide6.QtCore import Qt
        from PySide6.QtTest import QTest

        widget = self.found(self.kinds()["table"], name)
        model = None if widget is None else widget.model()
        if model is None or not model.rowCount() or not model.columnCount():
            return
        index = model.index(row % model.rowCount(), column % model.columnCount())
        widget.setCurrentIndex(index)
        widget.scrollTo(index)
        QTest.mouseClick(
            widget.viewport(), Qt.MouseButton.LeftButton, MODIFIERS()[""], widget.visualRect(index).center()
        )
        if words:
            self._type(widget, words)
            QTest.keyClick(self.app.focusWidget() or widget, Qt.Key.Key_Return)

    def _series(self, place: int) -> None:
        series = self.window.session.study.series
        if series:
            self.window.session.choose(series[place % len(series)].id)

    def _resize(self, width: int, height: int) -> None:
        self.window.resize(width, height)

    def _menu(self, text: str) -> None:
        from PySide6.QtWidgets import QMenu

        for menu in self.window.findChildren(QMenu):
            for action in menu.actions():
                if action.text() == text and action.isEnabled() and not action.menu():
                    action.trigger()
                    return

    def _paste(self, text: str) -> None:
        self.app.clipboard().setText(text)

    def _drop(self) -> None:
        self.window.open_paths([self.file])

    def _window(self) -> None:
        from vettore.app.window import Window
        from vettore.demo.study import demo_study

        if self.others:
            self.others.pop().close()
            return
        other = Window()
        other.saving.may_leave = lambda: True
        other.start(demo_study())
        other.show()
        self.others.append(other)

    def _rest(self, milliseconds: int) -> None:
        self.rest(milliseconds)


def MODIFIERS() -> dict[str, object]:
    """Keys that are held, by their words."""
    from PySide6.QtCore import Qt

    keys = Qt.KeyboardModifier
    return {
        "": keys.NoModifier,
        "ctrl": keys.ControlModifier,
        "shift": keys.ShiftModifier,
        "ctrl+shift": keys.ControlModifier | keys.ShiftModifier,
    }


def child(seconds: float, seed: int, log: Path, acts: list | None) -> None:
    """Do acts, those given or random ones, each written down before it is done; print what failed."""
    import faulthandler

    faulthandler.enable()
    faulthandler.dump_traceback_later(seconds + 60 if acts is None else TRY_SECONDS, exit=True)
    hands, rng = Hands(os.environ["HOME"]), random.Random(seed)
    begun, half = time.monotonic(), 0.0
    with log.open("w", encoding="utf-8") as file:
        for act in acts if acts is not None else iter(lambda: hands.think(rng), None):
            if acts is None and time.monotonic() - begun > seconds:
                break
            if not half and time.monotonic() - begun > seconds / 2:
                half = resident()
            file.write(json.dumps(act) + "\n")
            file.flush()
            hands.do(act)
    hands.rest(300)
    told = {"failures": hands.failures, "acts": hands.count, "grown": resident() - half if half else 0.0}
    print(json.dumps(told), flush=True)
    # Threads that are still at work need not be waited for.
    os._exit(0)


def resident() -> float:
    """Return the memory of this process in MB."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def run(arguments: list[str], seconds: float) -> tuple[dict, list]:
    """Run a child; return what it told, a crash among its failures, and the acts that it did."""
    with tempfile.TemporaryDirectory() as home:
        log = Path(home) / "acts.jsonl"
        environment = {key: value for key, value in os.environ.items() if not key.startswith("XDG_")}
        environment |= {
            "HOME": home,
            "QT_QPA_PLATFORM": "offscreen",
            "VETTORE_HOME": home,
            "OPENBLAS_NUM_THREADS": "1",
        }
        command = [sys.executable, "-m", "tools.hands", "--child", "--log", str(log), *arguments]
        try:
            done = subprocess.run(command, capture_output=True, text=True, env=environment, cwd=TOP, timeout=seconds)
            told = (
                json.loads(done.stdout.splitlines()[-1])
                if done.stdout.strip()
                else {"failures": [], "acts": 0, "grown": 0}
            )
            if done.returncode:
                last = next(
                    (line.strip() for line in done.stderr.splitlines() if "File" in line and "vettore" in line), ""
                )
                told["failures"].append(
                    {"key": f"crash {done.returncode}: {last[-120:]}", "text": done.stderr[-3000:], "act": -1}
                )
        except subprocess.TimeoutExpired:
            told = {"failures": [{"key": "freeze", "text": "It never came back.", "act": -1}], "acts": 0, "grown": 0}
        acts = [json.loads(line) for line in log.read_text(encoding="utf-8").splitlines()] if log.exists() else []
    return told, acts


def again(acts: list) -> set[str]:
    """Return the keys of what fails when acts are done again."""
    with tempfile.NamedTemporaryFile("w", suffix=".json", delete=False) as file:
        json.dump(acts, file)
    told, _ = run(["--acts", file.name], TRY_SECONDS + 30)
    os.unlink(file.name)
    return {failure["key"].split(" (")[0] for failure in told["failures"]}


def shortest(acts: list, key: str) -> list | None:
    """Return the shortest list found that still fails so (Zeller & Hildebrandt 2002); None where it does not come again."""
    key = key.split(" (")[0]
    if key not in again(acts):
        return None
    tries, parts = 1, 2
    while len(acts) > 1 and tries < MOST_TRIES:
        size = max(len(acts) // parts, 1)
        for start in range(0, len(acts), size):
            fewer = acts[:start] + acts[start + size :]
            tries += 1
            if fewer and key in again(fewer):
                acts, parts = fewer, max(parts - 1, 2)
                break
            if tries >= MOST_TRIES:
                break
        else:
            if size == 1:
                break
            parts = min(parts * 2, len(acts))
    return acts


def main() -> int:
    """Run seeds, tell what fails, and keep the shortest acts that make it fail."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=120.0, help="for each seed")
    parser.add_argument("--seeds", default="1-6", help="as 1-6 or 3,8")
    parser.add_argument("--child", action="store_true")
    parser.add_argument("--log", type=Path)
    parser.add_argument("--acts", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--find", action="store_true", help="tell only, keep nothing")
    asked = parser.parse_args()
    if asked.child:
        child(
            asked.seconds, asked.seed, asked.log, None if asked.acts is None else json.loads(asked.acts.read_text())
        )
    seeds: list[int] = []
    for part in asked.seeds.split(","):
        low, dash, high = part.partition("-")
        seeds += range(int(low), int(high or low) + 1) if dash else [int(low)]
    known: set[str] = set()
    total = 0
    for seed in seeds:
        told, acts = run(["--seconds", str(asked.seconds), "--seed", str(seed)], asked.seconds + 120)
        total += told["acts"]
        print(
            f"seed {seed}: {told['acts']} acts, {len(told['failures'])} failures, "
            f"memory {told['grown']:+.0f} MB in the second half",
            flush=True,
        )
        for failure in told["failures"]:
            if failure["key"] in known:
                continue
            known.add(failure["key"])
            print(f"--- {failure['key']}\n{failure['text'].strip()}", flush=True)
            if asked.find or failure["key"].startswith("hold"):
                continue
            short = shortest(acts[: failure["act"]] if failure["act"] > 0 else acts, failure["key"])
            if short is not None:
                name = re.sub(r"[^a-z]+", "-", failure["key"].casefold()).strip("-")[:60]
                KEPT.mkdir(exist_ok=True)
                (KEPT / f"{name}.json").write_text(json.dumps(short, indent=1) + "\n")
                print(f"kept as {name}.json: {len(short)} acts", flush=True)
            else:
                print("It did not come again.", flush=True)
    print(f"{total} acts over {len(seeds)} seeds, {len(known)} distinct failures.")
    return 1 if known else 0


if __name__ == "__main__":
    sys.exit(main())
