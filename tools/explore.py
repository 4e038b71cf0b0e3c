"""Runs the property tests again and again with fresh seeds: ``make explore SECONDS=600``.

``make test`` always tries the same examples. What this finds is printed with the example that fails; it becomes an
``@example`` of its test, so that everybody tries it from then on.
"""

from __future__ import annotations

import argparse
import os
import secrets
import subprocess
import sys
import time


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=120.0)
    end, rounds, failed = time.monotonic() + parser.parse_args().seconds, 0, 0
    while rounds == 0 or time.monotonic() < end:
        seed = secrets.randbelow(2**32)
        command = [sys.executable, "-m", "pytest", "-m", "hypothesis", "-n", "auto", f"--hypothesis-seed={seed}"]
        told = subprocess.run(
            command, capture_output=True, text=True, env={**os.environ, "VETTORE_PROPERTIES": "explore"}
        )
        rounds += 1
        if told.returncode:
            failed += 1
            print(f"seed {seed}\n{told.stdout}{told.stderr}", flush=True)
    print(f"{rounds} rounds of fresh examples, {failed} with a failure.")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
