"""vettore polynomial: roots, turning points, slope and antiderivative."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING

import click

from vettore.cli.given import list_of, say_json
from vettore.core.cells.typed import complex_in
from vettore.core.errors import DataError, Fault
from vettore.core.rounding import NumberStyle

if TYPE_CHECKING:
    from vettore.core.polynomials.polynomial import Polynomial


@click.command()
@click.option("--coefficients", help="Rising order, as -2,0,1 for x² − 2.")
@click.option("--roots", help="Roots, as 1,-2,3 (complex ones in pairs, as 1+2i,1-2i).")
@click.option("--at", "at_text", help="x to evaluate at.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def polynomial(coefficients: str | None, roots: str | None, at_text: str | None, as_json: bool) -> None:
    """Tell roots, turning points, slope and antiderivative of a polynomial."""
    from vettore.core.polynomials.polynomial import Polynomial

    if (coefficients is None) == (roots is None):
        raise DataError("Give either --coefficients or --roots.", Fault.CONFLICT)
    if coefficients is not None:
        p = Polynomial(list_of(coefficients, "a coefficient"))
    else:
        assert roots is not None
        p = Polynomial.from_roots([complex_in(text) for text in roots.replace(";", ",").split(",")])
    at = list_of(at_text, "x") if at_text else []
    if as_json:
        _tell_json(p, at)
    else:
        _tell(p, at)


def _tell_json(p: Polynomial, at: list[float]) -> None:
    roots = () if p.is_zero else p.root_list
    by_name = {
        "coefficients": list(p.coefficients),
        "degree": p.degree,
        "roots": [
            {
                "real": root.value.real,
                "imaginary": root.value.imag,
                "multiplicity": root.multiplicity,
                "residual": root.residual,
                "zero_to_rounding": root.is_zero,
                "sure_digits": root.digits,
                "moved_by_a_last_digit": root.moved,
                "roots_together": root.together,
            }
            for root in roots
        ],
        "turns": [asdict(turn) for turn in p.turns()],
        "slope": list(p.slope().coefficients),
        "antiderivative": list(p.antiderivative().coefficients),
        "values": [{"x": value, "y": float(p(value))} for value in at],
    }
    say_json("polynomial/1", by_name)


def _tell(p: Polynomial, at: list[float]) -> None:
    from vettore.core.polynomials.words import doubts_in_words
    from vettore.words.readings import TURNS

    roots = () if p.is_zero else p.root_list
    style = NumberStyle()
    click.echo("coefficients, rising  " + ", ".join(style.short(value) for value in p.coefficients))
    for root in roots:
        times = f" ({root.multiplicity}-fold)" if root.multiplicity > 1 else ""
        told_rest = "zero to rounding" if root.is_zero else f"{root.residual:.1e}"
        doubt = (
            f"; a last-digit change of the coefficients moves it by {root.moved:.1e}" if root.ill_conditioned else ""
        )
        click.echo(f"root  {complex_text(root.value)}{times}; residual {told_rest}{doubt}")
    words = doubts_in_words(roots, style)
    if words:
        click.echo(words)
    for turn in p.turns():
        click.echo(f"{TURNS.get(turn.kind, turn.kind):11} at x = {turn.x!r}, y = {turn.y!r}")
    for one_x in at:
        click.echo(f"p({one_x:g}) = {float(p(one_x))!r}")


def complex_text(value: complex) -> str:
    """Return a root with all its digits."""
    if value.imag == 0:
        return repr(value.real)
    return f"{value.real!r} {'+' if value.imag > 0 else '−'} {abs(value.imag)!r}i"
