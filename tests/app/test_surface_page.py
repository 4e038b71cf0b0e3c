"""The Surface page by mouse and keys in the real window: method, section, reading, sites set aside, turning, undo."""

import itertools

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt

from tests.waiting import wait_for
from vettore.app.pages.surface.state import Tool
from vettore.app.stage.relief_view import Eye
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.study import Study
from vettore.study.surfaces import surface_of
from vettore.study.table import RawColumn, Source, Table

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def made(x, y, z, name="Reed bed"):
    columns = tuple(
        RawColumn(n, u, np.asarray(v, float))
        for n, u, v in zip(("east", "north", "nitrate"), ("m", "m", "mg/L"), (x, y, z), strict=True)
    )
    return edits.add_series(Study(), Table(columns, Source("made")), name)


@pytest.fixture
def page(window, settled, qtbot):
    """The page with 60 sites of 2 + 0.1 east, one of them far off."""
    rng = np.random.default_rng(4)
    x, y = rng.uniform(0, 50, 60), rng.uniform(0, 40, 60)
    z = 2 + 0.1 * x
    z[7] += 4
    window.start(made(x, y, z))
    window.show_page("Surface")
    settled()
    # Until what the surface brought is laid out.
    wait_for(lambda: window.page._parts[1].relief.scene is not None)
    qtbot.wait(80)
    return window.page


def at(plot, x, y):
    return plot.position_of(x, y).toPoint()


def drag(qtbot, plot, *places):
    view = plot.viewport()
    points = [at(plot, *place) for place in places]
    qtbot.mousePress(view, LEFT, NONE, points[0])
    for start, end in itertools.pairwise(points):
        for share in (0.3, 0.6, 1.0):
            qtbot.mouseMove(view, start + (end - start) * share)
            qtbot.wait(15)
    qtbot.mouseRelease(view, LEFT, NONE, points[-1])


def test_a_section_is_dragged_across_the_map_and_kept_as_a_series(page, window, settled, qtbot):
    """The strip shows z along it; the series holds the same; undo takes both back."""
    drag(qtbot, page.plot, (5, 20), (45, 20))
    settled()
    (x0, y0), (x1, y1) = surface_of(window.session.study, "s1").section
    assert (x0, y0, x1, y1) == pytest.approx((5, 20, 45, 20), abs=0.4)
    stage = page._parts[1]
    assert stage.profile.along[-1] == pytest.approx(np.hypot(x1 - x0, y1 - y0))
    qtbot.mouseClick(page.findings.profile, LEFT)
    settled()
    made = window.session.study.series[-1]
    assert made.name == "Reed bed, section"
    columns = made.numbers()
    surface = page.answer.surface
    assert columns["nitrate"] == pytest.approx(surface(columns["east"], columns["north"]), abs=1e-12)
    window.session.undo()
    window.session.undo()
    settled()
    assert surface_of(window.session.study, "s1").section is None
    assert not len(stage.profile.along)


def test_a_click_reads_the_surface_and_the_reading_is_kept(page, window, settled, qtbot):
    """z at the place with the nearest site; Enter keeps it as a pin; its × lets go of it."""
    qtbot.mouseClick(page.plot.viewport(), LEFT, NONE, at(page.plot, 30, 15))
    x, y = page.state.place
    assert (x, y) == pytest.approx((30, 15), abs=0.3)
    z = float(page.answer.surface(x, y))
    read = page._parts[1].read
    assert read.reading_words.text() == f"nitrate {z:.3f} mg/L"
    away = np.hypot(page.answer.surface.x - x, page.answer.surface.y - y).min()
    assert read.more.text().startswith(f"nearest site {away:.1f} m away: ")
    qtbot.keyClick(read.at_y, Qt.Key.Key_Return)
    settled()
    assert surface_of(window.session.study, "s1").read_at == ((x, y),)
    assert page.plot.pennants.pennants == [(x, y, f"{z:.2f}", True)]
    for field, text in ((read.at_x, "900"), (read.at_y, "15")):
        field.selectAll()
        qtbot.keyClicks(field, text)
    assert read.reading_words.text() == "nitrate outside the sites"
    page._drop_reading(0)
    settled()
    assert surface_of(window.session.study, "s1").read_at == ()


