"""What users read, whole: every command's text and JSON, and the report. The kept texts were read line by line.

A number may differ in its last digits from machine to machine, so numbers are compared to nine digits and all else exactly.
``VETTORE_GOLDENS=write`` writes them anew; read the difference before it is kept.
"""

import os
import re
from datetime import date
from pathlib import Path

import numpy as np
import pytest

from tests.told import checked
from vettore.cli import main
from vettore.core.polynomials.polynomial import Polynomial
from vettore.core.typesetting.typeset import Box, to_html
from vettore.demo.make_data import FOLDER
from vettore.demo.study import demo_study
from vettore.report import blocks
from vettore.report.document import report_document
from vettore.study import edits, edits_of_curves
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import BetweenEnds
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.readings import AreaReading, FormulaReading, SlopeReading, SteepestReading, TurnsReading
from vettore.study.series import ErrorKind, ErrorOfY
from vettore.study.table import RawColumn, Source, Table

KEPT = Path(__file__).parent / "goldens"
CHAMBER, STAGE, LIGHT = "oxygen-chamber-b.csv", "stage-discharge.tsv", "light-response.csv"
COMMANDS = {
    "fit-line": ("fit", STAGE, "--degree", "1"),
    "fit-origin": ("fit", STAGE, "--degree", "2", "--no-intercept"),
    "fit-line-json": ("fit", STAGE, "--degree", "1", "--json"),
    "fit-model": ("fit", CHAMBER, "--model", "exponential-decay-level"),
    "fit-model-json": ("fit", CHAMBER, "--model", "exponential-decay-level", "--hold", "C=2", "--json"),
    "fit-formula-robust": ("fit", CHAMBER, "--formula", "oxygen = A*exp(-k*time) + C", "--loss", "huber"),
    "fit-known": ("fit", "known.csv", "--degree", "1", "--sigma", "u", "--sigma-known"),
    "fit-known-json": ("fit", "known.csv", "--formula", "y = a + b*x", "--sigma", "u", "--sigma-known", "--json"),
    "fit-words": ("fit", "words.csv", "--degree", "1"),
    "fit-limit": ("fit", CHAMBER, "--model", "exponential-decay-level", "--limit", "C=3.."),
    "fit-counts": ("fit", "larvae.csv", "--model", "exponential-decay", "--noise", "poisson", "--next", "k"),
    "fit-growing": ("fit", "ponds.csv", "--degree", "1", "--noise", "growing", "--limits", "1", "--where", "4"),
    "fit-profile": ("fit", CHAMBER, "--model", "exponential-decay-level", "--profile"),
    "fit-step": ("fit", STAGE, "--formula", "discharge = if(stage < m, a, b + c*stage)", "--profile"),
    "fit-correlated": ("fit", CHAMBER, "--model", "exponential-decay-level", "--noise", "correlated"),
    "fit-correlated-json": ("fit", STAGE, "--degree", "2", "--noise", "correlated", "--json"),
    "fit-growing-json": ("fit", "ponds.csv", "--degree", "1", "--noise", "growing", "--json"),
    "fit-counts-json": ("fit", "larvae.csv", "--degree", "0", "--noise", "poisson", "--json"),
    "fit-shares": (
        "fit",
        "seeds.csv",
        "--formula",
        "sprouted = 100/(1 + exp((salinity - s50)/w))",
        "--noise",
        "binomial",
        "--trials",
        "seeds",
    ),
    "fit-number": (
        "fit",
        CHAMBER,
        "--model",
        "exponential-decay-level",
        "--number",
        "Q = M/A where M = 500 ± 6 mg, uniform",
        "--number",
        "ln2/k",
        "--number",
        "(C - 1.951)^(1/2) + (1.952 - C)^(1/2)",
        "--at",
        "10",
    ),
    "fit-no-counts": ("fit", STAGE, "--degree", "1", "--noise", "poisson"),
    "compare": ("compare", STAGE, "--model", "straight-line", "--model", "quadratic", "--model", "power-law"),
    "compare-json": ("compare", STAGE, "--model", "straight-line", "--model", "quadratic", "--json"),
    "describe": ("describe", STAGE),
    "describe-json": ("describe", STAGE, "--json"),
    "integrate-points": ("integrate", STAGE, "--rule", "simpson", "--from", "0.3", "--to", "0.9"),
    "integrate-points-json": ("integrate", STAGE, "--floor", "ends", "--json"),
    "integrate-function": ("integrate", "--formula", "exp(-x)", "--from", "0", "--to", "inf"),
    "surface": ("surface", "nitrate-sites.txt", "--at", "22; 18.5", "--at", "0,0", "--level", "4"),
    "surface-json": ("surface", "nitrate-sites.txt", "--method", "smoothing", "--at", "22 18.5", "--json"),
    "surface-shape": ("surface", "nitrate-sites.txt", "--shape", "80y5"),
    "surface-columns": ("surface", STAGE, "--x", "stage", "--y", "stage"),
    "integrate-strips": (
        "integrate",
        "--formula",
        "x^3",
        "--from",
        "0",
        "--to",
        "2",
        "--strips",
        "4",
        "--rule",
        "midpoint",
    ),
    "integrate-unsettled": ("integrate", "--formula", "1/x", "--from", "0", "--to", "1"),
    "interpolate": ("interpolate", STAGE, "--method", "cubic", "--at", "0.5,0.75"),
    "interpolate-json": ("interpolate", STAGE, "--method", "monotone", "--every", "0.25", "--json"),
    "interpolate-beyond": ("interpolate", STAGE, "--at", "9"),
    "polynomial": ("polynomial", "--coefficients", "-2,0,1", "--at", "3"),
    "polynomial-json": ("polynomial", "--roots", "1,1,-2", "--json"),
    "model": ("models", "gompertz"),
    "no-file": ("fit", "nowhere.csv"),
    "no-column": ("fit", STAGE, "--y", "level of moon"),
    "no-effect": ("fit", STAGE, "--degree", "1", "--hold", "a0=1"),
    "no-command": ("fti", STAGE),
}
NUMBER = re.compile(r"[-−]?\d+(?:\.\d+)?(?:e[-+]?\d+)?")


