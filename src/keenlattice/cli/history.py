"""`keen history`: the versions of a profile."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.logbook.book import Logbook
    from keenlattice.profile.version import Version


def history(
    profile: Annotated[str, typer.Argument(help="A game, or `rig` for the rig-wide profile.")],
    most: Annotated[int, typer.Option("--most", "-n", min=1, help="How many, newest first.")] = 20,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List the versions of a profile, newest first, with what each changed and why."""
    from keenlattice.cli.output import emit_json, say, table
    from keenlattice.cli.session import begin

    session = begin(book, rig)
    session.find(profile)  # says so if there is no such game
    versions, labels = session.book.history(profile, most), session.book.labels(profile)
    known = {one.id: one for one in versions}
    changed = {one.id: _changed(session.book, one, known) for one in versions}
    if json:
        emit_json("history", {"profile": profile, "versions": [
            {"version": one.reference, "id": one.id, "parents": list(one.parents), "labels": labels.get(one.id, []),
             "note": one.note, "author": one.author, "time": one.time, "changes": changed[one.id]}
            for one in versions]})
    elif not versions:
        say(f"{profile} has no version yet: it is at stock. Make one: keen edit {profile} SETTING=VALUE")
    else:
        applied = session.book.last_apply(session.rig_name, profile)
        rows = [[_graph(versions, row), one.id[:8] + (" *" if applied and one.id == applied.version else ""),
                 " ".join(labels.get(one.id, [])), one.time[:16].replace("T", " "), one.author, one.note,
                 ", ".join(changed[one.id])] for row, one in enumerate(versions)]
        table(["from", "version", "label", "when (UTC)", "by", "note", "changes"], rows)
        say("\n* applied" if applied else "\nnone is applied", "dim")


def _graph(versions: "list[Version]", row: int) -> str:
    """Where a version comes from: a line to the next row, or its parents, if they are elsewhere."""
    parents = versions[row].parents
    if not parents:
        return "o"
    below = versions[row + 1].id if row + 1 < len(versions) else parents[0]
    return "|" if parents == (below,) else "+".join(parent[:8] for parent in parents)


def _changed(book: "Logbook", version: "Version", known: "dict[str, Version]") -> list[str]:
    """What a version changed, as a player would type it."""
    from keenlattice.catalog.values import written
    from keenlattice.profile.compare import changes

    parents = [known.get(parent) or book.version(version.profile, parent) for parent in version.parents[:1]]
    before = parents[0].entries if parents else {}
    return [f"{one.key}={'' if one.after is None else written(one.after)}" for one in changes(before, version.entries)]
