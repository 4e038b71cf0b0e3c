"""States followed over the column that runs, with their slopes by the coefficients.

With y′ = f(t, y, p) the slopes S = ∂y/∂p follow S′ = (∂f/∂y) S + ∂f/∂p (Hairer, Nørsett & Wanner 1993, I.14); both are solved
together by LSODA (Petzold 1983), which goes over to stiff formulas by itself. At a jump by D at τ

    y⁺ = y⁻ + D,   S⁺ = S⁻ + ∂D/∂p + (f(τ, y⁻) − f(τ, y⁺)) ∂τ/∂p.
"""

from __future__ import annotations

import warnings
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any, NamedTuple

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.systems.changes import changes_of
from vettore.core.systems.system import EquationSystem

# Beside the largest that a state has been: what of it may be lost.
BESIDE_LARGEST = 1e-5
# The same of a slope, beside the largest state over the size of the coefficient.
BESIDE_SIZE = 0.1
# The tolerance at which the sizes of states are learnt.
ROUGH = 1e-4
# So often may rates be worked out for one run.
MOST_CALLS = 30_000
CALLS_BETWEEN_LOOKS = 200


Bound = Callable[[Sequence[Any]], list[Any]]


class Run(NamedTuple):
    """States (n, k) at times (n,), and their slopes (n, k, m) by the coefficients, None where not asked."""

    states: Array
    slopes: Array | None


class _Stopped(Exception):
    """Rates were worked out too often, or the user gave up."""


