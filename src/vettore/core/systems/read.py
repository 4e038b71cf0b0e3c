"""The text of a system read: rates, initial values, jumps, reactions, and what is measured."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field

from vettore.core.errors import Fault, FormulaError
from vettore.core.formula.evaluate import number_of
from vettore.core.formula.reader import Reader
from vettore.core.formula.tokens import plain_name
from vettore.core.formula.tree import Name, Node, names, replaced
from vettore.core.formula.write import name_text
from vettore.core.systems.pieces import Piece, pieces_of
from vettore.core.systems.reactions import is_reaction, rates_of, read_reaction
from vettore.core.systems.system import EquationSystem, Jump, Measured, MovingState, Reaction

MOST_STATES = 60
_NAME = r"([^\W\d]\w*)"
_PRIMED = re.compile(rf"\s*{_NAME}\s*((?:'|′|’|″)+)\s*")
_QUOTIENT = re.compile(rf"\s*d\s*(2|\^2|²)?\s*{_NAME}\s*/\s*d\s*{_NAME}(\^2|²)?\s*")
_INITIAL = re.compile(rf"\s*{_NAME}\s*((?:'|′|’|″)*)\s*\(([^()]*)\)\s*")
_JUMP = re.compile(rf"\s*{_NAME}\s+jumps\s+by\s+(.+?)\s+at\s+{_NAME}\s*=\s*(.+)")
_EQUALS = re.compile(r"(?<![<>!=])=(?!=)")


def is_system(text: str) -> bool:
    """Whether a text has to be read as a system: several equations, a rate, a reaction."""
    pieces = pieces_of(text)
    return len(pieces) > 1 or any(is_reaction(piece) or _rate_of(_left_of(piece)) is not None for piece in pieces)


def read_system(text: str, columns: Iterable[str], over: str | None = None) -> EquationSystem:
    """Read several equations over columns. Raises FormulaError with the place and a remedy."""
    if not isinstance(text, str):
        raise FormulaError(f"A system is a text, one equation a line; {text!r} was given.", 0)
    pieces = pieces_of(text)
    if not pieces:
        raise FormulaError("There is nothing here.", 0, "Write one equation a line, as A' = -k*A.")
    return _Reading(text, tuple(dict.fromkeys(columns)), over).read(pieces)


@dataclass(eq=False)
class _Reading:
    """What was read so far."""

    text: str
    known: tuple[str, ...]
    over: str | None
    # Rates by state with where they stand; the highest derivative of each state by its name.
    rates: dict[str, tuple[Node, Piece]] = field(default_factory=dict)
    orders: dict[str, int] = field(default_factory=dict)
    initial: dict[str, tuple[Node, Piece, float]] = field(default_factory=dict)
    measured: list[tuple[Measured, Piece]] = field(default_factory=list)
    jumps: list[tuple[Jump, Piece]] = field(default_factory=list)
    reactions: list[Reaction] = field(default_factory=list)
    reacting: dict[str, Piece] = field(default_factory=dict)

    def read(self, pieces: list[Piece]) -> EquationSystem:
        """Read all lines, put them together and look whether they make a system."""
        self._name_what_runs(pieces)
        waiting = list(pieces)
        while waiting:
            piece = waiting.pop(0)
            if is_reaction(piece):
                rate = waiting.pop(0) if waiting and not _begins_anew(waiting[0]) else None
                for reaction in read_reaction(piece, rate, frozenset(self.known)):
                    self.reactions.append(reaction)
                    for _, name in (*reaction.left, *reaction.right):
                        self.reacting.setdefault(name, piece)
            else:
                self._read_line(piece)
        for name, tree in rates_of(self.reactions).items():
            if name in self.rates:
                raise self.rates[name][1].error(
                    f"{name} has a rate here, and takes part in a reaction.", "Keep one of them."
                )
            self.rates[name], self.orders[name] = (tree, self.reacting[name]), 1
        return self._joined()

    def _name_what_runs(self, pieces: list[Piece]) -> None:
        """Find the column that runs: the one that is named, that a rate is taken by, t or time."""
        if self.over is not None:
            if self.over not in self.known:
                raise FormulaError(
                    f"There is no column “{self.over}” to run over.", 0, self._columns(), Fault.FORMULA_NAME
                )
            return
        for piece in pieces:
            rate = _rate_of(_left_of(piece))
            if rate is not None and rate[2] in self.known:
                self.over = rate[2]
                return
        self.over = next((name for name in ("t", "time", "Time") if name in self.known), None)
        if self.over is None and self.known:
            self.over = self.known[0]

    def _read_line(self, piece: Piece) -> None:
        jump = _JUMP.fullmatch(piece.text)
        if jump is not None:
            self._read_jump(piece, jump)
            return
        equal = _EQUALS.search(piece.text)
        if equal is None:
            raise piece.error(
                "This line has no =.",
                "An equation is one as A' = -k*A, A(0) = A0 or signal = e*A; a reaction A -> B ; k.",
            )
        left, right = piece.part(0, equal.start()), piece.part(equal.end(), len(piece.text))
        second = _EQUALS.search(right.text)
        if second is not None:
            raise right.error("There is a second = here.", "An equation has one.", at=second.start())
        tree = self._tree(right)
        rate, initial = _rate_of(left), _INITIAL.fullmatch(left.text)
        if rate is not None:
            self._add_rate(left, rate, tree)
        elif initial is not None:
            self._add_initial(left, initial, tree)
        else:
            self._add_measured(left, tree)

    def _add_rate(self, left: Piece, rate: tuple[str, int, str], tree: Node) -> None:
        name, order, by = rate
        if by and self.over is not None and by != self.over:
            raise left.error(
                f"This rate is by {by}; what runs is {self.over}.", f"Write d{name}/d{self.over} or {name}'."
            )
        if name == self.over:
            raise left.error(f"{name} is the column that runs; it has no rate.")
        if name in self.orders:
            raise left.error(f"{name} has two rates.", "Join them in one, or rename one of the states.")
        self.orders[name] = order
        for k in range(order - 1):
            self.rates[name + "'" * k] = (Name(name + "'" * (k + 1)), left)
        self.rates[name + "'" * (order - 1)] = (tree, left)

    def _add_initial(self, left: Piece, match: re.Match[str], tree: Node) -> None:
        name = plain_name(match.group(1)) + "'" * _primes(match.group(2))
        try:
            at = number_of(Reader(match.group(3)).read_all(), {})
        except (FormulaError, KeyError):
            raise left.error(
                f"The initial value of {name} is at “{match.group(3)}”, which is no number.",
                f"Write {name}(0) = …",
                at=match.start(3),
            ) from None
        if name in self.initial:
            raise left.error(f"{name} has two initial values.", "Take one of them away.")
        self.initial[name] = (tree, left, at)

    def _add_measured(self, left: Piece, tree: Node) -> None:
        node = self._tree(left)
        written = names(node)
        strange = [name for name in written if name not in self.known]
        if not written or strange:
            what = f"“{strange[0]}” is no column, and has no prime." if strange else "The left side names no column."
            hint = f"A rate is written {strange[0]}' = … {self._columns()}" if strange else self._columns()
            raise left.error(what, hint, code=Fault.FORMULA_NAME)
        if any(entry.left == node for entry, _ in self.measured):
            raise left.error(f"{left.text.strip()} has two equations.", "Take one of them away.")
        name = node.name if isinstance(node, Name) else left.text.strip()
        self.measured.append((Measured(name, node, tree), left))

    def _read_jump(self, piece: Piece, match: re.Match[str]) -> None:
        name, by = plain_name(match.group(1)), match.group(3)
        if by != self.over:
            raise piece.error(
                f"What runs is {self.over}, not {by}.", f"Write … at {self.over} = …", at=match.start(3)
            )
        amount, at = (self._tree(piece.part(match.start(k), match.end(k))) for k in (2, 4))
        self.jumps.append((Jump(name, amount, at), piece))

    def _tree(self, piece: Piece) -> Node:
        text = piece.text.replace("′", "'").replace("’", "'")
        if not text.strip():
            raise piece.error("There is nothing on one side of this =.", "Write an expression there.", at=0)
        try:
            return Reader(text, frozenset(self.known)).read_all()
        except FormulaError as error:
            raise piece.moved(error) from None

    def _columns(self) -> str:
        return f"The columns are {', '.join(name_text(name) for name in self.known)}."

    def _joined(self) -> EquationSystem:
        if len(self.rates) > MOST_STATES:
            raise FormulaError(
                f"There are {len(self.rates)} states; the most is {MOST_STATES}.", 0, code=Fault.TOO_MANY
            )
        for jump, piece in self.jumps:
            if jump.state not in self.rates:
                raise piece.error(f"{jump.state} jumps, but has no rate.", f"Write {jump.state}' = …, or 0 for it.")
        states, start = self._states()
        measured = self._what_is_measured()
        own = set(self.rates)
        system = EquationSystem(
            self.text,
            self.over or "" if states else "",
            states,
            measured,
            (),
            (),
            start,
            tuple(jump for jump, _ in self.jumps),
            tuple(self.reactions),
        )
        written = list(dict.fromkeys(name for tree in system.trees() for name in names(tree)))
        others = [name for name in written if name not in own and name != system.over]
        columns = tuple(name for name in others if name in self.known)
        coefficients = tuple(name for name in others if name not in self.known)
        _check_primes(self.text, coefficients)
        _check_beginnings(self)
        # What is only where a state begins may well be called as the state is.
        begins = {name for state in states for name in names(state.initial)}
        moving = {name for tree in (*(s.rate for s in states), *(m.right for m in measured)) for name in names(tree)}
        like = _like([name for name in coefficients if name in moving or name not in begins], self.known)
        return EquationSystem(
            self.text,
            system.over,
            states,
            measured,
            columns,
            coefficients,
            start,
            system.jumps,
            system.reactions,
            like,
        )

    def _states(self) -> tuple[tuple[MovingState, ...], float]:
        for name, (_, piece, _) in self.initial.items():
            if name not in self.rates:
                raise piece.error(f"{name} has an initial value, but no rate.", f"Write {name}' = … for it.")
        missing = [name for name in self.rates if name not in self.initial]
        if missing:
            listed = ", ".join(missing)
            plain = missing[0].rstrip("'")
            raise self.rates[missing[0]][1].error(
                f"{listed} {'has' if len(missing) == 1 else 'have'} no initial value.",
                f"Write {missing[0]}(0) = {plain}0 for one that is to be found, or a number such as {missing[0]}(0) = 0.",
            )
        starts = {at for _, _, at in self.initial.values()}
        if len(starts) > 1:
            piece = list(self.initial.values())[-1][1]
            raise piece.error("The initial values are at different times.", "Give all at one.")
        prime = {name: self._whole(name) for name in self.rates}
        return tuple(
            MovingState(name, prime[name], self._with_rates(self.initial[name][0])) for name in self.rates
        ), min(starts, default=0.0)

    def _whole(self, name: str) -> Node:
        """Return a rate in which rates of others (as A' in B's) are put in."""
        return self._with_rates(self.rates[name][0])

    def _with_rates(self, tree: Node) -> Node:
        for _ in range(len(self.rates) + 1):
            inner = [
                name
                for name in names(tree)
                if name.endswith("'") and name not in self.rates and name[:-1] in self.rates
            ]
            if not inner:
                return tree
            for name in inner:
                tree = replaced(tree, name, self.rates[name[:-1]][0])
        raise FormulaError("These rates are made of each other in a circle.", 0, "Solve them for the primes.")

    def _what_is_measured(self) -> tuple[Measured, ...]:
        out = [Measured(entry.name, entry.left, self._with_rates(entry.right)) for entry, _ in self.measured]
        for entry, piece in self.measured:
            twice = next((name for name in names(entry.left) if name in self.rates), "")
            if twice:
                raise piece.error(
                    f"{twice} has a rate, so the column of this name is the state itself; here it has a formula, too.",
                    "Give the state another name than the column.",
                )
        out += [Measured(name, Name(name), Name(name)) for name in self.rates if name in self.known]
        if not out:
            example = next(iter(self.rates), "A")
            raise FormulaError(
                "Nothing of this is measured.",
                0,
                f"Name a state as its column, or write what a column shows, as signal = {example}. {self._columns()}",
                Fault.FORMULA_NAME,
            )
        return tuple(out)


def _check_primes(text: str, coefficients: Collection[str]) -> None:
    """Refuse the rate of what has none."""
    for name in coefficients:
        if name.endswith("'"):
            plain = name.rstrip("'")
            raise FormulaError(
                f"{name} is the rate of something that has none.",
                max(text.find(name), 0),
                f"Write {plain}' = … for it.",
            )


def _check_beginnings(reading: _Reading) -> None:
    """Refuse states and columns that change in what is to be one number."""
    moving = {*reading.rates, reading.over, *reading.known}
    for name, (tree, piece, _) in reading.initial.items():
        inner = next((word for word in names(tree) if word in moving), "")
        if inner:
            raise piece.error(
                f"The initial value of {name} names {inner}, which is no single number.", "Use a coefficient."
            )
    for jump, piece in reading.jumps:
        inner = next((word for tree in (jump.by, jump.at) for word in names(tree) if word in moving), "")
        if inner:
            raise piece.error(
                f"The jump of {jump.state} names {inner}, which is no single number.", "Use a coefficient."
            )


def _begins_anew(piece: Piece) -> bool:
    return is_reaction(piece) or _EQUALS.search(piece.text) is not None or _JUMP.fullmatch(piece.text) is not None


def _left_of(piece: Piece) -> Piece:
    equal = _EQUALS.search(piece.text)
    return piece.part(0, equal.start() if equal else 0)


def _primes(text: str) -> int:
    return len(text) + text.count("″")


def _rate_of(left: Piece) -> tuple[str, int, str] | None:
    """Return of which state a left side is the rate, of which order, and by what if that is written; None for no rate."""
    match = _PRIMED.fullmatch(left.text)
    if match is not None:
        return plain_name(match.group(1)), _primes(match.group(2)), ""
    match = _QUOTIENT.fullmatch(left.text)
    if match is None:
        return None
    order = 2 if match.group(1) else 1
    by = match.group(3)
    if order == 2 and match.group(4) is None and by[-1] in "2²":
        by = by[:-1]
    return plain_name(match.group(2)), order, by


def _like(coefficients: Collection[str], columns: Collection[str]) -> dict[str, str]:
    by_plain = {name.casefold().replace("_", ""): name for name in columns}
    matches = {name: by_plain.get(name.casefold().replace("_", "")) for name in coefficients}
    return {name: column for name, column in matches.items() if column is not None}
