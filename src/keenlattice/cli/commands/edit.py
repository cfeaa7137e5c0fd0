"""`keen edit`: a new version of a profile."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import assignments, references
from keenlattice.cli.options import Book, Json, Note, Rig
from keenlattice.cli.output import emit, hint, say
from keenlattice.cli.views.edited import from_screen_of, open_editor
from keenlattice.errors import UsageError


def edit(
    reference: Annotated[str, typer.Argument(
        autocompletion=references, metavar="PROFILE", help="A game, or `rig` for the rig-wide profile; "
                                             "GAME@VERSION to build on an earlier one.")],
    settings: Annotated[list[str] | None, typer.Argument(
        autocompletion=assignments, help="SETTING=VALUE, several if you like; SETTING=unset unsets.")] = None,
    from_screen: Annotated[int | None, typer.Option(
        "--from-screen", metavar="NUMBER", help="Keep what helps by this screen, and drop the rest of its changes."
    )] = None,
    note: Note = "", book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Change settings in a profile: makes a new version. Without settings it opens the editor.

    The rig is not touched before `keen apply`.
    """
    from keenlattice.cli.views.changes import show_changes

    ws = begin(book, rig)
    if from_screen is not None:
        made, measured_from = from_screen_of(ws, reference, settings, from_screen, note)
    elif not settings:
        open_editor(ws, reference, json)
        return
    else:
        made = ws.edit(reference, _parsed(settings), note)
        measured_from = made.before.reference
    before, after = made.before.reference, made.after.reference
    if json:
        emit(made)
    elif not made.changes:
        say(f"Nothing changes: {before} has these values already.")
    else:
        show_changes(ws.opened.rig.catalog(), made.changes)
        say(f"\n{after} made from {before}. Nothing is on the rig yet.")
        if made.before.profile != "rig" and (planned := ws.profiles.planned_in_words()):
            say(f"! {planned}.")
            hint("keen apply rig, which comes before the game's own version")
        else:
            hint(f"keen apply {made.before.profile}   or first measure it: keen trial {measured_from} "
                 f"{after}{ws.opened.for_game(made.before.profile)}")


def _parsed(settings: list[str]) -> dict[str, str | None]:
    """What `SETTING=VALUE` and `SETTING=` ask for.

    Raises:
        UsageError: not of that form, or a setting that is given twice.
    """
    edits: dict[str, str | None] = {}
    for text in settings:
        key, equals, value = (part.strip() for part in text.partition("="))
        if not equals:
            raise UsageError(f"{text!r}: write SETTING=VALUE, or SETTING=unset")
        if key in edits:
            raise UsageError(f"{key} is given twice")
        edits[key] = value or None
    return edits
