"""How the sheet of a rig that is changed by hand, its stock-taking and its next run are shown."""

import sys
from collections.abc import Mapping
from typing import TYPE_CHECKING

from keenlattice.catalog.values import written
from keenlattice.cli.output import emit, hint, minutes, on_this_rig, say, table
from keenlattice.cli.terminal import is_terminal
from keenlattice.cli.views.trial import show_played
from keenlattice.errors import BadValue, UsageError, counted
from keenlattice.report.sheet import BOX, heading, shown, was, whom

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting
    from keenlattice.catalog.values import Value
    from keenlattice.profile.sheet import Sheet, SheetStep
    from keenlattice.workspace.next_run import NextRun
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
             "written": "  (written from here, and read back)"}[step.done]
    say(f"{BOX[step.done]} {step.number}. {step.title}, {whom(step)}: {was(step)} "
        f"{shown(step, step.after)}" + " (takes rights)" * step.rights + state)
    if step.done == "open" and how:
        say(f"      where: {step.where}\n      check: {step.check}" + f"\n      why:   {step.why}" * why, "dim")


def show_what_is_open(now: "Sheet") -> None:
    """What did not take, and what is still to be done."""
    for step in (step for step in now.steps if step.otherwise):
        say(f"! step {step.number}: you saw {shown(step, step.seen)}, and {shown(step, step.after)} was to be set: "
            "it did not take")
    if now.open:
        say(f"\n{len(now.open)} of {counted(len(now.steps), 'step')} still to do.")
        first = now.open[0].number
        hint(f"keen rig sheet --ask; or keen rig sheet --was {first}=VALUE, --tick {first}, --seen {first}=VALUE; to "
             "print it: --out sheet.html")
    else:
        counts = {kind: sum(step.done == kind for step in now.steps) for kind in ("written", "seen", "said")}
        counts_text = ", ".join(f"{count} {'only ' * (kind == 'said')}{kind}" for kind, count in counts.items()
                                if count)
        say(f"\nDone, in {counted(len(now.steps), 'step')}: {counts_text}. The logbook has it; to go back: keen undo"
            f"{on_this_rig()}")


def hand_out(now: "Sheet", verb: str = "set") -> None:
    """A sheet that was written just now."""
    say()
    show_sheet(now)
    done = len(now.steps) - len(now.open)
    if not now.open:
        show_what_is_open(now)
        return
    so_far = f"{done} of these {'is' if done == 1 else 'are'}" if done else "Nothing is"
    say(f"\n{so_far} {verb}{'' if done else ' yet'}: take "
        f"{'the others' if done else 'these steps'} yourself, and tick them off.")
    hint("keen rig sheet --ask, or keen rig sheet --out sheet.html to print it")


def note_and_tick(ws: "Workspace", result: "SheetResult", was: list[str], values: list[int], seen: list[str]
                  ) -> "SheetResult":
    """Notes what was there before some steps; then ticks off those that are said to be done, and those of which it
    was seen.

    Raises:
        UsageError: not of the form `STEP=VALUE`; or as `Workspace.note_before` and `Workspace.tick`.
    """
    for number, value in map(_of_step, was):
        result = ws.rig.sheets.note_before(number, value)
    for number in values:
        result = ws.rig.sheets.tick(number)
    for number, value in map(_of_step, seen):
        result = ws.rig.sheets.tick(number, value)
    return result


def _of_step(text: str) -> tuple[int, str]:
    number, equals, value = text.partition("=")
    if not equals or not number.strip().isdecimal():
        raise UsageError(f"{text!r}: write STEP=VALUE, or STEP=unset")
    return int(number), value


def ask_of_each(ws: "Workspace", result: "SheetResult") -> "SheetResult":
    """Asks of every open step what is there now, where nobody knows, and whether it is done."""
    import typer

    for step in result.sheet.open if result.sheet else ():
        show_step(step)
        if step.before is None and step.was is None and not _noted(ws, step):
            break
        while True:
            answer = typer.prompt("Done? y, n, q to stop here, or what it shows now", default="n").strip()
            if answer.lower() in ("n", "no", "q"):
                break
            try:
                result = ws.rig.sheets.tick(step.number, None if answer.lower() in ("y", "yes") else answer)
                break
            except BadValue as error:
                say(f"! {error}")
        if answer.lower() == "q":
            break
    return result


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


