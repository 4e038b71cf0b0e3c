"""What is told of a system that was fitted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.formula.tree import Name, Node, names
from vettore.core.remarks import Remark, sentences
from vettore.core.systems.curve import SystemCurve
from vettore.core.systems.problem import SystemProblem
from vettore.core.systems.search import RoundEnd
from vettore.core.systems.shown import Shown
from vettore.core.systems.system import EquationSystem
from vettore.core.telling import Tells, short


@dataclass(frozen=True, eq=False, repr=False)
class SystemFit(Tells):
    """A fitted system: coefficients with their ±, and curves, residuals (n,) and R² by measured column.

    ``covariance`` (m, m) is that of ``fitted_names``; ``scatters`` the standard deviation of each column about its curve.
    ``others`` are answers that fit as well, as values by name.
    """

    problem: SystemProblem
    end: RoundEnd
    coefficients: Mapping[str, Coefficient]
    covariance: Array | None
    degrees_of_freedom: int
    scatters: Mapping[str, float]
    others: tuple[Mapping[str, float], ...]
    remarks: tuple[Remark, ...]
    level: float

    @property
    def system(self) -> EquationSystem:
        """The equations as they were understood."""
        return self.problem.system

    @property
    def equations(self) -> tuple[str, ...]:
        """Every equation as it was understood, one a line."""
        return self.system.equations

    @property
    def fitted_names(self) -> tuple[str, ...]:
        """The coefficients that were found, in the order of the covariance."""
        return self.problem.free

    @property
    def n(self) -> int:
        """How many numbers were measured."""
        return self.problem.n

    @property
    def aicc(self) -> float:
        """Akaike's criterion for few rows, by which systems over the same columns are compared; the less the better.

        Coefficients and the scatters that the rows told are counted (Burnham & Anderson 2002, §2.4); inf where there are too
        many of them.
        """
        unknown = sum(part.sigma is None for part in self.problem.parts)
        scatters = unknown * (unknown + 1) // 2 if self.problem.together else unknown
        count = len(self.fitted_names) + scatters
        left = self.n - count - 1
        return self.end.deviance + 2 * count + (2 * count * (count + 1) / left if left > 0 else np.inf)

    @property
    def warnings(self) -> tuple[str, ...]:
        """What is to be said beside the numbers."""
        return sentences(self.remarks)

    @property
    def values(self) -> dict[str, float]:
        """All coefficients by name."""
        return {name: coefficient.value for name, coefficient in self.coefficients.items()}

    @cached_property
    def residuals(self) -> Mapping[str, Array]:
        """Measured less said, of the rows in use, by measured column."""
        pairs = zip(self.problem.parts, self.end.predicted.values, strict=True)
        return {part.measured.name: part.y - value for part, value in pairs}

    @cached_property
    def r_squared(self) -> Mapping[str, float | None]:
        """R² against the mean, by measured column; None where a column does not vary."""
        out: dict[str, float | None] = {}
        for part in self.problem.parts:
            rest = self.residuals[part.measured.name]
            total = float(((part.y - part.y.mean()) ** 2).sum())
            out[part.measured.name] = 1 - float(rest @ rest) / total if total > 0 else None
        return out

    @cached_property
    def sum_of_squares(self) -> Mapping[str, float]:
        """The squares of the residuals, by measured column."""
        return {name: float(rest @ rest) for name, rest in self.residuals.items()}

    @cached_property
    def curves(self) -> Mapping[str, SystemCurve]:
        """What the system says of each measured column, and of each state, as a curve with its ±, slopes and areas."""
        out = {state.name: self._curve(Name(state.name), None) for state in self.system.states}
        for part in self.problem.parts:
            out[part.measured.name] = self._curve(part.measured.right, self.scatters[part.measured.name])
        return out

    def _curve(self, tree: Node, scatter: float | None) -> SystemCurve:
        missing = [name for name in self.system.columns if name in names(tree) and name not in self.problem.entering]
        if missing:
            raise DataError(f"There is no value of {missing[0]} between the rows.", Fault.NO_VALUE)
        columns = {name: at for name, at in self.problem.entering.items() if name in names(tree)}
        times = self.problem.times
        return SystemCurve(
            Shown(self.system, tree, self.fitted_names),
            self.values,
            self.problem.motion,
            columns,
            (float(times[0]), float(times[-1])),
            self.covariance,
            scatter,
            self.degrees_of_freedom,
        )

    @cached_property
    def conserved(self) -> tuple[Mapping[str, float], ...]:
        """Sums of states that never change, as factors by state: A + B + C in A → B → C.

        They are the combinations in which the rates vanish at states and coefficients drawn at random.
        """
        motion = self.problem.motion
        if motion is None or len(self.system.states) < 2:
            return ()
        rng = np.random.default_rng(1)
        rows = [
            motion.rates_at({name: float(rng.uniform(0.5, 2)) for name in self.system.coefficients}, rng)
            for _ in range(3 * len(self.system.states))
        ]
        return _vanishing(np.array(rows), self.system.state_names)

    def _line(self) -> str:
        parts = [f"{name} = {short(entry.value)}" for name, entry in self.coefficients.items()]
        return f"{len(self.system.states)} states, {', '.join(parts)}"

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        entries = list(self.coefficients.values())
        return {
            "coefficient": [entry.name for entry in entries],
            "value": [entry.value for entry in entries],
            "standard error": [entry.standard_error for entry in entries],
            "low": [entry.low for entry in entries],
            "high": [entry.high for entry in entries],
        }

    def _facts(self) -> Mapping[str, Any]:
        return {
            "equations": list(self.equations),
            "coefficients": {name: {**asdict(entry), "p": entry.p} for name, entry in self.coefficients.items()},
            "n": self.n,
            "degrees_of_freedom": self.degrees_of_freedom,
            "level": self.level,
            "r_squared": self.r_squared,
            "sum_of_squares": self.sum_of_squares,
            "scatters": self.scatters,
            "others": list(self.others),
            "conserved": list(self.conserved),
            "residuals": self.residuals,
            "warnings": list(self.warnings),
        }


def _vanishing(table: Array, states: Sequence[str]) -> tuple[Mapping[str, float], ...]:
    """Return combinations of columns that vanish in all rows, each by the first state that it can be solved for."""
    scale = float(np.abs(table).max())
    if not scale > 0:
        return tuple({name: 1.0} for name in states)
    sizes, directions = np.linalg.svd(table / scale)[1:]
    null = directions[(sizes > 1e-10).sum() :]
    rows = [row.copy() for row in null]
    # Reduced to echelon form, so that each reads as a sum in the trade's terms.
    for place in range(len(rows)):
        rest = np.abs(np.array(rows[place:]))
        column = int(np.flatnonzero(rest.max(axis=0) > 1e-8)[0])
        best = place + int(rest[:, column].argmax())
        rows[place], rows[best] = rows[best], rows[place]
        rows[place] = rows[place] / rows[place][column]
        for other in range(len(rows)):
            if other != place:
                rows[other] = rows[other] - rows[other][column] * rows[place]
    return tuple(
        {name: round(float(value), 9) for name, value in zip(states, row, strict=True) if abs(value) > 1e-8}
        for row in rows
    )
