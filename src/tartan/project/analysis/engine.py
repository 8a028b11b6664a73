"""Many pieces of work that do not need each other, on one machine or many.

Pieces go out in batches of about half a second, twice as many as there are workers; a worker that
is lost has its batches done again, and every piece counts once. What all pieces share is sent to
each worker once. By dask.distributed (M. Rocklin, Dask: parallel computation with blocked
algorithms and task scheduling, SciPy 2015).
"""

from __future__ import annotations

import contextlib
import gc
import os
import socket
import time
import traceback
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from tartan import __version__
from tartan.core.errors import TartanError
from tartan.project.analysis.children import stand_by

BATCH = 0.5
"""Seconds that a batch shall take."""

MOST_IN_BATCH = 2000

WAIT = 10
"""Seconds that a scheduler may take to answer."""

AGAIN = 3
"""How often what all share is sent anew where the only worker that had it was lost."""

WHERE = "Cluster"

_ALONE = {"OMP_NUM_THREADS": "1", "NUMBA_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}


class EngineError(TartanError):
    """A cluster that is not there, of another version, or that went away."""


class Engine:
    """Workers, started when first needed.

    Parameters
    ----------
    address : str
        Of a scheduler, such as ``tcp://10.0.0.5:8786``; empty for workers on this machine, as
        many as it has cores.
    workers : int
        How many on this machine; 0 for one a core.
    """

    def __init__(self, address: str = "", workers: int = 0) -> None:
        self.address = address.strip()
        self.workers = workers or max(1, len(os.sched_getaffinity(0)))
        self._client: Any = None
        self._cluster: Any = None
        self._over = False

    def __enter__(self) -> Engine:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def start(self) -> None:
        """Start workers, or join those of a scheduler.

        Raises
        ------
        EngineError
            A scheduler that does not answer, has no workers, or workers of another version.
        """
        if self._over:
            raise EngineError("The work was given up.", WHERE, "Begin it again.")
        if self._client is not None:
            return
        import dask
        from distributed import Client, LocalCluster

        if not self.address:
            # Forked from the helper, which has loaded what each would load for seconds.
            dask.config.set({"distributed.worker.multiprocessing-method": "forkserver"})
            stand_by()
            self._cluster = LocalCluster(
                n_workers=self.workers,
                threads_per_worker=1,
                processes=True,
                # Any free port of this machine: two windows would quarrel over the usual one.
                dashboard_address="127.0.0.1:0",
                silence_logs=50,
                # The helper's own environment is that of its start.
                env={**os.environ, **_ALONE},
            )
            self._client = Client(self._cluster, timeout=WAIT * 3)
            return
        try:
            _reach(self.address)
            self._client = Client(self.address, timeout=WAIT)
            found = self._client.run(_version)
        except (OSError, ValueError, TimeoutError) as error:
            self.close()
            _let_go(error)
            raise EngineError(
                f"No scheduler answers at {self.address}.",
                WHERE,
                "Start one (docs/cluster.md), or search on this machine alone.",
            ) from error
        except Exception as error:
            _let_go(error)
            # A worker that cannot import Tartan answers with whatever its import raised.
            self.close()
            raise EngineError(
                f"The workers at {self.address} cannot work for this program ({error}).",
                WHERE,
                f"Install Tartan {__version__} beside them.",
            ) from error
        others = sorted({v for v in found.values() if v != __version__})
        if not found or others:
            self.close()
            what = f"work with Tartan {', '.join(others)}" if others else "are none"
            raise EngineError(
                f"The workers at {self.address} {what}.",
                WHERE,
                f"Start workers with Tartan {__version__}.",
            )

    @property
    def count(self) -> int:
        """Workers there are."""
        if self._client is None:
            return self.workers
        return max(1, len(self._client.scheduler_info(n_workers=-1)["workers"]))

    def close(self) -> None:
        """End workers of this machine, or leave those of a scheduler."""
        for one in (self._client, self._cluster):
            if one is not None:
                with contextlib.suppress(Exception):
                    one.close(timeout=5)
        self._client = self._cluster = None

    def end(self) -> None:
        """End workers, also while they are at work, and start none again: whoever asks is told."""
        self._over = True
        self.close()

    def run(
        self, work: Callable[[Any, Any], Any], shared: Any, items: Sequence[Any]
    ) -> Iterator[tuple[int, Any]]:
        """Do `work(shared, item)` for every item, in whatever order they come back.

        Yields the number of an item and its result. Whoever stops asking ends the rest.

        Raises
        ------
        EngineError
            As `start`; or where scheduler or workers went away meanwhile, after what was found
            has been given.
        """
        self.start()
        yield from _Run(self._client, self.count, work, shared, items).results()


class _Run:
    """One run: batches under way, and the items that wait."""

    def __init__(
        self,
        client: Any,
        workers: int,
        work: Callable[[Any, Any], Any],
        shared: Any,
        items: Sequence[Any],
    ) -> None:
        self.client, self.workers, self.work = client, workers, work
        self.shared, self.items = shared, items
        self.waits = list(range(len(items)))[::-1]
        self.size = 1.0
        self.sent: Any = None
        self.again = 0
        self.under_way: dict[Any, list[int]] = {}

    def results(self) -> Iterator[tuple[int, Any]]:
        from distributed import as_completed

        try:
            self._send_shared()
            done = as_completed([], raise_errors=False)
            self._fill(done)
            while self.under_way:
                future = next(done)
                numbers = self.under_way.pop(future, None)
                if numbers is None:
                    continue
                if future.status == "finished":
                    yield from self._taken(future, numbers)
                elif future.status == "error":
                    self._failed(future, numbers)
                else:
                    self._lost(numbers)
                self._fill(done)
        except EngineError:
            raise
        except StopIteration as error:
            raise _gone() from error
        except Exception as error:
            if type(error).__module__.partition(".")[0] in ("distributed", "asyncio", "tornado"):
                raise _gone() from error
            if isinstance(error, OSError):
                raise _gone() from error
            raise
        finally:
            with contextlib.suppress(Exception):
                self.client.cancel(list(self.under_way))

    def _send_shared(self) -> None:
        self.sent = self.client.scatter(self.shared, broadcast=True, hash=False)

    def _fill(self, done: Any) -> None:
        """Keep twice as many batches under way as there are workers."""
        while self.waits and len(self.under_way) < 2 * self.workers:
            count = max(1, min(int(self.size), MOST_IN_BATCH))
            # Towards the end batches grow smaller, so that no worker waits for another.
            count = min(count, max(1, -(-len(self.waits) // (2 * self.workers))))
            numbers = [self.waits.pop() for _ in range(min(count, len(self.waits)))]
            future = self.client.submit(
                _batch,
                self.work,
                self.sent,
                [self.items[k] for k in numbers],
                pure=False,
            )
            self.under_way[future] = numbers
            done.add(future)

    def _taken(self, future: Any, numbers: list[int]) -> Iterator[tuple[int, Any]]:
        results, took = future.result()
        each = took / max(len(numbers), 1)
        # The first batches also pay for what a worker has to load.
        self.size = min(max(BATCH / max(each, 1e-6), 1.0), 4.0 * self.size + 4.0)
        yield from zip(numbers, results, strict=True)

    def _failed(self, future: Any, numbers: list[int]) -> None:
        from distributed import KilledWorker

        error = future.exception()
        if isinstance(error, TartanError):
            raise error
        if isinstance(error, KilledWorker):
            raise EngineError(
                f"Workers died, one after the other, at item {numbers[0] + 1}.",
                WHERE,
                "It may ask for more memory than they have; what was found stays.",
            )
        raise EngineError(
            f"A worker broke off ({type(error).__name__}: {error}).",
            WHERE,
            "What was found stays; search anew.",
        )

    def _lost(self, numbers: list[int]) -> None:
        """A batch was given up since what all share went with the last worker that had it."""
        self.again += 1
        if self.again > AGAIN * 2 * self.workers or self.client.status != "running":
            raise _gone()
        if self.sent.status != "finished":
            self._send_shared()
        self.waits += numbers[::-1]


def _reach(address: str) -> None:
    """See that somebody listens at an address, before a client is made.

    Raises
    ------
    OSError, ValueError
        Where nobody does, or it is no address.
    """
    from distributed.comm.addressing import get_address_host_port

    host, port = get_address_host_port(address, strict=True)
    socket.create_connection((host, port), timeout=WAIT).close()


def engine_at(known: Engine | None, address: str) -> Engine:
    """Workers of an address: those that are there already, or new ones in their place."""
    if known is not None and known.address == address.strip():
        return known
    if known is not None:
        known.close()
    return Engine(address)


def _let_go(error: BaseException) -> None:
    """Drop a client that could not be made, here and now.

    It closes itself when it is collected. Were that in a thread that is just being started for
    another client, both would wait for each other for ever.
    """
    traceback.clear_frames(error.__traceback__)
    gc.collect()


def _gone() -> EngineError:
    return EngineError(
        "The scheduler or its workers went away.",
        WHERE,
        "What was found until then stays; start them again, or go on with this machine alone.",
    )


def _batch(
    work: Callable[[Any, Any], Any], shared: Any, items: list[Any]
) -> tuple[list[Any], float]:
    """Do some items on a worker, and how long they took [s]."""
    began = time.perf_counter()
    return [work(shared, item) for item in items], time.perf_counter() - began


def _version() -> str:
    return __version__
