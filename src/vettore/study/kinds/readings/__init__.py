"""The kinds of readings, one file each. Being in the list below is all that makes a kind one."""

from vettore.study.kinds.readings.addition import AdditionReading
from vettore.study.kinds.readings.area import AreaReading
from vettore.study.kinds.readings.base import DerivedReading, Neighbour, Problem, Reading, read
from vettore.study.kinds.readings.detection import (
    DecisionReading,
    DetectionReading,
    LimitReading,
    QuantificationReading,
)
from vettore.study.kinds.readings.formula import FormulaReading
from vettore.study.kinds.readings.place import PlaceReading
from vettore.study.kinds.readings.plan import PlanReading
from vettore.study.kinds.readings.slope import SlopeReading
from vettore.study.kinds.readings.steepest import SteepestReading
from vettore.study.kinds.readings.turns import TurnsReading
from vettore.study.kinds.readings.value import ValueReading

READINGS: tuple[type[Reading], ...] = (
    ValueReading,
    PlaceReading,
    SlopeReading,
    AreaReading,
    TurnsReading,
    FormulaReading,
    SteepestReading,
    DecisionReading,
    DetectionReading,
    QuantificationReading,
    AdditionReading,
    PlanReading,
)

__all__ = [
    "READINGS",
    "AdditionReading",
    "AreaReading",
    "DecisionReading",
    "DerivedReading",
    "DetectionReading",
    "FormulaReading",
    "LimitReading",
    "Neighbour",
    "PlaceReading",
    "PlanReading",
    "Problem",
    "QuantificationReading",
    "Reading",
    "SlopeReading",
    "SteepestReading",
    "TurnsReading",
    "ValueReading",
    "read",
]
