"""No option is lost: for every kind of fit each one changes the answer, is heard, or is refused in a sentence."""

import numpy as np
import pytest

from vettore import core
from vettore.core.errors import DataError

N = 40
X = np.linspace(0.5, 10, N)
RNG = np.random.default_rng(1)
NOISE = RNG.normal(0, 1, N)
DECAY, LINE = "y = A*exp(-k*x) + C", "y = a + b*x"
KINDS = {
    "decay": (DECAY, 5 * np.exp(-0.5 * X) + 2 + 0.1 * NOISE, {}),
    "line": (LINE, 1 + 2 * X + 0.2 * NOISE, {}),
    "step": ("y = if(x < m, a, b)", np.where(X < 4.2, 1.0, 3.0) + 0.2 * NOISE, {}),
    "poisson": (DECAY, RNG.poisson(30 * np.exp(-0.3 * X) + 5).astype(float), {"noise": "poisson"}),
    "binomial": (
        "y = 1/(1 + exp(-(x - m)/w))",
        RNG.binomial(20, 1 / (1 + np.exp(-(X - 5) / 1.5))) / 20,
        {"noise": "binomial", "trials": 20},
    ),
    "growing": (LINE, (1 + 2 * X) * (1 + 0.05 * NOISE), {"noise": "growing"}),
    "correlated": (LINE, 1 + 2 * X + 0.05 * np.cumsum(NOISE), {"noise": "correlated"}),
    "covariance": (LINE, 1 + 2 * X + 0.2 * NOISE, {"covariance": np.diag(np.linspace(0.03, 0.06, N))}),
    "errors in x": (LINE, 1 + 2 * X + 0.2 * NOISE, {"sigma_x": 0.1, "sigma": 0.2}),
    "robust": (DECAY, 5 * np.exp(-0.5 * X) + 2 + 0.1 * NOISE**3, {"loss": "huber"}),
}
OPTIONS = {
    "sigma": np.linspace(0.1, 0.5, N),
    "weights": np.linspace(1, 9, N),
    "loss": "tukey",
    "absolute_sigma": True,
    "sigma_x": 0.3,
    "correlation": 0.5,
    "covariance": np.diag(np.linspace(0.02, 0.6, N)),
    "noise": "growing",
    "trials": 30,
    "whole": 100.0,
    "level": 0.6,
    "hold": None,
    "limits": None,
}


def told(kind, **more):
    formula, y, options = KINDS[kind]
    result = core.fit(formula, {"x": X, "y": y}, **{**options, **more})
    return result, [(one.value, one.standard_error, one.low, one.high) for one in result.coefficients.values()]


@pytest.mark.parametrize("option", OPTIONS)
@pytest.mark.parametrize("kind", KINDS)
def test_an_option_is_used_or_refused(kind, option):
    """All pairs of a kind of fit and an option."""
    plain, numbers = told(kind)
    first, *_, last = plain.coefficients
    value = OPTIONS[option]
    if option == "hold":
        value = {last: plain.coefficients[last].value * 1.1}
    elif option == "limits":
        value = {first: (plain.coefficients[first].value + 0.05 * abs(plain.coefficients[first].value), None)}
    if (kind, option) in {("growing", "noise"), ("errors in x", "absolute_sigma")}:
        pytest.skip("It is what this fit has already, or has no place in it without more.")
    more = {option: value}
    if option == "absolute_sigma":
        more.setdefault("sigma", np.full(N, 0.3))
    try:
        _, other = told(kind, **more)
    except DataError as refusal:
        assert str(refusal).endswith(".")
        assert len(str(refusal)) > 30
    else:
        assert other != numbers


@pytest.mark.parametrize("kind", [kind for kind in KINDS if KINDS[kind][0] != LINE])
def test_every_search_tells_how_far_it_is_and_can_be_stopped(kind):
    """What is asked is told of each round; one that answers True ends it."""
    rounds = []
    told(kind, progress=lambda number, squares: rounds.append((number, squares)))
    assert rounds
    assert all(np.isfinite(squares) for _, squares in rounds)
    ended = []
    told(kind, progress=lambda number, squares: ended.append(number) or True)
    assert 1 <= len(ended) <= len(rounds)


def test_a_step_with_weights_counts_its_place_among_the_coefficients():
    """Weights are σ = 1/√w: the same place, the same ±, and the degrees of freedom of three coefficients."""
    weights = np.linspace(1, 9, N)
    weighted, numbers = told("step", weights=weights)
    by_sigma, same = told("step", sigma=1 / np.sqrt(weights))
    assert weighted.degrees_of_freedom == by_sigma.degrees_of_freedom == N - 3
    for one, other in zip(numbers, same, strict=True):
        assert [x for x in one if x is not None] == pytest.approx([x for x in other if x is not None], rel=1e-9)
    without = np.where(np.arange(N) == 7, 0.0, 1.0)
    left_out, _ = told("step", weights=without)
    assert left_out.degrees_of_freedom == N - 4
