"""`keen restart`: what waits for a restart takes effect."""

from typing import Annotated

import typer

from keenlattice.cli.options import Book, Rig


def restart(
    what: Annotated[str, typer.Argument(help="game, driver or machine.")],
    book: Book = None, rig: Rig = "standin",
) -> None:
    """Restart the stand-in's game, driver or machine, so that what waits for it takes effect."""
    from keenlattice.cli.output import say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UnknownName, UsageError
    from keenlattice.rig.apply import RESTARTS
    from keenlattice.rig.journal import locked

    if what not in RESTARTS[1:]:
        raise UnknownName("thing to restart", what, RESTARTS[1:], "there are game, driver and machine")
    if rig != "standin":
        raise UsageError(f"your {what} is yours to restart: Keen Lattice restarts the stand-in alone")
    session = begin(book, rig)
    waiting = dict(session.rig.pending())
    with locked(session.rig, f"restarting the {what}"):
        session.rig.restart(what)
    took = [key for key in waiting if key not in session.rig.pending()]
    say(f"The {what} of {session.rig_name} was restarted. " + (f"Now in effect: {', '.join(took)}." if took else
                                                               "Nothing had waited for it."))
