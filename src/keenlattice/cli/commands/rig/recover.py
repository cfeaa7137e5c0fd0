"""`keen rig recover`: repair the logbook, and finish or undo what a killed command left behind."""

from typing import Annotated

import typer

from keenlattice.cli.begin import ask_what_becomes_of_it, begin
from keenlattice.cli.options import Book, Rig
from keenlattice.cli.output import say
from keenlattice.errors import UsageError


def recover(
    finish: Annotated[bool, typer.Option("--finish", help="Do what is still to be done. (A study is undone instead, "
                                                          "and goes on with keen studies resume.)")] = False,
    undo: Annotated[bool, typer.Option("--undo", help="Put back what was there before.")] = False,
    book: Book = None, rig: Rig = "",
) -> None:
    """Repair a logbook that refuses its own rows. Finish or undo a change that was cut short; without either, say how
    far it came, and ask."""
    if finish and undo:
        raise UsageError("--finish and --undo are each other's opposite: choose one")
    ws = begin(book, rig, settle=False)
    repaired = [] if ws.book.elsewhere else ws.repair()
    for sentence in repaired:
        say(f"Logbook: {sentence}.")
    if ws.rig.interrupted() is None:
        say(f"Nothing was cut short on the rig {ws.rig.name}.")
    elif finish or undo:
        say(ws.rig.recover(finish) or "Another command was quicker.")
    else:
        for message in ws.settle(ask_what_becomes_of_it):
            say(message)