@dataclass(eq=False)
class Motion:
    """The states of a system, ready to be followed for many values of its coefficients.

    ``entering`` gives the columns that enter rates as functions of the column that runs.
    """

    system: EquationSystem
    entering: Mapping[str, Callable[[float], float]]

    def __post_init__(self) -> None:
        system = self.system
        self.names = system.state_names
        moving = system.in_rates()
        self.free = tuple(name for name in system.coefficients if name in moving)
        self._rates = [state.rate for state in system.states]
        initial = [state.initial for state in system.states]
        jumps = [tree for jump in system.jumps for tree in (jump.by, jump.at)]
        self._inputs = (system.over, *self.names, *self.entering)
        self._by_state = [derivative(rate, name) for rate in self._rates for name in self.names]
        self._by_free = [derivative(rate, name) for rate in self._rates for name in self.free]
        self._plain = Program(*self._rates)
        self._full = Program(*self._rates, *self._by_state, *self._by_free)
        names = ((system.over, *self.entering), self.names, self.free, self._rates)
        # The same written out over plain floats, where that can be: without slopes and with them.
        self.written = (changes_of(*names, [], []), changes_of(*names, self._by_state, self._by_free))
        self._initial = Program(*initial, *(derivative(tree, name) for tree in initial for name in self.free))
        self._jumps = (
            Program(*jumps, *(derivative(tree, name) for tree in jumps for name in self.free)) if jumps else None
        )
        # The largest that each state is known to have been, and was seen to be by the run that learns it.
        self._largest = np.zeros(len(self.names))
        self._seen = np.zeros(len(self.names))
        # How often rates were worked out so far, in all runs.
        self.calls = 0

    def run(
        self,
        values: Mapping[str, float],
        times: Array,
        tolerance: float,
        slopes: bool,
        most: int = MOST_CALLS,
        stopped: Callable[[], bool] | None = None,
    ) -> Run | None:
        """Return the states at rising times; None where they leave the range of numbers or take too many steps."""
        with np.errstate(all="ignore"), warnings.catch_warnings():
            warnings.simplefilter("ignore")
            try:
                # Sizes are learnt anew for each run, so that it depends on nothing that was followed before.
                self._largest = np.zeros(len(self.names))
                if tolerance < ROUGH:
                    # Only where the steps are: nothing is worked out between them.
                    if self._run(values, times[-1:], ROUGH, False, most, stopped, learns=True) is None:
                        return None
                    self._largest = self._seen.copy()
                return self._run(values, times, tolerance, slopes, most, stopped)
            except (_Stopped, OverflowError, FloatingPointError, ZeroDivisionError):
                return None

    def bound(self, values: Mapping[str, float]) -> tuple[Bound, Bound]:
        """Return the rates, and the rates with all their slopes, as functions of time, states and columns."""
        fixed = {name: np.float64(values[name]) for name in self.free}
        return self._plain.bound(fixed, self._inputs), self._full.bound(fixed, self._inputs)

    def rates_at(self, values: Mapping[str, float], rng: np.random.Generator) -> Array:
        """Return the rates at states and columns drawn at random."""
        drawn = {name: float(rng.uniform(0.5, 2)) for name in self._inputs}
        with np.errstate(all="ignore"):
            return np.array([float(number) for number in self._plain.all({**values, **drawn})])

    def _run(
        self,
        values: Mapping[str, float],
        times: Array,
        tolerance: float,
        slopes: bool,
        most: int,
        stopped: Callable[[], bool] | None,
        learns: bool = False,
    ) -> Run | None:
        k, m = len(self.names), len(self.free) if slopes else 0
        self._seen = np.zeros(k)
        first = np.array(self._initial.all(values), dtype=np.float64)
        state = np.zeros((k, 1 + m))
        state[:, 0] = first[:k]
        if m:
            state[:, 1:] = first[k:].reshape(k, m)
        if not np.isfinite(state).all():
            return None
        follow = _Rates(self, values, k, m, most, stopped)
        sizes = np.array([max(abs(values[name]), 1e-300) for name in self.free[:m]])
        out = np.full((len(times), k, 1 + m), np.nan)
        begun, done = self.system.start, 0
        for at, change in (*self._changes(values, m), (np.inf, None)):
            until = int(np.searchsorted(times, at, side="left")) if change is not None else len(times)
            end = min(at, float(times[-1])) if len(times) else begun
            if end > begun or until > done:
                there = self._solve(
                    follow,
                    (begun, max(end, begun)),
                    state,
                    times[done:until],
                    tolerance,
                    sizes,
                    out[done:until],
                    learns,
                )
                if there is None:
                    return None
                state = there
            done, begun = until, max(end, begun)
            if change is None or at > times[-1]:
                break
            state = self._jumped(follow, at, state, change, m)
        if not np.isfinite(out).all():
            return None
        return Run(out[:, :, 0], out[:, :, 1:] if slopes else None)

    def _changes(self, values: Mapping[str, float], m: int) -> list[tuple[float, tuple[int, float, Array, Array]]]:
        """Return the jumps by time: which state, by how much, and how amount and time change with the coefficients."""
        if self._jumps is None:
            return []
        numbers = [float(value) for value in self._jumps.all(values)]
        jumps, free = self.system.jumps, len(self.free)
        slopes = np.array(numbers[2 * len(jumps) :]).reshape(len(jumps), 2, free)
        out = []
        for place, jump in enumerate(jumps):
            by, at = numbers[2 * place : 2 * place + 2]
            out.append((at, (self.names.index(jump.state), by, slopes[place, 0, :m], slopes[place, 1, :m])))
        early = [at for at, _ in out if at < self.system.start]
        if early:
            raise DataError(
                f"A jump at {self.system.over} = {early[0]:g} lies before the initial values at {self.system.start:g}.",
                Fault.OUT_OF_BOUNDS,
            )
        return sorted(out, key=lambda pair: pair[0])

    @staticmethod
    def _jumped(follow: _Rates, at: float, state: Array, change: tuple[int, float, Array, Array], m: int) -> Array:
        which, by, by_slopes, at_slopes = change
        there = state.copy()
        there[which, 0] += by
        if m:
            there[which, 1:] += by_slopes
            if at_slopes.any():
                before, after = follow.rates(at, state[:, 0]), follow.rates(at, there[:, 0])
                there[:, 1:] += np.outer(before - after, at_slopes)
        return there

    def _solve(
        self,
        follow: _Rates,
        span: tuple[float, float],
        state: Array,
        times: Array,
        tolerance: float,
        sizes: Array,
        out: Array,
        learns: bool,
    ) -> Array | None:
        """Follow the states over a span, fill in those at ``times``, and return where they are at its end."""
        begun, end = span
        self._seen = np.maximum(self._seen, np.abs(state[:, 0]))
        if end <= begun:
            out[:] = state
            return state
        # Here and nowhere else a library solves what is to be solved.
        from scipy.integrate import solve_ivp

        made: list[Any] = []
        k, columns = state.shape
        largest = np.maximum(self._largest, np.abs(state[:, 0]))
        usual = float(largest.max()) or 1.0
        floor = np.where(self._largest > 0, largest * BESIDE_LARGEST, usual * 1e-6)
        allowed = np.empty((k, columns))
        allowed[:, 0] = tolerance * floor
        # A state whose size is not known yet may become as large as the others.
        scales = np.where(largest > 0, largest, usual)
        allowed[:, 1:] = np.maximum(tolerance * np.outer(scales, BESIDE_SIZE / sizes), 1e-300)
        wanted = np.append(times, end)
        options: dict[str, Any] = {
            "t_eval": None if learns else np.unique(wanted),
            "rtol": max(tolerance, 1e-12),
            "atol": allowed.ravel(),
            "jac": follow.jacobian,
            "made": made,
        }
        try:
            answer = solve_ivp(follow.changes, span, state.ravel(), _frugal(), **options)
        finally:
            _let_go(made, follow.tables)
        if not answer.success or not np.isfinite(answer.y).all():
            return None
        table = answer.y.T.reshape(-1, k, columns)
        self._seen = np.maximum(self._seen, np.abs(table[:, :, 0]).max(axis=0))
        out[:] = table[-1] if learns else table[np.searchsorted(answer.t, times)]
        return np.asarray(table[-1])


