"""The house is in order: paths in the documents exist, the command line answers, the look is legible."""

import ast
import json
import re
import subprocess
import sys
from pathlib import Path

import pytest

from vettore import cli
from vettore.app.shell.warming import WITHOUT_QT
from vettore.demo.make_data import FOLDER
from vettore.look.theme import LAMP, PAPER, contrast

TOP = Path(__file__).parents[1]


@pytest.mark.parametrize("name", ["README.md", "docs/ARCHITECTURE.md"])
def test_every_path_that_a_document_names_exists(name):
    """What is written between backquotes as a path, or linked, is there."""
    text = (TOP / name).read_text()
    paths = re.findall(r"`([\w./-]+/[\w./-]*)`", text) + re.findall(r"\]\((?!http)([^)#]+)\)", text)
    assert paths
    missing = [path for path in paths if not any((base / path).exists() for base in (TOP, TOP / "docs"))]
    assert not missing


def test_every_room_is_described():
    """docs/ARCHITECTURE.md names every folder of the package."""
    text = (TOP / "docs/ARCHITECTURE.md").read_text()
    folders = {path.parent.relative_to(TOP) for path in (TOP / "src/vettore").rglob("*.py")}
    assert not [folder for folder in folders if f"`{folder}/`" not in text]


READY_MADE = re.compile(
    r"scipy(\.|\s+import\s+)(optimize|interpolate|integrate|stats|odr)|numpy(\.|\s+import\s+)polynomial"
    r"|\bnp\.(polyfit|polyval|poly1d|roots|interp|trapezoid|trapz|polynomial)\b"
)


def test_the_heart_is_our_own():
    """No ready-made fitting, interpolating, integrating or polynomial routine is used in the package."""
    found = [
        f"{path.name}: {match[0]}"
        for path in (TOP / "src").rglob("*.py")
        for match in READY_MADE.finditer(path.read_text())
    ]
    # Rates of change alone are solved by a library, in one place.
    assert {*found} == {"motion.py: scipy.integrate"}
    assert (TOP / "src/vettore/core/systems/motion.py").read_text().count("solve_ivp") == 2


@pytest.mark.parametrize("theme", [PAPER, LAMP], ids=["paper", "lamp"])
def test_text_can_be_read(theme):
    """Every colour that texts have has a contrast of 4.5 : 1 on every ground that they stand on."""
    for ground in (theme.canvas, theme.panel, theme.plot_ground):
        assert contrast(theme.ink, ground) >= 4.5
        assert contrast(theme.muted, ground) >= 4.5
        assert contrast(theme.accent, ground) >= 4.5
        assert contrast(theme.bad, ground) >= 4.5
    for ground in (theme.panel, theme.plot_ground):
        for name in ("fit", "look", "good"):
            assert contrast(getattr(theme, name), ground) >= 4.5, name
    assert contrast(theme.on_accent, theme.accent) >= 4.5


def run(capsys, *arguments):
    with pytest.raises(SystemExit) as left:
        cli.main([str(argument) for argument in arguments])
    out, err = capsys.readouterr()
    return left.value.code, out, err


def test_the_command_line_fits_describes_and_reports(capsys, tmp_path):
    """Numbers come out in full as JSON; a report is saved; columns are found by name or number."""
    file = FOLDER / "nitrate-probe.csv"
    code, out, _ = run(capsys, "fit", file, "--x", "standard", "--y", "2", "--json")
    answer = json.loads(out)
    assert code == 0
    assert answer["n"] == 18
    assert len(answer["residuals"]) == 18
    assert set(answer["coefficients"]) == {"a0", "a1"}
    code, out, _ = run(capsys, "fit", FOLDER / "stage-discharge.tsv", "--degree", 2, "--report", tmp_path / "r.html")
    assert code == 0
    assert "0.874 ± 0.059 m/s" in out
    assert "Quadratic" in (tmp_path / "r.html").read_text()
    code, out, _ = run(capsys, "describe", FOLDER / "pond-temperature.csv", "--json")
    assert json.loads(out)["columns"]["water"]["blank"] == 2


