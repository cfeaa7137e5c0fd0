"""`keen fault`: lets something go wrong on the stand-in, to see what becomes of it."""

from typing import Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig, Seed


def fault(
    name: Annotated[str, typer.Argument(help="Which, or `off`; without it, they are listed.")] = "",
    seed: Seed = None,
    at: Annotated[int | None, typer.Option("--at", min=1, help="The write to strike at.  [default: drawn]")] = None,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Let something go wrong on the stand-in: at a write that the seed draws, in the next command that writes."""
    import secrets

    from keenlattice.cli.output import emit_json, hint, say, table
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.rig.standin.faults import FAULTS, drawn
    from keenlattice.rig.standin.machine import Standin

    session = begin(book, rig, settle=False)  # it may be what stands in the way of settling
    if not isinstance(session.rig, Standin):
        raise UsageError("faults are for the stand-in alone: nothing is made to go wrong on a real rig")
    if name:
        session.book.check_writable()
    if name == "off":
        session.rig.fault = None
    elif name:
        session.rig.fault = drawn(name, secrets.randbelow(2**31) if seed is None else seed, session.rig.devices(), at)
    on = session.rig.fault
    if json:
        emit_json("fault", {"faults": FAULTS, "on": on.__dict__ if on else None})
        return
    if not name:
        table(["fault", "what goes wrong"], FAULTS.items())
        say()
    if on is None:
        say("No fault is on.")
        return
    where = f", on {on.device}" if on.name == "device-gone" else ""
    when = "has struck" if on.struck else f"strikes at write {on.at}{where} (seed {on.seed})" \
        if on.name != "restart-not-done" else "strikes at every restart"
    say(f"On: {on.name}; it {when}.")
    hint("keen apply, and see; then keen fault off")
