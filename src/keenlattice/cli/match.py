"""`keen match`: which game's profile an executable gets, and what the driver's own files say for it."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.rig.linux.entries import Applied


def match(
    executable: Annotated[str, typer.Argument(help="A program's file name, or its path.")],
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Say which game's profile an executable would get, and why; on Linux, also which driver options apply to it."""
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UnknownName
    from keenlattice.profile.matching import match as matched

    session = begin(book, rig)
    case_matters = bool(session.rig.facts().get("case_matters", True))
    applied = _applied(session, executable)
    try:
        found = matched(executable, session.rig.games(), case_matters=case_matters)
    except UnknownName:
        if applied is None:
            raise
        found = None
    if json:
        options = None if applied is None else [_as_json(one) for one in applied]
        emit_json("match", {"executable": executable, "game": found.game.name if found else None,
                            "by": found.by if found else None, "exact": bool(found and found.exact),
                            "case_matters": case_matters, "options": options})
        return
    if found is None:
        say(f"{executable} gets no profile of ours: keen game NAME --executable {executable} --rig {rig} makes it one.")
    else:
        how = "by name" if found.exact else f"by the pattern {found.by}"
        case = "letter case counts" if case_matters else "letter case does not count"
        say(f"{executable} gets the profile of {found.game.name}: {how}, and {case} on this rig.")
    if applied is not None:
        _show(applied)


def _applied(session: "Session", executable: str) -> "list[Applied] | None":
    """The driver options that its files set for a program; None on a rig that has no such files."""
    from pathlib import Path

    from keenlattice.cli.output import warn
    from keenlattice.rig.linux.entries import Program, Screen
    from keenlattice.rig.linux.machine import LinuxRig

    if session.kind != "linux" or not isinstance(session.rig, LinuxRig):
        return None
    path = Path(executable)
    program = Program(path.name, path if path.is_file() else None)
    configuration = session.rig.configuration()
    for entry in configuration.untried():
        warn(f"{entry.file}, line {entry.line}: its pattern cannot be read, or might take for ever: it is not tried, "
             "and whether the driver takes it here is not known")
    found = configuration.resolve(program, Screen(session.rig.driver.name))
    return [found[name] for name in sorted(found)]


def _show(applied: "list[Applied]") -> None:
    from keenlattice.cli.output import say, table

    if not applied:
        say("The driver's configuration files say nothing of it.")
        return
    say("\nWhat the driver's configuration files set for it, the last word on each:", "bold")
    table(["option", "value", "says", "file", "line"], [
        [one.option, one.value, one.entry.title + "".join(f", over {entry.title}" for entry in one.overrules),
         one.entry.file, str(one.entry.line)] for one in applied], right=[4])


def _as_json(one: "Applied") -> dict[str, object]:
    return {"option": one.option, "value": one.value, "entry": one.entry.title, "file": one.entry.file,
            "line": one.entry.line, "overrules": [
                {"entry": entry.title, "file": entry.file, "line": entry.line} for entry in one.overrules]}
