"""vettore peaks: what is read, printed, written and refused."""

import csv

import numpy as np
import pytest

from tests.told import checked
from vettore import core

X = np.linspace(350, 650, 240)


def rows_of(path, delimiter=","):
    return list(csv.DictReader(path.read_text(encoding="utf-8").splitlines(), delimiter=delimiter))


@pytest.fixture
def spectrum(tmp_path):
    rng = np.random.default_rng(1)
    y = [
        sum(
            h * np.exp(-4 * np.log(2) * ((X - m) / w) ** 2)
            for m, w, h in ((430, 30, 1), (470, 30, 0.45), (560, 40, 0.7))
        )
        + 0.05
        + 1e-4 * (X - 350)
        + rng.normal(0, 0.006, len(X))
        for _ in range(2)
    ]
    path = tmp_path / "pigments.csv"
    path.write_text(
        "wavelength (nm),leaf,moss\n"
        + "".join(f"{a!r},{b!r},{c!r}\n" for a, b, c in zip(X.tolist(), y[0].tolist(), y[1].tolist(), strict=True)),
        encoding="utf-8",
    )
    return path, y


def test_peaks_are_printed_and_are_those_of_python(spectrum, run):
    path, (y, _) = spectrum
    code, out, _ = run("peaks", path)
    head, *rows, last = out.splitlines()
    assert (code, head.split("\t")) == (0, ["peak", "place", "height", "width", "area", "share"])
    assert [row.split("\t")[0] for row in rows] == ["1", "2", "3"]
    answer = core.fit_peaks(X, y)
    assert float(rows[1].split("\t")[1].split(" ± ")[0]) == pytest.approx(answer.peaks[1].place.value, abs=0.1)
    assert last.startswith("3 Gaussian peaks, R² 0.999")
    assert last.endswith("background a + b*x")


def test_peaks_as_json_and_as_a_table_hold_all_digits(spectrum, run, tmp_path):
    path, (y, _) = spectrum
    code, out, _ = run("peaks", path, "--count", 3, "--json")
    told, answer = checked(out), core.fit_peaks(X, y, count=3)
    assert (code, told["count"]) == (0, 3)
    assert [peak["area"]["standard_error"] for peak in told["peaks"]] == [
        peak.area.standard_error for peak in answer.peaks
    ]
    table = tmp_path / "peaks.csv"
    run("peaks", path, "--count", 3, "-o", table)
    rows = rows_of(table)
    assert [float(row["area"]) for row in rows] == [peak.area.value for peak in answer.peaks]
    assert [float(row["width high"]) for row in rows] == [peak.width.high for peak in answer.peaks]
    assert rows[-1]["resolution"] == ""


def test_many_spectra_and_a_part_of_each(spectrum, run, tmp_path):
    path, _ = spectrum
    table = tmp_path / "all.tsv"
    code, out, _ = run("peaks", path, "--y", "*", "--from", 510, "--count", 1, "-o", table)
    rows = rows_of(table, "\t")
    assert code == 0
    assert [row["y"] for row in rows] == ["leaf", "moss"]
    assert all(abs(float(row["place"]) - 560) < 1 for row in rows)
    assert "leaf\npeak" in out


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (["--shape", "triangle"], "The shapes are gaussian"),
        (["--from", "700"], "No row lies between"),
        (["-o", "peaks.docx"], "ends in .csv or .tsv"),
        (["--y", "*", "--json"], "take -o"),
        (["--y", "root"], "has no column “root”"),
    ],
)
def test_what_cannot_be_is_refused(spectrum, run, options, words):
    code, _, err = run("peaks", spectrum[0], *options)
    assert code == 2
    assert words in err.splitlines()[-1]
