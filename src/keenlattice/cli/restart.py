"""`keen restart`: what waits for a restart takes effect."""

from typing import Annotated

import typer

from keenlattice.cli.options import Book, Rig


def restart(
    what: Annotated[str, typer.Argument(help="game, driver or machine.")],
    book: Book = None, rig: Rig = "standin",
) -> None:
    """Restart the stand-in's game, driver or machine, so that what waits for it takes effect."""
    from keenlattice.catalog.model import RESTARTS
    from keenlattice.cli.output import say
    from keenlattice.cli.session import begin
    from keenlattice.errors import RigError, UnknownName, UsageError
    from keenlattice.rig.lock import locked

    if what not in RESTARTS[1:]:
        raise UnknownName("thing to restart", what, RESTARTS[1:], "there are game, driver and machine")
    if rig != "standin":
        raise UsageError(f"your {what} is yours to restart: Keen Lattice restarts the stand-in alone")
    session = begin(book, rig)
    session.book.check_writable()
    waiting = dict(session.rig.pending())
    with locked(session.rig, f"restarting the {what}"):
        session.rig.restart(what)
    still = session.rig.pending()
    took = [key for key in waiting if key not in still]
    say(f"The {what} of {session.rig_name} was restarted. " + (f"Now in effect, and read back: {', '.join(took)}."
                                                               if took else "Nothing new is in effect."))
    if failed := [key for key in waiting if key in still and RESTARTS.index(waiting[key]) <= RESTARTS.index(what)]:
        raise RigError(f"the restart did not bring {', '.join(failed)} into effect: it still waits; was the {what} "
                       "really restarted?")
