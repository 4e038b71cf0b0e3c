"""The changes of states and slopes as one Python function over plain floats, written out for a system."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from vettore.core.formula.scalar import Source, namespace
from vettore.core.formula.tree import Node, Number

# changes(t, columns, coefficients, states and slopes in a row) -> their changes in a row.
Changes = Callable[[float, Sequence[float], Sequence[float], list[float]], list[float]]


def changes_of(
    inputs: Sequence[str],
    states: Sequence[str],
    free: Sequence[str],
    rates: Sequence[Node],
    by_state: Sequence[Node],
    by_free: Sequence[Node],
) -> Changes | None:
    """Return the function for rates over the inputs (what runs, then columns) and their slopes; None where none can be written.

    ``by_state`` and ``by_free`` are the slopes of the rates, rate by rate; of no coefficients there are no slopes. In the row
    each state is followed by its slopes.
    """
    m = len(free) if by_free else 0
    columns = [f"c{place}" for place in range(len(inputs) - 1)]
    values = [f"p{place}" for place in range(len(free))]
    y = [f"y{place}" for place in range(len(states))]
    slopes = [[f"s{i}_{j}" for j in range(m)] for i in range(len(states))]
    called = dict(zip((*inputs, *states, *free), ("t", *columns, *y, *values), strict=True))
    source = Source(called)
    changed = [source.of(rate) for rate in rates]
    along = [
        [_factor(source, by_state[i * len(states) + k]) for k in range(len(states))] for i in range(len(states)) if m
    ]
    own = [[_factor(source, by_free[i * m + j]) for j in range(m)] for i in range(len(states)) if m]
    row: list[str | None] = []
    for i, rate in enumerate(changed):
        row.append(rate)
        for j in range(m):
            terms = [_times(factor, slopes[k][j]) for k, factor in enumerate(along[i]) if factor != ""]
            terms += [own[i][j]] if own[i][j] != "" else []
            row.append(None if None in terms else " + ".join(map(str, terms)) or "0.0")
    if None in row:
        return None
    lines = [
        f"{', '.join(group)}, = {name}" for group, name in ((columns, "columns"), (values, "coefficients")) if group
    ]
    lines.append(f"{', '.join(part for i in range(len(states)) for part in (y[i], *slopes[i]))}, = row")
    body = "\n".join(f"    {line}" for line in (*lines, *source.lines, f"return [{', '.join(map(str, row))}]"))
    made: dict[str, Any] = namespace()
    exec(compile(f"def changes(t, columns, coefficients, row):\n{body}\n", "<changes>", "exec"), made)
    changes: Changes = made["changes"]
    return changes


def _factor(source: Source, tree: Node) -> str | None:
    """Return what stands for a slope, "" for one that is 0 throughout, None where it cannot be written."""
    return "" if tree == Number(0.0) else source.of(tree)


def _times(factor: str | None, slope: str) -> str | None:
    return None if factor is None else slope if factor == "1.0" else f"{factor} * {slope}"