def check(name, text):
    """Compare with the kept text, or write it."""
    place = KEPT / f"{name}.txt"
    if os.environ.get("VETTORE_GOLDENS") == "write":
        place.write_text(text, encoding="utf-8")
    kept = place.read_text(encoding="utf-8")
    assert NUMBER.sub("#", text) == NUMBER.sub("#", kept)
    for mine, theirs in zip(NUMBER.findall(text), NUMBER.findall(kept), strict=True):
        a, b = (float(number.replace("−", "-")) for number in (mine, theirs))
        # Rounding errors themselves, as residuals of exact data, are of no size in particular.
        assert a == pytest.approx(b, rel=1e-9, abs=1e-13), f"{mine} is not {theirs}"


@pytest.fixture
def at_home(tmp_path, monkeypatch):
    """A folder with the demo files and two of its own."""
    for file in FOLDER.iterdir():
        (tmp_path / file.name).write_bytes(file.read_bytes())
    (tmp_path / "larvae.csv").write_text(
        "day (d),larvae\n0,21\n1,13\n2,15\n3,7\n4,9\n5,3\n6,5\n7,2\n8,1\n9,2\n10,0\n"
    )
    (tmp_path / "ponds.csv").write_text(
        "iron (mg/L),signal (mV)\n0,1.08\n0,0.95\n1,3.15\n1,2.81\n2,5.3\n2,4.75\n4,9.4\n4,8.5\n8,16.2\n8,18.1\n16,34.9\n16,31.4\n"
    )
    (tmp_path / "seeds.csv").write_text(
        "salinity (g/L),sprouted (%),seeds\n0,95,20\n2,95,20\n4,75,20\n6,45,20\n8,20,20\n10,5,20\n12,0,20\n"
    )
    (tmp_path / "known.csv").write_text("x,y,u\n1,2.1,0.1\n2,3.9,0.1\n3,6.2,0.2\n4,7.8,0.2\n5,10.3,0.3\n")
    (tmp_path / "words.csv").write_text(
        't / min,"flow (L/d)"\n0,<LOD\n1,<LOD\n2,"1,250"\n3,"1,410"\n4,"1,596"\n5,"1,744"\n'
    )
    monkeypatch.chdir(tmp_path)
    return tmp_path


@pytest.mark.parametrize("name", COMMANDS)
def test_what_a_command_prints(name, at_home, capsys):
    """Its output, what it says beside it, and its exit code."""
    with pytest.raises(SystemExit) as left:
        main(list(COMMANDS[name]))
    told = capsys.readouterr()
    if "--json" in COMMANDS[name]:
        checked(told.out)
    text = f"exit {left.value.code}\n--- out\n{told.out}--- err\n{told.err}"
    check(name, text.replace(str(at_home), "HOME"))


