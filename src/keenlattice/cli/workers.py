"""Where work is spread: over processes of this machine, or over the machines of a cluster, with equal results."""

from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor, Executor
from contextlib import contextmanager
from typing import Annotated, Any, TypeVar

import typer

Workers = Annotated[int | None, typer.Option("--workers", metavar="N", help="Spread it over N processes.")]
Cluster = Annotated[str, typer.Option("--cluster", metavar="ADDRESS", help="Spread it over a cluster of Dask's: "
                                      "tcp://HOST:PORT of its scheduler.")]
MOST, TRIES = 512, 3

Found = TypeVar("Found")


def with_workers(workers: int | None, cluster: str, work: Callable[[Executor | None], Found]) -> Found:
    """What some work gives, spread as the player says. If a process of ours dies on the way, the rest is done anew.

    Raises:
        UsageError: both are given, or no such number.
        NeedsInstalling: the package that speaks to a cluster is missing.
        KeenLatticeError: the cluster does not answer, or processes die time and again.
    """
    from keenlattice.errors import KeenLatticeError, UsageError

    if workers is not None and cluster:
        raise UsageError("--workers and --cluster: give one of them")
    if workers is not None and not 1 <= workers <= MOST:
        raise UsageError(f"--workers {workers}: 1 to {MOST} processes")
    for _ in range(TRIES):
        try:
            with _executor(workers, cluster) as executor:
                return work(executor)
        except BrokenExecutor:
            continue
    raise KeenLatticeError(f"processes that do the work were ended {TRIES} times, by the system or by somebody: what "
                           "is done is kept; try it with fewer --workers, since memory may be short")


@contextmanager
def _executor(workers: int | None, cluster: str) -> Iterator[Executor | None]:
    if cluster:
        with _of_cluster(cluster) as found:
            yield found
    elif workers and workers > 1:
        from concurrent.futures import ProcessPoolExecutor
        from multiprocessing import get_context

        executor = ProcessPoolExecutor(workers, get_context("spawn"))  # a fork of a process with threads may hang
        try:
            yield executor
        finally:
            executor.shutdown(cancel_futures=True)
    else:
        yield None


@contextmanager
def _of_cluster(address: str) -> Iterator[Executor]:
    from keenlattice.errors import KeenLatticeError, NeedsInstalling

    try:
        from distributed import Client
    except ImportError:
        raise NeedsInstalling("a cluster takes the package distributed: pip install 'keen-lattice[cluster]'") from None
    try:
        client: Any = Client(address, timeout=10)  # type: ignore[no-untyped-call]
    except (OSError, ValueError, TimeoutError) as error:
        raise KeenLatticeError(f"no cluster answers at {address} ({' '.join(str(error).split())[:100]}): start one, or "
                               "leave --cluster out") from None
    with client:
        yield client.get_executor()
