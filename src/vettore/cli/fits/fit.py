"""The command line of fits: one way for all of them, through a study, so that a report says what was printed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.figure import LOOKS, figure_options, save_figure_of
from vettore.cli.fits.many import fit_all
from vettore.cli.fits.of_table import study_of
from vettore.cli.fits.options import check_options
from vettore.cli.fits.planned import with_plan
from vettore.cli.fits.printed import fit_json, fit_text, ranges_of, readings_of, save_rows, tell_saved
from vettore.cli.fits.system import equations_of, fit_equation_runs, fit_equations
from vettore.cli.fits.unknown_samples import taken_from, tell_unknowns, unknowns_options
from vettore.cli.fits.wide import take_columns
from vettore.cli.given import Reading, table_of, table_options
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.noises.listed import OTHERS
from vettore.words.noises import NOISE_WORDS

if TYPE_CHECKING:
    pass

NOT_CONVERGED = 1
# What only a single fit takes, and the option that says so; blank for one that goes with another.
SINGLE = {
    "as_json": "--json",
    "report": "--report",
    "figure": "--figure",
    "table": "--table",
    "improve": "--next",
    "next_rows": "",
    "price": "",
    "profile": "--profile",
}


@click.command()
@click.argument("files", nargs=-1, required=True)
@click.option("--degree", type=int, help="Degree of the polynomial (1 when neither formula nor model is given).")
@click.option("--formula", help='A formula over the columns instead of a polynomial: "y = A*exp(-k*t) + C".')
@click.option(
    "--equations",
    type=click.Path(path_type=Path),
    help="A file with several equations, one a line: rates A' = -k*A, A(0) = A0, reactions A -> B ; k.",
)
@click.option("--model", "model_key", help="A model of the catalogue by its key (see vettore models).")
@click.option("--library", type=click.Path(path_type=Path), help="A library of own models to take --model from.")
@click.option("--start", multiple=True, help="A starting value, as k=0.1 (none is needed).")
@click.option("--hold", multiple=True, help="A coefficient held at a value, as C=0.")
@click.option("--limit", multiple=True, help="Limits of a coefficient, as k=0.. or k=0..1 or k=..1.")
@click.option("--loss", help="squares (the default), huber, cauchy or tukey.")
@click.option("--seed", type=int, help="Seed of the search for an answer (1 when left out).")
@click.option("--x", "x_name", help="Column for x (name, or number from 1).")
@click.option(
    "--y",
    "y_names",
    multiple=True,
    help='Column for y (name, or number from 1); several, a pattern as "A*", or each: all are fitted alike.',
)
@click.option("--sigma", "sigma_name", help="Column with the standard deviations of y.")
@click.option("--sigma-x", "sigma_x_name", help="Column with the standard deviations of x; it needs --sigma.")
@click.option("--correlation", "correlation_name", help="Column with how the errors of x and y of a row go together.")
@click.option(
    "--covariance", type=click.Path(path_type=Path), help="A file with the covariance of the rows, a line each."
)
@click.option("--sigma-known", is_flag=True, help="Take the standard deviations as known, not as relative weights.")
@click.option(
    "--noise",
    type=click.Choice([str(kind.key) for kind in OTHERS]),
    help=f"{'; '.join(NOISE_WORDS[kind.key].option for kind in OTHERS)}.",
)
@click.option("--noise-size", type=float, help="The number of a --noise that needs one.")
@click.option("--trials", "trials_name", help="Column with of how many each share is; it needs --noise binomial.")
@click.option("--no-intercept", is_flag=True, help="Fit a polynomial through the origin.")
@click.option("--span", help="Fit only rows with x in a span, as 0..50, 5.. or ..50.")
@click.option("--at", "at", multiple=True, help="Read the curve at an x.")
@click.option(
    "--where",
    "where",
    multiple=True,
    help="Read the x that belongs to a measured y: one signal, several (4.1; 4.3; 4.2), a mean (4.2 x 3), one with its ± "
    "(4.2 ± 0.1), or a level that nobody measured (exactly 4.2).",
)
@click.option("--slope", "slope", multiple=True, help="Read the slope at an x.")
@click.option("--area", "area", multiple=True, help="Read the area under the curve, as 10..60.")
@click.option(
    "--limits",
    "limits",
    type=click.IntRange(1, 1000),
    help="Limits of decision, detection and quantification, for samples measured so many times.",
)
@click.option("--additions", is_flag=True, help="The amount in the sample that known amounts were added to.")
@click.option(
    "--number",
    "number",
    multiple=True,
    help='A number from coefficients, with what its ± is made of: "Q = M/k where M = 500 ± 2 mg, uniform".',
)
@click.option(
    "--next", "improve", help="Tell where rows more would lower the ± of a coefficient most (its name, or all)."
)
@click.option("--next-rows", type=click.IntRange(1, 100), help="How many rows more are planned (1 when left out).")
@click.option("--price", help='What a row costs, as a formula of x: "1 + depth/2"; it needs --next.')
@click.option(
    "--table",
    "table",
    type=click.Path(path_type=Path),
    help="Save rows, fitted values, residuals and band (.csv, .tsv).",
)
@click.option("--by", help="Fit each group of rows with the same entry in this column.")
@click.option("--shared", help="Fit all files and groups at once, with these coefficients common, as k or k,C.")
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), help="A table of the numbers of all files and groups."
)
@click.option(
    "--workers", type=click.IntRange(1, 256), default=1, help="How many processes work at once, for many files."
)
@click.option("--profile", is_flag=True, help="Tell the range of each coefficient from the likelihood, too.")
@click.option("--json", "as_json", is_flag=True, help="Print everything in the result as JSON.")
@click.option("--report", "report", type=click.Path(path_type=Path), help="Save a report (.html, .pdf, .xlsx …).")
@click.option(
    "--figure", "figure", type=click.Path(path_type=Path), help="Save the figure (.svg, .pdf, .png, .tiff)."
)
@unknowns_options
@figure_options
@table_options
def fit(
    files: Sequence[str],
    by: str | None,
    shared: str | None,
    output: Path | None,
    workers: int,
    read: Reading,
    **options: Any,
) -> None:
    """Fit a polynomial to two columns of a file, or a formula to any of its columns.

    With several FILES (or folders, patterns, - for a list of files), with --by, or with -o, one table of all numbers is
    made: a row for each file, group and number; a group that fails is a row with its reason.
    """
    several = take_columns(options)
    equations = equations_of(options)
    if equations is not None:
        _fit_equations(equations, files, by, shared, output, read, options)
        return
    del options["equations"]
    check_options(options)
    samples = taken_from(options)
    looks = {name: options.pop(name) for name in LOOKS}
    single = {name: options.pop(name) for name in SINGLE}
    _check_looks(looks, single["figure"])
    if samples is not None:
        _check_alone(files, by, shared, several)
        _fit_one(Path(files[0]), read, options, looks, **single, samples=samples, output=output)
        return
    if (
        shared is not None
        or len(files) > 1
        or several
        or by is not None
        or output is not None
        or Path(files[0]).is_dir()
    ):
        _check_single({option: single[name] for name, option in SINGLE.items() if option})
        if shared is not None:
            from vettore.cli.fits.shared import fit_shared_all

            fit_shared_all(files, by, shared, output, read, options)
        else:
            fit_all(files, by, output, workers, read, options)
        return
    _fit_one(Path(files[0]), read, options, looks, **single)


def _fit_equations(
    equations: str,
    files: Sequence[str],
    by: str | None,
    shared: str | None,
    output: Path | None,
    read: Reading,
    options: dict[str, Any],
) -> None:
    """Fit several equations to one file, or to the runs of several."""
    if len(files) == 1 and by is None and shared is None and output is None and not Path(files[0]).is_dir():
        fit_equations(equations, Path(files[0]), read, options)
        return
    if shared is None:
        raise DataError(
            "Several runs are fitted together: say which coefficients are common to all, as --shared k1,k2.",
            Fault.MISSING,
        )
    fit_equation_runs(equations, files, by, shared, output, read, options)


def _fit_one(
    file: Path,
    read: Reading,
    options: dict[str, Any],
    looks: dict[str, Any],
    *,
    as_json: bool,
    report: Path | None,
    figure: Path | None,
    table: Path | None,
    improve: str | None,
    next_rows: int | None,
    price: str | None,
    profile: bool,
    samples: dict[str, Any] | None = None,
    output: Path | None = None,
) -> None:
    """Fit one file, and tell and save what is asked for."""
    from vettore.study.derive import derive_fit

    study = study_of(table_of(file, read, whole=True), file, read, options)
    derived = derive_fit(study, study.curves[0].id)
    study = with_plan(study, derived, improve, next_rows, price)
    readings = readings_of(study, derived) + (ranges_of(derived) if profile else [])
    if samples is not None:
        tell_unknowns(derived, samples, read, output, as_json)
    else:
        click.echo(fit_json(derived, readings) if as_json else fit_text(derived, readings))
    if table is not None:
        save_rows(derived, table)
    if report is not None:
        from vettore.report.save import save_report

        save_report(study, report)
    if figure is not None:
        save_figure_of(study, study.curves[0].id, figure, looks)
    tell_saved({"table": table, "report": report, "figure": figure}, as_json)
    if not derived.result.converged:
        raise SystemExit(NOT_CONVERGED)


def _check_alone(files: Sequence[str], by: str | None, shared: str | None, several: bool) -> None:
    """Refuse several calibrations for one list of unknowns. Raises DataError."""
    if len(files) > 1 or by is not None or shared is not None or several or Path(files[0]).is_dir():
        raise DataError(
            "Unknowns are read off one calibration: give one file, without --by and --shared.", Fault.CONFLICT
        )


def _check_looks(looks: Mapping[str, object], figure: Path | None) -> None:
    """Refuse options about a figure that is not asked for. Raises DataError."""
    given = [name for name, value in looks.items() if value]
    if figure is None and given:
        option = given[0].replace("_", "-")
        raise DataError(f"--{option} would have no effect here: it is about the file of --figure.", Fault.NO_EFFECT)


def _check_single(given: Mapping[str, object]) -> None:
    """Refuse what is for one fit alone, by option. Raises DataError."""
    for option, value in given.items():
        if value:
            raise DataError(
                f"{option} is for a single fit; with several files or groups take -o, or vettore replay.",
                Fault.NO_EFFECT,
            )
