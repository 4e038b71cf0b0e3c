"""The table that many files give: one row for each file, series and number; failures are rows with a sentence."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any

from vettore.core.cells.texts import plain
from vettore.core.errors import Fault, VettoreError
from vettore.files.whole import write_whole
from vettore.files.writers import harmless

# Of the JSON that is written, see cli/schema.json.
SCHEMA = "vettore.table/1"
ENDINGS = (".csv", ".tsv", ".json", ".xlsx", ".parquet")


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
        path = Path(path)
        check_ending(path)
        match path.suffix.casefold():
            case ".csv":
                data = self.text(",").encode("utf-8")
            case ".tsv":
                data = self.text("\t").encode("utf-8")
            case ".json":
                whole = {"schema": SCHEMA, "rows": self.to_dicts()}
                data = (json.dumps(whole, ensure_ascii=False, indent=1, allow_nan=False) + "\n").encode("utf-8")
            case ".xlsx":
                data = self._workbook()
            case _:
                data = self._parquet()
        write_whole(path, data)

    def text(self, delimiter: str = ",") -> str:
        """Return the table as text; numbers in full, in plain ASCII."""
        out = io.StringIO()
        writer = csv.writer(out, delimiter=delimiter, lineterminator="\n")
        writer.writerow(COLUMNS)
        for row in self.rows:
            writer.writerow([_cell(getattr(row, name)) for name in COLUMNS])
        return out.getvalue()

    def _workbook(self) -> bytes:
        from openpyxl import Workbook

        book = Workbook()
        sheet = book.active
        assert sheet is not None
        sheet.title = "Numbers"
        for line, cells in enumerate([COLUMNS, *([getattr(row, name) for name in COLUMNS] for row in self.rows)], 1):
            for place, value in enumerate(cells, 1):
                if isinstance(value, float):
                    if math.isfinite(value):
                        # The library would round to 16 digits.
                        sheet.cell(line, place, repr(value)).data_type = "n"
                elif value:
                    sheet.cell(line, place, shown(str(value))).data_type = "s"
        out = io.BytesIO()
        book.save(out)
        return out.getvalue()

    def _parquet(self) -> bytes:
        try:
            import pyarrow  # noqa: F401

            data: bytes = self.to_frame().to_parquet(index=False)
        except ImportError:
            raise VettoreError(
                "Writing .parquet needs the package pyarrow: pip install “vettore[parquet]”, or take .csv, .json or .xlsx.",
                Fault.PACKAGE,
            ) from None
        return data


def check_ending(path: Path | None) -> None:
    """Refuse a name that no table is written under; None is none. Raises VettoreError."""
    if path is not None and path.suffix.casefold() not in ENDINGS:
        raise VettoreError(f"“{path.name}”: a table of numbers ends in {', '.join(ENDINGS)}.", Fault.FILE_KIND)


def _cell(value: object) -> str:
    if isinstance(value, float):
        return repr(value) if math.isfinite(value) else ""
    return harmless(shown(str(value)))


def shown(text: str) -> str:
    """Return a text as it can be written: a name that is not UTF-8 with question marks, spaces for what is no character."""
    return plain(text.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))


def _shown(value: Any) -> Any:
    return shown(value) if isinstance(value, str) else value
