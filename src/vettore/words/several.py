"""What is said of one model over several series."""

from __future__ import annotations

from vettore.core.rounding import NumberStyle
from vettore.study.fitting.several import Several

# A smaller probability says that chance does not make the difference.
DIFFERS = 0.05


def several_in_words(several: Several, style: NumberStyle) -> str:
    """Return what was fitted together, and whether what was taken for common is."""
    if len(several.rows) == 1:
        return "One series so far. Tick others below, and the same model is fitted to them."
    if not several.shared:
        return f"Each of {len(several.rows)} series alone."
    listed = " and ".join(several.shared)
    scatter = style.number(several.residual_sd, 3)
    words = (
        f"{len(several.rows)} series together, with {listed} common to all; what is left has a standard deviation of "
    )
    return f"{words}{scatter}. {_against_apart(several, style)}".rstrip()


def _against_apart(several: Several, style: NumberStyle) -> str:
    """Return how the fits of each series alone compare: F test and AICc; blank where that cannot be told."""
    test = several.against_apart
    if test is None or several.aicc_above_apart is None:
        return ""
    text = f"F = {style.number(test.f, 3)}, {style.p_value(test.p)}"
    gap = several.aicc_above_apart
    criterion = f"AICc is {style.number(abs(gap), 2)} {'higher' if gap > 0 else 'lower'} together"
    if test.p < DIFFERS:
        return f"Each series alone fits better than chance would have it ({text}; {criterion}): look whether they differ."
    return f"Each series alone fits no better than chance would have it ({text}; {criterion})."
