"""What is tried where nothing was written: schemes over the names of columns, and the units of what they hold."""

import numpy as np
import pytest

from vettore import core
from vettore.core.systems.read import read_system
from vettore.core.systems.schemes import SCHEMES, schemes_for
from vettore.core.systems.units import system_units

T = np.linspace(0, 30, 31)


def chain(seed=1):
    """A, B and C of A → B → C."""
    rng = np.random.default_rng(seed)
    a = 2 * np.exp(-0.2 * T)
    b = 2 * 0.2 / (0.07 - 0.2) * (np.exp(-0.2 * T) - np.exp(-0.07 * T))
    return {name: y + rng.normal(0, 0.02, 31) for name, y in {"A": a, "B": b, "C": 2 - a - b}.items()}


def best_of(columns):
    """The first look at all schemes that suit, by Akaike's criterion, with the fits."""
    fits = {}
    for written in schemes_for(T, columns, ["t"]):
        limits = dict.fromkeys(written.not_negative, (0, None))
        fits[written.scheme.key] = core.fit_system(written.text, {"t": T, **columns}, limits=limits, thorough=False)
    return sorted(fits, key=lambda key: fits[key].aicc), fits


def test_the_chain_is_first_whatever_the_columns_are_called_and_however_they_stand():
    columns = chain()
    order, fits = best_of({"gone (end)": columns["C"], "B": columns["B"], "total N": columns["A"]})
    assert order[0] == "chain"
    assert fits["chain"].values["k1"] == pytest.approx(0.2, rel=0.02)
    assert fits["chain"].values["k2"] == pytest.approx(0.07, rel=0.03)


def test_a_scheme_that_holds_another_is_never_worse():
    # There and back holds one step; of columns that neither can follow the likelihood has several tops.
    _, fits = best_of({name: y for name, y in chain().items() if name != "C"})
    assert fits["there and back"].end.deviance <= fits["one step"].end.deviance + 1e-6
    assert fits["enzyme progress"].end.deviance <= fits["one step"].end.deviance + 1e-6


def test_every_scheme_can_be_read_over_any_names():
    for scheme in SCHEMES:
        names = ["tissue", "k1", "gone", "x 1"][: scheme.columns]
        falling = {name: np.exp(-0.3 * T) * np.cos(T) + 1.2 - k * 0.1 for k, name in enumerate(names)}
        for written in schemes_for(T, falling, ["t", "k"]):
            system = read_system(written.text, [*names, "t", "k"], "t")
            assert len(system.measured) == len(names)
            assert {*written.not_negative} <= {*system.coefficients}


def test_units_follow_from_the_columns_and_contradictions_are_seen():
    columns = {"t": "s", "signal": "V", "A": "M"}
    system = read_system("A + B -> C; k; A(0)=A0; B(0)=B0; C(0)=0; signal = e1*C", columns)
    told = system_units(system, columns)
    assert told.contradictions == ()
    assert {name: told.units[name] for name in ("k", "A0", "B0", "e1", "C")} == {
        "k": "1/(s·M)",
        "A0": "M",
        "B0": "M",
        "e1": "V/M",
        "C": "M",
    }
    columns = {"t": "min", "A": "mmol/L", "B": "mg/L"}
    (conflict,) = system_units(read_system("A -> B; k1; A(0)=a; B(0)=0", columns), columns).contradictions
    assert (conflict.left, conflict.left_unit, conflict.right_unit) == ("B", "mg/L", "mmol/L")
