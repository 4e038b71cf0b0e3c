"""Readers of foreign files, in a process of their own: what they eat, and how they end, is their own affair.

The child gets the bytes of a file, with limits on memory, processor time and output, and gives back its tables as plain data:
a child that was taken over can only lie about the cells. One that breaks down, runs out of memory, or takes too long is a
sentence here, and it can be given up from another thread. Texts whose reader is our own and bounded are read without it.
"""

from __future__ import annotations

import contextlib
import resource
import subprocess
import sys
import threading
import time
from collections.abc import Sequence

import msgspec
import numpy as np

from vettore.core.errors import Fault
from vettore.files.refusals import FileError
from vettore.study.table import Doubt, RawColumn, Source, Table

# What a child may take: bytes of memory, seconds of the processor and of the clock, bytes of answer.
MOST_MEMORY, MOST_CPU, MOST_SECONDS = 3 * 1024**3, 60, 120
MOST_ANSWER = 2 * 1024**3
# How often it is looked whether the reading was given up.
LOOK = 0.05
BLOCK = 1024**2
COMMAND: tuple[str, ...] = ("-m", "vettore.files.box")
LEFT_OUT_OF_TIME = -24  # SIGXCPU


class BoxedColumn(msgspec.Struct):
    """A column as the child tells it; values as the bytes of float64."""

    name: str
    unit: str
    values: bytes
    words: dict[int, str]
    texts: list[str] | None
    places: int | None
    problem: str
    doubt: Doubt | None
    remarks: tuple[str, ...]


class TableRecord(msgspec.Struct):
    """A table as the child tells it."""

    part: str
    columns: list[BoxedColumn]
    source: Source


class Answer(msgspec.Struct):
    """What the child gives back: tables, or the sentence of what is wrong, and its code."""

    refusal: str = ""
    code: Fault = Fault.NOTHING
    tables: list[TableRecord] = []


class BoxedFile(msgspec.Struct):
    """What the child is asked, before the bytes of the file."""

    name: str
    path: str


