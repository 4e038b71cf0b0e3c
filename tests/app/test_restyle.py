"""Pages that were hidden while the theme changed are dressed when they are shown, as if they had been dressed with the others."""

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication, QWidget

from vettore.app.restyle import POLISHED
from vettore.demo.study import demo_study


@pytest.mark.parametrize("turns", [1, 2, 3])
def test_a_page_that_was_hidden_looks_as_if_it_had_been_seen(window, settled, turns):
    window.start(demo_study())
    for name in ("Fit", "Integrate", "Polynomial", "Data"):
        window.show_page(name)
        settled()
    hidden = window.pages["Integrate"].findings
    for turn in range(turns):
        window.take_theme(lamp=turn % 2 == 0)
    assert not hidden.testAttribute(POLISHED)
    for name in ("Integrate", "Polynomial"):
        window.show_page(name)
        settled()
        page = window.pages[name]
        assert all(
            part.testAttribute(POLISHED) for top in (page.choices, page.stage, page.findings) for part in parts(top)
        )
        app = QApplication.instance()
        # Rows that gave way to others still stand where they stood until the loop comes back to them.
        app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        settled()
        lazily = window.grab().toImage()
        sheet = app.styleSheet()
        app.setStyleSheet("")
        app.setStyleSheet(sheet)
        settled()
        assert window.grab().toImage() == lazily, name
    window.take_theme(lamp=False)


def parts(top):
    return [part for part in (top, *top.findChildren(QWidget)) if part.isVisible()]
