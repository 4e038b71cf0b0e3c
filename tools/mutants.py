"""Put single mistakes into the modules that print, keep, undo, export and compare, and tell which the tests miss.

Run: make mutants [ARGS="--module src/vettore/core/units.py --most 40 --seed 2"]. A mistake is one change of the syntax tree:
a comparison the other way, + for −, a number one off, a condition turned round, a name for its twin (aicc for bic), a
statement left out. Each is tried in a process forked from one that has loaded the libraries, with the tests named for its
module; it is killed when one of them fails, or does not end in time. The list of mistakes is drawn with a seed, evenly
over the modules, and the run ends after ten minutes.
"""

from __future__ import annotations

import argparse
import ast
import importlib.machinery
import os
import random
import signal
import sys
import time
from collections.abc import Iterator
from copy import deepcopy
from dataclasses import dataclass
from pathlib import Path

TOP = Path(__file__).parents[1]
SOURCE = TOP / "src" / "vettore"
GOLDENS = "tests/test_goldens.py"
# Modules, and the tests that are there to see mistakes in them.
TARGETS = {
    "core/integration/weights.py": ["tests/core/integration/test_integrate.py"],
    "core/integration/peaks.py": ["tests/core/integration/test_peaks.py", "tests/core/integration/test_integrate.py"],
    "report/figures/layout.py": ["tests/report/test_layout.py"],
    "report/figures/plot.py": ["tests/report/test_layout.py", "tests/report/test_figures.py"],
    "report/renderers/widths.py": ["tests/report/test_pages.py"],
    "core/units.py": ["tests/core/test_units.py", GOLDENS],
    "core/fitting/after/compare.py": [
        "tests/core/fitting/test_published.py",
        GOLDENS,
        "tests/core/fitting/test_after_the_fit.py",
        "tests/words/test_comparison.py",
    ],
    "core/fitting/goodness.py": [
        "tests/core/fitting/test_published.py",
        GOLDENS,
        "tests/core/fitting/test_known_sigma.py",
    ],
    "core/fitting/result.py": [
        "tests/core/fitting/test_published.py",
        GOLDENS,
        "tests/core/fitting/test_known_sigma.py",
    ],
    "core/fitting/after/diagnostics.py": [
        "tests/core/fitting/test_published.py",
        "tests/core/fitting/test_after_the_fit.py",
    ],
    "study/parts.py": ["tests/study/test_deciding.py", "tests/study/test_parts.py", "tests/study/test_following.py"],
    "study/history.py": ["tests/study/test_deciding.py", "tests/study/test_parts.py"],
    "study/edits.py": [
        "tests/study/test_models.py",
        "tests/study/test_deciding.py",
        "tests/study/test_edits.py",
        "tests/study/test_columns.py",
        "tests/study/test_parts.py",
    ],
    "study/following.py": ["tests/study/test_following.py"],
    "study/pulls.py": ["tests/study/test_pulls.py"],
    "files/study_file.py": [
        "tests/files/test_old_studies.py",
        "tests/files/test_study_file.py",
        "tests/study/test_parts.py",
    ],
    "files/old_studies.py": ["tests/files/test_old_studies.py"],
    "files/writers.py": ["tests/files/test_writers.py"],
    "words/readings.py": ["tests/study/test_readings.py", "tests/study/test_steepest.py", "tests/words", GOLDENS],
    "report/document.py": [GOLDENS, "tests/report/test_pages.py"],
    "report/sections/coefficients.py": [GOLDENS, "tests/report/test_pages.py"],
    "words/fits.py": [GOLDENS, "tests/report/test_pages.py", "tests/words"],
    "words/areas.py": [GOLDENS, "tests/report/test_pages.py", "tests/words/test_areas.py"],
    "words/comparison.py": [
        GOLDENS,
        "tests/report/test_pages.py",
        "tests/study/test_line_up.py",
        "tests/words/test_comparison.py",
    ],
    "words/checks.py": [GOLDENS, "tests/words"],
    "words/findings.py": [
        GOLDENS,
        "tests/words",
        "tests/core/test_inspection.py",
        "tests/files/test_marks_and_words.py",
    ],
    "core/surface/contours.py": ["tests/core/surface/test_textbook.py", "tests/core/surface/test_reading.py"],
    "core/surface/variogram.py": ["tests/core/surface/test_textbook.py"],
    "core/surface/kriging.py": ["tests/core/surface/test_textbook.py", "tests/core/surface/test_methods.py"],
    "core/surface/radial.py": ["tests/core/surface/test_textbook.py", "tests/core/surface/test_methods.py"],
    "core/surface/surface.py": ["tests/core/surface"],
    "core/surface/volumes.py": ["tests/core/surface/test_reading.py"],
    "core/models/estimates.py": ["tests/core/models"],
    "core/models/pulling.py": ["tests/core/models", "tests/study/test_pulls.py"],
    "core/integration/places.py": ["tests/core/integration"],
    "core/fitting/restricted.py": [
        "tests/core/fitting/test_over_shares.py",
        "tests/core/fitting/test_growing.py",
        "tests/core/fitting/test_correlated.py",
        "tests/core/fitting/test_levels.py",
    ],
    "study/kept_numbers.py": ["tests/study/test_replay.py", "tests/words/test_beyond.py"],
    "files/clipboard.py": ["tests/files"],
    "core/remarks.py": ["tests/words/test_remarks.py", "tests/core/fitting"],
    "cli/fit.py": [GOLDENS, "tests/test_cli_curves.py", "tests/core/fitting/test_known_sigma.py"],
}
SECONDS, LONGEST, AT_ONCE = 600.0, 60.0, 2
TWINS = {
    "aicc": "bic",
    "bic": "aicc",
    "low": "high",
    "high": "low",
    "x": "y",
    "y": "x",
    "start": "end",
    "end": "start",
}
COMPARED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
COMBINED = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.Pow: ast.Mult, ast.FloorDiv: ast.Mult,
    ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip


