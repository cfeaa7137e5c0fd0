"""`keen match`: which game's profile an executable gets."""

from typing import Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig


def match(
    executable: Annotated[str, typer.Argument(help="A program's file name, or its path.")],
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Say which game's profile an executable would get, and why."""
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.profile.matching import match as matched

    session = begin(book, rig)
    case_matters = bool(session.rig.facts().get("case_matters", True))
    found = matched(executable, session.rig.games(), case_matters=case_matters)
    if json:
        emit_json("match", {"executable": executable, "game": found.game.name, "by": found.by, "exact": found.exact,
                            "case_matters": case_matters})
        return
    how = "by name" if found.exact else f"by the pattern {found.by}"
    case = "letter case counts" if case_matters else "letter case does not count"
    say(f"{executable} gets the profile of {found.game.name}: {how}, and {case} on this rig.")
