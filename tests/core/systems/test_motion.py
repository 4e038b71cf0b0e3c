"""States and their slopes against closed forms, and a stiff scheme against another solver."""

import itertools

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.special import lambertw

from vettore.core.systems.motion import Motion
from vettore.core.systems.read import read_system

T = np.linspace(0, 40, 81)


def chain(t, k1, k2, a):
    return a * np.exp(-k1 * t), a * k1 / (k2 - k1) * (np.exp(-k1 * t) - np.exp(-k2 * t))


def reversible(t, kf, kr, a):
    level = a * kf / (kf + kr) * (1 - np.exp(-(kf + kr) * t))
    return a - level, level


def parallel(t, k1, k2, a):
    gone = a * (1 - np.exp(-(k1 + k2) * t))
    return a - gone, gone * k1 / (k1 + k2), gone * k2 / (k1 + k2)


def enzyme(t, v, k, s):
    left = k * lambertw(s / k * np.exp((s - v * t) / k)).real
    return left, s - left


def oscillator(t, w, d, x, v):
    q = np.sqrt(w * w - d * d)
    return (np.exp(-d * t) * (x * np.cos(q * t) + (v + d * x) / q * np.sin(q * t)),)


def second_order(t, k, a, b):
    grown = np.exp((b - a) * k * t)
    left = a * (b - a) / (b * grown - a)
    return left, b - a + left


def dosed(t, ke, dose, late):
    return (dose * np.exp(-ke * t) + np.where(t >= late, dose * np.exp(-ke * (t - late)), 0.0),)


CLOSED = (
    ("A -> B; k1; B -> C; k2; A(0) = a; B(0) = 0; C(0) = 0", "AB", chain, {"k1": 0.3, "k2": 0.1, "a": 2.0}),
    ("A <=> B; kf, kr; A(0) = a; B(0) = 0", "AB", reversible, {"kf": 0.2, "kr": 0.05, "a": 3.0}),
    ("A -> B; k1; A -> C; k2; A(0) = a; B(0) = 0; C(0) = 0", "ABC", parallel, {"k1": 0.1, "k2": 0.04, "a": 1.0}),
    ("S -> P; v*S/(k + S); S(0) = s; P(0) = 0", "SP", enzyme, {"v": 0.3, "k": 1.2, "s": 4.0}),
    ("x'' = -w^2*x - 2*d*x'; x(0) = x0; x'(0) = v0", "x", oscillator, {"w": 0.8, "d": 0.05, "x0": 1.0, "v0": 0.3}),
    ("A + B -> C; k; A(0) = a; B(0) = b; C(0) = 0", "AB", second_order, {"k": 0.1, "a": 1.0, "b": 1.7}),
    (
        "dP/dt = -ke*P; P(0) = dose; P jumps by dose at t = late",
        "P",
        dosed,
        {"ke": 0.12, "dose": 5.0, "late": 13.25},
    ),
)


@pytest.mark.parametrize(("text", "states", "closed", "values"), CLOSED, ids=[case[2].__name__ for case in CLOSED])
def test_states_and_slopes_are_those_of_the_closed_form(text, states, closed, values):
    """To 1e-9 of the largest; slopes by every coefficient to 1e-6, a jump's time among them."""
    system = read_system(text, ["t", *states])
    motion = Motion(system, {})
    run = motion.run(values, T, 1e-11, slopes=True)
    for name, exact in zip(states, closed(T, *values.values()), strict=True):
        got = run.states[:, system.state_names.index(name)]
        np.testing.assert_allclose(got, exact, rtol=0, atol=1e-9 * np.abs(exact).max())
    for j, name in enumerate(motion.free):
        step = 1e-5 * values[name]
        ends = [closed(T, *{**values, name: values[name] + sign * step}.values()) for sign in (1, -1)]
        for k, letter in enumerate(states):
            slope = (ends[0][k] - ends[1][k]) / (2 * step)
            got = run.slopes[:, system.state_names.index(letter), j]
            np.testing.assert_allclose(got, slope, rtol=0, atol=2e-6 * max(np.abs(slope).max(), 1e-3))


def test_a_stiff_scheme_over_eleven_decades():
    """Three species, rates from 0.04 to 3e7 (Robertson 1966), to 1e-6 of an implicit method of another kind."""
    text = "X' = -k*X + q*Y*Z\nY' = k*X - q*Y*Z - p*Y^2\nZ' = p*Y^2\nX(0) = 1\nY(0) = 0\nZ(0) = 0"
    at = np.array([0.4 * 10.0**k for k in range(12)])
    motion = Motion(read_system(text, ["t", "X"]), {})
    got = motion.run({"k": 0.04, "q": 1e4, "p": 3e7}, at, 1e-10, slopes=True).states

    def rates(_t, y):
        one, two = 0.04 * y[0] - 1e4 * y[1] * y[2], 3e7 * y[1] ** 2
        return [-one, one - two, two]

    other = solve_ivp(rates, (0, at[-1]), [1, 0, 0], "Radau", t_eval=at, rtol=1e-10, atol=1e-22).y.T
    np.testing.assert_allclose(got, other, rtol=1e-6, atol=1e-14)


def test_what_never_ends_is_given_up():
    """A state that leaves the range of numbers in finite time, and one that turns too often: no value, no wait."""
    motion = Motion(read_system("A' = k*A^2; A(0) = 1", ["t", "A"]), {})
    assert motion.run({"k": 1.0}, np.array([0.5, 2.0]), 1e-8, slopes=True) is None
    fast = Motion(read_system("x'' = -w^2*x; x(0) = 1; x'(0) = 0", ["t", "x"]), {})
    assert fast.run({"w": 1e7}, T, 1e-8, slopes=True) is None
    assert fast.calls < 100_000


def test_the_room_of_a_run_is_given_back():
    """The library's solver keeps a hold on its room, 8 kB for these; of 60 runs that would be a megabyte."""
    import gc
    import tracemalloc

    names = [f"S{i}" for i in range(14)]
    lines = [f"{a} -> {b} ; k" for a, b in itertools.pairwise(names)]
    begin = [f"{name}(0) = {int(name == 'S0')}" for name in names]
    motion = Motion(read_system("; ".join([*lines, *begin]), ["t", "S0"]), {})
    times = np.array([0.0, 1.0])
    motion.run({"k": 0.1}, times, 1e-5, True)
    tracemalloc.start()
    for _ in range(60):
        motion.run({"k": 0.1}, times, 1e-5, True)
    gc.collect()
    grown, _ = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert grown < 400_000
