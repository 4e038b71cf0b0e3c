"""What a window does with files beyond opening studies: reading again or differently, exporting, pictures."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from vettore.core.errors import VettoreError
from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import Table

if TYPE_CHECKING:
    from vettore.app.pages.page import Page
    from vettore.app.places import Places
    from vettore.app.session import Session
    from vettore.app.stage.plot import Plot


class FileActions:
    """The part of the window that works on files; the window gives it a session, places, a page and its voice."""

    if TYPE_CHECKING:
        session: Session
        places: Places
        page: Page | None

        def refuse(self, sentence: str) -> None: ...

    def read_differently(self) -> None:
        """Ask how the file of the chosen series is to be read, and put the table under the same decisions."""
        from vettore.app.widgets.read_differently import ReadDifferently, guessed_layout
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
            self.refuse(str(error))
            return
        self.dialog = ReadDifferently(data, str(path), layout, self)
        if self.dialog.exec() and self.dialog.table is not None:
            wanted = self.dialog.wanted()
            key = signature(text_of(data[: 2 * SAMPLE_BYTES], layout.encoding), layout)
            self._put_under(self.dialog.table, f"read {path.name} differently")
            try:
                remember(self.places.remembered, key, wanted)
            except VettoreError as error:
                self.refuse(
                    f"{path.name} is read differently now, but that cannot be remembered for files like it. {error}"
                )

    def read_again(self) -> None:
        """Read the file of the chosen series again into the same recipes: same work, new data."""
        series = self.session.series
        if series is None or not series.table.source.path:
            self.refuse(
                "Where this series came from is not known here. Choose the file on the Report page: Choose the new file …"
            )
            return
        path, part = Path(series.table.source.path), series.table.source.options.get("part")
        store = self.places.remembered

        def work():
            offers = read_file_as_before(path, store)
            return next(
                (offer.table for offer in offers if offer.table.source.options.get("part") == part), offers[0].table
            )

        def done(table: Table) -> None:
            if table.key == series.table.key:
                self.session.say(f"{path.name} has not changed.")
            else:
                self._put_under(table, f"read {path.name} again")

        self.session.background.run("read again", work, done, self.refuse)

    def _put_under(self, table: Table, words: str) -> None:
        """Put another table under the chosen series; when its columns have other names, begin a new series."""
        series = self.session.series
        if series is None:
            return
        try:
            study = edits.renew_series(self.session.study, series.id, table)
        except VettoreError:
            gone = edits.remove_series(self.session.study, series.id)
            study = edits.add_series(gone, table, series.name)
            self.session.do(words, study)
            self.session.choose_newest()
            return
        self.session.do(words, study)

    def export_series(self) -> None:
        """Ask for a name and save the chosen series there."""
        from vettore.files.writers import ENDINGS, write_series

        series = self.session.series
        if series is None:
            self.refuse("There is no series to export.")
            return
        words = ";;".join(f"{name} (*{ending})" for ending, name in ENDINGS.items())
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Export the series", str(Path.home() / f"{series.name}.csv"), words
        )
        if chosen:
            path = Path(chosen)
            self.session.background.run(
                "export",
                lambda: write_series(series, path),
                lambda _nothing: self.session.say(f"{series.name} was saved as {path.name}."),
                self.refuse,
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
        plot = self.page.plot if self.page is not None else None
        if plot is None:
            self.refuse("This page has no plot. Choose another page, then copy or save its plot.")
        return plot


# Readers are loaded when first needed, on the thread that reads.


def open_study_file(path: Path) -> Study:
    """Read a study."""
    from vettore.files.study_file import open_study

    return open_study(path)


def read_file_as_before(path: Path, store: Path) -> list:
    """Read a file, a text in the way that was chosen before for files that look the same."""
    from vettore.files.readers import read_file
    from vettore.files.remembered import recall, signature
    from vettore.files.sniff import Layout

    def as_before(layout: Layout, head: str) -> Layout:
        return recall(store, signature(head, layout)) or layout

    return read_file(path, as_before)
