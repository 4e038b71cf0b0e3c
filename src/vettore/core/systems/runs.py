"""Several runs of one system fitted together: some coefficients common to all runs, the others each run's own.

Residuals of all runs are weighed by the scatter of their column, one for all runs, told by all rows: Σⱼ nⱼ ln Sⱼ is made least
as for a single run, the sums going over the runs. Starts are the answers of the runs alone, each begun from the first one's.
Whether the common coefficients are common is tested against the runs alone by F, the rows weighed as there.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Rows
from vettore.core.columns.scatter import f_above
from vettore.core.errors import DataError, Fault, check_level
from vettore.core.fitting.after.compare import Nested
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.limits import Limits
from vettore.core.fitting.many_request import AllSeries, labelled
from vettore.core.fitting.request import DEFAULT_SEED
from vettore.core.systems.fit_system import coefficients_of, covariance_of, scatters_of
from vettore.core.systems.motion import MOST_CALLS
from vettore.core.systems.problem import MeasuredRows, Predicted, SystemProblem, problem_of, starts_of
from vettore.core.systems.read import read_system
from vettore.core.systems.result import SystemFit
from vettore.core.systems.search import LAST, NEAR, RoundEnd, descend, search
from vettore.core.systems.shares import column_shares
from vettore.core.systems.weights import Scatter, spreads, squares_of, weighted
from vettore.core.telling import Tells


@dataclass(frozen=True, eq=False, repr=False)
class RunsFit(Tells):
    """``shared`` are the coefficients common to all runs; ``runs`` has one fit a run, by label, with its own coefficients.

    ``against_apart`` is the F test of the runs alone: a small p says that what is taken for common is not; None where the runs
    alone cannot be fitted, or nothing is common.
    """

    equations: tuple[str, ...]
    shared: Mapping[str, Coefficient]
    runs: Mapping[str, SystemFit]
    degrees_of_freedom: int
    scatters: Mapping[str, float]
    against_apart: Nested | None
    level: float

    @property
    def n(self) -> int:
        """How many numbers were measured in all runs."""
        return sum(fit.n for fit in self.runs.values())

    def _line(self) -> str:
        return f"{len(self.runs)} runs, {', '.join(self.shared) or 'nothing'} common to all"

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        columns: dict[str, Sequence[Any]] = {"run": list(self.runs)}
        for name in next(iter(self.runs.values())).coefficients:
            columns[name] = [fit.coefficients[name].value for fit in self.runs.values()]
            columns[f"{name} standard error"] = [fit.coefficients[name].standard_error for fit in self.runs.values()]
        return columns

    def _facts(self) -> Mapping[str, Any]:
        return {
            "equations": list(self.equations),
            "shared": {name: asdict(entry) for name, entry in self.shared.items()},
            "runs": {label: fit.to_dict() for label, fit in self.runs.items()},
            "n": self.n,
            "degrees_of_freedom": self.degrees_of_freedom,
            "scatters": self.scatters,
            "against_apart": None if self.against_apart is None else asdict(self.against_apart),
            "level": self.level,
        }


@dataclass(eq=False)
class _Joined(SystemProblem):
    """The runs as one problem: its parts are columns of all runs, one below the other; ``of_run`` are the places of
    each run's coefficients among all."""

    each: tuple[SystemProblem, ...] = ()
    of_run: tuple[Rows, ...] = ()

    @property
    def calls(self) -> int:
        """How often rates were worked out so far, a run's worth of it: what limits a search is meant for one."""
        return sum(problem.calls for problem in self.each) // max(len(self.each), 1)

    def predict(self, p: Array, tolerance: float, slopes: bool = True, most: int = MOST_CALLS) -> Predicted | None:
        """Return what is said of all rows of all runs."""
        predictions = []
        for problem, places in zip(self.each, self.of_run, strict=True):
            predicted = problem.predict(p[places], tolerance, slopes, most)
            if predicted is None:
                return None
            predictions.append(predicted)
        values = [np.concatenate([run.values[j] for run in predictions]) for j in range(len(self.parts))]
        if not slopes:
            return Predicted(values, [])
        tables = []
        for j in range(len(self.parts)):
            blocks = []
            for run, places in zip(predictions, self.of_run, strict=True):
                block = np.zeros((len(run.values[j]), len(p)))
                block[:, places] = run.slopes[j]
                blocks.append(block)
            tables.append(np.concatenate(blocks))
        return Predicted(values, tables)


def fit_runs(
    equations: str,
    data: AllSeries,
    shared: Collection[str],
    *,
    over: str | None = None,
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    limits: Limits | None = None,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    stopped: Callable[[], bool] | None = None,
) -> RunsFit:
    """Fit several equations to several runs, each a mapping of columns of shape (n,); those in ``shared`` are common to all.

    A mapping of runs gives them labels. The rest is as in fit_system; a start and limits go with all runs. Columns have one
    scatter over all runs. Raises FormulaError or DataError.

    >>> from vettore import core
    >>> t, a, b = [0, 1, 2, 4, 7, 11], [2.02, 1.47, 1.11, 0.6, 0.25, 0.07], [1.01, 0.74, 0.55, 0.3, 0.12, 0.05]
    >>> runs = {"a": {"t": t, "A": a}, "b": {"t": t, "A": b}}
    >>> fit = core.fit_runs("A' = -k*A; A(0) = A0", runs, ["k"])
    >>> f"{fit.shared['k'].value:.3f}, {fit.runs['b'].coefficients['A0'].value:.2f}"
    '0.302, 1.01'
    """
    check_level(level)
    labels, series = labelled(data)
    if not series:
        raise DataError("There are no runs to fit.", Fault.TOO_FEW)
    problems = []
    for label, columns in zip(labels, series, strict=True):
        try:
            system = read_system(equations, columns, over)
            problems.append(problem_of(system, columns, None, hold, limits, stopped))
        except DataError as error:
            raise DataError(f"Run {label}: {error}", error.code) from None
    free = problems[0].free
    strange = [name for name in shared if name not in free]
    if strange:
        raise DataError(
            f"{strange[0]} is no coefficient that is fitted here; these are {', '.join(free)}.", Fault.NO_SUCH_NAME
        )
    common = tuple(name for name in free if name in shared)
    alone = _alone(problems, start, seed)
    joined = _joined(problems, common)
    begin = np.empty(len(joined.free))
    for end, places in zip(alone, joined.of_run, strict=True):
        begin[places] = end.p
    for name in common:
        begin[joined.free.index(name)] = float(np.median([end.p[free.index(name)] for end in alone]))
    near = descend(joined, begin, NEAR, 60)
    if near is None:
        raise DataError("The runs have no values together where each has its answer. Give a start.", Fault.NO_VALUE)
    return _told(joined, descend(joined, near.p, LAST, 30) or near, common, labels, alone, level)


