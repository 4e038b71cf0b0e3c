"""Several at once: the chosen model over many series, some coefficients common to all, as one table."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.parts import Column, button, label, section
from vettore.app.widgets.value_table import ValueTable
from vettore.core.errors import VettoreError
from vettore.study import edits
from vettore.study.derive import DerivedFit
from vettore.study.several import Several, fit_each, fit_together, recipe_for


class SeveralDialog(QDialog):
    """Choose series and what they have in common; the table follows."""

    def __init__(self, session: Session, fit: DerivedFit, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Several at once")
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(980, 560)
        self._session, self._fit = session, fit
        self.several: Several | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 14, 18, 14)
        row.setSpacing(22)
        choices = Column("Series and common coefficients", (0, 0, 8, 0))
        choices.setFixedWidth(270)
        choices.add(section(f"{fit.recipe.name} over"))
        self.series: dict[str, QCheckBox] = {}
        for one in session.study.series:
            box = QCheckBox(one.name)
            box.setChecked(one.id == fit.series.id)
            box.toggled.connect(lambda _on: self._run())
            self.series[one.id] = box
            choices.add(box)
        choices.add(section("Common to all"))
        self.common: dict[str, QCheckBox] = {}
        for name, coefficient in fit.result.coefficients.items():
            if not coefficient.held:
                box = QCheckBox(name)
                box.toggled.connect(lambda _on: self._run())
                self.common[name] = box
                choices.add(box)
        choices.column.addStretch()
        right = QVBoxLayout()
        self.words = label("", "sentence", wrap=True)
        self.table = ValueTable()
        shown = Column("Coefficients of every series", (0, 0, 0, 0))
        shown.add(self.words, self.table)
        shown.column.addStretch()
        right.addWidget(shown, 1)
        foot = QHBoxLayout()
        foot.addStretch()
        self.keep = button(
            "Keep a curve for every series", self.keep_curves, "", "Add the model to each series chosen"
        )
        foot.addWidget(self.keep)
        foot.addWidget(button("Close", self.close, "primary"))
        right.addLayout(foot)
        row.addWidget(choices)
        row.addLayout(right, 1)
        self._run()

    def _chosen(self):
        return [one for one in self._session.study.series if self.series[one.id].isChecked()]

    def _run(self) -> None:
        series, recipe = self._chosen(), self._fit.recipe
        shared = [name for name, box in self.common.items() if box.isChecked()]

        def work() -> Several:
            return fit_together(series, recipe, shared) if shared else fit_each(series, recipe)

        self.words.setText("Fitting …")
        self._session.background.run("several", work, self._show, self._refuse)

    def _refuse(self, sentence: str) -> None:
        self.several = None
        self.words.setText(sentence)
        self.table.show_rows((), [], [])

    def _show(self, several: Several) -> None:
        self.several = several
        style = self._session.style
        names = list(dict.fromkeys(name for row in several.rows for name in row.coefficients))
        rows, full = [], []
        for row in several.rows:
            cells = []
            numbers: list[object] = [row.name]
            for name in names:
                one = row.coefficients.get(name)
                cells.append("—" if one is None else style.pair(one.value, one.standard_error))
                numbers += (
                    ["", ""]
                    if one is None
                    else [one.value, one.standard_error if one.standard_error is not None else ""]
                )
            scatter = "" if row.residual_sd is None else style.number(row.residual_sd, 3)
            rows.append((row.name, *cells, scatter))
            full.append((*numbers, "" if row.residual_sd is None else row.residual_sd))
        headings = ("series", *names, "" if several.shared else "residual s")
        # Copied with a column for every standard error.
        copied = ["series", *(part for name in names for part in (name, f"standard error of {name}")), "residual s"]
        self.table.show_rows(headings, rows, full, copied)
        refused = [f"{row.name}: {row.refusal}" for row in several.rows if row.refusal]
        words = f"Each of {len(several.rows)} series alone."
        if several.shared:
            listed = " and ".join(several.shared)
            scatter = style.number(several.residual_sd, 3)
            words = f"{len(several.rows)} series together, with {listed} common to all; "
            words += f"what is left has a standard deviation of {scatter}."
        self.words.setText("\n".join([words, *refused]))

    def keep_curves(self) -> None:
        """Add the model as a curve to every series chosen that has none of it."""
        study, count = self._session.study, 0
        for one in self._chosen():
            if one.id == self._fit.series.id:
                continue
            try:
                recipe = recipe_for(one, self._fit.recipe)
            except VettoreError:
                continue
            study = edits.add_fit(study, one.id, recipe.degree)
            study = edits.change_fit(study, _with_id(recipe, study.curves[-1].id))
            count += 1
        if count:
            self._session.do(f"fit {count} more series", study)
            self._session.say(f"{count} more series have this model now.")


def _with_id(recipe, identity: str):
    from dataclasses import replace

    return replace(recipe, id=identity)