def in_lines(document):
    """All that a report says, as lines."""
    lines = [document.title, document.subtitle, document.note, document.footer, document.paper]
    for chapter in document.chapters:
        lines += [f"=== {chapter.title}"] if chapter.title else []
        for section in chapter.sections:
            lines.append(f"== {section.key}: {section.title}")
            for block in section.blocks:
                lines += block_lines(block)
    return "\n".join(lines) + "\n"


def block_lines(block):
    """A block as lines: cells and labels between bars."""
    if isinstance(block, blocks.Pairs):
        lines = [" | ".join(line) for line in block.lines]
        return [re.sub(r"Python .*", "and the versions here", line) for line in lines]
    if isinstance(block, blocks.Equation):
        return [to_html(block.box)]
    if isinstance(block, blocks.Figure):
        return [f"(figure) {block.caption}"]
    if isinstance(block, blocks.Table):
        rows = [block.headings, *block.rows] if block.headings else block.rows
        rows = [(block.caption,), *rows] if block.caption else rows
        return [
            " | ".join(to_html(cell) if isinstance(cell, Box) else blocks.words_of(cell) for cell in row)
            for row in rows
        ]
    return [block.text]


def full_study():
    """The demo study with one of everything that a report can hold."""
    study = demo_study()
    fit = study.reported_curve
    for asked in (
        SlopeReading(curve=fit.id, at=0.6, name="steepness"),
        AreaReading(curve=fit.id, at=0.4, to=0.9, name="area"),
        SteepestReading(curve=fit.id, at=0.3, to=0.8),
        TurnsReading(curve=fit.id),
        FormulaReading(curve=fit.id, formula="twice = 2*area"),
        FormulaReading(curve=fit.id, formula="lost = 2*nothing"),
    ):
        study = edits.keep(study, asked)
    study = edits.add_fit(study, fit.series, 1)
    study = edits.set_report(study, study.report.changed(curve=fit.id, note="Read by hand.", left_out=()))
    study = edits.set_rows_aside(study, fit.series, [3], "ice")
    study = edits_of_curves.set_interpolant(study, InterpolantRecipe(fit.series, "cubic", read_at=(0.5,)))
    study = edits_of_curves.add_area(study, AreaRecipe(fit.series, 0.3, 0.8, "simpson", BetweenEnds(), "middle"))
    study = edits_of_curves.add_function(study, "x*exp(-x)", "0", "inf")
    return edits_of_curves.add_polynomial(study, "by its roots", Polynomial.from_roots([1, 2]))


def all_study():
    """All fits of the demo study, and what else it holds."""
    study = full_study()
    return edits.set_report(study, study.report.changed(fits="all", left_out=("working", "repeat")))


def known_study():
    """A decay whose ± are known, with a coefficient held."""
    t = np.arange(0.0, 60.0, 5.0)
    y = 6 * np.exp(-0.04 * t) + 2 + 0.1 * np.cos(5 * t)
    columns = (RawColumn("t", "min", t), RawColumn("c", "mg/L", y))
    study = edits.add_series(edits.set_title(demo_study(), "Known"), Table(columns, Source("made")), "decay")
    series = study.series[-1].id
    study = edits.set_error_of_y(study, series, ErrorOfY(ErrorKind.CONSTANT, 0.1))
    study = edits.add_model(study, series, "exponential-decay-level")
    return edits.change_fit(study, study.curves[-1].changed(use_errors=True, errors_known=True, hold=(("C", 2.0),)))


def peaks_study():
    """The tannins of the reeds: three peaks with tails, a ratio of areas kept, what is only for repeating left out."""
    study = demo_study()
    series = next(series.id for series in study.series if series.name.startswith("Tannins"))
    study = edits.add_peaks(study, series, PeaksRecipe(series=series, shape="tailed", background="parabola"))
    study = edits.keep(study, FormulaReading(curve=study.curves[-1].id, formula="area2/area1"))
    return edits.set_report(edits.set_title(study, "Tannins"), study.report.changed(title="", left_out=("repeat",)))


@pytest.mark.parametrize(
    ("name", "study"),
    [("report", full_study), ("report-known", known_study), ("report-all", all_study), ("report-peaks", peaks_study)],
)
def test_what_a_report_says(name, study):
    """Every section, digit by digit."""
    check(name, in_lines(report_document(study(), date(2026, 6, 1))))
