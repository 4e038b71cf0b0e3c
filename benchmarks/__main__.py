"""Run every benchmark, or those named: python -m benchmarks fits reading window"""

from __future__ import annotations

import importlib
import sys

NAMES = ("speed", "searches", "fits", "formulas", "curves", "surfaces", "reading", "window", "holds")

for name in sys.argv[1:] or NAMES:
    importlib.import_module(f"benchmarks.{name}").main()
    print()
