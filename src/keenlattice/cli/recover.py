"""`keen recover`: what a command that was killed left behind is finished, or undone."""

import sys
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Rig

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig as RigProtocol


def recover(
    finish: Annotated[bool, typer.Option("--finish", help="Do what was still to be done; a study, which goes on by "
                                                          "--resume of its command, is undone.")] = False,
    undo: Annotated[bool, typer.Option("--undo", help="Put back what was there before.")] = False,
    book: Book = None, rig: Rig = "standin",
) -> None:
    """Finish or undo a change that was cut short; without either, say how far it came and ask."""
    from keenlattice.cli.output import say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.rig.recover import cut_short
    from keenlattice.rig.recover import recover as settle

    if finish and undo:
        raise UsageError("--finish and --undo are each other's opposite: choose one")
    session = begin(book, rig, settle=False)
    if cut_short(session.rig) is None:
        say(f"Nothing was cut short on the rig {session.rig_name}.")
    elif finish or undo:
        say(settle(session.rig, finish=finish) or "Another command was quicker.")
    else:
        settle_or_ask(session.rig, rig)


def settle_or_ask(rig: "RigProtocol", kind: str) -> None:
    """Settles what was cut short: as the player chooses on a terminal, by undoing it elsewhere. Where that fails it is
    said, and a command that only looks can go on."""
    from keenlattice.errors import KeenLatticeError
    from keenlattice.rig.recover import cut_short
    from keenlattice.rig.recover import recover as settle

    journal = cut_short(rig)
    if journal is None:
        return
    choice = "undo"
    if journal.intent is not None and sys.stdin.isatty() and sys.stderr.isatty():
        print(f"keen: {journal.why} was cut short: {journal.done} of {journal.steps} steps were done.", file=sys.stderr)
        choice = _asked(kind)
    try:
        done = settle(rig, finish=choice == "finish")
    except KeenLatticeError as error:
        done = f"! {journal.why} was cut short, and part of it holds: {error}; `keen recover` tries again"
    if done:
        print(f"keen: {done}", file=sys.stderr)


def _asked(kind: str) -> str:
    from keenlattice.errors import RigError

    answer = ""
    while answer not in ("finish", "undo", "leave"):
        answer = typer.prompt("Finish it, undo it, or leave it for now?", default="undo", err=True).strip().lower()
    if answer == "leave":
        raise RigError(f"left as it is; next: keen recover --finish or --undo, with --rig {kind}")
    return answer
