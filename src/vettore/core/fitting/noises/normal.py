"""Ordinary scatter: even, or by ± or weights of y, or under a loss that forgives outliers."""

from __future__ import annotations

from vettore.core.fitting.noises.kind import NOT_SHARES, WITHOUT_X, NoiseKind
from vettore.core.fitting.record import Noise
from vettore.core.fitting.solve import solve

NORMAL = NoiseKind(Noise.NORMAL, solve, (NOT_SHARES, WITHOUT_X))
