"""What is decided on the Equations page; each is one edit that can be undone."""

from __future__ import annotations

from collections.abc import Mapping

from vettore.app.session import Session
from vettore.core.errors import VettoreError
from vettore.study import edits, parts
from vettore.study.fitting.system_readings import typed_reading
from vettore.study.fitting.systems import DerivedSystem, name_of
from vettore.study.kinds.equations import EquationsRecipe

# The key of the section of the report that holds them.
EQUATIONS = "equations"


class EquationsDeciding:
    """Turns what was chosen and typed into edits of the study."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def keep(self, words: str, recipe: EquationsRecipe) -> None:
        """Put equations into the study in the place of those with their id, or as new ones."""
        study = self.session.study
        if not recipe.id:
            self.session.do(words, parts.add(study, recipe))
        elif study.find(recipe.id) != recipe:
            self.session.do(words, parts.change(study, recipe))

    def take(self, shown: EquationsRecipe | None, other: EquationsRecipe) -> None:
        """Show other equations where some are shown; what was read off those stays, as far as it is asked of these."""
        if shown is None:
            self.keep(f"equations: {name_of(other).lower()}", other)
            return
        fields = {"id": shown.id, "over": other.over or shown.over, "shows_states": shown.shows_states}
        self.keep(f"equations: {name_of(other).lower()}", other.changed(**fields, readings=shown.readings))

    def write(self, shown: EquationsRecipe | None, series: str, text: str, over: str) -> None:
        """Fit equations that were written."""
        text = "\n".join(line.rstrip() for line in text.strip().splitlines() if line.strip())
        if shown is not None and shown.text == text:
            self.keep("fit equations", shown)
            return
        self.take(shown, EquationsRecipe(series=series, text=text, over="" if shown is None else over))

    def another(self, shown: EquationsRecipe) -> None:
        """Keep equations, and go on with a copy."""
        self.keep("equations beside others", shown.changed(id=""))

    def remove(self, shown: EquationsRecipe) -> None:
        """Take equations out of the study."""
        if shown.id:
            self.session.do("remove equations", parts.remove(self.session.study, shown.id))

    def turn_hold(
        self, shown: EquationsRecipe, system: DerivedSystem, name: str, shaped: Mapping[str, float]
    ) -> None:
        """Hold a coefficient at the value that it has, or let it go."""
        held = dict(shown.hold)
        if name in held:
            del held[name]
        else:
            held[name] = shaped.get(name, system.result.values[name])
        start = {**system.result.values, **shaped} if shown.start else {}
        kept = {other: value for other, value in start.items() if other not in held}
        words = f"hold {name}" if name in held else f"let go of {name}"
        self.keep(words, shown.changed(hold=tuple(held.items()), start=tuple(kept.items())))

    def decide(
        self, shown: EquationsRecipe, name: str, value: float, held: bool, low: float | None, high: float | None
    ) -> None:
        """Take the value, the hold and the limits of a coefficient."""
        holds = {
            **{other: number for other, number in shown.hold if other != name},
            **({name: value} if held else {}),
        }
        limits = [entry for entry in shown.limits if entry[0] != name]
        if low is not None or high is not None:
            limits.append((name, low, high))
        self.keep(f"decide on {name}", shown.changed(hold=tuple(holds.items()), limits=tuple(limits)))

    def begin_from(self, shown: EquationsRecipe, system: DerivedSystem, shaped: Mapping[str, float]) -> None:
        """Fit again, beginning at values that a hand gave."""
        held = dict(shown.hold)
        start = {name: value for name, value in {**system.result.values, **shaped}.items() if name not in held}
        self.keep("fit from these values", shown.changed(start=tuple(start.items())))

    def take_into_report(self, series: str) -> None:
        """Have the report hold the equations of a series: of one fit of another series it would not."""
        study = self.session.study
        curve = study.reported_curve
        left_out = tuple(key for key in study.report.left_out if key != EQUATIONS)
        fits = "all" if curve is not None and curve.series != series else study.report.fits
        if (left_out, fits) != (study.report.left_out, study.report.fits):
            changed = study.report.changed(left_out=left_out, fits=fits)
            self.session.do("equations into the report", edits.set_report(study, changed))

    def read(self, shown: EquationsRecipe, system: DerivedSystem, text: str) -> bool:
        """Keep a reading; whether it could be read."""
        try:
            reading = typed_reading(text, system)
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return False
        if reading not in shown.readings:
            self.keep("read a number", shown.changed(readings=(*shown.readings, reading)))
        return True

    def drop_reading(self, shown: EquationsRecipe, place: int) -> None:
        """Let go of a reading."""
        rest = (*shown.readings[:place], *shown.readings[place + 1 :])
        self.keep("let go of a reading", shown.changed(readings=rest))
