"""What must not be lost is not: windows killed at random moments, full disks, places that vanish, two windows on a study.

`python -m tools.faults [--kills N] [--seed S]`. A real window (offscreen) makes an edit every few milliseconds, saves now and
then, and tells each edit once it is made. It is killed (SIGKILL) at a random moment; then: the journal brings back every edit
that was made a second or more before, the study on disk opens and is one that was saved, and after the next window nothing is
left beside it. Ends with 1 when anything was lost, broken or left.
"""

from __future__ import annotations

import argparse
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

# Seconds within which an edit may still be on its way to the disk.
GRACE = 1.0
# Milliseconds between edits, and edits between saves.
PACE, SAVES = 4, 7
STEP = "step "


def child(path: Path, limit: int) -> None:
    """Edit and save without end; with a ``limit`` no file can grow beyond so many bytes for two seconds."""
    from PySide6.QtCore import QTimer
    from PySide6.QtWidgets import QApplication

    from vettore.app.main import calm
    from vettore.app.style import dress
    from vettore.app.window import Window
    from vettore.demo.study import demo_study
    from vettore.files.study_file import open_study
    from vettore.study import edits

    app = QApplication([])
    dress(app)
    window = Window()
    window.show()
    window.session.message.connect(lambda _kind, text: print(f"said {text}", flush=True))
    calm()
    window.keeper.start_journal()
    window.start(open_study(path) if path.exists() else demo_study(), path if path.exists() else None)
    count = 0

    def act() -> None:
        nonlocal count
        count += 1
        window.session.do("edit", edits.set_title(window.session.study, f"{STEP}{count}"))
        print(f"did {count} {time.monotonic()}", flush=True)
        # As the window does, past the question where to.
        if count % SAVES == 0 and window.saving._save_to(path):
            print(f"saved {count}", flush=True)

    def limited(size: int) -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (size, resource.RLIM_INFINITY))

    if limit:
        QTimer.singleShot(500, lambda: limited(limit))
        QTimer.singleShot(2500, lambda: limited(resource.RLIM_INFINITY))
        QTimer.singleShot(9000, lambda: os.kill(os.getpid(), signal.SIGKILL))
    clock = QTimer()
    clock.timeout.connect(act)
    clock.start(PACE)
    app.exec()


class Trial:
    """One window in a folder of its own, and what it told."""

    def __init__(self, home: Path, limit: int = 0) -> None:
        self.home, self.path = home, home / "studies" / "a.vettore"
        self.path.parent.mkdir(parents=True, exist_ok=True)
        environment = {**os.environ, "VETTORE_HOME": str(home / "kept")}
        command = [sys.executable, "-m", "tools.faults", "--child", str(self.path), str(limit)]
        self.process = subprocess.Popen(
            command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=environment
        )
        self.told: list[list[str]] = []

    def kill_after(self, seconds: float) -> float:
        """Kill the window so long after its first edit; return when."""
        assert self.process.stdout is not None
        self.told.append(self.process.stdout.readline().split())
        time.sleep(seconds)
        when = time.monotonic()
        self.process.kill()
        self._hear()
        return when

    def _hear(self) -> None:
        out, self.errors = self.process.communicate()
        # The last line may be torn.
        self.told += [line.split() for line in out.split("\n")[:-1] if line]

    def wait(self) -> None:
        """Let the window end by itself."""
        self._hear()

    def done_before(self, when: float) -> int:
        """Return the last edit that was told by a time."""
        return max((int(words[1]) for words in self.told if words[0] == "did" and float(words[2]) <= when), default=0)

    def findings(self, when: float) -> list[str]:
        """Return what was lost, broken or left."""
        from vettore.core.errors import VettoreError
        from vettore.files.held import Hold
        from vettore.files.journal import let_go, recover
        from vettore.files.study_file import open_study, save_study

        found = []
        if "Traceback" in self.errors:
            found.append("the window raised: " + self.errors.strip().split("\n")[-1])
        recovered = recover(self.home / "kept" / "journal")
        kept = max((_step(one.study.title) for one in recovered), default=0)
        if kept < self.done_before(when - GRACE):
            found.append(f"lost: edit {self.done_before(when - GRACE)} was made, {kept} came back")
        saves = [int(words[1]) for words in self.told if words[0] == "saved"]
        if self.path.exists():
            try:
                on_disk = _step(open_study(self.path).title)
                # The window may have been killed after writing and before telling.
                if on_disk < max(saves, default=0) or on_disk % SAVES:
                    found.append(f"broken: the study on disk is of edit {on_disk}, saved were {saves[-3:]}")
            except VettoreError as error:
                found.append(f"broken: {error}")
        elif saves:
            found.append("lost: the saved study is not there")
        # The next window opens the study, saves it and closes in order.
        hold = Hold(self.path)
        if hold.other is not None:
            found.append("left: the study is held by nobody")
        if recovered:
            for one in self.path.parent.glob(".*.part"):
                os.utime(one, (1, 1))
            save_study(recovered[0].study, self.path)
        for one in recovered:
            let_go(one)
        hold.let_go()
        left = sorted(str(one.relative_to(self.home)) for one in self.home.rglob("*") if one.is_file())
        left = [one for one in left if one != "studies/a.vettore" and not one.startswith("kept/recent")]
        if left:
            found.append(f"left: {', '.join(left)}")
        return found