@cache
def _frugal() -> type:
    """Return the library's LSODA, each of which tells that it was ``made``.

    Its compiled part (SciPy 1.17) keeps hold of the room that it works in, 8 bytes for the square of what is followed, for as
    long as the program runs: in a study over ten thousand files that is gigabytes. ``_let_go`` gives it back.
    """
    from scipy.integrate import LSODA

    class Frugal(LSODA):
        def __init__(self, *args: Any, made: list[Any], **options: Any) -> None:
            super().__init__(*args, **options)
            made.append(self)

    return Frugal


def _let_go(made: list[Any], tables: list[Array]) -> None:
    """Give back the room of solvers, and the tables of slopes that they asked for."""
    for solver in made:
        integrator = getattr(getattr(solver, "_lsoda_solver", None), "_integrator", None)
        for room in (getattr(integrator, "rwork", None), getattr(integrator, "iwork", None)):
            if isinstance(room, np.ndarray):
                room.resize(0, refcheck=False)
    for table in tables:
        table.resize(0, refcheck=False)
    tables.clear()


class _Rates:
    """The changes of states and slopes for one set of values."""

    def __init__(
        self,
        motion: Motion,
        values: Mapping[str, float],
        k: int,
        m: int,
        most: int,
        stopped: Callable[[], bool] | None,
    ) -> None:
        self._k, self._m, self._most, self._stopped, self._calls = k, m, most, stopped, 0
        self._motion = motion
        self._entering = tuple(motion.entering.values())
        self._plain, self._full = motion.bound(values)
        # The tables of slopes that were handed over.
        self.tables: list[Array] = []
        self._written = motion.written[1 if m else 0]
        self._coefficients = tuple(float(values[name]) for name in motion.free)

    def _count(self) -> None:
        self._calls += 1
        self._motion.calls += 1
        if self._calls > self._most or (
            self._stopped is not None and self._calls % CALLS_BETWEEN_LOOKS == 0 and self._stopped()
        ):
            raise _Stopped

    def _at(self, run: Bound, t: float, y: Array) -> list[Any]:
        return run([np.float64(t), *y, *(np.float64(column(t)) for column in self._entering)])

    def rates(self, t: float, y: Array) -> Array:
        """Return f(t, y)."""
        return np.array(self._at(self._plain, t, y), dtype=np.float64)

    def changes(self, t: float, whole: Array) -> Array | list[float]:
        """Return the changes of states and slopes, in a row."""
        self._count()
        if self._written is not None:
            columns = [column(t) for column in self._entering]
            try:
                return self._written(float(t), columns, self._coefficients, whole.tolist())
            except (ArithmeticError, ValueError):
                # NumPy's numbers go on with inf or NaN, and what follows heeds them.
                pass
        return self._changes_of_arrays(t, whole)

    def _changes_of_arrays(self, t: float, whole: Array) -> Array:
        k, m = self._k, self._m
        if not m:
            return self.rates(t, whole)
        table = whole.reshape(k, 1 + m)
        numbers = np.array(self._at(self._full, t, table[:, 0]), dtype=np.float64)
        out = np.empty((k, 1 + m))
        out[:, 0] = numbers[:k]
        out[:, 1:] = numbers[k : k + k * k].reshape(k, k) @ table[:, 1:] + numbers[k + k * k :].reshape(k, m)
        return out.ravel()

    def jacobian(self, t: float, whole: Array) -> Array:
        """Return how the changes depend on what changes: that of the states for each slope, which is what stiffness is."""
        self._count()
        k, m = self._k, self._m
        numbers = np.array(self._at(self._full, t, whole.reshape(k, 1 + m)[:, 0]), dtype=np.float64)
        table = np.array(np.kron(numbers[k : k + k * k].reshape(k, k), np.eye(1 + m)), dtype=np.float64)
        self.tables.append(table)
        return table
