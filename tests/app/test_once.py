"""An edit is heard once: one signal, one refresh of the page in view, one step to undo; what changes nothing is none."""

import pytest

from vettore.app.session import What
from vettore.demo.study import demo_study
from vettore.study import edits, edits_of_curves
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.readings import ValueReading

EDITS = {
    "rename": lambda study: edits.rename_series(study, study.series[0].id, "another"),
    "fit": lambda study: edits.add_fit(study, study.series[2].id, 2),
    "change": lambda study: edits.change_fit(study, study.curves[0].changed(degree=3)),
    "aside": lambda study: edits.set_rows_aside(study, study.series[0].id, [2], "ice"),
    "reading": lambda study: edits.keep(study, ValueReading(curve=study.curves[0].id, at=3.0)),
    "area": lambda study: edits_of_curves.add_area(study, AreaRecipe(study.series[0].id)),
    "remove": lambda study: edits.remove_series(study, study.series[-1].id),
    "report": lambda study: edits.set_report(study, study.report.changed(note="a note")),
}


def counted(page, settled):
    """Count how often the page reads everything again; its answers from the background are in before."""
    settled()
    calls, refresh = [], page.refresh
    page.refresh = lambda: (calls.append(1), refresh())
    return calls


@pytest.mark.parametrize("name", ["Data", "Fit", "Interpolate", "Integrate", "Polynomial", "Report"])
def test_a_page_refreshes_once_for_each_edit(window, settled, name):
    """For every kind of edit, its undo and its redo, and for choosing another series."""
    window.start(demo_study())
    window.show_page(name)
    page, session = window.pages[name], window.session
    calls, heard = counted(page, settled), []
    session.changed.connect(heard.append)
    for label, edit in EDITS.items():
        for act in (
            lambda label=label, edit=edit: session.do(label, edit(session.study)),
            session.undo,
            session.redo,
        ):
            calls.clear()
            heard.clear()
            act()
            assert (len(calls), len(heard)) == (1, 1), label
            assert What.STUDY in heard[0]
    calls.clear()
    session.choose(next(one.id for one in session.study.series if one is not session.series))
    assert len(calls) == 1
    calls.clear()
    session.choose_rows({1, 2})
    assert calls == []
    settled()


def test_what_changes_nothing_is_no_step(window, settled):
    """The same study again makes no step, no signal, and leaves what could be redone."""
    window.start(demo_study())
    session = window.session
    session.do("title", edits.set_title(session.study, "a"))
    session.undo()
    heard = []
    session.changed.connect(heard.append)
    session.do("nothing", edits.set_title(session.study, session.study.title))
    curve = session.study.curves[0]
    session.do("nothing", edits.change_fit(session.study, curve.changed()))
    assert (heard, session.history.redo_label) == ([], "title")
    settled()
