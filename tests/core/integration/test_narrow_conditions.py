"""Conditions that hold on a narrow stretch, wherever it lies: the area counts it, or says what may have been missed."""

import math

import pytest

from vettore.core import integrate_function

# Formulas that are 50 above x within w of c, or as far as the second entry says, and how long that stretch is, in w.
NARROW = {
    "a distance": ("if(abs(x − {c}) < {w}, 50, 0) + x", 2.0),
    "two sides": ("if(x > {c} − {w} and x < {c} + {w}, 50, 0) + x", 2.0),
    "a square": ("if((x − {c})^2 < {w}^2, 50, 0) + x", 2.0),
    "a root": ("if(sqrt(abs(x − {c})) < sqrt({w}), 50, 0) + x", 2.0),
    "the larger one": ("if(max(x − {c}, {c} − x) < {w}, 50, 0) + x", 2.0),
    "the smaller one": ("if(min(x − {c} + {w}, {c} + {w} − x) > 0, 50, 0) + x", 2.0),
    "a narrow bell": ("if(exp(−((x − {c})/{w})^2) > 0.5, 50, 0) + x", 2 * math.sqrt(math.log(2))),
    "a distance of a distance": ("if(abs(abs(x − {c}) − 0.01) < {w}, 50, 0) + x", 4.0),
    "a tent": ("50*max(0, 1 − abs(x − {c})/{w}) + x", 1.0),
    "a wave": ("if(cos(20*(x − {c})) > cos(20*{w}), 50, 0)*if(abs(x − {c}) < 0.1, 1, 0) + x", 2.0),
}


@pytest.mark.parametrize("kind", NARROW)
@pytest.mark.parametrize(("c", "w"), [(0.43, 4e-5), (0.18723, 3e-6), (0.70011, 1e-4), (0.95, 2.5e-7)])
def test_a_stretch_where_a_condition_holds_is_found_however_narrow(kind, c, w):
    formula, long = NARROW[kind]
    found = integrate_function(formula.format(c=c, w=w), 0, 1)
    assert found.settled
    # A cosine beside 1 has lost half of its digits before it is compared.
    assert found.area == pytest.approx(0.5 + 50 * long * w, abs=1e-9 if kind == "a wave" else 2e-11)
    assert "more places" not in found.message


def test_a_condition_that_changes_sides_more_often_than_was_seen_says_so():
    found = integrate_function("if(sin(9000*x) > 0.9999, 1, 0) + x", 0, 10)
    assert not found.settled or "give them by at=" in found.message
    told = integrate_function("if(abs(x − 0.43) < 0.00004, 50, 0) + x", 0, 1)
    assert "give them by at=" not in told.message
