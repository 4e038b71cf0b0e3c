"""JCAMP-DX spectra, the open standard (McDonald & Wilks 1988): simple ``XYDATA`` and ``XYPOINTS`` blocks.

``##XYDATA=(X++(Y..Y))`` lists an x and the ys that follow it in equal steps, plainly (AFFN) or packed with
signs between (PAC); ``##XYPOINTS=(XY..XY)`` lists pairs. Values are multiplied by XFACTOR and YFACTOR. The
squeezed and difference forms (SQZ, DIF, DUP) are decoded, too, since most instruments write them.
"""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from vettore.core.errors import Fault
from vettore.files.refusals import FileError
from vettore.study.table import RawColumn, Source, Table

_LABEL = re.compile(r"^##\s*([^=]+?)\s*=(.*)$")
_SQUEEZED = {c: (s, d) for s, row in (("", "@ABCDEFGHI"), ("-", " abcdefghi")) for d, c in enumerate(row) if c != " "}
_DIFFERENCE = {
    c: (s, d) for s, row in (("", "%JKLMNOPQR"), ("-", " jklmnopqr")) for d, c in enumerate(row) if c != " "
}
_REPEAT = {c: d for d, c in enumerate("STUVWXYZs", 1)}
_PLAIN = re.compile(r"[+\-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+\-]?\d+)?|\?")
# In packed lines E and e are digits, so numbers there have no exponents.
_PACKED = re.compile(r"[@A-Ia-i%J-Rj-rS-Zs][0-9.]*|[+\-]?(?:\d+\.?\d*|\.\d+)|\?")
_LETTERS = re.compile(r"[@A-DF-Ia-df-i%J-Rj-rS-Zs]")

# Points of a spectrum; packed ones may claim any number.
MOST_POINTS = 20_000_000


def spectra(text: str, source: Source) -> list[tuple[str, Table]]:
    """Return the spectra of a JCAMP-DX text, one table a block. Raises FileError in a sentence."""
    tables: list[tuple[str, Table]] = []
    header: dict[str, str] = {}
    data: list[str] | None = None
    form = ""
    for line in [*text.splitlines(), "##END="]:
        line = line.split("$$")[0].rstrip()
        match = _LABEL.match(line)
        if match is None:
            if data is not None and line.strip():
                data.append(line)
            continue
        key = re.sub(r"[\s\-_/]", "", match[1]).upper()
        if data is not None:
            tables.append((header.get("TITLE", ""), _block(header, form, data, source)))
            data = None
        if key == "TITLE":
            header = {}
        header[key] = match[2].strip()
        if key in ("XYDATA", "XYPOINTS", "PEAKTABLE"):
            data, form = [], key
        elif key in ("NTUPLES", "DATATABLE"):
            raise FileError(
                f"“{source.name}” is a JCAMP-DX file of the compound form (NTUPLES), which is not read yet.",
                Fault.FILE_KIND,
            )
    if not tables:
        raise FileError(f"“{source.name}” is a JCAMP-DX file without XYDATA or XYPOINTS.", Fault.FILE_KIND)
    return tables


