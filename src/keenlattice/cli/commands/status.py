"""`keen status`: what is on the rig, what was measured, what waits, and what to do next."""

from typing import TYPE_CHECKING

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, say, table
from keenlattice.errors import counted
from keenlattice.rig.find import described

if TYPE_CHECKING:
    from keenlattice.workspace.status import ProfileStatus


def status(book: Book = None, rig: Rig = "", json: Json = False) -> None:
    """Show what is applied, unmeasured, slipped, unfinished and waiting, and what to do next."""
    ws = begin(book, rig)
    state = ws.status()
    if json:
        emit(state)
        return
    say(f"{state.rig} ({described(ws.rig.kind)})", "bold")
    if state.profiles:
        table(["", "on the rig", "latest version", "measured"], [
            [profile.title, _on_rig(profile), _latest(profile), _measured(profile)] for profile in state.profiles])
        say()
    for restart in dict.fromkeys(state.pending.values()):
        waiting = ", ".join(key for key, part in state.pending.items() if part == restart)
        say(f"! waits for a restart of the {restart}: {waiting}")
    for study in state.unfinished:
        say(f"! {study.kind} {study.number} is unfinished: {study.of}")
    if state.wrong:
        say(f"! {counted(state.wrong, 'setting is', 'settings are')} clearly wrong: keen survey tells which")
    say(f"Next: {state.next_step}", "bold")
    hint(state.why, "why")


def _on_rig(profile: "ProfileStatus") -> str:
    if not profile.on_rig:
        return "nothing applied"
    slipped = f" ({counted(profile.slipped, 'setting has', 'settings have')} slipped)" * bool(profile.slipped)
    return profile.on_rig + slipped


def _latest(profile: "ProfileStatus") -> str:
    return "the same" if profile.latest == profile.on_rig else profile.latest or "-"


def _measured(profile: "ProfileStatus") -> str:
    if profile.trial is None:
        return "not measured" if profile.latest else "-"
    return f"{profile.verdicts} (trial {profile.trial}, against {profile.against})"
