"""Studies made up for more than one test."""

import io
import json
import zipfile

import numpy as np

from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


def parabola_and_line(x: np.ndarray) -> Study:
    """y = x² and y = 2x in m over s as series s1 and s2, a parabola fitted to the first."""
    out = Study()
    for name, y in (("upper", x**2), ("lower", 2 * x)):
        table = Table((RawColumn("x", "s", x), RawColumn("y", "m", y)), Source("made"))
        out = edits.add_series(out, table, name)
    return edits.add_fit(out, "s1", 2)


def files_in(data: bytes) -> dict[str, bytes]:
    """The files in an archive, such as a study."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def packed(files: dict[str, bytes], record: object = None) -> bytes:
    """An archive of files; ``record`` takes the place of a study's own, as if somebody had edited it by hand."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, content in files.items():
            own = record is None or name != "study.json"
            archive.writestr(name, content if own else json.dumps(record).encode())
    return out.getvalue()


def npy(array: np.ndarray, **options: bool) -> bytes:
    """An array as the bytes of its file."""
    out = io.BytesIO()
    np.save(out, array, **options)
    return out.getvalue()
