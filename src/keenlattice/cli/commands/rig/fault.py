"""`keen rig fault`: lets something go wrong on the stand-in, to see what becomes of it."""

from typing import Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig, Seed


def fault(
    name: Annotated[str, typer.Argument(help="Which fault, or `off`; without a name they are listed.")] = "",
    seed: Seed = None,
    at: Annotated[int | None, typer.Option("--at", min=1, help="The write to strike at.  [default: drawn]")] = None,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Let something go wrong on the stand-in: at a write that the seed draws, in the next command that writes."""
    from keenlattice.cli.begin import begin
    from keenlattice.cli.output import emit, hint, say, table
    from keenlattice.errors import UsageError

    if not name and (seed is not None or at is not None):
        raise UsageError("--seed and --at say when a fault strikes: name the fault, too")
    ws = begin(book, rig, settle=False)  # it may be what stands in the way of settling
    found = ws.set_fault(name, seed, at) if name else ws.faults()
    if json:
        emit(found)
        return
    if not name:
        table(["fault", "what goes wrong"], found.faults.items())
        say()
    on = found.on
    if on is None:
        say("No fault is on.")
        return
    where = f", on {on.device}" if on.name == "device-gone" else ""
    when = "has struck" if on.struck else f"strikes at write {on.at}{where} (seed {on.seed})" \
        if on.name != "restart-not-done" else "strikes at every restart"
    say(f"On: {on.name}; it {when}.")
    hint("keen apply, and see; then keen rig fault off")
