"""The options of ``vettore fit``: those that would be left unused are refused, and texts become numbers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from vettore.core.errors import DataError, Fault
from vettore.core.fitting.noises.listed import NOISES


def check_options(options: dict[str, Any]) -> None:
    """Refuse options that would be left unused. Raises DataError."""
    formula, model = options["formula"] is not None, options["model_key"] is not None
    if formula and model:
        raise DataError("Give either --formula or --model, not both.", Fault.CONFLICT)
    for option, given, useless, why in (*_of_the_model(options, formula, model), *_of_the_scatter(options)):
        if given and useless:
            raise DataError(f"{option} would have no effect here: {why}.", Fault.NO_EFFECT)
    both = [name for name in values_of(options["start"]) if name in values_of(options["hold"])]
    if both:
        raise DataError(
            f"{both[0]} is held, so a start for it would have no effect. Give one of --start and --hold.",
            Fault.NO_EFFECT,
        )


# Option, whether it was given, whether it has no use here, and why.
Entry = tuple[str, bool, bool, str]


def _of_the_model(options: dict[str, Any], formula: bool, model: bool) -> tuple[Entry, ...]:
    polynomial, kind = not formula and not model, "--formula" if formula else "--model"
    searched = "A polynomial has one best answer"
    return (
        ("--degree", options["degree"] is not None, not polynomial, f"{kind} says the model already"),
        ("--no-intercept", options["no_intercept"], not polynomial, f"{kind} says whether there is a constant"),
        ("--library", options["library"] is not None, not model, "a library is for --model"),
        ("--start", bool(options["start"]), polynomial, f"{searched}; starts go with --formula or --model"),
        ("--hold", bool(options["hold"]), polynomial, "write the polynomial as a --formula to hold a coefficient"),
        ("--limit", bool(options["limit"]), polynomial, "write the polynomial as a --formula to limit a coefficient"),
        ("--loss", options["loss"] is not None, polynomial, "write the polynomial as a --formula for another loss"),
        ("--seed", options["seed"] is not None, polynomial, f"{searched}; nothing is searched for"),
        ("--x", options["x_name"] is not None, formula, "the formula names its columns"),
        (
            "--y",
            options["y_name"] is not None or bool(options["several_y"]),
            formula,
            "the formula names its columns",
        ),
    )


def _of_the_scatter(options: dict[str, Any]) -> tuple[Entry, ...]:
    noisy = options["noise"] is not None
    kind = NOISES[options["noise"] or "normal"]
    sigma, covariance = options["sigma_name"] is not None, options["covariance"] is not None
    text = "the scatter of counts follows from the curve" if kind.by_likelihood else "the rows tell their scatter"
    by_squares = "what the rows tell of their scatter goes with squares"
    loss = "counts are fitted by their likelihood" if kind.by_likelihood else by_squares
    return (
        ("--covariance", covariance, noisy or sigma, "it says all of the scatter"),
        ("--sigma-known", options["sigma_known"], not (sigma or covariance), "it needs --sigma"),
        ("--trials", options["trials_name"] is not None, kind.column != "trials", "it needs --noise binomial"),
        ("--noise-size", options["noise_size"] is not None, not kind.size, "it is for a --noise that needs a number"),
        ("--sigma", sigma, noisy, text),
        ("--loss", options["loss"] is not None, noisy, loss),
        ("--sigma-x", options["sigma_x_name"] is not None, not sigma, "it needs --sigma, the ± of y"),
        (
            "--correlation",
            options["correlation_name"] is not None,
            options["sigma_x_name"] is None,
            "it needs --sigma-x",
        ),
    )


def values_of(given: Sequence[str]) -> dict[str, float]:
    """Return ``k=0.1`` texts as values by name. Raises DataError."""
    from vettore.core.rounding import read_number

    by_name = {}
    for text in given:
        name, _, value = text.partition("=")
        number = read_number(value)
        if not name.strip() or number is None:
            raise DataError(f"“{text}” is not a value for a coefficient; write it as k=0.1.", Fault.NOT_READABLE)
        by_name[name.strip()] = number
    return by_name
