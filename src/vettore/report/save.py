"""Write the report of a study to a file."""

from __future__ import annotations

from pathlib import Path

from vettore.core.errors import VettoreError
from vettore.files.whole import write_whole
from vettore.report.document import report_document
from vettore.report.renderers.listed import FORMATS, format_of
from vettore.study.study import Study


def save_report(study: Study, path: Path | str) -> None:
    """Write the report of a study; the ending of the name says how. Raises VettoreError in a sentence."""
    path = Path(path)
    chosen = format_of(path.suffix)
    if chosen is None:
        endings = " or ".join(known.endings[0] for known in FORMATS)
        raise VettoreError(f"“{path.name}”: a report ends in {endings}.")
    write_whole(path, chosen.write(report_document(study)))
