"""How long the window's thread is held by each act, beside what it may be: a tenth of a second on the machine of the limit."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

LIMIT = 100.0
SHOWN = 12


def watch(home: Path, rows: int = 50_000) -> tuple[dict, str]:
    """Drive all pages once in a process of its own, one study of so many rows; what it told, and what it complained of."""
    process = subprocess.run(
        [sys.executable, Path(__file__).with_name("watched_window.py"), str(rows)],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "VETTORE_HOME": str(home), "OPENBLAS_NUM_THREADS": "1"},
    )
    return json.loads(process.stdout.splitlines()[-1]), process.stderr


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        told, _complaint = watch(Path(folder))
    allowed = LIMIT * told["pace"]
    print(f"The window's thread, held at most (ratio to {LIMIT:.0f} ms at this machine's pace; below 1 is wanted)")
    for spent, label in told["held"][:SHOWN]:
        print(f"  {spent / allowed:5.2f}  {label}")
