"""Work spread over any executor of `concurrent.futures`, with equal results whatever the executor."""

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Executor
from typing import TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")


def spread(work: Callable[[Item], Result], items: Iterable[Item], executor: Executor | None = None) -> list[Result]:
    """What `work` gives for each item, in the order of the items.

    Args:
        work: a function of a module, and items and results that can be pickled, if the executor is of processes.
        executor: threads, processes, or machines of a cluster; None does it here, one after the other.
    """
    return list(spread_out(work, items, executor))


def spread_out(work: Callable[[Item], Result], items: Iterable[Item], executor: Executor | None = None
               ) -> Iterator[Result]:
    """The same, each as soon as it and all before it are there."""
    return map(work, items) if executor is None else executor.map(work, items)
