"""What was worked out is remembered by content: not made twice, never given for another content."""

import threading
from types import SimpleNamespace

import numpy as np
import pytest

from tests.made import parabola_and_line
from vettore.core.fitting.after.checks import Kind
from vettore.study import edits, edits_of_curves
from vettore.study.areas import derive_area
from vettore.study.derive import derive_fit, is_known
from vettore.study.derive_curves import derive_interpolant
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import CurveOf, PointsOf
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.remembered import Memory
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

X = np.linspace(0, 10, 41)


def study():
    return parabola_and_line(X)


def test_the_same_content_is_the_same_object_and_another_is_another():
    """A name changes nothing; a row set aside, another way to join, another baseline do."""
    first = study()
    series = first.series[0]
    curve = derive_interpolant(series, InterpolantRecipe("s1", "cubic"))
    assert derive_interpolant(series.changed(name="renamed"), InterpolantRecipe("s1", "cubic")) is curve
    assert derive_interpolant(series, InterpolantRecipe("s1", "linear")) is not curve
    aside = edits.set_rows_aside(first, "s1", [3], "").series[0]
    assert derive_interpolant(aside, InterpolantRecipe("s1", "cubic")) is not curve
    area = derive_area(first, series, AreaRecipe("s1"))
    assert derive_area(first, series, AreaRecipe("s1", name="called")) is area
    assert derive_area(first, series, AreaRecipe("s1", rule="spline")) is not area


def test_what_was_tested_of_a_fit_is_tested_once():
    """Each view of the same fit is given the same checks; a row set aside makes them others, which name rows as the table does."""
    y = 2 * X + np.sin(40 * X) / 10
    y[20] += 5
    table = Table((RawColumn("x", "", X), RawColumn("y", "", y)), Source("made"))
    first = edits.add_fit(edits.add_series(Study(), table, "far off"), "s1", 1)
    fit = first.curves[-1].id
    found = derive_fit(first, fit).checks
    assert all(one is other for one, other in zip(derive_fit(first, fit).checks, found, strict=True))
    fewer = edits.set_rows_aside(first, "s1", [0, 1, 2], "")
    others = derive_fit(fewer, fit).checks
    assert not {id(check) for check in others} & {id(check) for check in found}
    for checks in (found, others):
        assert next(check for check in checks if check.kind is Kind.OUTLIERS).numbers == (21,)


def test_an_area_follows_what_its_baseline_is_made_from():
    """Points typed over, joined otherwise, a fit of another degree: the area is another one."""
    first = study()
    over = AreaRecipe("s1", baseline=PointsOf("s2"))
    before = derive_area(first, first.series[0], over).area
    raised = edits.set_cell(first, "s2", 20, 1, "50")
    assert derive_area(raised, raised.series[0], over).area < before
    joined = edits_of_curves.set_interpolant(first, InterpolantRecipe("s2", "previous"))
    assert derive_area(joined, joined.series[0], over).area != before
    above = AreaRecipe("s1", baseline=CurveOf("c3"))
    flat = edits.change_fit(first, first.curves[0].changed(degree=1))
    assert abs(derive_area(first, first.series[0], above).positive) < 0.2
    assert abs(derive_area(flat, flat.series[0], above).positive) > 1


def test_two_threads_share_one_piece_of_work_and_the_oldest_goes_first():
    """What one works out the other waits for; a result that is not whole is not kept."""
    memory, made, gate = Memory(most=2), [], threading.Event()

    def work():
        gate.wait()
        made.append(1)
        return "result"

    threads = [threading.Thread(target=memory.derive, args=("key", work)) for _ in range(2)]
    for thread in threads:
        thread.start()
    gate.set()
    for thread in threads:
        thread.join()
    assert made == [1]
    assert memory.derive("stopped", lambda: "half", whole=lambda result: False) == "half"
    assert memory.recall("stopped") is None
    for key in ("a", "b"):
        memory.keep(key, key)
    assert (memory.recall("key"), memory.recall("a"), memory.recall("b")) == (None, "a", "b")


def test_results_of_very_many_rows_are_let_go_of_before_they_fill_the_memory():
    """Those used longest ago first; the last one stays however large it is, and small ones are no burden."""
    memory = Memory(most=10, most_rows=100)
    made = {
        name: SimpleNamespace(x=range(rows)) for name, rows in (("a", 40), ("b", 40), ("c", 3), ("d", 30), ("e", 500))
    }
    for name in "abc":
        memory.keep(name, made[name])
    assert memory.recall("a") is made["a"]
    memory.keep("d", made["d"])
    assert [name for name in "abcd" if memory.recall(name) is not None] == ["a", "c", "d"]
    memory.keep("c", made["c"])
    memory.keep("e", made["e"])
    assert [name for name in "abcde" if memory.recall(name) is not None] == ["e"]
    memory.keep("a", made["a"])
    assert [name for name in "abcde" if memory.recall(name) is not None] == ["a"]


@pytest.mark.parametrize("noise", ["normal", "growing", "correlated", "poisson"])
def test_what_takes_refits_is_not_worked_out_where_it_is_asked_for(noise):
    """A polynomial of even scatter is had within a frame; of another it is at hand only once it was worked out."""
    y = np.array([3.0, 5.0, 4.0, 8.0, 9.0, 12.0, 11.0, 15.0, 14.0, 19.0]) + len(noise)
    table = Table((RawColumn("t", "s", np.arange(10.0)), RawColumn("y", "", y)), Source("made"))
    study = edits.add_fit(edits.add_series(Study(), table, "rows"), "s1", 1)
    study = edits.change_fit(study, study.curves[0].changed(noise=noise))
    assert is_known(study, study.curves[0].id) == (noise == "normal")
    derive_fit(study, study.curves[0].id)
    assert is_known(study, study.curves[0].id)
