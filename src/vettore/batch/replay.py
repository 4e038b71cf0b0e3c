"""A study done again on each of many files: one file's work, and the run over all of them."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any, TypeAlias

from vettore.batch.pool import run
from vettore.batch.table import ReplayTable, Row
from vettore.core.errors import Fault, VettoreError
from vettore.files.readers import read_file
from vettore.files.study_file import open_study, save_study, study_bytes, study_from_bytes
from vettore.study.kept_numbers import Kept, kept_numbers
from vettore.study.replay import Match, replayed
from vettore.study.study import Study

NAN = float("nan")
# What was done, in a file beside the table, so that a run that was ended goes on.
PART = ".part"
# Who works: so many processes here, or the cluster at an address.
Crew: TypeAlias = int | str


@dataclass(frozen=True)
class ReplayRequest:
    """How each file is worked on: the study, how columns are matched, which series alone, and what is written for each."""

    study: bytes
    match: Match = "by-name"
    only: str = ""
    reports: str = ""
    report_as: str = "pdf"
    studies: str = ""


class _Worker:
    """What a process keeps between files."""

    request: ReplayRequest | None = None
    study: Study | None = None


def start(request: ReplayRequest) -> None:
    """Make a process ready: its study is read once."""
    _Worker.request, _Worker.study = request, study_from_bytes(request.study, "study")


def work(path: Path) -> list[Row]:
    """Return the rows of a file; whatever goes wrong is a row with a sentence."""
    request, study = _Worker.request, _Worker.study
    assert request is not None
    assert study is not None
    return safely(path, lambda: _of_file(path, request, study))


def safely(path: Path, job: Callable[[], list[Row]]) -> list[Row]:
    """Return the rows that a job makes of a file, or the one that says what went wrong."""
    try:
        return job()
    except VettoreError as error:
        return [failed(path, str(error))]
    except OSError as error:
        return [failed(path, f"It could not be read, or what it gives not written ({error.strerror or error}).")]
    except MemoryError:
        return [failed(path, "It needs more memory than there is.")]
    except Exception as error:  # one file must not end the work on all others
        return [failed(path, f"Something unexpected happened ({type(error).__name__}: {error}). Please report it.")]


def _of_file(path: Path, request: ReplayRequest, study: Study) -> list[Row]:
    offers = read_file(path)
    result, done = replayed(study, [offer.table for offer in offers], request.match, request.only)
    rows = [row_of(path, kept) for identity in done for kept in kept_numbers(result, result.find_series(identity))]
    if not rows:
        return [failed(path, "The study keeps no number of it: fit a model, or keep a reading.")]
    if request.studies:
        save_study(result, Path(request.studies) / f"{path.stem}.vettore")
    if request.reports:
        from vettore.report.save import save_report

        save_report(_titled(result, path), Path(request.reports) / f"{path.stem}.{request.report_as}")
    return rows


def _titled(study: Study, path: Path) -> Study:
    """Return the study with a report that is called after the file where its title would say the same of all."""
    from vettore.study import edits

    report = study.report
    return edits.set_report(study, report.changed(title=f"{report.title} · {path.stem}" if report.title else ""))


def row_of(path: Path, kept: Kept, group: str = "") -> Row:
    """Return a kept number as a row."""
    by_name = asdict(kept)
    by_name["outcome"] = kept.outcome.value
    return Row(file=str(path), group=group, **by_name)


def failed(path: Path, reason: str, group: str = "") -> Row:
    """Return the row of a file that gave nothing."""
    return Row(str(path), group, "", "", "", NAN, NAN, "", "", "failed", reason)


def lost(path: Path) -> list[Row]:
    """Return the row of a file that killed the process that worked on it."""
    return [failed(path, "The process that worked on it died, three times: it may need more memory than there is.")]


def replay(
    study: Study | Path | str,
    sources: Iterable[Path | str],
    *,
    match: Match = "by-name",
    only: str = "",
    workers: int = 1,
    scheduler: str = "",
    reports: Path | str = "",
    report_as: str = "pdf",
    studies: Path | str = "",
) -> ReplayTable:
    """Do the work of a study again on each of many files, and return all numbers that it keeps as one table.

    ``study`` is a study or its file. Columns are matched "by-name" (then by unit) or "by-place"; ``only`` names the series
    that is done again where the study has several. ``workers`` are processes here; ``scheduler`` is the address of a Dask
    cluster that does it instead, whose workers see the files at the same places. ``reports`` and ``studies`` are folders that
    get a report, or a study, of each file. A file that fails is a row with a sentence. Raises VettoreError for a study that
    cannot be read, or a scheduler that does not answer.
    """
    opened = study if isinstance(study, Study) else open_study(study)
    request = ReplayRequest(study_bytes(opened), match, only, str(reports), report_as, str(studies))
    done = dict(rows_of(request, [Path(source) for source in sources], scheduler or workers))
    return ReplayTable([row for place in sorted(done) for row in done[place]])


def rows_of(request: ReplayRequest, paths: Iterable[Path], crew: Crew) -> Iterator[tuple[int, list[Row]]]:
    """Give the place of each file and its rows, as they are done by so many processes, or by a cluster."""
    for folder in filter(None, (request.reports, request.studies)):
        Path(folder).mkdir(parents=True, exist_ok=True)
    if isinstance(crew, int):
        yield from run(work, lost, paths, crew, start, (request,))
        return
    from vettore.batch.cluster import run_on

    # Workers elsewhere have another working folder.
    request = replace(request, reports=_whole(request.reports), studies=_whole(request.studies))
    named = list(paths)
    for place, rows in run_on(crew, work, lost, (path.absolute() for path in named), start, (request,)):
        yield place, [replace(row, file=str(named[place])) for row in rows]


def _whole(folder: str) -> str:
    return str(Path(folder).absolute()) if folder else ""


class Progress:
    """What of a run is done, kept in a file beside its table, so that it goes on where it ended."""

    def __init__(self, table: Path, key: str) -> None:
        self._path = table.with_name(table.name + PART)
        self._key = key
        self.done: dict[str, list[Row]] = {}
        self._read()
        self._file = self._path.open("a" if self.done else "w", encoding="utf-8")
        if self.done:
            # The last line may be torn.
            self._file.write("\n")
        else:
            self._write({"key": key})

    def _read(self) -> None:
        try:
            lines = self._path.read_text(encoding="utf-8").splitlines()
            if not lines or json.loads(lines[0]).get("key") != self._key:
                return
        except (OSError, ValueError, AttributeError):
            return
        for line in lines[1:]:
            try:
                answer = json.loads(line)
                rows = [Row(**{**row, **_numbers(row)}) for row in answer["rows"]]
                if answer["stamp"] == stamp(Path(answer["file"])):
                    self.done[answer["file"]] = rows
            except (ValueError, KeyError, TypeError):
                # The last line may be torn; its file is done again.
                continue

    def keep(self, path: Path, rows: list[Row]) -> None:
        """Keep the rows of a file."""
        by_names = [{name: _plain(value) for name, value in asdict(row).items()} for row in rows]
        self._write({"file": str(path), "stamp": stamp(path), "rows": by_names})
        self.done[str(path)] = rows

    def _write(self, by_name: dict[str, Any]) -> None:
        self._file.write(json.dumps(by_name) + "\n")
        self._file.flush()

    def close(self, whole: bool) -> None:
        """Close the file; take it away when all is done."""
        self._file.close()
        if whole:
            self._path.unlink(missing_ok=True)


def _plain(value: object) -> object:
    # Hexadecimal, so that each number comes back to the last bit.
    return value.hex() if isinstance(value, float) else value


def _numbers(row: dict[str, Any]) -> dict[str, float]:
    return {name: float.fromhex(row[name]) for name in ("value", "standard_error")}


def stamp(path: Path) -> list[int]:
    """Return what tells whether a file is still the same: its size and when it was written."""
    try:
        stat_result = path.stat()
    except OSError:
        return []
    return [stat_result.st_size, stat_result.st_mtime_ns]


def key_of(request: ReplayRequest) -> str:
    """Return what a run depends on beside its files."""
    return hashlib.sha256(repr(request).encode("utf-8")).hexdigest()


def go_on(
    request: ReplayRequest,
    paths: list[Path],
    crew: Crew,
    progress: Progress | None,
    function: Callable[[int, int], None],
    stop_at_first: bool = False,
) -> ReplayTable:
    """Work on all files that are not done yet, and return the table of all.

    ``told(done, failed)`` is called after each file. With ``stop_at_first`` the first failure ends the run.
    """
    rows: dict[str, list[Row]] = {} if progress is None else dict(progress.done)
    left = [path for path in paths if str(path) not in rows]
    there = {str(path) for path in paths}
    count = len(paths) - len(left)
    bad = sum(1 for name, some in rows.items() if name in there and _has_failed(some))
    function(count, bad)
    try:
        for place, some in rows_of(request, left, crew):
            path = left[place]
            rows[str(path)] = some
            if progress is not None:
                progress.keep(path, some)
            count, bad = count + 1, bad + _has_failed(some)
            function(count, bad)
            if stop_at_first and bad:
                break
    except KeyboardInterrupt:
        raise Ended(_table(paths, rows)) from None
    except OSError as error:
        raise Ended(_table(paths, rows), f"What is done could not be kept ({error.strerror or error}).") from None
    return _table(paths, rows)


def _table(paths: list[Path], rows: dict[str, list[Row]]) -> ReplayTable:
    return ReplayTable([row for path in paths for row in rows.get(str(path), [])])


def _has_failed(rows: list[Row]) -> bool:
    return any(row.outcome == "failed" for row in rows)


class Ended(VettoreError):
    """The run was ended before all was done, by hand or by a full disk; ``table`` is what was done till then."""

    def __init__(self, table: ReplayTable, why: str = "The run was ended.") -> None:
        super().__init__(why, Fault.GIVEN_UP)
        self.table = table