def test_a_site_is_set_aside_from_the_map_with_its_reason(page, window, settled, qtbot):
    """The site that makes a hill by itself is told, chosen, set aside, and the hill is gone; undo brings it back."""
    assert any("by itself" in look.what for look in page._view.looks)
    x, y = (window.session.series.numbers()[name][7] for name in ("east", "north"))
    page.take_up(Tool.CHOOSE)
    qtbot.mouseClick(page.plot.viewport(), LEFT, NONE, at(page.plot, x, y))
    assert window.session.rows == {7}
    rows = page._parts[1].rows
    assert rows.isVisible()
    qtbot.keyClicks(rows.reason, "spilt")
    qtbot.keyClick(rows.reason, Qt.Key.Key_Return)
    settled()
    assert window.session.series.reason(7) == "spilt"
    assert len(page.answer.surface.sites) == 59
    assert not page._view.looks or all("by itself" not in look.what for look in page._view.looks)
    assert float(page.answer.surface(25, 20)) == pytest.approx(4.5, abs=1e-6)
    window.session.undo()
    settled()
    assert len(page.answer.surface.sites) == 60


def test_a_window_tells_its_mean_and_volume(page, settled, qtbot, window):
    """Dragged around by lasso; of a plane the mean is that at the window's middle."""
    window.session.choose_rows({7})
    window.session.set_aside("")
    settled()
    page.take_up(Tool.WINDOW)
    drag(qtbot, page.plot, (10, 10), (30, 10), (30, 30), (10, 30))
    settled()
    told = dict(page._view.window)
    assert float(told["mean"].split()[0]) == pytest.approx(4.0, abs=0.03)
    assert float(told["area"].split()[0]) == pytest.approx(400, rel=0.03)
    qtbot.mouseClick(page.findings.drop_window, LEFT)
    settled()
    assert not page._view.window


def test_methods_are_chosen_by_their_left_out_errors(page, window, settled, qtbot):
    """Each with its own figure; the smallest is ticked; a click takes it, and undo takes it back."""
    lines = page.choices.methods
    assert all(line.accessibleName().count("left-out error") for line in lines.values())
    best = [key for key, line in lines.items() if "the smallest" in line.accessibleName()]
    errors = page._errors
    assert best == [min(errors, key=errors.get)]
    qtbot.mouseClick(lines["kriging"], LEFT)
    settled()
    assert page.answer.recipe.method == "kriging"
    assert "variogram" in dict(page._view.pairs)
    window.session.undo()
    settled()
    assert page.answer.recipe.method == "thin_plate"


def test_surface_models_are_tried_and_one_becomes_a_fit_of_the_study(page, window, settled, qtbot):
    """The plane under the far-off site; its coefficients are a fit like any, its surface is shown, undo takes it back."""
    qtbot.mouseClick(page.choices.try_models, LEFT)
    settled()
    assert len(page.choices.fits) >= 5
    assert page.choices.fits["plane"].accessibleName().startswith("Plane, left-out error ")
    qtbot.mouseClick(page.choices.fits["plane"], LEFT)
    settled()
    (fit,) = window.session.study.curves
    assert (fit.name, fit.formula) == ("Plane", "nitrate = a + b*east + c*north")
    assert page.answer.fit == fit
    b = derive_fit(window.session.study, fit.id).result.coefficients["b"].value
    assert float(page.answer.surface.gradient(25, 20)[0]) == pytest.approx(b)
    assert page.status()[1] == "fit: plane"
    assert [key for key, line in {**page.choices.methods, **page.choices.fits}.items() if line.isChecked()] == [
        fit.id
    ]
    qtbot.mouseClick(page.choices.methods["linear"], LEFT)
    settled()
    assert page.answer.fit is None
    window.session.undo()
    window.session.undo()
    settled()
    assert window.session.study.curves == ()
    assert page.answer.recipe.method == "thin_plate"


