"""Fitting a formula or a model: the request is made of what is given, looked at, and solved by its kind of noise."""

from __future__ import annotations

from collections.abc import Mapping

from vettore.core.arrays import Values
from vettore.core.errors import a_mapping
from vettore.core.fitting.any_model import AnyModel, text_of
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.limits import Limits
from vettore.core.fitting.noises.listed import kind_of
from vettore.core.fitting.prepared import read_once
from vettore.core.fitting.problem import problem_of
from vettore.core.fitting.record import Noise
from vettore.core.fitting.request import DEFAULT_SEED, SQUARES, Estimate, FitRequest, Progress
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.solve import with_doubts
from vettore.core.fitting.steps import check_steps, fit_steps, step_names
from vettore.core.frames import Table, as_columns


def fit(
    formula: AnyModel,
    data: Table,
    *,
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    limits: Limits | None = None,
    sigma: Sigma | None = None,
    weights: Values | None = None,
    loss: str = SQUARES,
    absolute_sigma: bool = False,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    progress: Progress | None = None,
    estimate: Estimate | None = None,
    thorough: bool = True,
    columns: tuple[str, str] | None = None,
    sigma_x: Values | float | None = None,
    correlation: Values | float | None = None,
    covariance: Values | None = None,
    noise: str = Noise.NORMAL,
    trials: Values | float | None = None,
    whole: float = 1.0,
    noise_size: float | None = None,
) -> FitResult:
    """Fit a formula, a model of the catalogue or a function to columns of shape (n,); no starting values are needed.

    ``data`` is a mapping of columns or any table that has them by name (a data frame, a structured array). For the formula may
    stand a model's key or usual name, or a function of columns first, then coefficients: what it does with signs and NumPy's
    functions is read as a formula, else its slopes are worked out by differences, which is said.

    ``start`` gives starting values to nonlinear coefficients: with all of them the search begins there and only there; when
    the result's ``better`` or ``warnings`` are looked at, one round without starts is spent beside it. ``hold`` fixes
    coefficients, ``limits`` bounds them as ``{"k": (0, None)}``. ``sigma`` are standard deviations of the measured column
    (carried through the left side, as to ln(y)), or a mapping of them by column where the left side has several. ``loss`` is
    one of squares, huber, cauchy, tukey. ``progress(round, sum of squares)`` may stop the search by returning True. The same
    seed gives the same answer. See fit_polynomial for the rest. ``estimate`` gives whole starts from columns and response.
    Without ``thorough`` the first round, or the estimates, decide: for a first look at many models. With ``sigma_x``, standard
    deviations of x, and ``sigma`` the fit takes the distances of the rows in both, and their ``correlation`` (errors_in_x.py).
    ``noise`` "poisson" takes y for counts, "binomial" for shares of ``whole`` (1, or 100 for per cent) of so many ``trials``,
    (n,) or one number (see counts.py); the rows tell by "growing" how their scatter grows, σ = a + b·|y| (see growing.py), by
    "correlated" how alike neighbours in x err, whose ``covariance`` (n, n) may be known, too (see correlated.py).
    ``noise_size`` is the number of a noise that needs one. Several equations in one text are fitted by fit_system.
    A model is fitted to columns x and y, to the only two, or to ``columns``. Raises FormulaError or DataError.

    >>> from vettore import core
    >>> t, y = [0, 5, 10, 20, 40], [8.1, 6.2, 4.9, 3.0, 1.2]
    >>> decay = core.fit("y = A*exp(-k*t)", {"t": t, "y": y})
    >>> k = decay.coefficients["k"]
    >>> f"{k.value:.4f} ± {k.standard_error:.4f}"
    '0.0492 ± 0.0010'
    """
    data = as_columns(data)
    text, estimate = text_of(formula, data, columns, estimate)
    how = (start, hold, limits, sigma, weights, loss, absolute_sigma, level, seed, progress, estimate, thorough)
    noises = (sigma_x, correlation, covariance, noise, trials, whole, noise_size)
    return fit_request(FitRequest(text, data, *how, *noises))


def fit_request(request: FitRequest) -> FitResult:
    """Return the fit that a request asks for. Raises FormulaError or DataError."""
    kind = kind_of(request)
    held = a_mapping(request.hold, "Held coefficients", '{"C": 0.0}')
    check_steps(request, step_names(read_once(request.formula, frozenset(request.data)), held))
    problem = problem_of(request)
    stepped = fit_steps(problem)
    return kind.solve(problem) if stepped is None else with_doubts(stepped, problem)
