"""The looks of a window: its theme, which may follow the desktop, the size of its text, and stillness."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from dataclasses import replace

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAction, QActionGroup, QGuiApplication, QKeySequence
from PySide6.QtWidgets import QMenu

from vettore.app.settings import TEXT_SIZES, Colours, Settings, read_settings, write_settings
from vettore.app.shell.shell import Shell
from vettore.core.errors import VettoreError

SCALE, FONT_DPI = "QT_SCALE_FACTOR", "QT_FONT_DPI"
# Dots to the inch of a desktop whose text has the usual size, and from what share on more of them count.
USUAL_DPI, WORTH_GROWING = 96.0, 1.1


def scale_text(settings: Settings) -> None:
    """Have the toolkit draw everything larger; before the application is made, and unless the user set it elsewhere."""
    if settings.text != 100:
        os.environ.setdefault(SCALE, str(settings.text / 100))


def grow_with_desktop(environment: Mapping[str, str], dots_per_inch: float) -> dict[str, str] | None:
    """Return the environment in which everything has grown as the desktop's text has, or None when it need not.

    A desktop that asks for larger text gives more dots to the inch; texts alone would then outgrow what holds them.
    """
    if SCALE in environment or dots_per_inch < USUAL_DPI * WORTH_GROWING:
        return None
    return {**environment, SCALE: f"{dots_per_inch / USUAL_DPI:g}", FONT_DPI: f"{USUAL_DPI:g}"}


def desktop_scheme() -> Qt.ColorScheme:
    """Return whether the desktop is light or dark."""
    return QGuiApplication.styleHints().colorScheme()


def wants_lamp(settings: Settings) -> bool:
    """Return whether the dark theme is to be shown."""
    if settings.colours is Colours.DESKTOP:
        return desktop_scheme() is Qt.ColorScheme.Dark
    return settings.colours is Colours.LAMP


class Looks(QObject):
    """What the View menu says of looks, kept for the next time."""

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell.widget)
        self._shell = shell
        self._path = shell.places.settings
        self.settings = read_settings(self._path)
        self._shown = False
        self._marks: list[Callable[[], None]] = []
        shell.session.still = self.settings.still
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._follow_desktop)

    def fill(self, menu: QMenu) -> None:
        """Add the lines about looks to a menu."""
        colours = menu.addMenu("Colours")
        self._choices(colours, {str(Colour): Colour for Colour in Colours}, "colours", self.choose_colours)
        self._shell.add_action(colours, "Change between paper and lamp", QKeySequence("Ctrl+L"), self.turn_lamp)
        sizes = menu.addMenu("Text size")
        self._choices(sizes, {f"{size} %": size for size in TEXT_SIZES}, "text", self._choose_text)
        still = menu.addAction("Reduce motion")
        still.setCheckable(True)
        still.triggered.connect(lambda on: self._keep(still=on))
        self._marks.append(lambda: still.setChecked(self.settings.still))
        self._mark()

    def begin(self) -> None:
        """Show the theme that is wanted, when it is not the one the program began with."""
        if wants_lamp(self.settings) != self._shown:
            self._show()

    def choose_colours(self, colours: Colours) -> None:
        """Show a theme, or follow the desktop's."""
        self._keep(colours=colours)
        self._show()

    def turn_lamp(self) -> None:
        """Change between paper and lamp."""
        self.choose_colours(Colours.PAPER if self._shown else Colours.LAMP)

    def _choices(self, menu: QMenu, choices: dict[str, object], name: str, choose: Callable[..., object]) -> None:
        """Add lines of which one is chosen."""
        group = QActionGroup(menu)
        for words, value in choices.items():
            line = QAction(words[0].upper() + words[1:], menu)
            line.setCheckable(True)
            line.triggered.connect(lambda _on, value=value: choose(value))
            group.addAction(line)
            menu.addAction(line)
            self._marks.append(
                lambda line=line, value=value: line.setChecked(getattr(self.settings, name) == value)  # type: ignore[misc]
            )

    def _choose_text(self, size: int) -> None:
        self._keep(text=size)
        self._shell.session.say(f"The text is {size} % of the usual size from the next start on.")

    def _keep(self, **values: object) -> None:
        self.settings = replace(self.settings, **values)  # type: ignore[arg-type]
        self._shell.session.still = self.settings.still
        self._mark()
        try:
            write_settings(self._path, self.settings)
        except (VettoreError, OSError) as error:
            self._shell.refuse(f"The setting holds for now, but could not be kept: {error}")

    def _mark(self) -> None:
        for mark in self._marks:
            mark()

    def _follow_desktop(self) -> None:
        if self.settings.colours is Colours.DESKTOP:
            self.begin()

    def _show(self) -> None:
        self._shown = wants_lamp(self.settings)
        self._shell.take_theme(self._shown)