def test_the_relief_is_turned_by_dragging_and_by_keys(page, qtbot):
    """Dragging turns and tilts, the wheel stretches, Home is the first view; nothing of it is an edit."""
    relief = page._parts[1].relief
    middle = relief.rect().center()
    qtbot.mousePress(relief, LEFT, NONE, middle)
    qtbot.mouseMove(relief, middle + QPoint(40, 10))
    qtbot.mouseRelease(relief, LEFT, NONE, middle + QPoint(40, 10))
    assert relief.eye.turn == pytest.approx(Eye().turn + 18)
    assert relief.eye.tilt == pytest.approx(Eye().tilt + 4.5)
    qtbot.keyClick(relief, Qt.Key.Key_Right)
    assert relief.eye.turn == pytest.approx(Eye().turn + 24)
    qtbot.keyClick(relief, Qt.Key.Key_Plus)
    assert relief.eye.stretch == pytest.approx(1.15)
    before = relief.grab().toImage()
    qtbot.keyClick(relief, Qt.Key.Key_Home)
    assert relief.eye == Eye()
    assert relief.grab().toImage() != before
    assert page.session.history.undo_label == ""


def test_a_table_with_x_along_the_top_is_offered_as_a_grid(window, settled, qtbot):
    """Taken, it is a series of x, y, z whose surface is at hand."""
    x, y = np.arange(5.0), np.array([0.0, 10, 20, 30])
    columns = [RawColumn("depth", "m", y)] + [RawColumn(f"{at:g}", "", at + y) for at in x]
    window.start(edits.add_series(Study(), Table(tuple(columns), Source("made")), "Profile"))
    window.show_page("Surface")
    settled()
    assert window.page.choices.matrix.isVisible()
    qtbot.mouseClick(window.page.choices.matrix, LEFT)
    settled()
    made = window.session.series
    assert made.rows == 20
    assert list(made.numbers()) == ["x", "depth", "z"]
    assert float(window.page.answer.surface(2.5, 12.0)) == pytest.approx(14.5)


def test_what_is_typed_wrong_is_said_and_changes_nothing(page, window, settled, qtbot):
    """A grid of words, a clip upside down, a level that is no number; right ones are taken."""
    said = []
    window.session.message.connect(lambda kind, text: said.append(text) if kind == "bad" else None)
    choices, before = page.choices, window.session.study
    choices.across.setText("many")
    qtbot.keyClick(choices.across, Qt.Key.Key_Return)
    choices.low.setText("9")
    choices.high.setText("3")
    qtbot.keyClick(choices.high, Qt.Key.Key_Return)
    choices.level.setText("high")
    qtbot.keyClick(choices.level, Qt.Key.Key_Return)
    assert len(said) == 3
    assert window.session.study is before
    choices.level.setText("4.5")
    qtbot.keyClick(choices.level, Qt.Key.Key_Return)
    settled()
    assert page.plot.contours.level == 4.5
    assert float(dict(page._view.pairs)["area above 4.5"].split()[0]) == pytest.approx(
        page.answer.covered.area_above, rel=1e-3
    )


def test_sites_on_a_line_are_refused_on_the_page(window, settled):
    """In one sentence, with an empty map and no numbers."""
    t = np.arange(9.0)
    window.start(made(t, 2 * t, t))
    window.show_page("Surface")
    settled()
    assert window.page._parts[1].refusal.text().startswith("The sites lie on one line")
    assert window.page.answer is None


def test_a_place_on_the_relief_is_where_its_shares_say(page):
    """The highest site stands higher on the picture than the lowest, and the map's pins are at their places."""
    stage = page._parts[1]
    scene = stage.relief.scene
    assert scene.sites[:, 2].max() == pytest.approx(1.0, abs=0.05)
    position = page.plot.position_of(25, 20)
    assert page.plot.viewport().rect().contains(QPointF(position).toPoint())


def test_the_status_line_says_which_method_is_shown(page, window, settled):
    for method, said in (("kriging", "kriging"), ("linear", "planes")):
        page.deciding.choose_method(method)
        settled()
        wait_for(lambda method=method: page.answer is not None and page.answer.surface.method == method)
        assert said in " ".join(page.status()).casefold()
        assert window._status.text().split() == " ".join(page.status()).split()