def test_the_command_line_fits_formulas(capsys):
    """Any formula over the columns, without starts, with held coefficients, in full as JSON."""
    file = FOLDER / "oxygen-chamber-b.csv"
    formula = "oxygen = A*exp(-k*time) + C"
    code, out, _ = run(capsys, "fit", file, "--formula", formula, "--hold", "C=2", "--json")
    answer = json.loads(out)
    assert code == 0
    assert answer["coefficients"]["C"]["held"]
    assert answer["coefficients"]["k"]["value"] == pytest.approx(0.04, abs=0.01)
    code, out, _ = run(capsys, "fit", file, "--formula", formula, "--start", "k=0.1")
    assert code == 0
    assert "Converged from one start" in out
    code, _, err = run(capsys, "fit", file, "--formula", "oxygen = A*expp(-k*time)")
    assert code == 2
    assert "Did you mean exp?" in err


def test_the_command_line_refuses_in_one_line(capsys, tmp_path):
    """Wrong requests end with code 2 and a sentence on the error stream."""
    file = FOLDER / "nitrate-probe.csv"
    for arguments, words in (
        (("fit", tmp_path / "none.csv"), "is not in"),
        (("fit", file, "--x", "depth"), "has no column “depth”"),
        (("fit", file, "--degree", 99), "must lie between"),
        (("fit", file, "--colour"), "No such option"),
        (("report", file, "-o", tmp_path / "x.pdf"), "is not a Vettore study"),
    ):
        code, out, err = run(capsys, *arguments)
        assert (code, out) == (2, "")
        # How the file was read may stand above the refusal, which is the last line.
        *read, refusal = err.splitlines()
        assert words in refusal
        assert all(line.startswith("read as: ") for line in read)


def imports_of(path, modules):
    """The modules of ours that a file imports: within functions, too, and those of types alone."""
    wanted, tree = set(), ast.parse(path.read_text())
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            wanted |= {alias.name for alias in node.names}
        if isinstance(node, ast.ImportFrom) and node.module:
            inside = {f"{node.module}.{alias.name}" for alias in node.names}
            wanted |= inside & modules.keys() or {node.module}
    return {name for name in wanted if name in modules}


def test_no_module_imports_itself_in_the_end():
    """The graph of imports has no circle. What a package offers by its name is loaded from its modules when asked for."""
    source = TOP / "src"
    modules = {}
    for path in (source / "vettore").rglob("*.py"):
        parts = path.relative_to(source).with_suffix("").parts
        if parts[-1] != "__init__":
            modules[".".join(parts)] = path
    graph = {name: imports_of(path, modules) - {name} for name, path in modules.items()}
    while True:
        ends = {name for name, others in graph.items() if not others}
        if not ends:
            break
        graph = {name: others - ends for name, others in graph.items() if name not in ends}
    assert not sorted(graph)


FIRST = """
import gc, importlib, pathlib, sys
gc.disable()
import msgspec, numpy, scipy.special, jinja2
folders = [path for path in sorted(pathlib.Path("src/vettore").rglob("*")) if path.is_dir()]
for path in [path for folder in folders for path in sorted(folder.glob("*.py"))[:3]]:
    name = ".".join(path.with_suffix("").parts[1:]).removesuffix(".__init__")
    if name.split(".")[1:2] in (["study"], ["words"], ["files"], ["report"]):
        for loaded in [one for one in sys.modules if one.split(".")[:1] == ["vettore"] and ".core" not in one]:
            del sys.modules[loaded]
        importlib.import_module(name)
"""


