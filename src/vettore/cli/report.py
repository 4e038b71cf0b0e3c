"""vettore report: the report of a study."""

from __future__ import annotations

from pathlib import Path

import click


@click.command()
@click.argument("study", type=click.Path(path_type=Path))
@click.option(
    "-o",
    "--output",
    required=True,
    type=click.Path(path_type=Path),
    help="Where to (.pdf, .html, .docx, .xlsx, .tex or .md).",
)
@click.option("--all", "whole", is_flag=True, help="Every fit, and all else that the study holds.")
@click.option("--attach", is_flag=True, help="Take the study along in a .pdf or .html.")
def report(study: Path, output: Path, whole: bool, attach: bool) -> None:
    """Save the report of a study."""
    from vettore.core.errors import DataError, Fault
    from vettore.files.study_file import open_study
    from vettore.report.renderers.listed import format_of
    from vettore.report.save import save_report
    from vettore.study import edits

    opened = open_study(study)
    report_recipe = opened.report
    if whole:
        report_recipe = report_recipe.changed(fits="all")
    if attach:
        chosen = format_of(output.suffix)
        if chosen is not None and not chosen.carries:
            raise DataError(
                f"A report as {output.suffix} carries no study along: --attach is for .pdf and .html.",
                Fault.NO_EFFECT,
            )
        report_recipe = report_recipe.changed(attach=True)
    save_report(edits.set_report(opened, report_recipe), output)
    click.echo(f"The report was saved as {output}.")
