"""What deserves a look is found, and what does not is left in peace."""

import numpy as np
import pytest

from vettore.core.columns.inspection import FAR, FindingKind, Remedy, distances, what_to_look_at
from vettore.core.rounding import NumberStyle
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.series import Role
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.findings import finding_sentence


def look(x, y):
    x, y = np.asarray(x, float), np.asarray(y, float)
    return what_to_look_at(x, y, np.ones(len(x), bool))


def sentences(x, y):
    columns = (RawColumn("t", "", np.asarray(x, float)), RawColumn("v", "", np.asarray(y, float)))
    series = edits.add_series(Study(title="look"), Table(columns, Source("look")), "look").series[0]
    return [finding_sentence(finding, series, NumberStyle()) for finding in look(x, y)]


@pytest.mark.parametrize("shape", ["line", "decay", "wave", "peak"])
def test_a_row_moved_far_is_found(shape):
    """A row moved by 24 times the noise is named on curves of any shape, with at most a few neighbours."""
    found = 0
    for seed in range(10):
        rng = np.random.default_rng(seed)
        x = np.sort(rng.uniform(0, 10, 60)) if seed % 2 else np.linspace(0, 10, 60)
        shapes = {"line": 3 * x, "decay": 9 * np.exp(-x / 2), "wave": np.sin(x), "peak": 5 * np.exp(-((x - 5) ** 2))}
        y = shapes[shape] + rng.normal(0, 0.05, 60)
        y[37] += 24 * 0.05
        far = [finding for finding in look(x, y) if finding.kind is FindingKind.FAR_OFF]
        assert all(finding.remedy is Remedy.SET_ASIDE and len(finding.rows) <= 4 for finding in far)
        found += any(37 in finding.rows for finding in far)
    assert found >= 6


def test_noise_is_left_in_peace_and_far_rows_are_found():
    """Of many noisy decays at most a few have a row named; a row moved by 24 standard deviations is named in nearly all."""
    false = hit = 0
    for seed in range(150):
        rng = np.random.default_rng(seed)
        x = np.sort(rng.uniform(0, 10, 60)) if seed % 2 else np.linspace(0, 10, 60)
        y = 9 * np.exp(-x / 2) + rng.normal(0, 0.05, 60)
        false += bool((distances(x, y) > FAR).any())
        row = int(rng.integers(4, 56))
        y[row] += 1.2
        hit += bool(distances(x, y)[row] > FAR)
    assert false <= 9
    assert hit >= 132


def test_repeats_order_gaps_and_saturation_are_said():
    """Each kind has its sentence, its rows and its remedy."""
    said = {f.remedy: f for f in look([0, 1, 2, 2, 3, 4], [1, 2, 3, 3.1, 4, 5])}
    assert said[Remedy.AVERAGE].rows == (2, 3)
    assert "2 rows share t = 2." in sentences([0, 1, 2, 2, 3, 4], [1, 2, 3, 3.1, 4, 5])
    assert "t goes back at row 4." in sentences([0, 1, 3, 2, 4, 5], [1, 2, 3, 4, 5, 6])
    x = np.delete(np.arange(30.0), [7, 8, 9, 20])
    assert sentences(x, np.sin(x)) == ["t is regular (every 1) with 2 gaps: 6 to 10, 19 to 21."]
    full = np.minimum(np.linspace(0, 12, 40), 9.9)
    (limit,) = look(np.arange(40.0), full)
    assert limit.kind is FindingKind.AT_LARGEST
    assert sentences(np.arange(40.0), full) == ["7 rows have the largest v, 9.9: was the instrument at its limit?"]
    assert len(limit.rows) == 7
    assert look([1.0], [2.0]) == []


def test_the_demo_data_are_read_as_their_maker_meant_them():
    """The row that was moved, the repeats and the gaps of the demo are found; smooth series are left in peace."""
    found = {}
    for series in demo_study().series:
        x, y = series.values(Role.X), series.values(Role.Y)
        found[series.name] = what_to_look_at(x, y, series.measured)
    assert [f.rows for f in found["Nitrate probe"] if f.kind is FindingKind.FAR_OFF] == [(10,)]
    assert [f.rows for f in found["Oxygen, chamber B"] if f.kind is FindingKind.FAR_OFF] == [(9,)]
    assert any(f.kind is FindingKind.GAPS for f in found["Pond temperature"])
    assert not [f for f in found["Stage–discharge rating"] if f.kind is FindingKind.FAR_OFF]
