"""`keen apply`: a version onto the rig, with a way back."""

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig, Version, Yes
from keenlattice.cli.output import confirmed, emit, hint, say
from keenlattice.cli.views.rig import show_steps, warn_of_facts
from keenlattice.cli.views.sheet import hand_out


def apply(reference: Version, yes: Yes = False, book: Book = None, rig: Rig = "", json: Json = False) -> None:
    """Put a version on the rig. Shows every step and asks; `keen undo` takes it back."""
    from keenlattice.rig.base import Asks, Restartable

    ws = begin(book, rig)
    plan, machine = ws.rig.preview(reference), ws.rig.machine
    asking, name = machine if isinstance(machine, Asks) else None, plan.version.reference
    if not plan.changes and not plan.without_rights and not json:
        say(f"Nothing changes: the rig {ws.rig.name} holds {'all that it has of ' * bool(plan.unknown)}{name} already.")
    warn_of_facts(machine.catalog(), plan)
    if not json:
        show_steps(machine.catalog(), plan, machine.home, asking)
    asked = asking is not None and not all(
        asking.written_here(plan.version.profile, change.setting) for change in plan.changes)
    question = "Write the run sheet for this?" if asked else f"Apply this to the rig {ws.rig.name}?"
    if plan.changes and not plan.refused and not confirmed(question, yes):
        say("Nothing was changed.")
        return
    done = ws.apply(reference, plan)
    if json:
        emit(done)
    elif done.sheet is not None:
        hand_out(done.sheet)
    elif done.changes:
        say(f"\nApplied {name}, and read back: it took. A restore point is kept.")
        if isinstance(machine, Restartable) and done.restart in ("driver", "machine"):
            hint(f"keen rig restart {done.restart}", "for what waits")
        hint("keen undo", "to go back")
