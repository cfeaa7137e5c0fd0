"""`keen compare`: what differs between two versions, and what that did where it was measured."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import references
from keenlattice.cli.options import EITHER, Book, Json, Rig
from keenlattice.cli.output import emit, harmless
from keenlattice.cli.views.blocks import show_telling
from keenlattice.errors import UsageError


def compare(
    before: Annotated[str, typer.Argument(
        autocompletion=references, help=f"{EITHER} GAME@now is what the rig holds; a .toml file is a pack.")],
    after: Annotated[str, typer.Argument(autocompletion=references, help="The other one.")],
    markdown: Annotated[bool, typer.Option("--markdown", help="Print it as Markdown, for a forum.")] = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Show what differs between two versions, packs or the rig, with the measured effect where there is one."""
    if markdown and json:
        raise UsageError("--markdown and --json are two forms of the same: choose one")
    ws = begin(book, rig)
    comparison = ws.compare(before, after)
    if json:
        emit(comparison)
    elif markdown:
        from keenlattice.report.markdown import telling_as_markdown

        print(harmless(telling_as_markdown(comparison.telling())), end="")
    else:
        show_telling(comparison.telling())
