"""How every command reads its table, what a fit gives beside its text, and fits of many files and groups."""

import bz2
import csv
import gzip
import io
import json
import lzma

import numpy as np
import pytest

from tests.told import checked
from vettore import core
from vettore.cli import main
from vettore.demo.make_data import FOLDER
from vettore.files.packed import MOST_UNPACKED
from vettore.files.readers import read_file
from vettore.files.refusals import FileError

CHAMBER = FOLDER / "oxygen-chamber-b.csv"
T = np.arange(0.0, 60.0, 5.0)


@pytest.fixture
def run(capsys, monkeypatch):
    """Run the command line with bytes on standard input; return its exit code, its output and its complaint."""

    def run_it(*arguments, given=b""):
        monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(given)))
        with pytest.raises(SystemExit) as left:
            main([str(one) for one in arguments])
        told = capsys.readouterr()
        if "--json" in arguments and told.out:
            checked(told.out)
        return left.value.code, told.out, told.err

    return run_it


def chamber():
    columns = {column.name: column.values for column in read_file(CHAMBER)[0].table.columns if column.texts is None}
    return columns["time"], columns["oxygen"]


def test_rows_are_chosen_by_a_condition_and_by_number(run):
    """The same rows for a fit, which sets the others aside with the reason, and for all other commands."""
    t, y = chamber()
    used = (t > 5) & (np.arange(len(t)) != 9)
    expected = core.fit("oxygen = a + b*time", {"time": t[used], "oxygen": y[used]}).values
    code, out, _ = run("fit", CHAMBER, "--degree", 1, "--rows", "time > 5", "--leave-out", "10", "--json")
    told = json.loads(out)
    assert code == 0
    assert [one["value"] for one in told["coefficients"].values()] == pytest.approx(list(expected), rel=1e-12)
    assert told["rows"] == (np.flatnonzero(used & np.isfinite(y)) + 1).tolist()
    _, out, _ = run("describe", CHAMBER, "--rows", "time > 5", "--leave-out", "10", "--json")
    assert json.loads(out)["columns"]["time"]["count"] == int(used.sum())
    for option, value, words in (
        ("--leave-out", "99", "no row 99: the table has rows 1 to"),
        ("--leave-out", "three", "is no row"),
        ("--rows", "time > 1e9", "leaves nothing"),
        ("--rows", "tiem > 5", "tiem"),
    ):
        code, _, complaint = run("fit", CHAMBER, option, value)
        assert code == 2
        assert words in complaint
    code, _, complaint = run("integrate", "--formula", "x", "--from", 0, "--to", 1, "--rows", "x > 0")
    assert (code, "--rows would have no effect" in complaint) == (2, True)


def test_a_table_comes_from_standard_input_packed_or_not(run, tmp_path):
    """As it is, or as .gz, .bz2, .xz under its own name; damaged or packed otherwise it is refused in a sentence."""
    data = CHAMBER.read_bytes()
    plain = run("describe", CHAMBER, "--json")[1]
    for packed in (data, gzip.compress(data), bz2.compress(data), lzma.compress(data)):
        assert run("describe", "-", "--json", given=packed)[1] == plain
    path = tmp_path / "chamber.csv.gz"
    path.write_bytes(gzip.compress(data))
    offer = read_file(path)[0]
    assert (offer.name, offer.table.source.name) == ("chamber", "chamber.csv.gz")
    path.write_bytes(gzip.compress(data)[:-40])
    with pytest.raises(FileError, match="damaged"):
        read_file(path)
    path.write_bytes(b"\x28\xb5\x2f\xfd" + data)
    with pytest.raises(FileError, match="Unpack it first"):
        read_file(path)


def test_what_unpacks_to_too_much_is_given_up(tmp_path, monkeypatch):
    """Before it is in memory."""
    monkeypatch.setattr("vettore.files.packed.MOST_UNPACKED", 4 * 1024**2)
    path = tmp_path / "bomb.csv.gz"
    path.write_bytes(gzip.compress(b"1,2\n" * 5_000_000))
    assert path.stat().st_size < 100_000
    assert MOST_UNPACKED == 1024**3
    with pytest.raises(FileError, match="unpacks to more than"):
        read_file(path)


