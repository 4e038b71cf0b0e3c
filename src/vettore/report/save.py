"""Write the report of a study to a file."""

from __future__ import annotations

from pathlib import Path

from vettore.core.errors import Fault, VettoreError
from vettore.files.study_file import study_bytes
from vettore.files.whole import write_whole
from vettore.report.blocks import Attachment, Figure
from vettore.report.document import report_document, style_of
from vettore.report.figures.beforehand import drawn_beside
from vettore.report.figures.figure import StudyFigure
from vettore.report.figures.listed import find_figure, study_figure
from vettore.report.renderers.listed import FORMATS, format_of
from vettore.study.study import Study


def save_figure(study: Study, path: Path | str, of: str = "", data: bool = False) -> None:
    """Write a figure of a study; the ending of the name says how (.svg, .pdf, .png or .tiff).

    ``of`` is the name of what it shows, or a part of it: that of the reported fit when left out. With ``data`` what is drawn
    stands beside it as CSV. Raises VettoreError in a sentence.
    """
    reported = study.reported_curve
    if of or reported is None:
        identity = find_figure(study, of)
    else:
        identity = reported.id
    study_figure(study, identity, style_of(study)).save(Path(path), data)


def save_report(study: Study, path: Path | str) -> None:
    """Write the report of a study; the ending of the name says how. Figures of some formats stand in files beside it.

    Raises VettoreError in a sentence.
    """
    path = Path(path)
    chosen = format_of(path.suffix)
    if chosen is None:
        *first, last = (known.endings[0] for known in FORMATS)
        raise VettoreError(f"“{path.name}”: a report ends in {', '.join(first)} or {last}.", Fault.FILE_KIND)
    attachment = None
    if study.report.attach and chosen.carries:
        attachment = Attachment(f"{path.stem}.vettore", study_bytes(study))
    document = report_document(study, attachment=attachment)
    blocks = [block for section in document.sections for block in section.blocks]
    figures = [block.draw for block in blocks if isinstance(block, Figure) and isinstance(block.draw, StudyFigure)]
    with drawn_beside(figures, *chosen.figures, busy=chosen.laid_out):
        files = chosen.write(document, path.stem)
    # What the report refers to first, so that it never refers to what is not there.
    for ending, data in sorted(files.items(), reverse=True):
        write_whole(path.with_name(path.stem + ending) if ending else path, data)
