"""Files, studies, libraries and formulas with mistakes put in at random: each must be read, or refused in a sentence.

`python -m tools.fuzz [--seconds S] [--seed N] [--only KIND]`; each input is made from a kind and a number alone, so that a
finding is repeated by `python -m tools.fuzz --again KIND:NUMBER`. Work goes on in processes of their own with limits on memory
and on the time of each input; one that dies, hangs, or raises what is no VettoreError is a finding, and ends the run with 1.
"""

from __future__ import annotations

import argparse
import io
import json
import random
import resource
import select
import signal
import subprocess
import sys
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from vettore.study.study import Study

MOST_MEMORY, MOST_SECONDS = 2 * 1024**3, 20
# Kinds that are read in the box, which ends what hangs in a library of others.
BOXED = ("json", "hdf5", "numpy", "spectrum", "page", "workbook")
ROWS = {"x": [0.5 * n for n in range(1, 15)], "y": [(7 * n) % 5 + 0.3 * n for n in range(1, 15)]}
CORPUS = Path(__file__).parent.parent / "tests" / "corpus"
ODD = (
    "1e400",
    "²",
    "-0",
    "nan",
    "inf",
    "\0",
    "\ufeff",
    '"',
    "'",
    ",",
    ";",
    "\t",
    "<![",
    "{",
    "[",
    "=",
    "(",
    "if(",
    "^",
    "−",
    "١",
)


