"""`keen edit`: a new version of a profile."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import assignments, references
from keenlattice.cli.options import Book, Json, Note, Rig

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.profile.version import Version
    from keenlattice.rig.base import Rig as RigProtocol


def edit(
    reference: Annotated[str, typer.Argument(
        autocompletion=references, metavar="PROFILE", help="A game, or `rig` for the rig-wide profile; "
                                             "GAME@VERSION to build on an earlier one.")],
    settings: Annotated[list[str], typer.Argument(
        autocompletion=assignments, help="SETTING=VALUE, several if you like; SETTING= unsets.")],
    note: Note = "", book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Change settings in a profile. Makes a new version; the rig is not touched before `keen apply`."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import emit_json, hint, say
    from keenlattice.cli.session import begin
    from keenlattice.profile.compare import changes, with_changes

    session = begin(book, rig)
    edits = parsed_edits(session.rig, session.find(reference), settings)
    with session.book.together():  # so that edits at once are made one on top of the other
        before = session.find(reference)
        entries = with_changes(before.entries, edits)
        found = changes(before.entries, entries)
        after = session.commit([before], entries, note) if found else before
    if json:
        emit_json("edit", {"before": before.reference, "after": after.reference, "changes": changes_json(found)})
    elif not found:
        say(f"Nothing changes: {before.reference} has these values already.")
    else:
        show_changes(session.rig.catalog(), found)
        say(f"\n{after.reference} made from {before.reference}. Nothing is on the rig yet.")
        measure = f"keen trial {before.reference} {after.reference}"
        hint(f"keen apply {before.profile}   or first measure it: {measure}")


def parsed_edits(rig: "RigProtocol", before: "Version", settings: list[str]) -> "dict[str, Value | None]":
    """What `SETTING=VALUE` and `SETTING=` ask for, each held against the rig's catalog.

    What the version has from elsewhere, a pack say, can be unset though this rig does not know it.

    Raises:
        UsageError: not of that form, an unknown setting, or a value that it does not take.
    """
    from keenlattice.errors import UsageError
    from keenlattice.profile.concrete import concrete_value

    edits: dict[str, Value | None] = {}
    for text in settings:
        key, equals, value = (part.strip() for part in text.partition("="))
        if not equals:
            raise UsageError(f"{text!r}: write SETTING=VALUE, or SETTING= to unset it")
        if key in edits:
            raise UsageError(f"{key} is given twice")
        if not value and key in before.entries:
            edits[key] = None
            continue
        setting = rig.catalog().check_key(key, whole_rig=before.profile == "rig", devices=rig.devices())
        edits[key] = parsed = setting.parsed(value) if value else None
        if parsed is not None:
            concrete_value(setting, parsed, rig.facts())  # a formula has to come to something here
    return edits
