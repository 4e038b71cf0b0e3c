"""The language of systems: what is understood, and what is refused at its place."""

import pytest

from vettore.core.errors import FormulaError
from vettore.core.systems.read import is_system, read_system

COLUMNS = ("t", "A", "B", "signal", "T")


@pytest.mark.parametrize(
    ("text", "equations"),
    [
        ("A' = -k*A; A(0) = A0", ("A' = -k*A", "A(0) = A0")),
        ("dA/dt = -k A\nA(5) = 2", ("A' = -k*A", "A(5) = 2")),
        (
            "d²x/dt² = -x; x(0) = 1; x'(0) = v; signal = x",
            ("x' = x'", "x'' = -x", "x(0) = 1", "x'(0) = v", "signal = x"),
        ),
        (
            "2 A + B <=> C ; kf, kr\nA(0)=1; B(0)=2; C(0)=0",
            (
                "A' = -2*(kf*A^2*B) + 2*(kr*C)",
                "B' = -kf*A^2*B + kr*C",
                "C' = kf*A^2*B - kr*C",
                "A(0) = 1",
                "B(0) = 2",
                "C(0) = 0",
            ),
        ),
        (
            "A → B; V*A/(K + A); A(0) = 1; B(0) = 0",
            ("A' = -V*A/(K + A)", "B' = V*A/(K + A)", "A(0) = 1", "B(0) = 0"),
        ),
        ("A' = -k*A; X' = -A'; A(0) = 1; X(0) = 0", ("A' = -k*A", "X' = -(-k*A)", "A(0) = 1", "X(0) = 0")),
        ("A' = -k*T*A; A(0) = 1; A jumps by D at t = 30", ("A' = -k*T*A", "A(0) = 1", "A jumps by D at t = 30")),
        ("0 -> A; q; A -> 0; k; A(0) = 0", ("A' = q - k*A", "A(0) = 0")),
        ("signal = a*exp(-k*t)\nB = b*exp(-k*t)", ("signal = a*exp(-k*t)", "B = b*exp(-k*t)")),
    ],
)
def test_equations_are_understood(text, equations):
    """As they are told again: by primes, by quotients, as reactions with their mass action, with jumps."""
    assert is_system(text)
    assert read_system(text, COLUMNS).equations == equations


def test_names_are_sorted_into_states_columns_and_coefficients():
    """T is a column that enters; what has a rate is a state; all else is a coefficient."""
    system = read_system("A' = -k*exp(-E/T)*A; A(0) = A0; signal = c*A + d", COLUMNS)
    assert (system.over, system.state_names, system.columns) == ("t", ("A",), ("T",))
    assert system.coefficients == ("k", "E", "A0", "c", "d")
    assert [entry.name for entry in system.measured] == ["signal", "A"]
    assert read_system("A' = -k*a; A(0) = 1", COLUMNS).like_columns == {"a": "A"}


@pytest.mark.parametrize(
    ("text", "place", "words"),
    [
        ("A' = -k*A", 0, "A has no initial value"),
        ("A' = -k*A; A(0) = 1; A' = 3", 20, "A has two rates"),
        ("A' = -k*A; A(0) = 1; A(0) = 2", 20, "two initial values"),
        ("A' = -k*A; A(0) = 1; B' = 0; B(3) = 1", 28, "at different times"),
        ("A' = -k*A; A(0) = t", 10, "no single number"),
        ("A' = -k*(A; A(0) = 1", 8, "never closed"),
        ("X' = -k*X; X(0) = 1", 0, "Nothing of this is measured"),
        ("X' = -k*X; X(0) = 1; sig = X", 20, "“sig” is no column"),
        ("dA/dx = -k*A; A(0) = 1", 0, "by x; what runs is t"),
        ("A' = -k*A; A(0) = 1; A = 3*k", 20, "has a formula, too"),
        ("A -> B; A(0) = 1; B(0) = 0", 6, "has no rate"),
        ("A + -> B; k", 4, "no species"),
        ("A <=> B; k; A(0) = 1; B(0) = 0", 9, "two rates"),
        ("A -> B; k; A' = -q*A; A(0) = 1; B(0) = 0", 11, "takes part in a reaction"),
        ("A' = -k*A; A(0) = 1; signal = Q'", 30, "rate of something that has none"),
        ("A' = B'; B' = A'; A(0) = 1; B(0) = 1", 0, "in a circle"),
        ("X jumps by 3 at t = 5; A' = 0; A(0) = 1", 0, "X jumps, but has no rate"),
        ("A' = -k*A; A(0) = 1; foo", 20, "no ="),
        ("A' = -k*A = 3; A(0) = 1", 10, "second ="),
        ("C(0) = 3; A' = 0; A(0) = 1", 0, "no rate"),
    ],
)
def test_what_is_wrong_is_said_at_its_place(text, place, words):
    """With the letter at which it stands."""
    with pytest.raises(FormulaError) as caught:
        read_system(text, COLUMNS)
    assert words in caught.value.message
    assert caught.value.position in (place, place + 1)
