"""Inputs with mistakes put in at random: what is read in this process is read, or refused in a sentence (tools/fuzz.py)."""

import pytest
from tools.fuzz import BOXED, corpus, mutated, readers

from vettore.core.errors import VettoreError

INPUTS = 60


@pytest.fixture(scope="module")
def whole():
    return corpus()


@pytest.mark.parametrize("kind", ["text", "study", "formula", "library"])
def test_a_changed_input_is_read_or_refused(kind, whole):
    """Nothing but a VettoreError, whose sentence says something."""
    read, refused = readers()[kind], 0
    for number in range(INPUTS):
        try:
            read(mutated(kind, number, whole))
        except VettoreError as error:
            assert str(error).strip()
            refused += 1
    assert 0 < refused < INPUTS


def test_an_input_is_made_from_its_number_alone(whole):
    """So that a finding can be had again; every kind that is read has a corpus."""
    assert {*BOXED, "text", "study", "formula", "library", "journal"} == set(whole) == set(readers())
    for kind in ("text", "formula", "json"):
        assert mutated(kind, 7, whole) == mutated(kind, 7, corpus())