@dataclass(frozen=True)
class Mistake:
    """A module with one change, and what that is."""

    module: str
    line: int
    words: str
    source: str


def changes(node: ast.AST) -> Iterator[tuple[str, ast.AST]]:
    """Return what may be wrong with a node: words and the node that takes its place."""
    changed = deepcopy(node)
    match changed:
        case ast.Compare(ops=[op]) if type(op) in COMPARED:
            changed.ops = [COMPARED[type(op)]()]
            yield "comparison", changed
        case ast.BinOp(op=op) if type(op) in COMBINED:
            changed.op = COMBINED[type(op)]()
            yield "operator", changed
        case ast.BoolOp(op=op):
            changed.op = ast.Or() if isinstance(op, ast.And) else ast.And()
            yield "and or or", changed
        case ast.UnaryOp(op=ast.Not()):
            yield "without not", changed.operand
        case ast.UnaryOp(op=ast.USub()):
            yield "without minus", changed.operand
        case ast.Constant(value=bool() as value):
            changed.value = not value
            yield "the other truth", changed
        case ast.Constant(value=int() | float() as value):
            changed.value = value + 1
            yield "one more", changed
        case ast.Attribute(attr=name) if name in TWINS:
            changed.attr = TWINS[name]
            yield f"{TWINS[name]} for {name}", changed
        case ast.If() | ast.IfExp():
            changed.test = ast.UnaryOp(ast.Not(), changed.test)
            yield "the other way", changed
        case ast.Return(value=ast.expr()) if not isinstance(changed.value, ast.Constant):
            changed.value = ast.Constant(None)
            yield "returns nothing", changed
        case ast.Expr(value=ast.Call()):
            yield "left out", ast.Pass()


class _Swap(ast.NodeTransformer):
    def __init__(self, place: int, other: ast.AST) -> None:
        self.place, self.other, self.count = place, other, -1

    def generic_visit(self, node: ast.AST) -> ast.AST:
        self.count += 1
        if self.count == self.place:
            return ast.copy_location(self.other, node)
        return super().generic_visit(node)


def mistakes_in(module: str) -> list[Mistake]:
    """Return every single mistake that can be put into a module; annotations and constants of text are left alone."""
    tree = ast.parse((SOURCE / module).read_text(encoding="utf-8"))
    quiet = {id(part) for node in ast.walk(tree) for part in _annotations(node)}
    order: list[ast.AST] = []
    _in_order(tree, order)
    out = []
    for place, node in enumerate(order):
        if id(node) in quiet:
            continue
        for words, other in changes(node):
            changed = _Swap(place, other).visit(deepcopy(tree))
            text = ast.unparse(ast.fix_missing_locations(changed))
            out.append(Mistake(module, getattr(node, "lineno", 0), f"{words}: {ast.unparse(node)[:70]}", text))
    return out


def _in_order(node: ast.AST, order: list[ast.AST]) -> None:
    order.append(node)
    for child in ast.iter_child_nodes(node):
        _in_order(child, order)


def _annotations(node: ast.AST) -> Iterator[ast.AST]:
    for name in ("annotation", "returns"):
        part = getattr(node, name, None)
        if part is not None:
            yield from ast.walk(part)
    for decorator in getattr(node, "decorator_list", ()):
        yield from ast.walk(decorator)
    if isinstance(node, ast.keyword) and node.arg == "strict":
        # Whether zip may be uneven is seen by nobody as long as nothing is.
        yield from ast.walk(node.value)
    if isinstance(node, ast.ImportFrom):
        yield from ast.walk(node)


