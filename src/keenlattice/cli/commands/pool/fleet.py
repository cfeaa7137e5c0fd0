"""`keen pool fleet`: a league of made-up players who publish evidence, to see what a pool makes of it."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.workers import Cluster, Workers


def fleet(
    folder: Annotated[Path, typer.Argument(help="Where their evidence goes; a league that lies there goes on.")],
    players: Annotated[int, typer.Option("--players", help="How many.")] = 40,
    tries: Annotated[int, typer.Option("--tries", help="How many changes of a list of thirty each tries.")] = 6,
    seconds: Annotated[float, typer.Option("--seconds", help="Length of a run.")] = 20.0,
    careless: Annotated[float, typer.Option("--careless", help="Share of players, 0 to 1, who mix up before and after, "
                                            "hardly play, or make their numbers up.")] = 0.0,
    screens: Annotated[bool, typer.Option("--screens", help="Each screens what they try, instead of a trial of each."
                                          )] = False,
    seed: Annotated[int, typer.Option("--seed", help="Draws rigs, games and what each tries.")] = 1,
    workers: Workers = None, cluster: Cluster = "", book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Let a league of made-up players try changes, each on a rig of their own, and publish what they found.

    Rigs, players and all that they measure are simulated.
    """
    from keenlattice.cli.begin import begin
    from keenlattice.cli.output import emit, hint, say
    from keenlattice.cli.progress import progress
    from keenlattice.cli.workers import with_workers

    ws = begin(book, rig)
    with progress("players", json) as told:
        made = with_workers(workers, cluster, lambda executor: ws.play_fleet(
            folder, players=players, seed=seed, tries=tries, seconds=seconds, careless=careless, screens=screens,
            executor=executor, progress=told))
    if json:
        emit(made)
        return
    say(f"{made.folder}: {made.records} records of {made.players} made-up players"
        + (f", {made.careless} of them careless" if made.careless else "") + ".", "bold")
    hint(f"keen pool read {made.folder}")
