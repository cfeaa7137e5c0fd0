"""`keen merge` and `keen revert`: two lines of a profile brought together; one change taken back."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.cli.session import Session
    from keenlattice.profile.merge import Conflict, Merge
    from keenlattice.profile.version import Version

Keep = Annotated[str, typer.Option("--keep", help="Settle every conflict with this side: first or second.")]
Settle = Annotated[list[str] | None, typer.Option("--settle", help="Settle one: SETTING=first or SETTING=second.")]


def merge(
    first: Annotated[str, typer.Argument(autocompletion=references, help=REFERENCE)],
    second: Annotated[str, typer.Argument(
        autocompletion=references, help="The version whose changes come on top of it.")],
    keep: Keep = "", settle: Settle = None, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Bring two lines of one profile together: what both changed since their common version."""
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.profile.merge import merge as merged

    session = begin(book, rig)
    one, other = session.find(first), session.find(second)
    if one.profile != other.profile:
        raise UsageError(f"{one.reference} and {other.reference} are of two profiles; a merge joins two lines of one")
    base = session.book.common_ancestor(one, other)
    note = f"{other.reference} merged into {one.reference}"
    _make(session, merged(base.entries, one.entries, other.entries), [one, other], note, (keep, settle or []), json)


def revert(
    reference: Annotated[str, typer.Argument(
        autocompletion=references, metavar="VERSION", help="The version whose change is taken back.")],
    keep: Keep = "", settle: Settle = None, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Take back what one earlier version changed, and keep what came later.

    Where a later version changed the same setting again, `first` is the later value and `second` the one from before.
    """
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.profile.merge import merge as merged

    session = begin(book, rig)
    version = session.find(reference)
    latest = session.book.latest(version.profile)
    if latest is None or not version.time:
        raise UsageError(f"{reference} changed nothing that could be taken back")
    before = session.book.version(version.profile, version.parents[0]).entries if version.parents else {}
    _make(session, merged(version.entries, latest.entries, before), [latest], f"takes back {version.reference}",
          (keep, settle or []), json)


def _make(session: "Session", merged: "Merge", parents: "list[Version]", note: str, wanted: tuple[str, list[str]],
          json: bool) -> None:
    """The version that comes out, once every conflict is settled by option or prompt."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import emit_json, hint, say
    from keenlattice.profile.compare import changes
    from keenlattice.profile.merge import settled

    entries = settled(merged, _choices(session, merged.conflicts, *wanted, json))
    found = changes(parents[0].entries, entries)
    made = session.commit(parents, entries, note) if found or len(parents) > 1 else parents[0]
    if json:
        emit_json("merge", {"before": parents[0].reference, "after": made.reference, "changes": changes_json(found),
                            "conflicts": [one.key for one in merged.conflicts]})
    elif made is parents[0]:
        say("Nothing changes: all of it is as it was before already.")
    else:
        if found:
            show_changes(session.rig.catalog(), found)
        else:
            say(f"It sets what {parents[0].reference} sets.")
        say(f"\n{made.reference}: {note}. Nothing is on the rig yet.")
        hint(f"keen apply {made.profile}")


def _choices(session: "Session", conflicts: "tuple[Conflict, ...]", keep: str, settle: list[str],
             json: bool) -> "dict[str, Value | None]":
    """Each conflict's value.

    Raises:
        UsageError: an unsettled conflict and nobody to ask, or an option that settles nothing.
    """
    import sys

    from keenlattice.cli.changes import value_text
    from keenlattice.errors import UsageError

    chosen = {key.strip(): side.strip() for key, _, side in (one.partition("=") for one in settle)}
    known = {one.key for one in conflicts}
    if odd := [key for key in chosen if key not in known]:
        raise UsageError(f"--settle {odd[0]}: no conflict there; there are {', '.join(sorted(known)) or 'none'}")
    if any(side not in ("first", "second", "") for side in (*chosen.values(), keep)):
        raise UsageError("a conflict is settled with first or second")
    sides = {one.key: chosen.get(one.key) or keep for one in conflicts}
    if not all(sides.values()) and (json or not sys.stdin.isatty()):
        told = "; ".join(f"{one.key}: first {value_text(session.rig.catalog(), one.key, one.one)}, second "
                         f"{value_text(session.rig.catalog(), one.key, one.other)}"
                         for one in conflicts if not sides[one.key])
        raise UsageError(f"{told}: settle with --keep first, --keep second or --settle SETTING=first")
    for one in conflicts:
        while sides[one.key] not in ("first", "second"):
            sides[one.key] = typer.prompt(
                f"{one.key}: first {value_text(session.rig.catalog(), one.key, one.one)}, second "
                f"{value_text(session.rig.catalog(), one.key, one.other)}. first or second?")
    return {one.key: one.one if sides[one.key] == "first" else one.other for one in conflicts}
