"""What the documents tell to type is typed here: every block of Python, and every command of the README and the guide."""

import doctest
import re
import shlex
from pathlib import Path

import jsonschema
import pytest
from tools import api_page, json_page

from tests.told import WHOLE
from vettore import core
from vettore.cli import main
from vettore.cli.listed import COMMANDS, command

ROOT = Path(__file__).parent.parent


def test_every_block_of_python_runs(monkeypatch):
    """One after the other, as a reader would type them."""
    monkeypatch.chdir(ROOT)
    text = (ROOT / "docs" / "PYTHON.md").read_text(encoding="utf-8")
    blocks = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
    assert len(blocks) > 5
    names: dict[str, object] = {}
    for block in blocks:
        exec(compile(block, "docs/PYTHON.md", "exec"), names)


def test_the_page_of_what_is_written_as_json_is_that_of_the_schema():
    """Every command's output is checked by the schema where it is run, see told.py."""
    assert (ROOT / "docs" / "JSON.md").read_text(encoding="utf-8") == json_page.page()
    jsonschema.Draft202012Validator.check_schema(WHOLE)
    outputs = {f"#/$defs/{name}".replace("/1", "~11") for name in WHOLE["$defs"] if name.startswith("vettore.")}
    assert {one["$ref"] for one in WHOLE["oneOf"]} == outputs


def test_the_reference_is_that_of_the_program_and_its_examples_hold():
    """The page is made anew and compared; every function of the core has an example, which is run."""
    assert (ROOT / "docs" / "API.md").read_text(encoding="utf-8") == api_page.page()
    finder, runner = doctest.DocTestFinder(recurse=False), doctest.DocTestRunner()
    for name in core.__all__:
        made = getattr(core, name)
        if callable(made) and not isinstance(made, type):
            (example,) = finder.find(made, name, module=False, globs={})
            if name != "bootstrap_intervals":
                assert example.examples, f"{name} has no example"
            runner.run(example)
    assert runner.summarize().failed == 0


DATA = ROOT / "src" / "vettore" / "demo" / "data"
# What stands for a file in the documents.
FILES = {
    "describe": "stage-discharge.tsv",
    "surface": "nitrate-sites.txt",
    "interpolate": "pond-temperature.csv",
    "peaks": "pond-temperature.csv",
}


def lines():
    """The commands in fenced blocks of the README."""
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    found = []
    for block in re.findall(r"```\n(.*?)```", text, re.DOTALL):
        found += [line for line in block.splitlines() if line.startswith("vettore ")]
    return found


@pytest.mark.parametrize("line", lines())
def test_every_command_of_the_readme_runs(line, tmp_path, monkeypatch, capsys):
    """With a file of the demo in the place of FILE, and its study in that of STUDY."""
    from vettore.demo.study import demo_study
    from vettore.files.study_file import save_study

    monkeypatch.chdir(tmp_path)
    words = shlex.split(line.partition("  #")[0])[1:]
    usual = "oxygen-chamber-b.csv" if "oxygen" in line or "decay" in line else "stage-discharge.tsv"
    file = str(DATA / FILES.get(words[0], usual))
    if "STUDY" in words:
        save_study(demo_study(), "study.vettore")
    (tmp_path / "runs").mkdir()
    (tmp_path / "runs" / "june.tsv").write_bytes((DATA / "stage-discharge.tsv").read_bytes())
    given = [{"FILE": file, "STUDY": "study.vettore", "FOLDER": "runs"}.get(word, word) for word in words]
    with pytest.raises(SystemExit) as ended:
        main(given)
    assert ended.value.code == 0, capsys.readouterr().err


def test_options_in_the_documents_are_there():
    """Every --option that a document gives for a command is one of it."""
    known = {
        name: {option for parameter in command(name).params for option in getattr(parameter, "opts", ())}
        for name in COMMANDS
    }
    seen = 0
    for path in [ROOT / "README.md", *(ROOT / "docs").glob("*.md"), *(ROOT / "docs" / "guide").glob("*.md")]:
        for name, rest in re.findall(r"`vettore (\w+)([^`\n]*)`", path.read_text(encoding="utf-8")):
            for option in () if name not in known else re.findall(r"(?<!\S)--[a-z][a-z-]*", rest):
                seen += 1
                assert option in known.get(name, set()), (path.name, name, option)
    assert seen > 2


def test_the_list_of_commands_says_what_each_says_of_itself():
    """The line of each is the first of its own help, and the list loads none of them."""
    for name, words in COMMANDS.items():
        first = " ".join((command(name).help or "").split("\n\n")[0].split())
        assert first == words
