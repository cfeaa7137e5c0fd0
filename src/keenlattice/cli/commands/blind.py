"""`keen blind`: can a hand feel it?"""

import sys
from contextlib import redirect_stdout
from typing import Annotated, Literal

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.blindfold import Blindfold, judging
from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Json, Played, Rig
from keenlattice.cli.output import emit, say
from keenlattice.cli.terminal import Keys
from keenlattice.cli.views.blocks import show_telling
from keenlattice.cli.views.trial import show_what_it_takes


def blind(
    before: Annotated[str, typer.Argument(autocompletion=references, help=f"Version A. {REFERENCE}")],
    after: Annotated[str, typer.Argument(autocompletion=references, help="Version B.")],
    rounds: Annotated[int, typer.Option("--rounds", help="How many at most; it ends once it is decided.")] = 20,
    question: Annotated[Literal["which", "better"], typer.Option(
        "--question", help="What you say: which one it was; or which of two felt better.")] = "which",
    game: Played = None, book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Find out, blind, whether you can feel what a change does.

    One of two versions is put on by chance, you play, and say which it was. What was on is given at the end, beside
    what was measured; a test that is stopped is void. The rig is put back to what it was, whatever happens.
    """
    ws, keys = begin(book, rig), Keys()
    show_what_it_takes(rounds, question)
    # What is asked is not part of the result, which may go to a program.
    with redirect_stdout(sys.stderr if json else sys.stdout), judging(ws, keys):
        played = ws.studies.blind(before, after, Blindfold(ws, before, after, question, keys), rounds=rounds,
                          question=question, game=game)
    if json:
        emit(played)
        return
    say()
    show_telling(played.telling())
