"""``python -m vettore`` is the same as the command ``vettore``."""

from vettore.cli import main

main()