def test_delimiter_decimal_and_sheet_can_be_said(run, tmp_path):
    """Where the guess would be another; what is not there is named."""
    path = tmp_path / "a.txt"
    path.write_text("a;b\n1,250;2,500\n2,250;3,500\n3,250;4,500\n")
    _, out, _ = run("describe", path, "--decimal", "point", "--json")
    assert json.loads(out)["columns"]["a"]["sum"] == 1250 + 2250 + 3250
    _, out, _ = run("describe", path, "--decimal", "comma", "--delimiter", "semicolon", "--json")
    assert json.loads(out)["columns"]["a"]["sum"] == pytest.approx(6.75)
    path.write_text("a|b\n1|2\n3|4\n5|7\n")
    assert json.loads(run("describe", path, "--delimiter", "|", "--json")[1])["columns"]["b"]["sum"] == 13
    assert "parts no columns" in run("describe", path, "--delimiter", "both")[2]
    np.savez(tmp_path / "two.npz", first=np.arange(6.0).reshape(3, 2), second=np.arange(6.0).reshape(3, 2) * 10)
    _, out, complaint = run("describe", tmp_path / "two.npz", "--json")
    assert "first of 2 tables" in complaint
    _, other, _ = run("describe", tmp_path / "two.npz", "--sheet", "2", "--json")
    sums = [next(iter(json.loads(text)["columns"].values()))["sum"] for text in (out, other)]
    assert sums[1] == 10 * sums[0]
    assert "has no table “third”. It has:" in run("describe", tmp_path / "two.npz", "--sheet", "third")[2]


def test_columns_are_counted_over_all_columns(run, tmp_path):
    """A column of text has a number, too; asked for as numbers it is refused by its name."""
    path = tmp_path / "a.csv"
    path.write_text("plant,dose,answer\nx,1,2\ny,2,4.1\nz,3,5.9\n")
    code, out, _ = run("interpolate", path, "--x", "2", "--y", "3", "--at", "1.5", "--method", "linear", "--json")
    assert code == 0
    assert "3.05" in out
    code, _, complaint = run("interpolate", path, "--x", "1", "--y", "3", "--at", "1.5")
    assert (code, "plant holds text" in complaint) == (2, True)


def test_readings_span_and_table_of_a_fit(run, tmp_path):
    """What is read is what the core reads from the same curve; the table holds each row in full."""
    _, y = chamber()
    asked = ["fit", CHAMBER, "--model", "exponential-decay-level", "--span", "5..60", "--leave-out", "10"]
    asked += ["--at", "20", "--where", "5", "--slope", "20", "--area", "10..30", "--table", tmp_path / "t.csv"]
    code, out, _ = run(*asked, "--json")
    assert code == 0
    told = json.loads(out)
    values = {name: one["value"] for name, one in told["coefficients"].items()}
    at, where, slope, area = told["readings"]

    def curve(x):
        return values["A"] * np.exp(-values["k"] * x) + values["C"]

    assert at["numbers"][0]["value"] == pytest.approx(curve(20.0), rel=1e-12)
    assert curve(where["numbers"][0]["value"]) == pytest.approx(5.0, rel=1e-9)
    assert slope["numbers"][0]["value"] == pytest.approx(-values["k"] * (curve(20.0) - values["C"]), rel=1e-9)
    assert area["numbers"][0]["value"] == pytest.approx(
        values["A"] / values["k"] * (np.exp(-10 * values["k"]) - np.exp(-30 * values["k"])) + 20 * values["C"],
        rel=1e-9,
    )
    rows = list(csv.DictReader((tmp_path / "t.csv").read_text().splitlines()))
    assert [int(row["row"]) for row in rows] == told["rows"]
    assert all(5 <= float(row["x"]) <= 60 for row in rows)
    for row in rows:
        assert float(row["residual"]) == pytest.approx(float(row["y"]) - float(row["fitted"]), abs=1e-14)
        assert float(row["fitted"]) == pytest.approx(curve(float(row["x"])), rel=1e-12)
        assert float(row["y"]) == y[int(row["row"]) - 1]
    text = run(*asked)[1]
    assert "oxygen at time = 20 min" in text


