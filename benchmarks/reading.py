"""Reading delimited text against pandas' bare reader."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import pandas as pd

from benchmarks.timing import by_turns, line
from vettore.files.delimited import read_table


def _wait_for_digest(answer: object) -> None:
    """Let the digest of a long file be done, so that it does not run beside the other way."""
    if isinstance(answer, tuple):
        _ = answer[0].full_source


def main() -> None:
    """Print the figures."""
    print("Reading text tables of 4 columns, against pandas.read_csv told the layout")
    rng = np.random.default_rng(1)
    with tempfile.TemporaryDirectory() as folder:
        for n in (1_000, 10_000, 100_000, 1_000_000):
            path = Path(folder) / f"{n}.csv"
            frame = pd.DataFrame(rng.normal(size=(n, 4)), columns=list("abcd")).round(5)
            frame.to_csv(path, sep=";", decimal=",", index=False)
            ours, theirs = by_turns(
                lambda path=path: read_table(path),
                lambda path=path: pd.read_csv(path, sep=";", decimal=","),
                turns=7,
                rest=_wait_for_digest,
            )
            line(f"{n:>9,} rows, semicolons, decimal commas", ours, theirs, "pandas")