def _step(title: str) -> int:
    return int(title.removeprefix(STEP)) if title.startswith(STEP) else 0


def kills(count: int, seed: int) -> list[str]:
    """Kill so many windows, each at a moment of its own."""
    rng, found, edits = random.Random(seed), [], 0
    for number in range(count):
        home = Path(tempfile.mkdtemp(prefix="faults-"))
        trial = Trial(home)
        # Soon after the first edits as well as in full swing; some in the very middle of a save.
        when = trial.kill_after(rng.choice((0.02, 0.2, 1.2, 1.8)) * rng.uniform(0.1, 1.5))
        edits += trial.done_before(when)
        found += [f"kill {number}: {words}" for words in trial.findings(when)]
        shutil.rmtree(home)
    print(f"{count} windows killed after {edits:,} edits: {len(found)} findings")
    return found


def full_disk() -> list[str]:
    """A disk that is full for two seconds is said, loses nothing, and is forgotten."""
    home = Path(tempfile.mkdtemp(prefix="faults-"))
    trial = Trial(home, limit=4_000)
    trial.wait()
    said = [" ".join(words) for words in trial.told if words[0] == "said"]
    found = [] if any("cannot be written" in words for words in said) else ["full disk: the journal said nothing"]
    found += [] if any("is kept again" in words for words in said) else ["full disk: the journal did not go on"]
    found += [] if any("could not be saved" in words for words in said) else ["full disk: saving said nothing"]
    found += [f"full disk: {words}" for words in trial.findings(time.monotonic())]
    shutil.rmtree(home)
    print(f"a full disk: {len(found)} findings")
    return found


def vanished() -> list[str]:
    """The folder of the journal is taken away under a window's hands, twice."""
    home = Path(tempfile.mkdtemp(prefix="faults-"))
    trial = Trial(home)
    for _ in range(2):
        time.sleep(1.5)
        shutil.rmtree(home / "kept" / "journal", ignore_errors=True)
    when = trial.kill_after(1.5)
    found = [f"vanished: {words}" for words in trial.findings(when)]
    shutil.rmtree(home)
    print(f"a journal that vanishes: {len(found)} findings")
    return found


def unwritable() -> list[str]:
    """A place where nothing can be made is said, and the window works on."""
    home = Path(tempfile.mkdtemp(prefix="faults-"))
    (home / "kept").write_text("a file where the folder should be")
    trial = Trial(home)
    when = trial.kill_after(1.5)
    said = [" ".join(words) for words in trial.told if words[0] == "said"]
    found = [] if any("cannot be written" in words for words in said) else ["unwritable: nothing was said"]
    found += [] if trial.done_before(when) > 3 else ["unwritable: the window did not go on"]
    found += ["unwritable: the window raised"] if "Traceback" in trial.errors else []
    shutil.rmtree(home)
    print(f"a place that cannot be written: {len(found)} findings")
    return found


def two_windows() -> list[str]:
    """The second window on a study is told of the first, until the first is killed."""
    from vettore.demo.study import demo_study
    from vettore.files.held import Hold
    from vettore.files.study_file import save_study

    home = Path(tempfile.mkdtemp(prefix="faults-"))
    (home / "studies").mkdir()
    save_study(demo_study(), home / "studies" / "a.vettore")
    trial = Trial(home)
    time.sleep(2.5)
    second = Hold(trial.path)
    found = [] if second.other is not None else ["two windows: the second was not told of the first"]
    when = trial.kill_after(0.1)
    found += [] if second.try_again() is None else ["two windows: the first was killed and holds the study still"]
    second.let_go()
    found += [f"two windows: {words}" for words in trial.findings(when)]
    shutil.rmtree(home)
    print(f"two windows: {len(found)} findings")
    return found


def main() -> None:
    """Run all trials and tell what was found."""
    asked = argparse.ArgumentParser()
    asked.add_argument("--kills", type=int, default=20)
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--child", nargs=2)
    given = asked.parse_args()
    if given.child:
        child(Path(given.child[0]), int(given.child[1]))
        return
    found = [*full_disk(), *vanished(), *unwritable(), *two_windows(), *kills(given.kills, given.seed)]
    for words in found:
        print(words)
    raise SystemExit(1 if found else 0)


if __name__ == "__main__":
    main()