@pytest.fixture
def plants(tmp_path):
    """Two files of three plants each, one of them with a single row."""
    rng = np.random.default_rng(3)
    paths = []
    for number in range(2):
        lines = ["plant,dose (g),leaf (cm),root (cm)"]
        for plant, k in (("x", 0.05), ("y", 0.08)):
            for t in T:
                leaf = 6 * np.exp(-k * t) + 2 + 0.02 * rng.normal()
                lines.append(f"{plant},{t:g},{leaf:.4f},{leaf * 2:.4f}")
        lines.append("z,1,2,3")
        paths.append(tmp_path / f"bed{number}.csv")
        paths[-1].write_text("\n".join(lines) + "\n")
    return paths


def test_groups_of_many_files_are_one_table(run, plants, tmp_path):
    """Each with the numbers of a fit of its rows alone; a group that cannot be fitted is a row with its reason."""
    code, out, complaint = run("fit", *plants, "--by", "plant", "--x", "dose", "--y", "leaf", "--degree", "2")
    assert code == 1
    rows = list(csv.DictReader(out.splitlines()))
    assert {(row["file"], row["group"]) for row in rows} == {(str(path), group) for path in plants for group in "xyz"}
    failed = [row for row in rows if row["outcome"] == "failed"]
    assert [row["group"] for row in failed] == ["z", "z"]
    assert "only 1 row is in use" in failed[0]["reason"]
    assert "2 failed" in complaint
    for path in plants:
        for plant in "xy":
            alone = run(
                "fit", path, "--rows", f'plant == "{plant}"', "--x", "dose", "--y", "leaf", "--degree", 2, "--json"
            )
            told = json.loads(alone[1])["coefficients"]
            of_group = {row["number"]: row for row in rows if (row["file"], row["group"]) == (str(path), plant)}
            assert [float(of_group[name]["value"]) for name in told] == [one["value"] for one in told.values()]
            assert of_group["a1"]["unit"] == "cm/g"
    two = run("fit", *plants, "--by", "plant", "--x", "dose", "--y", "leaf", "--degree", "2", "--workers", 2)
    assert two[1] == out


def test_groups_are_fitted_at_once_with_a_common_coefficient(run, tmp_path):
    """The numbers of core.fit_shared; one value and unit of what is common; the sentence of its test; refusals in a sentence."""
    rng, t = np.random.default_rng(5), np.arange(0.0, 40.0, 2.0)
    beds = {name: a * np.exp(-0.05 * t) + rng.normal(0, 0.02, 20) for name, a in (("north", 3.0), ("south", 5.0))}
    lines = [
        "day (d),leaf (g),bed",
        *(f"{x},{y!r},{name}" for name, ys in beds.items() for x, y in zip(t, ys.tolist(), strict=True)),
    ]
    path = tmp_path / "beds.csv"
    path.write_text("\n".join(lines) + "\n")
    asked = ("fit", path, "--by", "bed", "--x", "day", "--y", "leaf", "--model", "exponential-decay")
    code, out, complaint = run(*asked, "--shared", "k")
    rows = {(row["group"], row["number"]): row for row in csv.DictReader(out.splitlines())}
    told = core.fit_shared("leaf = A*exp(-k*day)", {n: {"day": t, "leaf": y} for n, y in beds.items()}, ["k"])
    assert code == 0
    assert rows["north", "k"]["value"] == rows["south", "k"]["value"]
    assert (rows["north", "k"]["unit"], rows["north", "k"]["reason"]) == ("1/d", "common to all")
    for name, own in zip(beds, told.coefficients, strict=True):
        for number, one in own.items():
            assert float(rows[name, number]["value"]) == pytest.approx(one.value, rel=1e-9)
            assert float(rows[name, number]["standard_error"]) == pytest.approx(one.standard_error, rel=1e-7)
    assert "2 series together, with k common to all" in complaint
    assert "alone fits no better than chance would have it (F = " in complaint
    assert "at least two series" in run("fit", path, "--shared", "a1", "--x", "day", "--y", "leaf")[2]
    assert "q cannot be common" in run(*asked, "--shared", "q")[2]


