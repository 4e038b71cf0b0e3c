"""vettore report: the report of a study."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    pass


@click.command()
@click.argument("study", type=click.Path(path_type=Path))
@click.option(
    "-o",
    "--output",
    required=True,
    type=click.Path(path_type=Path),
    help="Where to (.pdf, .html, .docx, .tex or .md).",
)
def report(study: Path, output: Path) -> None:
    """Save the report of a study."""
    from vettore.files.study_file import open_study
    from vettore.report.save import save_report

    save_report(open_study(study), output)
    click.echo(f"The report was saved as {output}.")
