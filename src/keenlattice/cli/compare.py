"""`keen compare`: what differs between two versions, and what that did where it was measured."""

from typing import Annotated

import typer

from keenlattice.cli.options import REFERENCE, Book, Json, Rig


def compare(
    before: Annotated[str, typer.Argument(help=REFERENCE)],
    after: Annotated[str, typer.Argument(help="The other one.")],
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Show what differs between two versions, with the measured effect where there was a trial of the two."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.cli.trial import show_metrics
    from keenlattice.profile.compare import changes

    session = begin(book, rig)
    one, other = session.find(before), session.find(after)
    found, trials = changes(one.entries, other.entries), session.book.trials(one.reference, other.reference)
    if json:
        emit_json("compare", {"before": one.reference, "after": other.reference, "changes": changes_json(found),
                              "trials": trials})
        return
    if not found:
        say(f"{one.reference} and {other.reference} set the same.")
        return
    show_changes(session.rig.catalog(), found, *(f"@{version.reference.partition('@')[2]}" for version in (one, other)))
    say()
    if trials:
        say(f"Measured in {trials[0]['blocks']} blocks of {trials[0]['seconds']:g} s runs on {trials[0]['rig']}:")
        show_metrics(trials[0])
    elif one.profile == other.profile:
        say("What that does has not been measured.")
        say(f"next: keen trial {one.reference} {other.reference}", "dim")
