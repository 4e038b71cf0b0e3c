"""The same work on a Dask cluster: its scheduler hands loads to whichever worker is free, on however many machines.

The cluster does again what a lost worker was at. A load that has killed as many workers as the cluster allows is taken apart,
so that the one item that does it is told and nothing else is lost.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from typing import TYPE_CHECKING, Any

from vettore.batch.pool import WAITING, Numbered, loads, work_on
from vettore.core.errors import Fault, VettoreError

if TYPE_CHECKING:
    from distributed import Client, Future

# Seconds within which a scheduler must answer, between two looks at whether there are workers, and without any.
PATIENCE, LOOK, WITHOUT = 10, 5.0, 120.0
# The same between two looks at whether a load is done.
BETWEEN = 0.005
_begun: list[Any] = [None]


def run_on(
    address: str,
    work: Callable[[Any], Any],
    lost: Callable[[Any], Any],
    items: Iterable[Any],
    start: Callable[..., None],
    given: tuple[Any, ...],
) -> Iterator[tuple[int, Any]]:
    """Give the place of each item and what ``work`` makes of it on a cluster, as they are done; see pool.run.

    Raises VettoreError where there is no such scheduler, or Dask is not installed.
    """
    client = _client(address)
    try:
        yield from _results(client, work, lost, loads(iter(enumerate(items))), (start, given))
    finally:
        client.close()


def _client(address: str) -> Client:
    try:
        from distributed import Client
    except ImportError:
        raise VettoreError(
            "Work on a cluster needs the packages dask and distributed: pip install “vettore[cluster]”.",
            Fault.PACKAGE,
        ) from None
    try:
        return Client(address, timeout=PATIENCE, set_as_default=False)
    except (OSError, ValueError, TimeoutError) as error:
        raise VettoreError(
            f"No scheduler answers at {address} ({str(error).splitlines()[0]}). Start one with “dask scheduler”, and workers "
            "with “dask worker ADDRESS”.",
            Fault.UNREACHABLE,
        ) from None


def _results(
    client: Client,
    work: Callable[[Any], Any],
    lost: Callable[[Any], Any],
    waiting: Iterator[list[Numbered]],
    begin: tuple[Callable[..., None], tuple[Any, ...]],
) -> Iterator[tuple[int, Any]]:
    from distributed.scheduler import KilledWorker

    under_way: dict[Future[Any], list[Numbered]] = {}
    suspects: list[Numbered] = []
    alive = _Alive(client)

    def hand_out(chunk: list[Numbered]) -> None:
        # What is asked goes along with each load: what was sent beforehand would be gone with the workers that had it.
        under_way[client.submit(_begin_and_work, *begin, work, chunk, pure=False)] = chunk

    def fill() -> None:
        # Workers come and go; what waits is bounded by how many there are now.
        most = max(sum(client.nthreads().values()), 1) * WAITING
        while len(under_way) < most:
            chunk = next(waiting, None)
            if chunk is None:
                return
            hand_out(chunk)

    fill()
    while under_way:
        future = alive.first_of(list(under_way))
        chunk = under_way.pop(future)
        try:
            results = alive.result_of(future)
        except KilledWorker:
            if len(chunk) == 1:
                suspects += chunk
            else:
                for pair in chunk:
                    hand_out([pair])
        else:
            yield from zip((place for place, _ in chunk), results, strict=True)
        fill()
    # What was waiting beside the culprit is under suspicion as well: each alone, nothing else can have killed its worker.
    for place, item in suspects:
        try:
            yield place, alive.result_of(client.submit(_begin_and_work, *begin, work, [(place, item)], pure=False))[0]
        except KilledWorker:
            yield place, lost(item)


class _Alive:
    """Waits for a cluster as long as it has workers, or some come back: what nobody works on is never done."""

    def __init__(self, client: Client) -> None:
        self._client = client
        self._seen = self._looked = time.monotonic()

    def first_of(self, futures: list[Future[Any]]) -> Future[Any]:
        """Return a future that is done. Raises VettoreError."""
        while True:
            for future in futures:
                if future.done():
                    return future
            self._look()
            time.sleep(BETWEEN)

    def result_of(self, future: Future[Any]) -> list[Any]:
        """Return what a future came to; it is worked out again where its worker died with it. Raises VettoreError."""
        while True:
            try:
                results: list[Any] = future.result(timeout=LOOK)
                return results
            except TimeoutError:
                self._look()

    def _look(self) -> None:
        now = time.monotonic()
        if now - self._looked < LOOK:
            return
        self._looked = now
        with suppress(OSError):
            # A scheduler that is gone has no workers.
            if self._client.nthreads():
                self._seen = now
                return
        if now - self._seen > WITHOUT:
            raise VettoreError(
                f"The cluster has had no worker for {WITHOUT:.0f} s, so that nothing is done any more. What is done is kept: "
                "start workers with “dask worker ADDRESS”, and run it again.",
                Fault.UNREACHABLE,
            )


def _begin_and_work(
    start: Callable[..., None], given: tuple[Any, ...], work: Callable[[Any], Any], chunk: list[Numbered]
) -> list[Any]:
    """Work on a load, in a worker's process; what is asked is taken in before the first load of a run."""
    if _begun[0] != given:
        start(*given)
        _begun[0] = given
    return work_on(work, chunk)
