"""`keen history`: the versions of a profile."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import games
from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.logbook.book import Logbook
    from keenlattice.profile.version import Version


def history(
    profile: Annotated[str, typer.Argument(autocompletion=games, help="A game, or `rig` for the rig-wide profile.")],
    most: Annotated[int, typer.Option("--most", "-n", min=1, help="How many, newest first.")] = 20,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List the versions of a profile, newest first, with what each changed and why."""
    from keenlattice.cli.output import emit_json, hint, say
    from keenlattice.cli.session import begin

    session = begin(book, rig)
    session.find(profile)  # says so if there is no such game
    versions, labels = session.book.history(profile, most), session.book.labels(profile)
    known = {one.id: one for one in versions}
    changed = {one.id: changed_by(session.book, one, known) for one in versions}
    if json:
        emit_json("history", {"profile": profile, "versions": [
            {"version": one.reference, "id": one.id, "parents": list(one.parents), "labels": labels.get(one.id, []),
             "note": one.note, "author": one.author, "time": one.time, "changes": changed[one.id]}
            for one in versions]})
    elif not versions:
        say(f"{profile} has no version yet: it is at stock. Make one: keen edit {profile} SETTING=VALUE")
    else:
        applied = session.book.last_apply(session.rig_name, profile)
        for one, (head, tail) in zip(versions, _lanes(versions), strict=True):
            marks = [*labels.get(one.id, []), *(["applied"] if applied and one.id == applied.version else [])]
            _tell(one, marks, changed[one.id], head, tail)
        hint(f"keen compare {profile}@stock {versions[0].reference}"
             + f"; or keen report {profile}, for a page of all this" * (profile != "rig"))


def _tell(one: "Version", marks: list[str], changed: list[str], head: str, tail: str) -> None:
    """One version beside its place in the graph: when, by whom and why, and what it changed."""
    from keenlattice.cli.output import say

    marked = f" ({', '.join(marks)})" if marks else ""
    when = one.time[:16].replace("T", " ")
    say(f"{head}  {one.reference}{marked}, {when} UTC, by {one.author or 'somebody'}", "bold")
    for line in (one.note, ", ".join(changed)):
        if line:
            say(f"{tail:{len(head)}}    {line}")


def _lanes(versions: "list[Version]") -> list[tuple[str, str]]:
    """The graph, newest first: per version its row, `o` for itself and `|` for lines that pass, and the row below."""
    lanes: list[str] = []
    rows = []
    for one in versions:
        if one.id not in lanes:
            lanes.append(one.id)
        at = lanes.index(one.id)
        head = " ".join("o" if lane == at else "|" for lane in range(len(lanes)))
        lanes[at:at + 1] = [parent for parent in one.parents if parent not in lanes]
        rows.append((head, " ".join("|" for _ in lanes)))
    return rows


def changed_by(book: "Logbook", version: "Version", known: "dict[str, Version]") -> list[str]:
    """What a version changed, as a player would type it."""
    from keenlattice.catalog.values import written
    from keenlattice.profile.compare import changes

    parents = [known.get(parent) or book.version(version.profile, parent) for parent in version.parents[:1]]
    before = parents[0].entries if parents else {}
    return [f"{one.key}={'' if one.after is None else written(one.after)}" for one in changes(before, version.entries)]
