"""`keen rig use`: which rig a logbook is for."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import rigs
from keenlattice.cli.options import Book
from keenlattice.cli.output import hint, on_rig, say
from keenlattice.rig.find import described


def use(
    kind: Annotated[str, typer.Argument(autocompletion=rigs, help="here (this PC), standin, byhand, or one that is "
                                                                  "installed.")],
    book: Book = None,
) -> None:
    """Have a logbook be for another rig. What was kept of the one before stays apart, and is there again with it."""
    name = begin(book, "here").use_rig(kind)  # whichever rig it is for now may not be there any more
    say(f"From now on this logbook is for the rig {name} ({described(kind)}), unless a command names another.")
    on_rig("")
    hint("keen survey")
