"""Studies made up for more than one test."""

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