def asked_for(settings: "list[Setting]") -> dict[str, str]:
    """What a player sees of some settings, one by one: Enter leaves one out, q stops.

    Raises:
        UsageError: nobody is there to be asked.
    """
    import typer

    if not is_terminal(sys.stdin):
        raise UsageError("nobody can be asked here; give SETTING=VALUE")
    result: dict[str, str] = {}
    for number, setting in enumerate(settings, 1):
        say(f"\n{number} of {len(settings)}: {setting.title} ({setting.name}); it takes {setting.allowed()}", "bold")
        say(f"  where: {setting.where}", "dim")
        while answer := typer.prompt("What does it show? Enter if you cannot tell, q to stop", default="",
                                     show_default=False).strip():
            if answer.lower() == "q":
                return result
            try:
                setting.parsed(answer)
            except BadValue as error:
                say(f"! {error}")
                continue
            result[setting.name] = answer
            break
    return result


def show_not_seen(settings: "list[Setting]", game: str, domain: str) -> None:
    """What is not known yet, and where it is looked for."""
    of = f"{f' of {game}' * bool(game)}{f' in {domain}' * bool(domain)}"
    if not settings:
        say(f"Every setting{of} is known.")
        return
    table(["not known", "where to look"], [[setting.name, setting.where or ""] for setting in settings])
    words = " ".join([*(["--game", game] if game else []), *(["--domain", domain] if domain else [])])
    hint(f"keen rig take-stock {words} --ask, or SETTING=VALUE with what you see".replace("  ", " "))


def show_next_run(ws: "Workspace", run: "NextRun", json: bool) -> None:
    """Where the study stands, what to change, what to play, and how the recording is handed over; before that, what
    another found that this one proves."""
    if json:
        emit(run)
        return
    if run.finished is not None:
        show_played(ws, run.finished)
        say()
    say(f"{run.kind.capitalize()} {run.study}, {run.of}: {run_of(run.run, run.runs, run.minutes_left)}",
        "bold")
    if run.wrong:
        say(f"This run went wrong {'once' if run.wrong == 1 else f'{run.wrong} times'}; play it again.")
    say(f"The rig holds: {held_in_words(run.holds)}", "dim")
    last = ""
    for step in run.steps:
        if step.restart != last:
            say(f"\n{heading(step.restart)}", "bold")
            last = step.restart
        show_step(step, why=False)
    if not run.steps:
        say("\nNothing is to be changed for this run.")
    if any(step.before is None and step.was is None for step in run.steps):
        say("\nWhat is there now is not known: note it before you change it, for the way back: keen rig take-stock"
            f"{on_this_rig()}", "dim")
    if run.start:
        say(f"\nStart the game by {run.start}: what is set of its process holds for no other start.")
    say(f"\nThen play {run.game} for {run.seconds:g} s, and record it.", "bold")
    files = "FILM (or its sensor's file)" if run.latency_alone else "FRAMES, or keen rig next FRAMES FILM_OR_SENSOR"
    hint(f"keen rig next {files}; --wrong WHY if it went wrong; or --watch FOLDER, which goes through all runs")


def run_of(number: int, most: int | None, minutes_left: float | None) -> str:
    """Which run comes next, and bounds of what is left."""
    if most is None or minutes_left is None:
        return f"run {number}; the search goes on until it is sure"
    return f"run {number} of at most {most}, about {minutes(minutes_left)} if all are played"


def held_in_words(holds: "Mapping[str, Mapping[str, Value]]") -> str:
    """What the rig holds, by all that was said."""
    values = [f"{key} {written(value)}{' (rig-wide)' * (owner == 'rig')}" for owner, entry in holds.items()
              for key, value in entry.items()]
    return ", ".join(values) or "nothing that anybody has told"
