"""Work on many items by several processes: results as they come, bounded memory, the work of a lost process done again."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from itertools import islice
from typing import Any, TypeAlias

Numbered: TypeAlias = tuple[int, Any]
# Items that a process is given at once, and how many such loads wait for each process.
LOAD, WAITING = 8, 3
# An item that, alone, has killed so many processes is not tried again.
MOST_TRIES = 3


def run(
    work: Callable[[Any], Any],
    lost: Callable[[Any], Any],
    items: Iterable[Any],
    workers: int,
    start: Callable[..., None],
    given: tuple[Any, ...],
) -> Iterator[tuple[int, Any]]:
    """Give the place of each item and what ``work`` makes of it, as they are done.

    ``start(*given)`` is called in each process before its first item. ``lost`` makes the result of an item whose process died
    again and again. With one worker all is done here.
    """
    if workers < 2:
        start(*given)
        for place, item in enumerate(items):
            yield place, work(item)
        return
    numbered = iter(enumerate(items))
    while True:
        left: list[Numbered] = []
        yield from _one_pool(work, loads(numbered), workers, start, given, left)
        if not left:
            return
        # One after the other, so that whatever kills a process is known, and takes nothing else along.
        yield from _one_by_one(work, lost, sorted(left, key=lambda pair: pair[0]), start, given)


def loads(numbered: Iterator[Numbered]) -> Iterator[list[Numbered]]:
    """Give items by loads."""
    while chunk := list(islice(numbered, LOAD)):
        yield chunk


def _one_by_one(
    work: Callable[[Any], Any],
    lost: Callable[[Any], Any],
    left: list[Numbered],
    start: Callable[..., None],
    given: tuple[Any, ...],
) -> Iterator[tuple[int, Any]]:
    """Give what becomes of items that were under way when a process died: a new process each time one dies."""
    tries, waiting = 0, list(reversed(left))
    while waiting:
        with _pool(1, start, given) as pool:
            try:
                while waiting:
                    place, item = waiting[-1]
                    result = pool.submit(work_on, work, [(place, item)]).result()[0]
                    waiting.pop()
                    tries = 0
                    yield place, result
            except BrokenProcessPool:
                tries += 1
                if tries == MOST_TRIES:
                    tries = 0
                    place, item = waiting.pop()
                    yield place, lost(item)


@contextmanager
def _pool(workers: int, start: Callable[..., None], given: tuple[Any, ...]) -> Iterator[ProcessPoolExecutor]:
    """Give processes of their own, each on one core: threads of the linear algebra would stand in each other's way."""
    threads = os.environ.get("OPENBLAS_NUM_THREADS")
    os.environ["OPENBLAS_NUM_THREADS"] = "1"
    pool = ProcessPoolExecutor(workers, multiprocessing.get_context("spawn"), start, given)
    try:
        yield pool
    finally:
        pool.shutdown(wait=False, cancel_futures=True)
        if threads is None:
            os.environ.pop("OPENBLAS_NUM_THREADS", None)
        else:
            os.environ["OPENBLAS_NUM_THREADS"] = threads


def _one_pool(
    work: Callable[[Any], Any],
    loads: Iterator[list[Numbered]],
    workers: int,
    start: Callable[..., None],
    given: tuple[Any, ...],
    left: list[Numbered],
) -> Iterator[tuple[int, Any]]:
    """Give what a pool of processes gets done; what was under way when one died goes to ``left``."""
    under_way: dict[Future[list[Any]], list[Numbered]] = {}
    with _pool(workers, start, given) as pool:
        for chunk in loads:
            try:
                under_way[pool.submit(work_on, work, chunk)] = chunk
            except BrokenProcessPool:
                # The pool has died meanwhile; the others under way are told below.
                left.extend(chunk)
            if len(under_way) >= workers * WAITING:
                yield from _take(under_way, left)
            if left:
                break
        while under_way:
            yield from _take(under_way, left)


def _take(under_way: dict[Future[list[Any]], list[Numbered]], left: list[Numbered]) -> Iterator[tuple[int, Any]]:
    done, _ = wait(under_way, return_when=FIRST_COMPLETED)
    for future in done:
        chunk = under_way.pop(future)
        try:
            results = future.result()
        except BrokenProcessPool:
            left.extend(chunk)
            continue
        yield from zip((place for place, _ in chunk), results, strict=True)


def work_on(work: Callable[[Any], Any], chunk: list[Numbered]) -> list[Any]:
    """Return what becomes of a load."""
    return [work(item) for _, item in chunk]
