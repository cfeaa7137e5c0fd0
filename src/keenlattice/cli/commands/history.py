"""`keen history`: the versions of a profile, and their labels."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import references
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, say
from keenlattice.cli.typed import only

if TYPE_CHECKING:
    from keenlattice.workspace.profile_results import Past


def history(
    ctx: typer.Context,
    profile: Annotated[str, typer.Argument(autocompletion=references, help="A game, or `rig` for the rig-wide profile; "
                                                                     "with --label, a version.")],
    most: Annotated[int, typer.Option("--most", "-n", min=1, help="How many, newest first.")] = 20,
    label: Annotated[str, typer.Option("--label", metavar="NAME", help="Give the version this name: small letters, "
                                                                       "digits and dashes. A label that is in "
                                                                       "use moves.")] = "",
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """List the versions of a profile, newest first, with what each changed and why; or give one a name."""
    if label:
        only(ctx, "--label", "profile", "label")
    ws = begin(book, rig)
    if label:
        version = ws.profiles.label(profile, label)
        profile = version.profile
    history_result = ws.profiles.history(profile, most)
    if json:
        emit(history_result)
    elif label:
        say(f"{version.reference} is now {profile}@{label}, too.")
    elif not history_result.versions:
        say(f"{profile} has no version yet: it is at stock. Make one: keen edit {profile} SETTING=VALUE")
    else:
        for past, (head, tail) in zip(history_result.versions, _lanes(history_result.versions), strict=True):
            _show(past, head, tail)
        hint(f"keen compare {profile}@stock {history_result.versions[0].version.reference}"
             + f"; or keen report {profile}, for a page of all this" * (profile != "rig"))


def _show(past: "Past", head: str, tail: str) -> None:
    """One version beside its place in the graph: when, by whom and why, and what it changed."""
    version, marked = past.version, f" ({', '.join(past.marks)})" if past.marks else ""
    when = version.time[:16].replace("T", " ")
    say(f"{head}  {version.reference}{marked}, {when} UTC, by {version.author or 'somebody'}", "bold")
    for line in (version.note, ", ".join(past.changes)):
        if line:
            say(f"{tail:{len(head)}}    {line}")


def _lanes(versions: "tuple[Past, ...]") -> list[tuple[str, str]]:
    """The graph, newest first: per version its row, `o` for itself and `|` for lines that pass, and the row below."""
    lanes: list[str] = []
    rows = []
    for version in (past.version for past in versions):
        if version.id not in lanes:
            lanes.append(version.id)
        at = lanes.index(version.id)
        head = " ".join("o" if lane == at else "|" for lane in range(len(lanes)))
        lanes[at:at + 1] = [parent for parent in version.parents if parent not in lanes]
        rows.append((head, " ".join("|" for _ in lanes)))
    return rows
