"""What the ± of x does to a fit that does not use it.

Measured x = ξ + δ with var δ = σₓ². To second order in δ the score of the coefficients is off on average by

    b = Σ wᵢ σₓᵢ² ( −f′ ∂f′/∂c − ½ f″ ∂f/∂c ),

and the coefficients by H⁻¹ b, H = JᵀWJ (Fuller 1987; for a straight line this is the attenuation −b σₓ²/var x). Rows where
the curve is steep scatter more than the fit takes them to: with Vᵢ = σ_y² + f′² σₓ² the covariance is H⁻¹ JᵀWVWJ H⁻¹ and not
what the fit tells. With a bias of β and a true standard error of r times the told one a range at 95 % holds in

    Φ((1.96 − β)/r) − Φ((−1.96 − β)/r)

of cases, which tells whether the ± of x matters.
"""

from __future__ import annotations

import math

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.fitting.after.checks import Check, Kind, Verdict
from vettore.core.fitting.result import FitResult
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Node

# A range at 95 % that holds in fewer cases than this is worth a look, or is none.
LOOK, BAD = 0.94, 0.8
NORMAL_95 = 1.959963984540054
# What is left for the scatter of y itself at least, as a share of the residuals' variance.
LEAST = 0.01


def x_error_check(result: FitResult, x_name: str, x: Array, sigma_x: Array) -> Check | None:
    """Return whether the ± of x (n,), on the rows x (n,) that were used, matters; None where that cannot be told."""
    if result.covariance is None or result.exact or not np.isfinite(result.covariance).all():
        return None
    effect = _effect(result, x_name, x, sigma_x)
    if effect is None:
        return None
    from scipy.special import ndtr

    moved, spread = effect
    values = np.sqrt(np.diag(result.covariance))
    with np.errstate(invalid="ignore", divide="ignore"):
        bias, wider = np.abs(moved) / values, spread / values
        held = ndtr((NORMAL_95 - bias) / wider) - ndtr((-NORMAL_95 - bias) / wider)
    if not np.isfinite(held).all():
        return None
    worst = int(np.argmin(held))
    share = float(held[worst])
    verdict = Verdict.BAD if share < BAD else Verdict.LOOK if share < LOOK else Verdict.GOOD
    figures = {"moved": float(moved[worst]), "held": share, "share": float(bias[worst])}
    return Check(Kind.X_ERRORS, verdict, names=(result.fitted_names[worst],), figures=figures)


def _effect(result: FitResult, x_name: str, x: Array, sigma_x: Array) -> tuple[Array, Array] | None:
    """Return by how much each fitted coefficient is off on average, and its true standard error."""
    try:
        # Its left side names the response, which is no column here.
        tree = read_formula(result.formula.partition("=")[2] or result.formula, (x_name,)).right
        slope = derivative(tree, x_name)
        bend = derivative(slope, x_name)
        by_name = [derivative(tree, name) for name in result.fitted_names]
        slopes_by_name = [derivative(part, x_name) for part in by_name]
    except VettoreError:
        # A formula without derivatives, or over other columns too.
        return None
    known = {name: coefficient.value for name, coefficient in result.coefficients.items()}

    def at(node: Node) -> Array:
        program = Program(node)
        given = {x_name: x, **known}
        if not set(program.inputs) <= set(given):
            return np.full(len(x), np.nan)
        with np.errstate(all="ignore"):
            return np.broadcast_to(np.asarray(program({k: given[k] for k in program.inputs}), dtype=float), x.shape)

    weights = np.ones(len(x)) if result.sigma is None or not result.weighted else 1 / result.sigma**2
    scale = 1.0 if result.absolute_sigma else (result.residual_sd or math.nan) ** 2
    noise = np.where(np.isfinite(sigma_x), sigma_x, 0.0) ** 2
    steep, bent = at(slope), at(bend)
    jacobian = np.column_stack([at(part) for part in by_name])
    steeper = np.column_stack([at(part) for part in slopes_by_name])
    if not all(np.isfinite(part).all() for part in (steep, bent, jacobian, steeper)):
        # As √x at 0: what a ± of x does there has no such measure.
        return None
    assert result.covariance is not None
    inverse = result.covariance / scale
    score = (weights * noise) @ (-steep[:, None] * steeper - 0.5 * bent[:, None] * jacobian)
    through_x = noise * steep**2
    # Known ± are those of y; a scatter that was found holds what came through x.
    own = 1.0 if result.absolute_sigma else max(scale - float(np.mean(weights * through_x)), LEAST * scale)
    weighted = jacobian * weights[:, None]
    spread = inverse @ (weighted.T * (own / weights + through_x)) @ weighted @ inverse
    return inverse @ score, np.sqrt(np.maximum(np.diag(spread), 0.0))
