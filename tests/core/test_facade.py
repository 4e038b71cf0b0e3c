"""The façade: every name is there, is what its module has, and costs nothing until it is asked for."""

import subprocess
import sys

import pytest

import vettore.core as core


def test_every_name_is_there():
    """All that the façade promises can be had, and nothing else."""
    assert set(core.__all__) == set(core._WHERE)
    for name in core.__all__:
        assert getattr(core, name).__class__ is not type(core), name
    assert set(core.__all__) <= set(dir(core))
    with pytest.raises(AttributeError, match="has no “nothing”"):
        _ = core.nothing


def test_one_part_does_not_load_the_others():
    """Importing the façade loads no fitter; a fit loads no polynomials of the shelf."""
    lines = "import sys, vettore.core as core; print(sorted(m for m in sys.modules if m.startswith('vettore.core.')))"
    told = subprocess.run([sys.executable, "-c", lines], capture_output=True, text=True, check=True).stdout
    assert told.strip() == "[]"
