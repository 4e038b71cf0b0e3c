"""The covariance of the rows from a file, as columns of the table beside it: so a study and its report have it, too."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.study.study import Study
    from vettore.study.table import RawColumn, Table

CALLED = "covariance {}"


def with_covariance(study: Study, table: Table, path: Path) -> Study:
    """Return the study of a table with its covariance beside it. Raises DataError for a file that holds another shape."""
    from vettore.study import edits
    from vettore.study.columns import Role

    series = study.series[0]
    study = edits.set_table(study, series.id, replace(table, columns=(*table.columns, *_columns(path, table.rows))))
    first = study.series[0].columns[len(table.columns)]
    return edits.set_column(study, series.id, len(table.columns), replace(first, role=Role.COVARIANCE))


def _columns(path: Path, rows: int) -> tuple[RawColumn, ...]:
    """Return a column for each row from as many lines of as many numbers. Raises DataError."""
    import numpy as np

    from vettore.core.rounding import read_number
    from vettore.files.refusals import read_bytes
    from vettore.study.table import RawColumn

    text = read_bytes(path).decode("utf-8", errors="replace")
    lines = [line.replace(";", " ").replace(",", " ").split() for line in text.splitlines() if line.strip()]
    numbers = [[read_number(cell) for cell in line] for line in lines]
    if len(numbers) != rows or any(len(line) != rows for line in numbers):
        widths = sorted({len(line) for line in numbers})
        raise DataError(
            f"“{path.name}” has {len(numbers)} lines of {' or '.join(map(str, widths)) or 'no'} numbers, and there are "
            f"{rows} rows: a covariance has a line and a column for each.",
            Fault.LENGTHS,
        )
    wrong = next((k + 1 for k, line in enumerate(numbers) if None in line), None)
    if wrong is not None:
        raise DataError(f"Line {wrong} of “{path.name}” holds something that is no number.", Fault.BAD_ROWS)
    columns = np.array(numbers, dtype=np.float64).T
    return tuple(RawColumn(CALLED.format(k + 1), "", column.copy()) for k, column in enumerate(columns))
