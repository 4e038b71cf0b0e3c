"""vettore replay: a study done again on many files, as one table."""

from __future__ import annotations

import signal
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.batch.replay import Progress
    from vettore.batch.table import ReplayTable

# Exit codes beside 0: some files failed, and the run was ended by hand.
SOME_FAILED, ENDED = 1, 3
# Seconds between two lines of progress.
EVERY = 0.2


@click.command()
@click.argument("study", type=click.Path(path_type=Path))
@click.argument("files", nargs=-1, required=True)
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), help="The table (.csv, .tsv, .json, .xlsx, .parquet)."
)
@click.option(
    "--match", type=click.Choice(["by-name", "by-place"]), default="by-name", help="How columns of a file are found."
)
@click.option("--series", "only", default="", help="The series that is done again, where the study has several.")
@click.option("--reports", type=click.Path(path_type=Path), help="A folder for a report of each file.")
@click.option("--as", "report_as", help="What reports are written as: pdf (the default), html, docx, xlsx, tex, md.")
@click.option("--studies", type=click.Path(path_type=Path), help="A folder for a study of each file.")
@click.option("--workers", type=click.IntRange(1, 256), default=1, help="How many processes work at once.")
@click.option("--scheduler", help="The address of a Dask cluster that works instead, as tcp://host:8786.")
@click.option("--stop-at-first", is_flag=True, help="End the run at the first file that fails.")
@click.option("--afresh", is_flag=True, help="Do files again that a run ended before had done.")
def replay(
    study: Path,
    files: Sequence[str],
    output: Path | None,
    match: str,
    only: str,
    reports: Path | None,
    report_as: str | None,
    studies: Path | None,
    workers: int,
    scheduler: str | None,
    stop_at_first: bool,
    afresh: bool,
) -> None:
    """Do the work of a study again on many files.

    FILES are files, folders, patterns, or - for a list of files on standard input.

    The table has one row for each file, series and number that the study keeps: value, standard error, unit, verdict of the
    checks, outcome. A file that fails is a row with a sentence; the exit code is then 1. A run ended by Ctrl+C keeps what is
    done, and goes on when it is started again.
    """
    from vettore.batch.replay import PART, Ended, Progress, ReplayRequest, go_on, key_of
    from vettore.batch.sources import files_of
    from vettore.files.number_table import check_ending
    from vettore.files.study_file import open_study, study_bytes

    _check_format(report_as, reports)
    check_ending(output)
    places = (str(reports or ""), report_as or "pdf", str(studies or ""))
    request = ReplayRequest(study_bytes(open_study(study)), match, only, *places)  # type: ignore[arg-type]
    paths = _check_names(list(files_of(files, sys.stdin)), reports or studies)
    if output is not None and afresh:
        output.with_name(output.name + PART).unlink(missing_ok=True)
    _end_like_interrupts()
    progress = None if output is None else Progress(output, key_of(request))
    try:
        table = go_on(request, paths, scheduler or workers, progress, teller(len(paths)), stop_at_first)
    except Ended as ended:
        if progress is not None and output is not None:
            progress.close(whole=False)
            text = f"{ended.table.files} of {len(paths)} files are done and kept in {output.name}{PART}"
            click.echo(f"\n{ended} {text}. Run it again to go on.", err=True)
        raise SystemExit(ENDED) from None
    if progress is None or output is None:
        click.echo(table.text(), nl=False)
    else:
        _save(table, output, progress, whole=table.files == len(paths))
    _tell_failed(table, output)


def _end_like_interrupts() -> None:
    """Have a log-out, and whoever ends programs, end the run as Ctrl+C does."""
    for ending in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(ending, signal.default_int_handler)


def _save(table: ReplayTable, output: Path, progress: Progress, whole: bool) -> None:
    """Write a table; one that is not whole never stands under the name of the whole."""
    table.save(output if whole else output.with_name(f"{output.stem}-unfinished{output.suffix}"))
    progress.close(whole=whole)


def _tell_failed(table: ReplayTable, output: Path | None) -> None:
    """Say how it went, and end with an exit code of its own when files failed."""
    bad = len({row.file for row in table.failed})
    where = f" The table is {output}." if output is not None else ""
    click.echo(f"{table.files} files, {bad} failed.{where}", err=True)
    for row in table.failed[:5]:
        click.echo(f"  {row.file}: {row.reason}", err=True)
    if bad:
        raise SystemExit(SOME_FAILED)


def _check_format(report_as: str | None, reports: Path | None) -> None:
    from vettore.report.renderers.listed import FORMATS, format_of

    if report_as is not None and reports is None:
        raise DataError("--as would have no effect here: it says how --reports are written.", Fault.NO_EFFECT)
    ending = report_as or "pdf"
    if format_of(f".{ending}") is None:
        known = ", ".join(form.endings[0].removeprefix(".") for form in FORMATS)
        raise DataError(f"A report is written as {known}; “{ending}” was asked for.", Fault.FILE_KIND)


def _check_names(paths: list[Path], folder: Path | None) -> list[Path]:
    """Return the files. Raises DataError for those whose reports or studies would overwrite each other."""
    if folder is None:
        return paths
    seen: dict[str, Path] = {}
    for path in paths:
        if path.stem in seen:
            raise DataError(
                f"{seen[path.stem]} and {path} would be written to {folder} under one name. Give their files different names.",
                Fault.EXISTS,
            )
        seen[path.stem] = path
    return paths


def teller(total: int, what: str = "files") -> Callable[[int, int], None]:
    """Return what tells how far a run is, with the time left; nothing where nobody watches."""
    if not sys.stderr.isatty():
        return lambda done, failed: None
    begun, last = time.monotonic(), [0.0]

    def tell(done: int, failed: int) -> None:
        now = time.monotonic()
        if now - last[0] < EVERY and done < total:
            return
        last[0] = now
        left = (now - begun) / max(done, 1) * (total - done)
        words = f"\r{done:,} of {total:,} {what}, {failed} failed, {left:.0f} s left   "
        click.echo(words, err=True, nl=done == total)

    return tell
