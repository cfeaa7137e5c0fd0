"""How the sheet of a rig that is changed by hand is shown."""

from typing import TYPE_CHECKING

from keenlattice.cli.output import hint, say
from keenlattice.errors import BadValue, UsageError
from keenlattice.report._sheet_page import BOX, heading, shown, was, whom

if TYPE_CHECKING:
    from keenlattice.profile.sheet import Sheet, SheetStep
    from keenlattice.workspace.sheets import SheetResult
    from keenlattice.workspace.workspace import Workspace


def show_sheet(now: "Sheet") -> None:
    """The whole sheet, grouped by restart."""
    say(f"Run sheet: {now.title}" + f": {now.note}" * bool(now.note), "bold")
    for restart, steps in now.groups():
        say(f"\n{heading(restart)}", "bold")
        for step in steps:
            show_step(step)


def show_step(step: "SheetStep", why: bool = True, how: bool = True) -> None:
    """One step: what is there and what to set; where and how to check, and why, if that is wanted."""
    state = {"open": "", "said": "  (you say so)", "seen": f"  (you saw {shown(step, step.seen)})",
             "written": "  (written into the game's own file, and read back)"}[step.done]
    say(f"{BOX[step.done]} {step.number}. {step.title}, {whom(step)}: {was(step)} "
        f"{shown(step, step.after)}" + " (takes rights)" * step.rights + state)
    if step.done == "open" and how:
        say(f"      where: {step.where}\n      check: {step.check}" + f"\n      why:   {step.why}" * why, "dim")


def show_what_is_open(now: "Sheet") -> None:
    """What did not take, and what is still to be done."""
    for step in (one for one in now.steps if one.otherwise):
        say(f"! step {step.number}: you saw {shown(step, step.seen)}, and {shown(step, step.after)} was to be set: "
            "it did not take")
    if now.open:
        say(f"\n{len(now.open)} of {len(now.steps)} steps are open.")
        first = now.open[0].number
        hint(f"keen rig sheet --ask; or keen rig sheet --was {first}=VALUE, --tick {first}, --seen {first}=VALUE; to "
             "print it: --out sheet.html")
    else:
        counts = {kind: sum(step.done == kind for step in now.steps) for kind in ("written", "seen", "said")}
        told = ", ".join(f"{count} {'only ' * (kind == 'said')}{kind}" for kind, count in counts.items() if count)
        say(f"\nAll {len(now.steps)} steps are done: {told}. The logbook has it; to go back: keen undo --rig byhand")


def hand_out(now: "Sheet", what: str = "set") -> None:
    """A sheet that was written just now."""
    say()
    show_sheet(now)
    done = len(now.steps) - len(now.open)
    if not now.open:
        show_what_is_open(now)
        return
    say(f"\n{f'Of these, {done} are' if done else 'Nothing is'} {what}{'' if done else ' yet'}: take "
        f"{'the others' if done else 'these steps'} yourself, and tick them off.")
    hint("keen rig sheet --ask, or keen rig sheet --out sheet.html to print it")


def note_and_tick(ws: "Workspace", found: "SheetResult", was: list[str], said: list[int], seen: list[str]
                  ) -> "SheetResult":
    """Notes what was there before some steps; then ticks off those that are said to be done, and those of which it
    was seen.

    Raises:
        UsageError: not of the form `STEP=VALUE`; or as `Workspace.note_before` and `Workspace.tick`.
    """
    for number, value in map(_of_step, was):
        found = ws.rig.sheets.note_before(number, value)
    for number in said:
        found = ws.rig.sheets.tick(number)
    for number, value in map(_of_step, seen):
        found = ws.rig.sheets.tick(number, value)
    return found


def _of_step(text: str) -> tuple[int, str]:
    number, equals, value = text.partition("=")
    if not equals or not number.strip().isdecimal():
        raise UsageError(f"{text!r}: write STEP=VALUE, or STEP=unset")
    return int(number), value


def ask_of_each(ws: "Workspace", found: "SheetResult") -> "SheetResult":
    """Asks of every open step what is there now, where nobody knows, and whether it is done."""
    import typer

    for step in found.sheet.open if found.sheet else ():
        show_step(step)
        if step.before is None and step.was is None and not _noted(ws, step):
            break
        while True:
            answer = typer.prompt("Done? y, n, q to stop here, or what it shows now", default="n").strip()
            if answer.lower() in ("n", "no", "q"):
                break
            try:
                found = ws.rig.sheets.tick(step.number, None if answer.lower() in ("y", "yes") else answer)
                break
            except BadValue as error:
                say(f"! {error}")
        if answer.lower() == "q":
            break
    return found


def _noted(ws: "Workspace", step: "SheetStep") -> bool:
    """Asks what is there before a step, so that an undo can say it; false if the player stops here."""
    import typer

    while True:
        answer = typer.prompt("What does it show now, before you change it? Enter if you cannot tell, q to stop here",
                              default="", show_default=False).strip()
        if answer.lower() in ("", "q"):
            return not answer
        try:
            ws.rig.sheets.note_before(step.number, answer)
            return True
        except BadValue as error:
            say(f"! {error}")