def survives(mistake: Mistake) -> bool:
    """Run the tests of a module with a mistake in it, in this process. For a forked one only."""
    import pytest

    place, plain = str(SOURCE / mistake.module), importlib.machinery.SourceFileLoader.get_code

    def get_code(loader, name):
        if loader.path == place:
            return compile(mistake.source, place, "exec")
        return plain(loader, name)

    importlib.machinery.SourceFileLoader.get_code = get_code  # type: ignore[method-assign]
    arguments = ["-x", "-q", "-p", "no:cacheprovider", "-p", "no:randomly", *TARGETS[mistake.module]]
    return pytest.main(arguments) == 0


def tried(mistake: Mistake) -> int:
    """Fork a process that tries a mistake; it ends with 1 when the mistake survives."""
    child = os.fork()
    if child:
        return child
    os.setsid()
    silent = os.open(os.environ.get("MUTANTS_LOG", os.devnull), os.O_WRONLY | os.O_CREAT | os.O_APPEND)
    os.dup2(silent, 1)
    os.dup2(silent, 2)
    signal.alarm(int(LONGEST))
    code = 0
    try:
        code = int(survives(mistake))
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


def passes_unchanged(module: str) -> bool:
    """Whether the tests of a module pass without a mistake: else nothing that they kill means anything."""
    began = time.monotonic()
    child = tried(Mistake(module, 0, "nothing", (SOURCE / module).read_text(encoding="utf-8")))
    passed = os.WEXITSTATUS(os.waitpid(child, 0)[1]) == 1
    print(f"{module:32} {time.monotonic() - began:5.1f} s without a mistake", flush=True)
    return passed


def load() -> None:
    """Load what every try needs, so that a fork has it."""
    import matplotlib.figure  # noqa: F401
    import pandas as pd  # noqa: F401
    import pint  # noqa: F401
    import pytest  # noqa: F401
    import scipy.linalg
    import scipy.special  # noqa: F401


def drawn(modules: list[str], most: int, seed: int) -> list[Mistake]:
    """Return mistakes in random order, taken in turn from the modules."""
    rng = random.Random(seed)
    lists = []
    for module in modules:
        found = mistakes_in(module)
        rng.shuffle(found)
        lists.append(found[:most])
    longest = max(map(len, lists))
    return [found[k] for k in range(longest) for found in lists if k < len(found)]


def main() -> int:
    """Try mistakes until time is up, and report."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--module", action="append", help="a module of TARGETS; all when left out")
    parser.add_argument("--most", type=int, default=60, help="mistakes a module")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--seconds", type=float, default=SECONDS)
    asked = parser.parse_args()
    modules = [name.removeprefix("src/vettore/") for name in asked.module or TARGETS]
    os.chdir(TOP)
    sys.path.insert(0, str(TOP))
    os.environ |= {"QT_QPA_PLATFORM": "offscreen", "OPENBLAS_NUM_THREADS": "1"}
    load()
    broken = [module for module in modules if not passes_unchanged(module)]
    if broken:
        print(f"Without any mistake the tests fail for {', '.join(broken)}; mend that first.")
        return 2
    waiting, running, survived, killed = drawn(modules, asked.most, asked.seed), {}, [], dict.fromkeys(modules, 0)
    total, began = len(waiting), time.monotonic()
    waiting.reverse()
    while running or (waiting and time.monotonic() - began < asked.seconds):
        while waiting and len(running) < AT_ONCE and time.monotonic() - began < asked.seconds:
            mistake = waiting.pop()
            running[tried(mistake)] = mistake
        child, status = os.wait()
        mistake = running.pop(child)
        if os.WIFEXITED(status) and os.WEXITSTATUS(status) == 1:
            survived.append(mistake)
            print(f"survived  {mistake.module}:{mistake.line}  {mistake.words}", flush=True)
        else:
            killed[mistake.module] += 1
    print()
    for module in modules:
        left = sum(mistake.module == module for mistake in survived)
        tries = killed[module] + left
        if tries:
            print(f"{module:32} {killed[module]:4} of {tries:4} killed  {killed[module] / tries:4.0%}")
    tries = sum(killed.values()) + len(survived)
    print(
        f"{sum(killed.values())} of {tries} killed, {sum(killed.values()) / max(tries, 1):.1%} (drawn from {total})"
    )
    return 0 if sum(killed.values()) >= 0.9 * tries else 1


if __name__ == "__main__":
    sys.exit(main())
