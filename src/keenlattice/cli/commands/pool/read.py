"""`keen pool read`: evidence of many rigs becomes knowledge."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games
from keenlattice.cli.options import Book, Decides, Figure, Json, Rig
from keenlattice.cli.output import emit, new_figure, say
from keenlattice.cli.views.blocks import show_telling
from keenlattice.errors import KeenLatticeError

if TYPE_CHECKING:
    from concurrent.futures import Executor


def read(
    sources: Annotated[list[Path] | None, typer.Argument(
        metavar="FROM...", help="Files of evidence (.jsonl, .parquet), packs, logbooks, or folders of them.")] = None,
    add: Annotated[bool, typer.Option("--add", help="Add to the evidence of the newest pool; only what is new is "
                                      "computed.")] = False,
    decides: Decides = "", matters: Annotated[float | None, typer.Option(
        "--matters", help="The smallest difference that matters, in %.  [default: what mattered to those who tried it]"
        )] = None,
    game: Annotated[str, typer.Option("--game", autocompletion=games, help="Only evidence of this game.")] = "",
    figure: Figure = None,
    workers: Annotated[int, typer.Option("--workers", min=1, max=512, help="Spread it over this many processes.")] = 1,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Pool evidence of many rigs: what each change does in general, on the next rig, and on which.

    Evidence may come from strangers: what is not of its form is left out, and named.
    """

    ws, figure = begin(book, rig), new_figure(figure)
    with _processes(workers) as executor:
        played = ws.pool.read(*(sources or ()), add=add, decides=decides, matters_pct=matters, game=game,
                              executor=executor)
    if figure:
        played.figure().save(figure)
    if json:
        emit(played)
        return
    show_telling(ws.pool.look(game=game).telling())
    if figure:
        say(f"\nfigure: {figure}")


@contextmanager
def _processes(count: int) -> "Iterator[Executor | None]":
    """The number of processes to compute in; None for one, which is this.

    Raises:
        KeenLatticeError: one was ended on the way.
    """
    if count == 1:
        yield None
        return
    from concurrent.futures import BrokenExecutor, ProcessPoolExecutor
    from multiprocessing import get_context

    executor = ProcessPoolExecutor(count, get_context("spawn"))  # a fork of a process with threads may hang
    try:
        yield executor
    except BrokenExecutor:
        raise KeenLatticeError("a process that does the work was ended, by the system or by somebody; try it with "
                               "fewer --workers, since memory may be short") from None
    finally:
        executor.shutdown(cancel_futures=True)
