"""`keen label`: a name for a version."""

from typing import Annotated

import typer

from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Rig


def label(
    reference: Annotated[str, typer.Argument(autocompletion=references, metavar="VERSION", help=REFERENCE)],
    name: Annotated[str, typer.Argument(help="The label: small letters, digits and dashes.")],
    book: Book = None, rig: Rig = "standin",
) -> None:
    """Give a version a name of its own; a label that is there already moves."""
    from keenlattice.cli.output import say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError

    session = begin(book, rig)
    version = session.find(reference)
    if not version.time:
        raise UsageError(f"{reference} is no version of its own and cannot have a label")
    session.book.label(version, name)
    say(f"{version.reference} is now {version.profile}@{name}, too.")
