"""What is refused has a code that scripts can hold on to, wherever it comes from and goes."""

import pickle
from pathlib import Path

import pytest

from tests.told import checked
from vettore import core
from vettore.cli.program import main
from vettore.core.errors import DataError, Fault, FormulaError
from vettore.core.formula.formula import read_formula
from vettore.files.readers import read_file
from vettore.files.refusals import FileError

SOURCE = Path(__file__).parents[1] / "src"


def test_every_code_is_given_somewhere_and_none_twice():
    code = (
        "\n".join(path.read_text(encoding="utf-8") for path in SOURCE.rglob("*.py") if path.name != "errors.py")
        + (SOURCE / "vettore/core/errors.py").read_text(encoding="utf-8").split("class VettoreError")[1]
    )
    assert [fault for fault in Fault if f"Fault.{fault.name}" not in code] == []
    assert len({fault.value for fault in Fault}) == len(Fault.__members__)


def _refusal(work):
    with pytest.raises(core.VettoreError) as refused:
        work()
    return refused.value


def test_errors_come_whole_out_of_another_process(tmp_path):
    rows = _refusal(lambda: core.fit("y = a + b*x", {"x": [1, 2, 3], "y": [1, 2, 3]}, sigma=[1, -1, 1]))
    formula = _refusal(lambda: read_formula("y = a + (b*x", ["x", "y"]))
    missing = _refusal(lambda: read_file(tmp_path / "none.csv"))
    assert (type(rows), type(formula), type(missing)) == (DataError, FormulaError, FileError)
    for error in (rows, formula, missing):
        again = pickle.loads(pickle.dumps(error))
        assert (type(again), str(again), again.__dict__) == (type(error), str(error), error.__dict__)
    assert (rows.code, rows.rows) == (Fault.BAD_ROWS, (2,))
    assert (formula.code, formula.position) == (Fault.FORMULA_SYNTAX, 8)
    assert missing.code is Fault.FILE_MISSING


@pytest.mark.parametrize(
    ("text", "options", "code"),
    [
        ("x,y\n1,2\n2,4\n3,7\n", ["--formula", "y = a*foo(x)"], Fault.FORMULA_NAME),
        ("x,y\n1,2\n2,4\n3,7\n", ["--formula", "y = a + b*x", "--hold", "c=1"], Fault.NO_SUCH_NAME),
        ("x,y\n1,2\n2,4\n3,7\n", ["--degree", "1", "--formula", "y = a"], Fault.NO_EFFECT),
        ("x,y\n1,2\n2,4\n", ["--degree", "4"], Fault.TOO_FEW),
        ("x,y\n2,2\n2,4\n2,7\n", ["--degree", "1"], Fault.NOT_TOLD),
        ("one word\n", ["--degree", "1"], Fault.NOTHING),
        ("x,y\n1,2\n2,4\n3,7\n", ["--degree", "1", "--report", "r.foo"], Fault.FILE_KIND),
    ],
)
def test_a_command_that_refuses_says_so_as_json(tmp_path, capsys, text, options, code):
    data = tmp_path / "d.csv"
    data.write_text(text, encoding="utf-8")
    with pytest.raises(SystemExit) as left:
        main(["fit", str(data), *options, "--json"])
    out, err = capsys.readouterr()
    told = checked(out)
    assert (left.value.code, told["code"]) == (2, code)
    assert err.endswith(f"vettore: {told['message']}\n")
