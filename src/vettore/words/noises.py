"""How y may scatter, in words: one entry for each kind of noise that a fit can be asked for."""

from __future__ import annotations

from dataclasses import dataclass

# What is not least squares.
LIKELIHOOD = (
    "The greatest likelihood of {law}: Fisher’s scoring and a Newton polish. {message}; standard errors from the expected "
    "information, ranges from the likelihood with the other coefficients fitted again, R² of the deviance against the mean."
)
OF_COUNTS = "weights from the scatter of counts about the curve"


@dataclass(frozen=True)
class NoiseWords:
    """``choice`` stands in a list, ``sentence`` where it is said how rows are fitted, ``edit`` names the act, ``option`` and
    ``tip`` explain it on the command line and over the list.

    ``weights`` says in a report how rows are weighed, ``method`` how the fit was come by, where that is its own: {weights},
    {message} and {size} stand in for what the fit says.
    """

    choice: str
    sentence: str
    edit: str
    option: str = ""
    tip: str = ""
    weights: str = ""
    method: str = ""


NOISE_WORDS = {
    "normal": NoiseWords("ordinary scatter", "ordinary scatter", "ordinary scatter"),
    "poisson": NoiseWords(
        "counts",
        "y are counts",
        "take y for counts",
        "y are counts",
        "Counts: whole numbers, fitted by the likelihood of Poisson counts.",
        OF_COUNTS,
        LIKELIHOOD.replace("{law}", "Poisson counts"),
    ),
    "binomial": NoiseWords(
        "shares of n",
        "y are shares of the number",
        "take y for counts",
        "y are shares of the numbers in --trials",
        "Shares of n: each of the number in the column of trials, fitted by the binomial likelihood.",
        OF_COUNTS,
        LIKELIHOOD.replace("{law}", "binomial shares of the number of trials"),
    ),
    "growing": NoiseWords(
        "grows with y",
        "weights from a scatter that grows with y",
        "let the scatter grow",
        "its scatter grows with the curve",
        "Grows with y: σ = a + b·|y|, told by the rows, which are weighed by it.",
        "weights 1/σ² from a scatter σ = a + b·|curve| that the rows tell",
        "Generalised least squares with {weights}: a and b of greatest restricted likelihood, the rows weighed by them, "
        "and both again until neither moves; ranges over all shares of a and b that the rows leave likely. {message}",
    ),
    "percent": NoiseWords(
        "± in % of the curve",
        "weights from ± {size} % of the curve, known",
        "take the ± for a share of the curve",
        "its ± is --noise-size per cent of the curve",
        "± in % of the curve: a known ± of so many per cent of what the curve says, as of an instrument.",
        "weights 1/σ² from a known σ of {size} % of the curve",
        "Generalised least squares with {weights}, the rows weighed by the curve and fitted again until neither moves. "
        "{message}",
    ),
    "correlated": NoiseWords(
        "neighbours alike",
        "neighbours that err alike",
        "take neighbours for alike",
        "neighbours err alike",
        "Neighbours alike: errors that are correlated along x; how much is told by the rows, or by their covariance\n"
        "where columns of the table hold it.",
        "errors of neighbours that are alike, as far as the rows tell",
        "Generalised least squares with errors whose correlation falls with the distance in x, φ at that of neighbours and "
        "so on by its powers: φ of greatest restricted likelihood, ranges over all φ that the rows leave likely. {message}",
    ),
}