def _alone(problems: Sequence[SystemProblem], start: Mapping[str, float] | None, seed: int) -> list[RoundEnd]:
    """Return the answers of the runs alone: searched for once, in the run with the most rows, and gone on from there."""
    most = max(range(len(problems)), key=lambda place: problems[place].n)
    first = search(problems[most], starts_of(problems[most], start), seed).best
    ends = []
    for place, problem in enumerate(problems):
        end = first if place == most else descend(problem, first.p, NEAR, 60)
        if end is None:
            end = search(problem, starts_of(problem, start), seed, thorough=False).best
        ends.append(end)
    return ends


def _joined(problems: Sequence[SystemProblem], common: tuple[str, ...]) -> _Joined:
    first = problems[0]
    own = [name for name in first.free if name not in common]
    names = [*common, *(f"{name}[{place}]" for place in range(len(problems)) for name in own)]
    of_run = []
    for place in range(len(problems)):
        where = [names.index(name if name in common else f"{name}[{place}]") for name in first.free]
        of_run.append(np.array(where, dtype=np.intp))
    low, high = np.empty(len(names)), np.empty(len(names))
    for problem, places in zip(problems, of_run, strict=True):
        low[places], high[places] = problem.low, problem.high
    begins = np.cumsum([0, *(len(problem.times) for problem in problems)])
    parts = []
    for j, part in enumerate(first.parts):
        each = [problem.parts[j] for problem in problems]
        places = np.concatenate([own_part.places + begin for own_part, begin in zip(each, begins[:-1], strict=True)])
        in_use = np.concatenate([own_part.in_use for own_part in each])
        y = np.concatenate([own_part.y for own_part in each])
        parts.append(MeasuredRows(part.measured, in_use, places, y, None, {}))
    times = np.concatenate([problem.times for problem in problems])
    base = (first.system, tuple(parts), times, None, first.held, tuple(names), low, high, ())
    return _Joined(*base, first.stopped, each=tuple(problems), of_run=tuple(of_run))


def _told(
    joined: _Joined,
    end: RoundEnd,
    common: tuple[str, ...],
    labels: Sequence[str],
    alone: Sequence[RoundEnd],
    level: float,
) -> RunsFit:
    freedom = joined.n - len(joined.free)
    if freedom < 1:
        raise DataError(
            f"{len(joined.free)} coefficients are to be found from {joined.n} measured numbers; there must be more of these.",
            Fault.TOO_FEW,
        )
    _, table = weighted(joined, end.predicted, end.scatter)
    base, _ = covariance_of(table, 1.0)
    sizes = tuple(len(part.y) for part in joined.parts)
    shares = None if base is None else column_shares(table, sizes, base)
    larger = shares.larger if shares is not None else (joined.n / freedom,) * len(sizes)
    scatters = scatters_of(joined, end.predicted, larger)
    runs = {}
    for label, problem, places in zip(labels, joined.each, joined.of_run, strict=True):
        p = end.p[places]
        predicted = problem.predict(p, LAST)
        assert predicted is not None
        own = None if shares is None else shares.at(places)
        entries = coefficients_of(problem, p, own, level)
        scatter = Scatter(
            tuple(sigma[: len(part.y)] for sigma, part in zip(end.scatter.sigmas, problem.parts, strict=True))
        )
        own_end = RoundEnd(p, predicted, scatter, squares_of(problem, predicted, scatter))
        runs[label] = SystemFit(
            problem,
            own_end,
            entries,
            None if own is None else own.covariance,
            freedom,
            scatters,
            (),
            problem.remarks,
            level,
        )
    first = next(iter(runs.values()))
    shared = {name: first.coefficients[name] for name in common}
    return RunsFit(first.equations, shared, runs, freedom, scatters, _against(joined, end, alone, common), level)


def _against(joined: _Joined, end: RoundEnd, alone: Sequence[RoundEnd], common: tuple[str, ...]) -> Nested | None:
    """Return the F test of the runs alone against the runs together, rows weighed by the scatter that the runs alone have."""
    top = len(common) * (len(alone) - 1)
    bottom = joined.n - len(joined.free) - top
    if top < 1 or bottom < 1:
        return None
    values = [np.concatenate([run.predicted.values[j] for run in alone]) for j in range(len(joined.parts))]
    separate = Predicted(values, [])
    scatter = spreads(joined, separate)
    less, more = (squares_of(joined, each, scatter) for each in (separate, end.predicted))
    f = max(more - less, 0.0) / top / (less / bottom) if less > 0 else float("inf")
    return Nested(f, f_above(f, top, bottom), top, bottom)