def _block(header: dict[str, str], form: str, lines: list[str], source: Source) -> Table:
    x_factor, y_factor = (_number(header, key, 1.0, source) for key in ("XFACTOR", "YFACTOR"))
    if form == "XYDATA":
        y = np.array(_ordinates(lines, source)) * y_factor
        if not len(y):
            raise FileError(f"“{source.name}” has an empty XYDATA block.", Fault.NOTHING)
        first = _number(header, "FIRSTX", 0.0, source)
        last = _number(header, "LASTX", first + len(y) - 1, source)
        x = np.linspace(first, last, len(y))
        stated = int(_number(header, "NPOINTS", len(y), source))
        if stated != len(y):
            raise FileError(
                f"“{source.name}” states {stated} points but holds {len(y)}: it is cut off or damaged.",
                Fault.FILE_DAMAGED,
            )
    else:
        numbers = [
            float(token) for token in re.findall(r"[+\-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+\-]?\d+)?", " ".join(lines))
        ]
        if len(numbers) < 2 or len(numbers) % 2:
            raise FileError(f"“{source.name}” has an x without a y in its {form} block.", Fault.FILE_DAMAGED)
        x, y = np.array(numbers[0::2]) * x_factor, np.array(numbers[1::2]) * y_factor
    columns = (
        RawColumn("x" if "XUNITS" not in header else _quantity(header["XUNITS"]), _unit(header.get("XUNITS", "")), x),
        RawColumn("y" if "YUNITS" not in header else _quantity(header["YUNITS"]), _unit(header.get("YUNITS", "")), y),
    )
    notes = tuple(f"{key}: {value}" for key, value in header.items() if value and key not in (form, "XYDATA"))
    how = (("read as", f"JCAMP-DX, {form}"), ("points", str(len(x))))
    return Table(columns, replace(source, how=how, notes=notes))


def _ordinates(lines: list[str], source: Source) -> list[float]:
    """Return the ys of an XYDATA block; the x that begins each line only counts along."""
    values: list[float] = []
    checked = False
    pattern = _PACKED if any(_LETTERS.search(line) for line in lines) else _PLAIN
    for line in lines:
        tokens = pattern.findall(line.replace(",", " "))
        if not tokens:
            raise FileError(
                f"“{source.name}” has a line in its data that cannot be read: {line.strip()[:40]}.",
                Fault.FILE_DAMAGED,
            )
        row: list[float] = []
        difference: float | None = None
        for token in tokens[1:]:
            mark = token[0]
            if mark == "?":
                row.append(np.nan)
                difference = None
            elif mark in _SQUEEZED:
                sign, digit = _SQUEEZED[mark]
                row.append(float(f"{sign}{digit}{token[1:]}"))
                difference = None
            elif mark in _DIFFERENCE and row:
                sign, digit = _DIFFERENCE[mark]
                difference = float(f"{sign}{digit}{token[1:]}")
                row.append(row[-1] + difference)
            elif mark in _REPEAT and row:
                count = int(f"{_REPEAT[mark]}{token[1:9]}") - 1
                if len(values) + len(row) + count > MOST_POINTS:
                    raise FileError(
                        f"“{source.name}” repeats values to more than {MOST_POINTS:,} points. It may be damaged.",
                        Fault.TOO_MANY,
                    )
                for _ in range(count):
                    row.append(row[-1] + (difference or 0.0))
            else:
                row.append(float(token))
                difference = None
        # After a line that ends in differences the next begins with its last value again, as a check.
        if checked and row:
            row = row[1:]
        checked = difference is not None
        values += row
    return values


def _number(header: dict[str, str], key: str, otherwise: float, source: Source) -> float:
    if not header.get(key):
        return float(otherwise)
    try:
        return float(header[key].replace(",", "."))
    except ValueError:
        raise FileError(
            f"“{source.name}” states {key} = {header[key]}, which is not a number.", Fault.FILE_DAMAGED
        ) from None


_UNITS = {
    "1/CM": "1/cm",
    "NANOMETERS": "nm",
    "MICROMETERS": "µm",
    "SECONDS": "s",
    "MINUTES": "min",
    "HZ": "Hz",
    "PPM": "ppm",
}
_QUANTITIES = {
    "1/CM": "wavenumber",
    "NANOMETERS": "wavelength",
    "MICROMETERS": "wavelength",
    "SECONDS": "time",
    "MINUTES": "time",
    "HZ": "frequency",
    "PPM": "shift",
}


def _unit(text: str) -> str:
    return _UNITS.get(
        text.upper(), "" if text.upper() in ("ABSORBANCE", "TRANSMITTANCE", "ARBITRARY UNITS") else text
    )


def _quantity(text: str) -> str:
    return _QUANTITIES.get(text.upper(), text.lower() or "y")
