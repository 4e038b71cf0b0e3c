"""Every kind of noise that is listed has its solver and its words, and is offered everywhere by its entry alone."""

from importlib import import_module

import pytest

from vettore.cli.fits.fit import fit as command
from vettore.cli.schema import whole_schema
from vettore.core.fitting.noises.listed import COVARIANCE, ERRORS_IN_X, NOISES, OTHERS
from vettore.study.columns import Role
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.words.noises import NOISE_WORDS


@pytest.mark.parametrize("kind", [*NOISES.values(), COVARIANCE, ERRORS_IN_X], ids=lambda kind: str(kind.key))
def test_its_solver_is_there(kind):
    module, _, function = kind.solver.rpartition(".")
    assert callable(getattr(import_module(f"vettore.core.fitting.{module}"), function))
    assert not kind.column or Role[kind.column.upper()]


@pytest.mark.parametrize("kind", OTHERS, ids=lambda kind: str(kind.key))
def test_it_is_said_and_offered(kind):
    words = NOISE_WORDS[kind.key]
    assert words.choice
    assert words.edit
    assert words.tip
    assert words.weights
    (option,) = [parameter for parameter in command.params if parameter.name == "noise"]
    assert kind.key in option.type.choices
    assert words.option in option.help
    assert kind.key in whole_schema()["$defs"]["vettore.fit/1"]["properties"]["noise"]["enum"]
    assert PolynomialFit(series="s1", degree=1, noise=kind.key).noise == kind.key


def test_words_are_of_kinds_that_there_are():
    assert set(NOISE_WORDS) == set(NOISES)
    assert len({words.choice for words in NOISE_WORDS.values()}) == len(NOISES)
