"""`keen edit`: a new version of a profile."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Note, Rig

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.logbook.book import Logbook
    from keenlattice.profile.version import Version
    from keenlattice.rig.base import Rig as RigProtocol


def edit(
    profile: Annotated[str, typer.Argument(help="A game, or `rig` for the rig-wide profile.")],
    settings: Annotated[list[str], typer.Argument(help="SETTING=VALUE, several if you like; SETTING= unsets.")],
    note: Note = "", book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Change settings in a profile. Makes a new version; the rig is not touched before `keen apply`."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.profile.compare import changes, with_changes

    session = begin(book, rig)
    if "@" in profile:
        raise UsageError(f"{profile}: an edit builds on the latest version; name the profile alone")
    before = session.find(profile)
    edits = parsed_edits(session.rig, profile, settings)
    found = changes(before.entries, with_changes(before.entries, edits))
    after = _kept(session.book, before, with_changes(before.entries, edits), note) if found else before
    if json:
        emit_json("edit", {"before": before.reference, "after": after.reference, "changes": changes_json(found)})
    elif not found:
        say(f"Nothing changes: {profile} has these values already.")
    else:
        show_changes(session.rig.catalog(), found)
        say(f"\n{after.reference} made from {before.reference}. Nothing is on the rig yet.")
        say(f"next: keen apply {profile}   or first measure it: keen trial {before.reference} {after.reference}", "dim")


def parsed_edits(rig: "RigProtocol", profile: str, settings: list[str]) -> "dict[str, Value | None]":
    """What `SETTING=VALUE` and `SETTING=` ask for, each held against the rig's catalog.

    Raises:
        UsageError: not of that form, an unknown setting, or a value that it does not take.
    """
    from keenlattice.errors import UsageError

    edits: dict[str, Value | None] = {}
    for text in settings:
        key, equals, value = (part.strip() for part in text.partition("="))
        if not equals:
            raise UsageError(f"{text!r}: write SETTING=VALUE, or SETTING= to unset it")
        setting = rig.catalog().check_key(key, whole_rig=profile == "rig", devices=rig.devices())
        if key in edits:
            raise UsageError(f"{key} is given twice")
        edits[key] = setting.parsed(value) if value else None
    return edits


def _kept(book: "Logbook", before: "Version", entries: "dict[str, Value]", note: str) -> "Version":
    import getpass

    parent = before if before.time else None  # stock is where one starts, and no version
    return book.commit(before.profile, entries, note=note, author=getpass.getuser(), parent=parent)
