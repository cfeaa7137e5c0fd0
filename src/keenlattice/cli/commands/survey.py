"""`keen survey`: what the rig is, what is set on it, and what is clearly wrong."""

from typing import TYPE_CHECKING

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, say
from keenlattice.cli.views.rig import show_rig
from keenlattice.errors import counted
from keenlattice.rig.find import described

if TYPE_CHECKING:
    from keenlattice.workspace.rig_results import Survey
    from keenlattice.workspace.workspace import Workspace


def survey(book: Book = None, rig: Rig = "", json: Json = False) -> None:
    """Look at the rig: its hardware, its games, what is applied, and what is clearly wrong."""
    from keenlattice.cli.views.settings import show_findings, show_of_pool

    ws = begin(book, rig)
    result = ws.rig.survey()
    if json:
        emit(result)
        return
    show_rig(result, described(ws.rig.kind))
    for kind in dict.fromkeys(result.pending.values()):
        waiting = ", ".join(key for key, restart in result.pending.items() if restart == kind)
        say(f"! waits for a restart of the {kind}: {waiting}")
    for version, count in result.slipped.items():
        say(f"! no longer as applied: {version} ({counted(count, 'setting')}); see `keen drift`")
    show_findings(result.findings)
    show_of_pool(ws.pool.about_fixing([key for finding in result.findings for key in finding.settings]))
    _hint(ws, result)


def _hint(ws: "Workspace", result: "Survey") -> None:
    from keenlattice.rig.base import TakesGames

    if isinstance(ws.rig.machine, TakesGames):
        hint("keen rig game NAME --executable FILE, to tell it of a game of yours", "games")
    if not result.games:
        return
    first = result.games[0]
    if "refresh_hz" in result.facts and "frame.cap" in ws.rig.machine.catalog():
        say(f"\nFacts are named as formulas call them: keen edit {first} frame.cap=\"= refresh - 3\"", "dim")
    hint(f"keen edit rig SETTING=VALUE, to fix what is wrong; or keen show {first}" if result.findings else
         f"keen show {first}")