def test_each_column_of_a_wide_table_is_fitted(run, plants, tmp_path):
    """--y each; the table is written by its ending; outputs of a single fit are refused."""
    code, _, _ = run(
        "fit", plants[0], "--y", "each", "--x", "dose", "--rows", 'plant == "x"', "-o", tmp_path / "t.json"
    )
    assert code == 0
    rows = checked((tmp_path / "t.json").read_text())["rows"]
    assert {row["group"] for row in rows} == {"leaf", "root"}
    slopes = {row["group"]: row["value"] for row in rows if row["number"] == "a1"}
    assert slopes["root"] == pytest.approx(2 * slopes["leaf"], rel=1e-3)
    code, _, complaint = run("fit", *plants, "--report", tmp_path / "r.pdf")
    assert (code, "--report is for a single fit" in complaint) == (2, True)
    # However a file is shared out, what is wrong with it is told once.
    assert run("fit", plants[0], "--by", "soil", "--workers", 2)[1] == run("fit", plants[0], "--by", "soil")[1]
    code, out, _ = run("fit", plants[0], "--by", "soil")
    assert code == 1
    assert "no column “soil” to group by" in out


def test_the_reference_of_commands_is_that_of_the_program(run):
    """docs/COMMANDS.md is what `vettore manual` prints; the man page has every option; -h is --help."""
    code, out, _ = run("manual")
    assert code == 0
    assert out == (FOLDER.parents[3] / "docs" / "COMMANDS.md").read_text(encoding="utf-8")
    page = run("manual", "--man")[1]
    assert page.startswith(".TH VETTORE 1")
    assert {line for line in out.splitlines() if line.startswith("## vettore")} == {
        f"## {line[4:]}" for line in page.splitlines() if line.startswith(".SH vettore")
    }
    assert "\\-\\-leave\\-out" in page
    assert run("replay", "-h") == run("replay", "--help")


def plate(tmp_path):
    """A file of six wells that decay, each by a rate of its own."""
    rng, t = np.random.default_rng(0), np.arange(20.0)
    wells = {
        f"{row}{k}": np.round(5 * np.exp(-(0.1 + 0.05 * k) * t) + rng.normal(0, 0.02, 20), 4)
        for row in "AB"
        for k in (1, 2, 3)
    }
    lines = [",".join(["time", *wells]), *(",".join(map(str, row)) for row in zip(t, *wells.values(), strict=True))]
    path = tmp_path / "plate.csv"
    path.write_text("\n".join(lines))
    return path, t, wells


@pytest.mark.parametrize(
    ("asked", "names"),
    [
        (["A1", "B2"], ["A1", "B2"]),
        (["A*"], ["A1", "A2", "A3"]),
        (["?2", "B2", "B3"], ["A2", "B2", "B3"]),
        (["each"], ["A1", "A2", "A3", "B1", "B2", "B3"]),
    ],
)
def test_columns_of_one_table_are_fitted_alike(run, tmp_path, asked, names):
    path, t, wells = plate(tmp_path)
    wanted = [text for name in asked for text in ("--y", name)]
    code, out, _ = run("fit", path, "--model", "first-order", *wanted)
    rates = {row["group"]: float(row["value"]) for row in csv.DictReader(io.StringIO(out)) if row["number"] == "k"}
    assert code == 0
    assert list(rates) == names
    for name, rate in rates.items():
        alone = core.fit("y = A*exp(-k*t)", {"t": t, "y": wells[name]}).coefficients["k"].value
        assert rate == pytest.approx(alone, rel=1e-9)


def test_wells_share_a_coefficient(run, tmp_path):
    path, t, wells = plate(tmp_path)
    _, out, _ = run("fit", path, "--model", "exponential-decay", "--y", "?1", "--shared", "k")
    rates = {row["group"]: float(row["value"]) for row in csv.DictReader(io.StringIO(out)) if row["number"] == "k"}
    both = core.fit_shared("y = A*exp(-k*t)", [{"t": t, "y": wells[name]} for name in ("A1", "B1")], ["k"])
    assert rates == pytest.approx({"A1": both.coefficients[0]["k"].value, "B1": both.coefficients[0]["k"].value})


@pytest.mark.parametrize(
    ("arguments", "sentence"),
    [
        (["--y", "Z*"], "no column of numbers like “Z*”"),
        (["--y", "A1", "--y", "time"], "time cannot be both x and y"),
        (["--y", "A1", "--y", "Q7"], "has no column “Q7”"),
        (["--y", "each", "--json"], "--json is for a single fit"),
        (["--y", "each", "--unknowns", "1.0"], "one calibration"),
    ],
)
def test_columns_that_cannot_be_fitted_are_said(run, tmp_path, arguments, sentence):
    code, out, err = run("fit", plate(tmp_path)[0], *arguments)
    assert code != 0
    assert sentence in out + err
