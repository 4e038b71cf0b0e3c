"""The table that many files give: one row for each file, series and number; failures are rows with a sentence."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any

from vettore.files.number_table import shown, text_of, write_table

# Of the JSON that is written, see cli/schema.json.
SCHEMA = "vettore.table/1"


@dataclass(frozen=True)
class Row:
    """A number of a file. ``outcome`` is done, not converged, no answer or failed; ``reason`` says why, or what is to say."""

    file: str
    group: str
    series: str
    part: str
    number: str
    value: float
    standard_error: float
    unit: str
    verdict: str
    outcome: str
    reason: str


COLUMNS = tuple(field.name for field in fields(Row))


class ReplayTable(Sequence[Row]):
    """Rows in the order of the files. ``failed`` are those of files, or parts of them, that gave nothing."""

    def __init__(self, rows: Sequence[Row]) -> None:
        self.rows = tuple(rows)

    def __len__(self) -> int:
        return len(self.rows)

    def __getitem__(self, place: Any) -> Any:
        return self.rows[place]

    def __iter__(self) -> Iterator[Row]:
        return iter(self.rows)

    def __repr__(self) -> str:
        return f"<ReplayTable: {len(self.rows)} rows of {self.files} files, {len(self.failed)} failed>"

    @property
    def files(self) -> int:
        """How many files there are."""
        return len({row.file for row in self.rows})

    @property
    def failed(self) -> tuple[Row, ...]:
        """The rows without a number because of a failure."""
        return tuple(row for row in self.rows if row.outcome == "failed")

    def to_dicts(self) -> list[dict[str, Any]]:
        """Return the rows as dicts; numbers that are not known are None."""
        return [
            {
                name: None if isinstance(value, float) and not math.isfinite(value) else _shown(value)
                for name, value in by_name.items()
            }
            for by_name in map(asdict, self.rows)
        ]

    def to_frame(self) -> Any:
        """Return a pandas table."""
        import pandas

        rows = [{name: _shown(value) for name, value in asdict(row).items()} for row in self.rows]
        return pandas.DataFrame(rows, columns=list(COLUMNS))

    def save(self, path: Path | str) -> None:
        """Write the table as the ending of the name says: .csv, .tsv, .json, .xlsx or .parquet. Raises VettoreError."""
        write_table(path, self._by_name(), {"schema": SCHEMA, "rows": self.to_dicts()})

    def text(self, delimiter: str = ",") -> str:
        """Return the table as text; numbers in full, in plain ASCII."""
        return text_of(self._by_name(), delimiter)

    def _by_name(self) -> dict[str, list[Any]]:
        return {name: [getattr(row, name) for row in self.rows] for name in COLUMNS}


def _shown(value: Any) -> Any:
    return shown(value) if isinstance(value, str) else value
