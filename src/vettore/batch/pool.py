"""Work on many items by several processes: results as they come, bounded memory, the work of a lost process done again."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from itertools import islice
from typing import Any, TypeAlias

Numbered: TypeAlias = tuple[int, Any]
# Items that a process is given at once, and how many such loads wait for each process.
LOAD, WAITING = 8, 3
# An item that was under way so often when a process died is not tried again.
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
    tries: dict[int, int] = {}
    again: list[Numbered] = []
    while True:
        left: list[Numbered] = []
        # After a loss each item goes alone, so that what kills a process takes nothing else along.
        load = 1 if tries else LOAD
        source = _loads(again, numbered, load)
        yield from _one_pool(work, source, workers, start, given, left)
        if not left:
            return
        again = []
        for place, item in sorted(left, key=lambda pair: pair[0]):
            tries[place] = tries.get(place, 0) + 1
            if tries[place] >= MOST_TRIES:
                yield place, lost(item)
            else:
                again.append((place, item))


def _loads(first: Sequence[Numbered], numbered: Iterator[Numbered], load: int) -> Iterator[list[Numbered]]:
    for item in first:
        yield [item]
    while chunk := list(islice(numbered, load)):
        yield chunk


def _one_pool(
    work: Callable[[Any], Any],
    loads: Iterator[list[Numbered]],
    workers: int,
    start: Callable[..., None],
    given: tuple[Any, ...],
    left: list[Numbered],
) -> Iterator[tuple[int, Any]]:
    """Give what a pool of processes gets done; what was under way when one died goes to ``left``."""
    # Each process has one core: threads of the linear algebra would stand in each other's way.
    threads = os.environ.get("OPENBLAS_NUM_THREADS")
    os.environ["OPENBLAS_NUM_THREADS"] = "1"
    pool = ProcessPoolExecutor(workers, multiprocessing.get_context("spawn"), start, given)
    under_way: dict[Future[list[Any]], list[Numbered]] = {}
    try:
        for chunk in loads:
            under_way[pool.submit(_work_on, work, chunk)] = chunk
            if len(under_way) >= workers * WAITING:
                yield from _take(under_way, left)
            if left:
                break
        while under_way:
            yield from _take(under_way, left)
    except BrokenProcessPool:
        # Raised where a load is handed to a pool that has died meanwhile.
        left.extend(chunk)
        while under_way:
            yield from _take(under_way, left)
    finally:
        pool.shutdown(wait=False, cancel_futures=True)
        if threads is None:
            os.environ.pop("OPENBLAS_NUM_THREADS", None)
        else:
            os.environ["OPENBLAS_NUM_THREADS"] = threads


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


def _work_on(work: Callable[[Any], Any], chunk: list[Numbered]) -> list[Any]:
    return [work(item) for _, item in chunk]
