"""The pages in the order of the work. A new one is a package beside this and an entry here: rail, menu and keys follow."""

from __future__ import annotations

import importlib
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtGui import QColor, QPainter

from vettore.app.pages.page import Doors, Page
from vettore.app.session import Session
from vettore.app.widgets import signs


@dataclass(frozen=True)
class PageEntry:
    """A page by its ``name`` on screen; its class is loaded when it is first shown, so that the window is painted soon."""

    name: str
    sign: Callable[[QPainter, QColor], None]
    module: str
    kind: str

    def make(self, session: Session, doors: Doors) -> Page:
        """Make the page."""
        page: Page = getattr(importlib.import_module(f"vettore.app.pages.{self.module}"), self.kind)(session, doors)
        return page


PAGES = (
    PageEntry("Data", signs.data, "data.page", "DataPage"),
    PageEntry("Fit", signs.fit, "fit.page", "FitPage"),
    PageEntry("Equations", signs.equations, "equations.page", "EquationsPage"),
    PageEntry("Interpolate", signs.interpolate, "interpolate.page", "InterpolatePage"),
    PageEntry("Integrate", signs.integrate, "integrate.page", "IntegratePage"),
    PageEntry("Polynomial", signs.polynomial, "polynomial.page", "PolynomialPage"),
    PageEntry("Surface", signs.surface, "surface.page", "SurfacePage"),
    PageEntry("Report", signs.report, "report.page", "ReportPage"),
)
