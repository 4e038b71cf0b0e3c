"""Other names under which the trade knows the models of the catalogue, by key."""

from __future__ import annotations

_NAMES: dict[str, tuple[str, ...]] = {
    "constant": ("mean", "average", "horizontal line", "flat"),
    "proportional": (
        "through the origin",
        "line through the origin",
        "beer-lambert",
    ),
    "straight-line": (
        "line",
        "linear",
        "linear regression",
        "calibration line",
        "first degree",
    ),
    "quadratic": (
        "parabola",
        "second degree",
    ),
    "cubic": ("third degree",),
    "quartic": ("fourth degree",),
    "quintic": ("fifth degree",),
    "broken-line": ("piecewise linear", "segmented", "two lines", "breakpoint", "hockey stick", "bent line"),
    "logarithmic": ("log", "logarithm", "ln"),
    "square-root": ("sqrt", "root", "cottrell"),
    "reciprocal": ("hyperbola", "one over x", "inverse"),
    "power-law": ("power", "allometric", "allometry", "freundlich", "double logarithmic", "log-log"),
    "power-law-offset": ("power with offset",),
    "ratio-1-1": ("rational", "rational 1/1", "hyperbola with offset", "pade"),
    "ratio-2-2": ("rational 2/2",),
    "arrhenius": ("arrhenius law", "activation energy", "rate against temperature", "thermally activated"),
    "exponential-decay": (
        "first-order",
        "first order",
        "first-order decay",
        "first-order kinetics",
        "decay",
        "exponential",
        "single exponential",
        "mono-exponential",
        "half-life",
        "radioactive decay",
        "pseudo-first-order",
    ),
    "exponential-decay-level": (
        "decay with offset",
        "exponential with offset",
        "first-order to a level",
        "approach to equilibrium",
        "newton cooling",
        "cooling",
        "relaxation",
    ),
    "two-decays": (
        "biexponential",
        "bi-exponential",
        "double exponential",
        "two exponentials",
    ),
    "stretched-decay": ("stretched exponential", "kohlrausch", "kww", "weibull decay"),
    "exponential-growth": ("growth", "malthus", "doubling time"),
    "exponential-growth-level": ("growth with offset",),
    "rise-to-plateau": (
        "association",
        "exponential rise",
        "saturating exponential",
        "von bertalanffy",
        "charging",
        "first-order release",
        "mitscherlich",
    ),
    "logistic": (
        "sigmoid",
        "s-curve",
        "verhulst",
        "logistic curve",
    ),
    "logistic-base": (
        "boltzmann",
        "sigmoid with base",
        "logistic with offset",
        "melting curve",
    ),
    "gompertz": ("gompertz curve",),
    "richards": ("generalised logistic", "generalized logistic", "richards curve"),
    "saturation": (
        "michaelis-menten",
        "michaelis menten",
        "mm",
        "langmuir",
        "monod",
        "binding isotherm",
        "hyperbolic",
        "rectangular hyperbola",
        "holling type ii",
        "holling 2",
        "emax",
        "enzyme kinetics",
        "beverton-holt",
    ),
    "saturation-offset": (
        "michaelis-menten with offset",
        "langmuir with offset",
        "binding with background",
    ),
    "hill": (
        "hill equation",
        "cooperative binding",
        "sigmoid emax",
        "holling type iii",
        "holling 3",
        "langmuir-freundlich",
        "sips",
    ),
    "dose-response": (
        "4pl",
        "4-pl",
        "four-parameter logistic",
        "four parameter logistic",
        "4 parameter logistic",
        "ic50",
        "ec50",
        "elisa",
        "immunoassay",
        "log-logistic",
    ),
    "substrate-inhibition": ("haldane", "andrews", "michaelis-menten with inhibition"),
    "light-response": ("photosynthesis", "jassby-platt", "photosynthesis-irradiance", "light curve"),
    "gaussian": ("gauss", "normal", "bell curve", "normal curve", "gaussian peak"),
    "gaussian-level": ("gaussian with offset", "gauss with offset", "gaussian on a level"),
    "gaussian-slope": ("gaussian with baseline", "gaussian on a slope"),
    "lorentzian": ("lorentz", "cauchy", "breit-wigner", "resonance"),
    "pseudo-voigt": ("voigt", "pseudo voigt", "gaussian-lorentzian", "mixed peak"),
    "skewed-peak": ("lognormal", "log-normal", "asymmetric peak", "tailing peak"),
    "two-peaks": ("two gaussians", "double gaussian", "bimodal"),
    "three-peaks": ("three gaussians", "triple gaussian"),
    "sine": ("cosine", "sinusoid", "harmonic", "sine curve", "oscillation", "seasonal", "circadian", "cosinor"),
    "damped-sine": ("damped oscillation", "damped oscillator", "damped cosine", "ringing"),
}


def flat(name: str) -> str:
    """Return a name without what does not matter: capitals, hyphens, spaces, dots."""
    return "".join(letter for letter in name.casefold().replace("–", "-") if letter not in " -_.’'")


SYNONYMS: dict[str, str] = {flat(name): key for key, names in _NAMES.items() for name in names}


def synonyms_of(key: str) -> tuple[str, ...]:
    """Return the other names of a model."""
    return _NAMES.get(key, ())
