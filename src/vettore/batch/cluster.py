"""The same work on a Dask cluster: its scheduler hands loads to whichever worker is free, on however many machines.

The cluster does again what a lost worker was at. A load that has killed as many workers as the cluster allows is taken apart,
so that the one item that does it is told and nothing else is lost.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING, Any

from vettore.batch.pool import WAITING, Numbered, loads, work_on
from vettore.core.errors import VettoreError

if TYPE_CHECKING:
    from distributed import Client, Future

# Seconds within which a scheduler must answer.
PATIENCE = 10
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
            "Work on a cluster needs the packages dask and distributed: pip install “vettore[cluster]”."
        ) from None
    try:
        return Client(address, timeout=PATIENCE, set_as_default=False)
    except (OSError, ValueError, TimeoutError) as error:
        raise VettoreError(
            f"No scheduler answers at {address} ({str(error).splitlines()[0]}). Start one with “dask scheduler”, and workers "
            "with “dask worker ADDRESS”."
        ) from None


def _results(
    client: Client,
    work: Callable[[Any], Any],
    lost: Callable[[Any], Any],
    waiting: Iterator[list[Numbered]],
    asked: tuple[Callable[..., None], tuple[Any, ...]],
) -> Iterator[tuple[int, Any]]:
    from distributed import as_completed
    from distributed.scheduler import KilledWorker

    under_way: dict[Future, list[Numbered]] = {}
    suspects: list[Numbered] = []
    ready = as_completed(loop=client.loop)

    def hand_out(chunk: list[Numbered]) -> None:
        # What is asked goes along with each load: what was sent beforehand would be gone with the workers that had it.
        future = client.submit(_begin_and_work, *asked, work, chunk, pure=False)
        under_way[future] = chunk
        ready.add(future)

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
        future = next(ready)
        chunk = under_way.pop(future)
        try:
            results = future.result()
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
            yield place, client.submit(_begin_and_work, *asked, work, [(place, item)], pure=False).result()[0]
        except KilledWorker:
            yield place, lost(item)


def _begin_and_work(
    start: Callable[..., None], given: tuple[Any, ...], work: Callable[[Any], Any], chunk: list[Numbered]
) -> list[Any]:
    """Work on a load, in a worker's process; what is asked is taken in before the first load of a run."""
    if _begun[0] != given:
        start(*given)
        _begun[0] = given
    return work_on(work, chunk)