def test_any_module_can_be_the_first_one_asked_for():
    """Nothing has to be imported before: each, alone, finds what it needs, though packages import what is in them."""
    done = subprocess.run([sys.executable, "-c", FIRST], cwd=TOP, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


def test_the_command_line_works_in_a_process_of_its_own():
    """Nothing that was imported before helps it."""
    for command in (
        ("fit", str(FOLDER / "stage-discharge.tsv")),
        ("models",),
        ("describe", str(FOLDER / "light-response.csv")),
    ):
        done = subprocess.run(
            [sys.executable, "-m", "vettore", *command], capture_output=True, text=True, check=False
        )
        assert (done.returncode, done.stderr.count("Traceback")) == (0, 0), done.stderr
        assert done.stdout


MOST_LINES = {"file": 400, "class": 250, "function": 50}
# A function or class that is a table of data, whose length says nothing about how much there is to hold in mind.
TABLES = {"style_sheet", "nonlinear_result"}


def test_nothing_is_longer_than_can_be_held_in_mind():
    """Files, classes and functions have a most of lines."""
    found = []
    for path in sorted((TOP / "src").rglob("*.py")):
        text = path.read_text()
        lengths = [("file", path.name, text.count("\n"))]
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, (ast.ClassDef, ast.FunctionDef)) and node.name not in TABLES:
                kind = "class" if isinstance(node, ast.ClassDef) else "function"
                # An example in the words of a function is read by itself.
                words = ast.get_docstring(node) or ""
                shown = words[words.index(">>> ") :].count("\n") + 2 if ">>> " in words and kind == "function" else 0
                lengths.append((kind, f"{path.name}: {node.name}", node.end_lineno - node.lineno + 1 - shown))
        found += [f"{name} {lines}" for kind, name, lines in lengths if lines > MOST_LINES[kind]]
    assert not found


def test_what_a_page_shows_is_worked_out_without_a_window():
    """The states and presents of pages load no Qt, nor does what is loaded ahead on another thread."""
    names = [
        ".".join(path.relative_to(TOP / "src").with_suffix("").parts)
        for path in sorted((TOP / "src/vettore/app/pages").rglob("*.py"))
        if path.stem in ("present", "state", "shaping", "pennants", "residuals")
    ]
    assert len(names) >= 10
    names += WITHOUT_QT
    code = f"import sys, importlib\nfor name in {names!r}: importlib.import_module(name)\nprint('PySide6' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "False"


def test_no_class_declares_what_another_one_has():
    """No part of a page that counts on the attributes of whoever inherits it: annotations without a value in plain classes.

    A protocol says what is needed of another object, and is inherited by nobody.
    """
    found = []
    for path in sorted((TOP / "src/vettore/app").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.ClassDef) or any("dataclass" in ast.unparse(d) for d in node.decorator_list):
                continue
            if any("Protocol" in ast.unparse(base) for base in node.bases):
                continue
            bare = [one for one in node.body if isinstance(one, ast.AnnAssign) and one.value is None]
            found += [f"{path.name}: {node.name}.{ast.unparse(one.target)}" for one in bare]
    assert not found


def test_all_that_paints_does_so_in_one_way():
    """A painter that an exception leaves open ends the program; only `painting` makes painters and puts them away."""
    made = re.compile(r"QPainter\((?!Path)\w+\)|painter\.(save|restore|end)\(\)")
    # A picture that is written to a file ends its painter whatever happens, and raises.
    allowed = {"painting.py", "picture.py"}
    assert {path.name for path in (TOP / "src/vettore/app").rglob("*.py") if made.search(path.read_text())} <= allowed


# Words that say nothing of what they name, and how often they may stand as names all the same.
VAGUE, MOST_VAGUE = r"\b(?:one|found|told|asked|made|gone|said|here)\b", 20


def test_names_say_what_they_name():
    """Outside sentences; a word of several parts, as rows_asked, says more."""
    count = {}
    for path in (TOP / "src").rglob("*.py"):
        code = re.sub(r'""".*?"""|#[^\n]*|"[^"\n]*"', "", path.read_text(), flags=re.DOTALL)
        count[path.name] = len(re.findall(VAGUE, code))
    assert sum(count.values()) <= MOST_VAGUE, {name: number for name, number in count.items() if number}


def test_no_two_classes_of_a_room_have_one_name():
    """So that a name in a message, a search or a head is one thing."""
    rooms = {}
    for path in sorted((TOP / "src" / "vettore").rglob("*.py")):
        room = path.relative_to(TOP / "src" / "vettore").parts[0]
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef):
                rooms.setdefault((room, node.name), []).append(path.name)
    assert not {key: files for key, files in rooms.items() if len(files) > 1}