class _Children:
    """The children under way, so that they can be given up."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._running: dict[int, tuple[subprocess.Popen[bytes], threading.Event]] = {}

    def add(self, child: subprocess.Popen[bytes], given_up: threading.Event) -> None:
        with self._lock:
            self._running[child.pid] = (child, given_up)

    def remove(self, child: subprocess.Popen[bytes]) -> None:
        with self._lock:
            self._running.pop(child.pid, None)

    def end(self) -> int:
        with self._lock:
            running = list(self._running.values())
        for child, given_up in running:
            given_up.set()
            child.kill()
        return len(running)


_children = _Children()


def give_up() -> int:
    """Give up all readings under way in this process, and return how many there were."""
    return _children.end()


def tables_in_a_box(data: bytes, name: str, path: str = "") -> list[tuple[str, Table]]:
    """Return the tables of a file by the names of their parts. Raises FileError in a sentence, whatever the reader does."""
    child = subprocess.Popen(
        [sys.executable, *COMMAND],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
    )
    given_up = threading.Event()
    _children.add(child, given_up)
    content = msgspec.msgpack.encode(BoxedFile(name, path))
    try:
        answer = _talk(child, len(content).to_bytes(4, "big") + content + data, name, given_up)
    finally:
        _children.remove(child)
    if child.returncode:
        raise FileError(_ended(child.returncode, name), Fault.FILE_DAMAGED)
    try:
        facts = msgspec.msgpack.decode(answer, type=Answer)
        tables = [(record.part, _table(record)) for record in facts.tables]
    except (msgspec.DecodeError, ValueError):
        raise FileError(f"“{name}” could not be read: its reader gave no table.", Fault.FILE_DAMAGED) from None
    if facts.refusal or not tables:
        raise FileError(facts.refusal or f"“{name}” holds no table.", facts.code)
    return tables


def _talk(child: subprocess.Popen[bytes], data: bytes, name: str, given_up: threading.Event) -> bytes:
    """Hand a child its work and return its answer; end it when it takes too long, says too much, or is given up."""
    parts: list[bytes] = []
    too_much = threading.Event()

    def hand_over() -> None:
        assert child.stdin is not None
        # One that has ended already says why by how it ended.
        with contextlib.suppress(OSError):
            child.stdin.write(data)
        with contextlib.suppress(OSError):
            child.stdin.close()

    def listen() -> None:
        assert child.stdout is not None
        size = 0
        while block := child.stdout.read(BLOCK):
            size += len(block)
            if size > MOST_ANSWER:
                too_much.set()
                child.kill()
                return
            parts.append(block)

    threads = [threading.Thread(target=work, daemon=True) for work in (hand_over, listen)]
    for thread in threads:
        thread.start()
    end, late = time.monotonic() + MOST_SECONDS, False
    while child.poll() is None:
        if time.monotonic() > end:
            late = True
            child.kill()
        with contextlib.suppress(subprocess.TimeoutExpired):
            child.wait(LOOK)
    for thread in threads:
        thread.join(5)
    assert child.stdout is not None
    child.stdout.close()
    if late:
        raise FileError(_too_long(name), Fault.TOO_MANY)
    if given_up.is_set():
        raise FileError(f"Reading “{name}” was given up.", Fault.GIVEN_UP)
    if too_much.is_set():
        raise FileError(
            f"“{name}” unpacks to more than {MOST_ANSWER // 1024**3} GB of cells. Cut it down, or export it as CSV.",
            Fault.TOO_MANY,
        )
    return b"".join(parts)


def _too_long(name: str) -> str:
    return f"“{name}” took longer than {MOST_SECONDS // 60} minutes to read, so it was given up. Export the table as CSV."


def _ended(code: int, name: str) -> str:
    if code == LEFT_OUT_OF_TIME:
        return _too_long(name)
    return (
        f"“{name}” could not be read: its reader broke down over it, as over a table of more cells than memory holds. "
        "It may be damaged; export the table as CSV."
    )


def _table(record: TableRecord) -> Table:
    columns = []
    rows = None
    for column in record.columns:
        values = np.frombuffer(column.values, dtype=np.float64).copy()
        rows = len(values) if rows is None else rows
        texts = None if column.texts is None else tuple(column.texts)
        if len(values) != rows or (texts is not None and len(texts) != rows):
            raise ValueError("columns of unequal length")
        plain = (column.name, column.unit, values, column.words, texts, column.places, column.problem)
        columns.append(RawColumn(*plain, column.doubt, column.remarks))
    return Table(tuple(columns), record.source)


def _record(part: str, table: Table) -> TableRecord:
    columns = [
        BoxedColumn(
            column.name,
            column.unit,
            np.ascontiguousarray(column.values, dtype=np.float64).tobytes(),
            dict(column.words),
            None if column.texts is None else list(column.texts),
            column.places,
            column.problem,
            column.doubt,
            column.remarks,
        )
        for column in table.columns
    ]
    return TableRecord(part, columns, table.full_source)


def _limit() -> None:
    for what, most in ((resource.RLIMIT_AS, MOST_MEMORY), (resource.RLIMIT_CPU, MOST_CPU), (resource.RLIMIT_CORE, 0)):
        hard = resource.getrlimit(what)[1]
        resource.setrlimit(what, (most if hard == resource.RLIM_INFINITY else min(most, hard), hard))


def answer_to(data: bytes, name: str, path: str) -> Answer:
    """Return what a file holds, or the sentence of what is wrong with it: the work of the child."""
    from vettore.core.errors import VettoreError
    from vettore.files.foreign import read_foreign

    try:
        tables: Sequence[tuple[str, Table]] = read_foreign(data, name, path)
        return Answer(tables=[_record(part, table) for part, table in tables])
    except VettoreError as error:
        return Answer(str(error), error.code)
    except (MemoryError, RecursionError):
        return Answer(
            f"“{name}” needs more memory to be read than there is for it. Cut it down, or export it as CSV.",
            Fault.TOO_MANY,
        )
    except Exception as error:  # readers of others have no common class of errors
        sentence = str(error).split("\n")[0][:120] or type(error).__name__
        return Answer(
            f"“{name}” is damaged, or is not what it seems ({sentence}). Export the table as CSV.", Fault.FILE_DAMAGED
        )


if __name__ == "__main__":
    _limit()
    given = sys.stdin.buffer.read()
    length = int.from_bytes(given[:4], "big")
    answer = msgspec.msgpack.decode(given[4 : 4 + length], type=BoxedFile)
    sys.stdout.buffer.write(msgspec.msgpack.encode(answer_to(given[4 + length :], answer.name, answer.path)))
