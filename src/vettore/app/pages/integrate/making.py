"""What the Integrate page makes of a series: peaks that are kept, and the running area as a series."""

from __future__ import annotations

from vettore.core.integration.peaks import find_peaks
from vettore.core.integration.rules import RULES
from vettore.core.integration.sampled import SampledArea
from vettore.core.rounding import NumberStyle
from vettore.study import edits_of_curves
from vettore.study.derive_curves import area_unit, points_in_use
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import BetweenEnds
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.areas import RULE_WORDS

MOST_PEAKS = 30
# Rows over which the slope at a point is taken.
SLOPE_WIDTH = 5


def with_peaks(study: Study, series: Series, recipe: AreaRecipe, style: NumberStyle) -> tuple[int, Study]:
    """Return how many peaks stand out, and the study with an area under each, above the line between its feet.

    They are joined as the area at hand is, where that goes by points. Raises VettoreError.
    """
    x, y, _ = points_in_use(series)
    peaks = find_peaks(x, y, most=MOST_PEAKS)
    rule = recipe.rule if recipe.rule in RULES else "trapezoid"
    for peak in peaks:
        name = f"peak at {style.short(peak.position, 4)}"
        area = AreaRecipe(series.id, peak.start, peak.end, rule, BetweenEnds(), name)
        study = edits_of_curves.add_area(study, area)
    return len(peaks), study


def running_area(series: Series, area: SampledArea) -> tuple[Table, str]:
    """Return the running area as a table that says where it came from, and its name."""
    x_name, x_unit = series.name_and_unit(Role.X)
    columns = (RawColumn(x_name, x_unit, area.edges), RawColumn("running area", area_unit(series), area.running))
    how = (("made from", series.name), ("by", f"running area, {RULE_WORDS[area.rule][0].lower()}"))
    return Table(columns, Source("", how=how, kind="made")), f"{series.name}, running area"
