"""A progress bar, on a terminal only, and never in the way of the result."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from keenlattice.cli.terminal import is_terminal


@contextmanager
def progress(what: str, quiet: bool = False) -> Iterator[Callable[[int, int], None] | None]:
    """Yields what a workspace is given to tell how many runs are done, of how many; None where nobody looks."""
    if quiet or not is_terminal(sys.stderr):
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)
