"""Figures of an axis, on screen and on paper."""

import re

import numpy as np
import pytest

from vettore.core.rounding import NumberStyle
from vettore.report.figures.listed import study_figure
from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.axes import axis_figures, axis_title


@pytest.mark.parametrize(
    ("values", "spacing", "texts", "factor"),
    [
        ([0.0, 0.025, 0.05], 0.025, ["0.000", "0.025", "0.050"], ""),
        ([0.0, 0.05, 0.1], 0.05, ["0.00", "0.05", "0.10"], ""),
        ([0, 250, 500], 250, ["0", "250", "500"], ""),
        ([2.5e-12, 5e-12], 2.5e-12, ["2.5", "5.0"], "10⁻¹²"),
        ([2e6, 4e6], 2e6, ["2", "4"], "10⁶"),
        ([1000000.1, 1000000.2], 0.1, ["1.0000001", "1.0000002"], "10⁶"),
    ],
)
def test_figures_tell_values_apart_and_are_the_values(values, spacing, texts, factor):
    """Every figure, times the power of ten at the title, is the value that it stands at."""
    told, power = axis_figures(values, spacing, (values[0], values[-1]), NumberStyle())
    assert (told, power) == (texts, factor)
    times = 10.0 ** int(power[2:].translate(str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹⁻", "0123456789-"))) if power else 1.0
    assert [float(text.replace("−", "-")) * times for text in told] == pytest.approx(values, rel=1e-12)


def test_the_title_takes_the_power():
    """Before the unit where there is one."""
    assert axis_title("current (pA)", "10³") == "current (10³ pA)"
    assert axis_title("p(x)", "10³") == "p(x) (10³)"
    assert axis_title("current", "") == "current"


def drawn(svg):
    """Return the glyphs of a figure in which texts are drawn as outlines."""
    return re.findall(r'<use xlink:href="#[\w-]+"', svg)


def test_a_figure_on_paper_has_the_figures_of_the_screen(monkeypatch):
    """Tiny numbers share a power of ten at the title, decimal commas too; a title longer than its axis is shortened."""
    from vettore.report.figures import plotting as module

    titles = {}
    original = module.fit_titles

    def keep(figure, axes, lay_out):
        original(figure, axes, lay_out)
        figure.draw_without_rendering()
        for axis in axes:
            frame, label = axis.axes.get_window_extent(), axis.label.get_window_extent()
            fits = label.width <= frame.width + 1 if axis.axis_name == "x" else label.height <= frame.height + 1
            titles[axis.get_label_text()] = (fits, [tick.get_text() for tick in axis.get_ticklabels()])

    monkeypatch.setattr(module, "fit_titles", keep)
    x = np.linspace(1, 10, 30)
    name = "absorbance of the extract at the second sampling, corrected for the blank and the drift"
    table = Table(
        (RawColumn("t", "s", x * 1e-9), RawColumn(name, "mV", x * 2e-12 + 1e-13 * np.sin(x))), Source("made")
    )
    study = edits.add_fit(edits.add_series(Study(), table, "tiny"), "s1", 1)
    assert drawn(study_figure(study, "c2", NumberStyle(","))("svg").decode())
    upper, _residual, lower = titles
    assert " … " in upper
    assert upper.endswith("(10⁻¹² mV)")
    assert lower == "t (10⁻⁹ s)"
    assert all(fits for fits, _ in titles.values())
    assert "2" in titles[lower][1]