def corpus() -> dict[str, list[bytes]]:
    """Return whole inputs by kind: those of the demo, small ones of each format, and what was once found."""
    import h5py
    import numpy as np

    from vettore.core.models.catalogue import CATALOGUE
    from vettore.demo.make_data import FOLDER
    from vettore.demo.study import demo_study
    from vettore.files.study_file import study_bytes
    from vettore.report.document import report_document
    from vettore.report.renderers.xlsx import xlsx

    hdf5, npz = io.BytesIO(), io.BytesIO()
    with h5py.File(hdf5, "w") as file:
        file["time"], file["run/oxygen"] = np.arange(9.0), np.arange(9.0) ** 2
        file["time"].attrs["units"] = "min"
        file["block"] = np.zeros((4, 3))
    np.savez(npz, t=np.arange(5.0), y=np.zeros((3, 2)))
    study = demo_study()
    records = [{"t": n, "y (mg/L)": n * 0.5, "note": "a"} for n in range(9)]
    spectrum = "##TITLE=a\n##JCAMP-DX=4.24\n##XUNITS=1/CM\n##YUNITS=A\n##FIRSTX=1\n##LASTX=5\n##NPOINTS=5\n"
    spectrum += "##XYDATA=(X++(Y..Y))\n"
    page = "<html><table><tr><th>t</th><th>y</th></tr>" + "<tr><td>1</td><td>2,5</td></tr>" * 5 + "</table></html>"
    found: dict[str, list[bytes]] = {
        "text": [path.read_bytes() for path in sorted(FOLDER.iterdir()) if path.is_file()],
        "json": [json.dumps(records).encode(), json.dumps({"t": [1, 2, 3], "y": [4, None, "6"]}).encode()],
        "hdf5": [hdf5.getvalue()],
        "numpy": [npz.getvalue(), npz.getvalue()[: len(npz.getvalue()) // 2]],
        "spectrum": [(spectrum + "1 10 12 14 16 18\n##END=\n").encode(), (spectrum + "1A0J2T3%\n##END=\n").encode()],
        "page": [page.encode()],
        "workbook": [xlsx(report_document(study))],
        "study": [study_bytes(study)],
        "library": [_library()],
        "journal": [_journal(study)],
        "formula": [model.formula.encode() for model in CATALOGUE.values()]
        + [b"y = if(x > c, a + b*x, sqrt(abs(x)))"],
    }
    for path in sorted(CORPUS.glob("*-*")):
        found.setdefault(path.name.partition("-")[0], []).append(path.read_bytes())
    return found


def _library() -> bytes:
    """A library of two own models, as it is kept."""
    from vettore.core.models.catalogue import CATALOGUE
    from vettore.files.library import write_library

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "models.json"
        write_library(path, list(CATALOGUE.values())[8:10])
        return path.read_bytes()


def _journal(study: Study) -> bytes:
    """The log and the tables of a journal of two steps, as an archive."""
    from vettore.files.journal import Journal

    with tempfile.TemporaryDirectory() as folder:
        journal = Journal(Path(folder))
        journal.keep(1, study, None)
        journal.keep(2, study, Path("/somewhere/a.vettore"))
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            for path in sorted(journal.folder.rglob("*")):
                if path.is_file() and path.name != "lock":
                    archive.writestr(str(path.relative_to(journal.folder)), path.read_bytes())
        journal.end()
        return out.getvalue()


def mutated(kind: str, number: int, whole: dict[str, list[bytes]]) -> bytes:
    """Return the input of a number: an input of the corpus with a few mistakes in it."""
    rng = random.Random(f"{kind} {number}")
    data = rng.choice(whole[kind])
    if kind == "journal" or (kind in ("study", "workbook") and rng.random() < 0.8):
        return _in_archive(data, rng)
    return _changed(data, rng)


def _in_archive(data: bytes, rng: random.Random) -> bytes:
    """Return an archive with mistakes in one of its files."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        names = old.namelist()
        hit = rng.choice(names)
        for name in names:
            inner = old.read(name)
            if name != hit or rng.random() > 0.05:
                new.writestr(name, _changed(inner, rng) if name == hit else inner)
    return out.getvalue()


def _changed(data: bytes, rng: random.Random) -> bytes:
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 4, 12))):
        at = rng.randrange(len(out) + 1)
        what = rng.randrange(7)
        if what == 0 and out:
            out[min(at, len(out) - 1)] = rng.randrange(256)
        elif what == 1:
            out[at:at] = rng.choice(ODD).encode()
        elif what == 2:
            del out[at : at + rng.choice((1, 3, 40))]
        elif what == 3:
            piece = bytes(out[at : at + rng.choice((2, 8, 60))])
            out[at:at] = piece * rng.choice((2, 30, 400))
        elif what == 4:
            del out[at:]
        elif what == 5:
            out[at:at] = str(rng.choice((0, -1, 2**31, 2**63, 10**30, 1e-300, 0.1))).encode()
        else:
            other = rng.randrange(len(out) + 1)
            out[at:at] = out[other : other + 30]
    return bytes(out)


def readers() -> dict[str, Callable[[bytes], object]]:
    """Return what reads each kind; all of it may raise a VettoreError and nothing else."""
    from vettore import core
    from vettore.core.formula.formula import read_formula
    from vettore.files.foreign import is_foreign
    from vettore.files.journal import recover
    from vettore.files.library import read_library
    from vettore.files.readers import read_data
    from vettore.files.study_file import study_bytes, study_from_bytes

    def foreign(data: bytes) -> object:
        # What the box catches is a sentence already; here the child itself is what must live.
        from vettore.files.box import answer_to

        return answer_to(data, "a.npz", "") if is_foreign(data) else read_data(data, "a.csv")

    def study(data: bytes) -> object:
        read = study_from_bytes(data, "a.vettore")
        again = study_from_bytes(study_bytes(read), "b.vettore")
        assert [part.id for part in again.parts] == [part.id for part in read.parts]
        return again

    def formula(data: bytes) -> object:
        text = data.decode("utf-8", "replace")
        read = read_formula(text, list(ROWS))
        if len(text) < 200:
            core.fit(text, ROWS, thorough=False)
        return read

    def library(data: bytes) -> object:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "models.json"
            path.write_bytes(data)
            return read_library(path)

    def journal(data: bytes) -> object:
        with tempfile.TemporaryDirectory() as folder:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                archive.extractall(Path(folder) / "one")
            # What cannot be brought back is swept away, and says nothing.
            return recover(Path(folder))

    def text(data: bytes) -> object:
        return read_data(data, "a.csv")

    kinds = dict.fromkeys(BOXED, foreign)
    own = {"text": text, "study": study, "formula": formula, "library": library, "journal": journal}
    return {**own, **kinds}


class _TooLong(BaseException):
    pass


def _alarm(_signal: int, _frame: object) -> None:
    raise _TooLong


def child(kind: str, first: int, count: int) -> None:
    """Read so many inputs of a kind and tell of each that it was begun, and what was found."""
    from vettore.core.errors import VettoreError

    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    signal.signal(signal.SIGALRM, _alarm)
    sys.setrecursionlimit(1000)
    whole, read = corpus(), readers()[kind]
    for number in range(first, first + count):
        print(f"begin {number}", flush=True)
        data = mutated(kind, number, whole)
        signal.alarm(MOST_SECONDS)
        try:
            read(data)
        except VettoreError:
            pass
        except _TooLong:
            print(f"found {number} takes longer than {MOST_SECONDS} s", flush=True)
        except BaseException as error:
            print(f"found {number} {type(error).__name__}: {str(error)[:150]!r}", flush=True)
        finally:
            signal.alarm(0)
    print("done", flush=True)


def main() -> None:
    """Run for so many seconds and tell what was found."""
    asked = argparse.ArgumentParser()
    asked.add_argument("--seconds", type=float, default=120)
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--only")
    asked.add_argument("--again")
    asked.add_argument("--child", nargs=3)
    given = asked.parse_args()
    if given.child:
        child(given.child[0], int(given.child[1]), int(given.child[2]))
        return
    if given.again:
        kind, number = given.again.split(":")
        print(readers()[kind](mutated(kind, int(number), corpus())))
        return
    kinds = [given.only] if given.only else list(readers())
    end, findings, inputs, at = time.monotonic() + given.seconds, [], 0, given.seed * 1_000_000
    while time.monotonic() < end:
        for kind in kinds:
            if time.monotonic() >= end:
                break
            load = 60
            begun, told = _run(kind, at, load)
            inputs += begun
            findings += told
        at += load
    for finding in findings:
        print(finding)
    print(f"{inputs:,} inputs of {len(kinds)} kinds in {given.seconds:.0f} s: {len(findings)} findings")
    raise SystemExit(1 if findings else 0)


def _run(kind: str, first: int, count: int) -> tuple[int, list[str]]:
    """Return how many inputs a child read, and what was found; one that dies or hangs is told by the input it was at."""
    command = [sys.executable, "-m", "tools.fuzz", "--child", kind]
    begun, found = 0, []
    while begun < count:
        child_process = subprocess.Popen(
            [*command, str(first + begun), str(count - begun)],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        last, done, hung = first + begun, False, False
        for line in _lines(child_process):
            if line is None:
                hung = True
                child_process.kill()
                break
            word, _, rest = line.strip().partition(" ")
            if word == "begin":
                last, begun = int(rest), int(rest) - first + 1
            elif word == "found":
                number, _, what = rest.partition(" ")
                found.append(f"{kind}:{number} {what}")
            done = done or word == "done"
        code = child_process.wait()
        if done:
            break
        if hung and kind not in BOXED:
            found.append(f"{kind}:{last} hangs where no alarm reaches it")
        elif not hung:
            found.append(f"{kind}:{last} ended its process ({code})")
        if not begun:
            break
    return begun, found


def _lines(child_process: subprocess.Popen[str]) -> Iterator[str | None]:
    """Give the lines of a child; None once nothing came for longer than an input may take."""
    assert child_process.stdout is not None
    with child_process.stdout as out:
        while True:
            ready, _, _ = select.select([out], [], [], 2 * MOST_SECONDS)
            if not ready:
                yield None
                return
            line = out.readline()
            if not line:
                return
            yield line


if __name__ == "__main__":
    main()
