"""vettore thumbnail: a small picture of a study, for the desktop's view of files."""

from __future__ import annotations

from pathlib import Path

import click

from vettore.core.errors import DataError, Fault

SMALLEST, LARGEST = 16, 2048


@click.command()
@click.argument("study", type=click.Path(path_type=Path))
@click.argument("picture", type=click.Path(path_type=Path))
@click.option("--size", type=click.IntRange(SMALLEST, LARGEST), default=256, help="Width and height in pixels.")
def thumbnail(study: Path, picture: Path, size: int) -> None:
    """Draw a study small, as a PNG: the figure of the reported fit, or else its first."""
    from vettore.files.study_file import open_study
    from vettore.files.whole import write_whole
    from vettore.report.document import style_of
    from vettore.report.figures.listed import study_figure
    from vettore.study.figures import figure_of, with_figures

    opened = open_study(study)
    there, reported = with_figures(opened), opened.reported_curve
    if not there:
        raise DataError("The study holds nothing that could be drawn.", Fault.NOTHING)
    of = there[0] if reported is None else reported.id
    look = figure_of(opened, of).changed(residuals=False, notes=(), legend="none", title="", panel="", inset=None)
    write_whole(picture, study_figure(opened, of, style_of(opened), look).thumbnail(size))
