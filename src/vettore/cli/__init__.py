"""The command line: everything without a screen, and the window."""

from vettore.cli.program import main

__all__ = ["main"]
