"""What a window does with files beyond opening studies: reading again or differently, exporting, pictures."""

from __future__ import annotations

import sys
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog

from vettore.app.memory import give_back
from vettore.app.shell.shell import Shell
from vettore.core.errors import VettoreError
from vettore.core.remarks import counted
from vettore.files import STUDY_SUFFIX as SUFFIX
from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import Table

if TYPE_CHECKING:
    from vettore.app.stage.plot import Plot
    from vettore.app.widgets.data.read_differently import ReadDifferently
    from vettore.files.readers import Offer


# After so many rows came in, memory that reading them took is given back, this many milliseconds later.
MANY_ROWS = 100_000
GIVE_BACK_AFTER = 1500


class FileActions:
    """Works on files for one window, which has a session, places, a page and a voice."""

    def __init__(self, shell: Shell) -> None:
        self._shell, self.session = shell, shell.session
        self.dialog: ReadDifferently | None = None

    def ask_open(self) -> None:
        """Ask for files and open them."""
        start = str(self.session.path.parent if self.session.path else Path.home())
        from vettore.files.readers import ENDINGS

        endings = " ".join(f"*.{ending}" for ending in ENDINGS)
        words = f"Studies and tables (*{SUFFIX} {endings});;All files (*)"
        chosen, _ = QFileDialog.getOpenFileNames(self._shell.widget, "Open", start, words)
        if chosen:
            self.open_paths([Path(text) for text in chosen])

    def open_paths(self, paths: list[Path]) -> None:
        """Open a study, or bring text files in as series, in the background."""
        studies = [path for path in paths if path.suffix.casefold() == SUFFIX]
        if studies and not self._shell.may_leave():
            return
        for path in studies[:1]:
            self.session.background.run(
                "open",
                lambda path=path: open_study_file(path),
                lambda study, path=path: self._shell.start(study, path),
                self._shell.refuse,
            )
        from vettore.files.refusals import shown_name, shown_path

        store = self._shell.places.remembered
        for number, path in enumerate(file_path for file_path in paths if file_path not in studies):
            self.session.say(f"Reading {shown_name(path)} … Escape gives it up.")
            self.session.background.run(
                f"read {number} {shown_path(path)}",
                lambda path=path: read_file_as_before(path, store),
                lambda offers, path=path: self._bring_in(offers, path),
                self._shell.refuse,
            )

    def show_demo(self) -> None:
        """Open the demo study, after asking about unsaved work."""
        if self._shell.may_leave():
            from vettore.demo.study import demo_study

            self.session.background.run("demo", demo_study, self._shell.start, self._shell.refuse)

    def _bring_in(self, offers: list[Offer], path: Path) -> None:
        study = self.session.study
        for offer in offers:
            study = edits.add_series(study, offer.table, offer.name)
        self.session.do(f"bring in {path.name}", study)
        self.session.choose_newest()
        rows = sum(offer.table.rows for offer in offers)
        if rows > MANY_ROWS:
            QTimer.singleShot(GIVE_BACK_AFTER, give_back)
        tables = f" in {len(offers)} tables" if len(offers) > 1 else ""
        self.session.say(f"{path.name}: {counted(rows, 'row')} came in{tables}.")
        if self._shell.page is not None and self._shell.page.name == "Report":
            self._shell.show_page("Data")

    def give_up_reading(self) -> bool:
        """Give up the files that are being read in a process of their own; whether there were some."""
        box = sys.modules.get("vettore.files.box")
        return box is not None and box.give_up() > 0

    def read_differently(self) -> None:
        """Ask how the file of the chosen series is to be read, and put the table under the same decisions."""
        from vettore.app.widgets.data.read_differently import ReadDifferently, guessed_layout
        from vettore.files.encodings import SAMPLE_BYTES, text_of
        from vettore.files.refusals import read_bytes
        from vettore.files.remembered import remember, signature

        series = self.session.series
        if series is None:
            return
        path = Path(series.table.source.path)
        try:
            data = read_bytes(path)
            layout = guessed_layout(data, path.name)
        except VettoreError as error:
            self._shell.refuse(str(error))
            return
        self.dialog = ReadDifferently(data, str(path), layout, self._shell.widget)
        if self.dialog.exec() and self.dialog.table is not None:
            wanted = self.dialog.wanted()
            key = signature(text_of(data[: 2 * SAMPLE_BYTES], layout.encoding), layout)
            self._put_under(self.dialog.table, f"read {path.name} differently")
            try:
                remember(self._shell.places.remembered, key, wanted)
            except VettoreError as error:
                self._shell.refuse(
                    f"{path.name} is read differently now, but that cannot be remembered for files like it. {error}"
                )

    def read_again(self) -> None:
        """Read the file of the chosen series again into the same recipes: same work, new data."""
        series = self.session.series
        if series is None or not series.table.source.path:
            self._shell.refuse(
                "Where this series came from is not known here. Choose the file on the Report page: Choose the new file …"
            )
            return
        path, part = Path(series.table.source.path), series.table.source.options.get("part")
        store = self._shell.places.remembered

        def work() -> Table:
            offers = read_file_as_before(path, store)
            return next(
                (offer.table for offer in offers if offer.table.source.options.get("part") == part), offers[0].table
            )

        def done(table: Table) -> None:
            if table.key == series.table.key:
                self.session.say(f"{path.name} has not changed.")
            else:
                self._put_under(table, f"read {path.name} again")

        self.session.background.run("read again", work, done, self._shell.refuse)

    def _put_under(self, table: Table, words: str) -> None:
        """Put another table under the chosen series; when its columns have other names, begin a new series."""
        series = self.session.series
        if series is None:
            return
        try:
            study = edits.renew_series(self.session.study, series.id, table)
        except VettoreError:
            missing = edits.remove_series(self.session.study, series.id)
            study = edits.add_series(missing, table, series.name)
            self.session.do(words, study)
            self.session.choose_newest()
            return
        self.session.do(words, study)

    def export_series(self) -> None:
        """Ask for a name and save the chosen series there."""
        from vettore.files.writers import ENDINGS, write_series

        series = self.session.series
        if series is None:
            self._shell.refuse("There is no series to export.")
            return
        words = ";;".join(f"{name} (*{ending})" for ending, name in ENDINGS.items())
        chosen, _ = QFileDialog.getSaveFileName(
            self._shell.widget, "Export the series", str(Path.home() / f"{series.name}.csv"), words
        )
        if chosen:
            path = Path(chosen)
            self.session.background.run(
                "export",
                lambda: write_series(series, path),
                lambda _nothing: self.session.say(f"{series.name} was saved as {path.name}."),
                self._shell.refuse,
            )

    def copy_picture(self) -> None:
        """Put the plot of the page on the clipboard."""
        plot = self._plot()
        if plot is not None:
            plot.copy()

    def save_picture(self) -> None:
        """Ask for a name and save the plot there."""
        plot = self._plot()
        if plot is not None:
            plot.save()

    def _plot(self) -> Plot | None:
        """Return the plot of the page; a page without one says so."""
        plot = self._shell.page.plot if self._shell.page is not None else None
        if plot is None:
            self._shell.refuse("This page has no plot. Choose another page, then copy or save its plot.")
        return plot


# Readers are loaded when first needed, on the thread that reads.


def open_study_file(path: Path) -> Study:
    """Read a study."""
    from vettore.files.study_file import open_study

    return open_study(path)


def read_file_as_before(path: Path, store: Path) -> list[Offer]:
    """Read a file, a text in the way that was chosen before for files that look the same."""
    from vettore.files.readers import read_file
    from vettore.files.remembered import as_before

    return read_file(path, partial(as_before, store))
