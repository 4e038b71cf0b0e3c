"""The window's thread is never held for long: every page is driven, every event timed."""

import json
import os
import subprocess
import sys
from pathlib import Path

LIMIT = 100.0
# Beside other tests on the same cores memory is slower than the loop that sets the pace; alone all stay below the limit.
BESIDE_OTHERS = 1.8


def watch(home):
    """Drive all pages once; what took too long, in words by what was done, and how many acts there were."""
    process = subprocess.run(
        [sys.executable, Path(__file__).with_name("watched_window.py")],
        capture_output=True,
        text=True,
        timeout=200,
        check=True,
        env={**os.environ, "VETTORE_HOME": str(home), "OPENBLAS_NUM_THREADS": "1"},
    )
    told = json.loads(process.stdout.splitlines()[-1])
    allowed = LIMIT * BESIDE_OTHERS * told["pace"]
    return {label.split(" (")[0]: spent for spent, label in told["held"] if spent > allowed}, len(told["held"])


def test_nothing_holds_the_window_for_a_tenth_of_a_second(tmp_path):
    """On no page, in the demo study and in one of 50,000 rows; the time of the thread alone counts."""
    too_long, acts = watch(tmp_path / "first")
    assert acts > 35
    if too_long:
        # What is slow is slow again; what a busy machine made slow once is not.
        again, _acts = watch(tmp_path / "again")
        too_long = {
            label: f"{spent:.0f} and {again[label]:.0f} ms" for label, spent in too_long.items() if label in again
        }
    assert not too_long
