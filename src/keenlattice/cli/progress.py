"""A progress bar, on a terminal only, and never in the way of the result."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager


@contextmanager
def steps(what: str, total: int, quiet: bool = False) -> Iterator[Callable[[], None]]:
    """Yields what to call after each of `total` steps."""
    if quiet or not sys.stderr.isatty():
        yield lambda: None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as progress:
        task = progress.add_task(what, total=total)
        yield lambda: progress.advance(task)
