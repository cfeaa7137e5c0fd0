"""Where every command begins: the workspace is opened, and what a killed command left behind is put right first."""

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.cli.output import on_rig, warn
from keenlattice.cli.terminal import is_terminal
from keenlattice.errors import counted
from keenlattice.workspace.workspace import Workspace

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig


def begin(book: Path | None, rig: str, *, settle: bool = True, author: str | None = None) -> Workspace:
    """Opens the logbook and the rig. Of a logbook that was made elsewhere it is said that it can only be read.

    Args:
        rig: its kind; empty for the logbook's own.
        author: who makes versions; the user at the keyboard, if not given.
        settle: whether what was cut short is put right: as the player chooses on a terminal, by undoing it elsewhere.

    Raises:
        KeenLatticeError: no such rig, or the folder is not a logbook.
    """
    ws = Workspace(book, rig or None, author=author, notice=warn)
    on_rig("" if ws.opened.is_usual else ws.opened.kind)
    if ws.book.elsewhere:
        warn(f"the logbook {ws.book.folder} was made elsewhere: it is open for reading alone (keen takeover)")
    for message in ws.settle(ask_what_becomes_of_it) if settle else ():
        print(f"keen: {message}", file=sys.stderr)
    return ws


def begin_by_hand(book: Path | None, rig: str) -> Workspace:
    """As `begin`, with the rig that a person changes where neither the player nor the logbook names such a one."""
    ws = begin(book, rig)
    named = rig != os.environ.get("KEEN_RIG", "")
    return ws if named or ws.rig.by_hand else begin(book, "byhand")


def ask_what_becomes_of_it(rig: "Rig") -> bool | None:
    """Asks whether a change that was cut short is finished (True), undone (False) or left (None)."""
    import typer

    from keenlattice.rig.recovery import cut_short

    journal = cut_short(rig)
    if journal is None or not (is_terminal(sys.stdin) and is_terminal(sys.stderr)):
        return False
    print(f"keen: {journal.why} was cut short: {journal.done} of {counted(journal.steps, 'step')} done.",
          file=sys.stderr)
    answer = ""
    while answer not in ("finish", "undo", "leave"):
        answer = typer.prompt("Finish it, undo it, or leave it for now?", default="undo", err=True).strip().lower()
    return None if answer == "leave" else answer == "finish"
