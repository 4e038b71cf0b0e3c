"""What a ± is made of: the published examples of the guides, invariants, and simulation."""

import math

import numpy as np
import pytest

from vettore.core.budget import WIDTHS, Distribution, Input, budget
from vettore.core.errors import DataError
from vettore.core.formula.reader import Reader

NONE = np.empty(0)


def of(formula, **inputs):
    return Reader(formula, frozenset(inputs)).read_all(), inputs


def test_the_gauge_block_of_the_guide():
    """JCGM 100 §H.1: u = 32 nm, ν = 16, k = 2.92 and U = 93 nm at 99 %."""
    tree, inputs = of(
        "s + d - s*(da*t + a*dt)",
        s=Input(50_000_623, NONE, 25, freedom=18),
        d=Input(215, NONE, 9.7, freedom=25.6),
        da=Input(0, NONE, 0.58e-6, freedom=50),
        t=Input(-0.1, NONE, 0.41),
        a=Input(11.5e-6, NONE, 1.2e-6),
        dt=Input(0, NONE, 0.029, freedom=2),
    )
    made = budget(tree, inputs, math.inf, 0.99)
    assert made.value == pytest.approx(50_000_838)
    assert made.uncertainty == pytest.approx(32, abs=0.5)
    assert math.floor(made.freedom) == 16
    assert made.factor == pytest.approx(2.92, abs=0.005)
    assert made.expanded == pytest.approx(93, abs=1)
    parts = {share.name: math.sqrt(share.share) * made.uncertainty for share in made.shares}
    assert parts == pytest.approx({"s": 25, "d": 9.7, "da": 2.9, "t": 0, "a": 0, "dt": 16.6}, abs=0.12)


def test_four_uniform_quantities_of_the_supplement():
    """JCGM 101 §9.2.3: u = 2.0; U reaches ±3.92, the draws ±3.88."""
    inputs = {name: Input(0.0, NONE, 1.0, Distribution.UNIFORM) for name in "abcd"}
    made = budget(Reader("a + b + c + d", frozenset(inputs)).read_all(), inputs, math.inf)
    assert made.uncertainty == pytest.approx(2.0)
    assert made.expanded == pytest.approx(3.92, abs=0.005)
    assert (made.low, made.high) == pytest.approx((-3.88, 3.88), abs=0.02)
    assert made.agrees
    assert [share.share for share in made.shares] == pytest.approx([0.25] * 4)


def test_shares_add_up_with_what_goes_together():
    """Two coefficients that vary against each other: their sum is known better than either says."""
    tree, inputs = of("p + q", p=Input(5.0, np.array([1.0, 0.5])), q=Input(7.0, np.array([-0.8, 0.1])))
    made = budget(tree, inputs, 20)
    assert made.uncertainty == pytest.approx(math.hypot(0.2, 0.6))
    assert sum(share.share for share in made.shares) + made.together == pytest.approx(1)
    assert made.together < 0
    assert made.scatter == 1
    assert made.freedom == pytest.approx(20)
    # Rows alone: by simulation as by Student's t.
    assert (made.low, made.high) == pytest.approx((12 - made.expanded, 12 + made.expanded), abs=0.02)


def test_what_bends_is_said_to():
    """A reciprocal near zero has no symmetric interval; the same seed gives the same ends."""
    tree, inputs = of("1/p", p=Input(1.0, np.array([0.2])))
    made = budget(tree, inputs, math.inf)
    assert not made.agrees
    # The ends are those of the reciprocal of the ends, which a monotonic function keeps.
    assert (made.low, made.high) == pytest.approx((1 / 1.392, 1 / 0.608), rel=0.01)
    assert budget(tree, inputs, math.inf) == made


@pytest.mark.parametrize("law", list(Distribution))
def test_laws_have_the_standard_deviation_of_their_width(law):
    tree, inputs = of("p", p=Input(0.0, NONE, 3.0 / WIDTHS[law], law))
    made = budget(tree, inputs, math.inf)
    reach = {
        Distribution.NORMAL: 1.96 * 3.0,
        Distribution.UNIFORM: 0.95 * 3.0,
        Distribution.TRIANGULAR: 3.0 * (1 - math.sqrt(0.05)),
    }[law]
    assert (made.low, made.high) == pytest.approx((-reach, reach), rel=0.01)


def test_nothing_to_be_taken_apart_is_refused():
    with pytest.raises(DataError, match="has a ± that is known"):
        budget(*of("p", p=Input(2.0, NONE)), math.inf)
    with pytest.raises(DataError, match="no value"):
        budget(*of("1/p", p=Input(0.0, np.array([1.0]))), math.inf)
