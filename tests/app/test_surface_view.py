"""What the Surface page shows of a state, without a window."""

import numpy as np
import pytest

from vettore.app.pages.surface.derived import SurfaceRequest, cut, even_step
from vettore.app.pages.surface.making import clicked, colours_typed, shape_typed
from vettore.app.pages.surface.present import NO_SERIES, present
from vettore.app.pages.surface.state import SurfaceState, Tool
from vettore.app.search import Search
from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.demo.study import demo_study
from vettore.study.study import Study
from vettore.study.surfaces import set_surface, surface_of

STYLE = NumberStyle()


@pytest.fixture(scope="module")
def study():
    return demo_study()


def view(study, state=None, style=STYLE, errors=None, **decided):
    """The view of the reed bed with some decisions made."""
    series = next(series for series in study.series if series.name == "Nitrate, reed bed")
    study = set_surface(study, surface_of(study, series.id).changed(**decided))
    asked = SurfaceRequest(study.find_series(series.id), surface_of(study, series.id), Search())
    answer = asked.answer()
    state = (
        (state or SurfaceState()).on(series.id)
        if state is None
        else SurfaceState(series.id, state.tool, state.at_x, state.at_y)
    )
    ends = answer.recipe.section
    return present(study, state, answer, "", errors or {}, cut(answer.surface, ends) if ends else None, style)


def test_the_sentence_counts_hills_and_says_how_far_left_out_sites_are_missed(study):
    """And the list gives each with its place and height, by kriging with its ±."""
    shown = view(study, method="kriging")
    assert shown.sentence.startswith("2 hills and 2 hollows. Sites that are left out are missed by 0.20 mg/L")
    assert [(place, height) for _, place, height in shown.summits][:2] == [
        ("17.3, 24.9 m", "7.420 ± 0.065 mg/L"),
        ("45.9, 26.3 m", "6.178 ± 0.089 mg/L"),
    ]
    assert dict(shown.pairs)["area"] == "2177 m²"
    assert dict(shown.pairs)["mean"] == "3.543 mg/L"
    assert dict(shown.pairs)["volume under the surface"] == "7714 mg·m²/L"
    assert shown.status == ("116 sites", "kriging", "grid of 80 × 80", "nothing beyond the sites")


def test_a_place_is_read_with_its_neighbour(study):
    """Typed with a decimal comma, too; a place outside says so; half a place reads nothing."""
    shown = view(study, SurfaceState(at_x="22", at_y="18,5"), NumberStyle(","))
    assert shown.reading.words == "nitrate 4,761 mg/L"
    assert shown.reading.more == "nearest site 1,1 m away: 4,38"
    assert shown.flags == ((22.0, 18.5, "4,76", False),)
    assert view(study, SurfaceState(at_x="99", at_y="1")).reading.words == "nitrate outside the sites"
    assert view(study, SurfaceState(at_x="22")).flags == ()


def test_levels_windows_and_kept_readings_are_told(study):
    """Area and volume above a level add up with those below; a window outside all sites says so."""
    shown = view(study, level=4.0, outline=((10, 10), (50, 10), (50, 35), (10, 35)), read_at=((22.0, 18.5),))
    told = dict(shown.pairs)
    parts = [float(told[f"volume {side} 4"].split()[0]) for side in ("above", "below")]
    whole = float(told["volume under the surface"].split()[0]) - 4 * float(told["area"].split()[0])
    assert parts[0] - parts[1] == pytest.approx(whole, abs=3)
    assert dict(shown.window)["area"] == "1000 m²"
    assert shown.kept == (("22, 18.5 m", "4.761 mg/L"),)
    away = view(study, outline=((100, 100), (110, 100), (110, 110)))
    assert away.window_refusal.startswith("No part of the surface")


def test_the_smallest_left_out_error_is_ticked_once_all_are_known(study):
    """Not before, since the next could be smaller."""
    errors = dict.fromkeys(("nearest", "linear", "natural", "cubic", "thin_plate", "smoothing"), 0.3)
    assert not any(method.best for method in view(study, errors=errors).methods)
    shown = view(study, errors={**errors, "kriging": 0.2})
    assert [(method.key, method.error) for method in shown.methods if method.best] == [("kriging", "0.20")]
    assert shown.error_words == "left-out error (mg/L)"


def test_without_a_series_the_page_invites():
    """And a tool stays in hand when another series is chosen."""
    shown = present(Study(), SurfaceState(), None, "", {}, None, STYLE)
    assert shown.invites == NO_SERIES
    assert SurfaceState("s1", Tool.WINDOW, "1", "2").on("s2") == SurfaceState("s2", Tool.WINDOW)


def test_a_search_that_is_given_up_ends(study):
    """With a sentence, at the next check, and what was known stays right for the next one who asks."""
    series = next(series for series in study.series if series.name == "Nitrate, reed bed")
    search = Search()
    search.stopped = True
    recipe = surface_of(study, series.id).changed(shape=(33, 34))
    with pytest.raises(VettoreError, match="Given up"):
        SurfaceRequest(series, recipe, search).answer()
    assert SurfaceRequest(series, recipe, Search()).answer().surface.grid.z.shape == (34, 33)


@pytest.mark.parametrize(("span", "step"), [(9.0, 1.0), (6.2, 0.5), (1e-12, 1e-13), (0.0, 1.0), (3e7, 5e6)])
def test_contours_stand_at_round_heights(span, step):
    """1, 2 or 5 times a power of ten, about nine to a map."""
    assert even_step(span) == pytest.approx(step)


def test_a_section_knows_the_sites_beside_it(study):
    """Those within three quarters of the spacing, at their distance along the line."""
    shown = view(study, section=((6.0, 34.0), (56.0, 20.0)))
    along, heights = shown.cut.near
    assert 5 < len(along) < 30
    assert (along >= 0).all()
    assert along.max() <= shown.cut.section.along[-1]
    surface = shown.answer.surface
    assert np.isin(heights, surface.z).all()


def test_what_is_typed_becomes_a_decision_or_a_sentence():
    """Colours, contours, grids and numbers; a level left blank is the middle; clicks have few digits."""
    assert colours_typed(None, "0,5", "1", "", 3.3) == {"parted_at": None, "step": 0.5, "clip": (1.0, None)}
    assert colours_typed("", "", "", "", 3.3)["parted_at"] == 3.3
    assert shape_typed(" 80", "54") == (80, 54)
    assert clicked(31.41592653, 60.0) == 31.42
    assert clicked(0.0031415, 0.2) == 0.003
    for wrong, says in (
        (lambda: colours_typed(None, "-1", "", "", 0), "above 0 apart"),
        (lambda: colours_typed(None, "", "5", "4", 0), "below the highest"),
        (lambda: colours_typed(None, "wide", "", "", 0), "“wide” is not a number"),
        (lambda: shape_typed("80", "5.5"), "whole numbers"),
    ):
        with pytest.raises(VettoreError, match=says):
            wrong()
