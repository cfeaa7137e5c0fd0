"""`keen sheet`: the run sheet of a rig that is changed by hand, and what was done of it."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.fitting import only
from keenlattice.cli.options import Book, Json

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.profile.sheet import Sheet, SheetStep
    from keenlattice.rig.byhand.machine import ByHandRig


def sheet(
    ctx: typer.Context,
    tick: Annotated[list[int] | None, typer.Option("--tick", metavar="STEP", help="You have done it; several, if so.")
                    ] = None,
    seen: Annotated[list[str] | None, typer.Option("--seen", metavar="STEP=VALUE", help="You have done it, and this is "
                                                   "what you read there now.")] = None,
    ask: Annotated[bool, typer.Option("--ask", help="Go through the open steps one by one.")] = False,
    drop: Annotated[bool, typer.Option("--drop", help="Give it up; what you have done of it is kept in mind.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="Write it to print: NAME.md or NAME.html.")] = None,
    book: Book = None, json: Json = False,
) -> None:
    """Show the run sheet of the rig that is changed by hand, tick its steps off, or print it."""
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.rig.byhand.sheets import drop as give_up
    from keenlattice.rig.byhand.sheets import open_sheet

    if drop or out:
        only(ctx, "--drop" if drop else "--out", "drop" if drop else "out")
    session = begin(book, "byhand")
    rig = by_hand(session)
    now = open_sheet(rig)
    if now is None:
        if tick or seen or drop or out or ask:
            raise UsageError("no run sheet is open; `keen apply GAME --rig byhand` writes one")
        emit_json("sheet", {"sheet": None}) if json else _none_open(session)
        return
    if drop:
        give_up(rig, session.book)
        say(f"Given up: {now.title}. {len(now.steps) - len(now.open)} of {len(now.steps)} steps had been done"
            + ("; keen undo --rig byhand writes the sheet that takes them back." if len(now.open) < len(now.steps)
               else "."))
        return
    if out:
        _write(now, out)
        return
    now = _ticked(session, rig, now, tick or [], seen or [])
    if ask:
        now = _asked(session, rig, now)
    if json:
        emit_json("sheet", {"sheet": now.to_json()})
    else:
        show_sheet(now)
        _what_now(now)


def by_hand(session: "Session") -> "ByHandRig":
    """The session's rig, which is changed by hand."""
    from keenlattice.rig.byhand.machine import ByHandRig

    assert isinstance(session.rig, ByHandRig)
    return session.rig


def _none_open(session: "Session") -> None:
    from keenlattice.cli.output import hint, say

    done = session.book.sheets(session.rig_name)
    say(f"No run sheet is open; {len(done)} {'is' if len(done) == 1 else 'are'} in the logbook.")
    for one in done[:5]:
        counts = {kind: sum(step.done == kind for step in one.steps) for kind in ("seen", "said", "open")}
        say(f"  {one.title}: {counts['seen']} seen, {counts['said']} said" + f", {counts['open']} left out"
            * bool(counts["open"]))
    hint("keen apply GAME --rig byhand")


def _ticked(session: "Session", rig: "ByHandRig", now: "Sheet", said: list[int], seen: list[str]) -> "Sheet":
    from keenlattice.errors import UsageError
    from keenlattice.rig.byhand.sheets import tick

    for number in said:
        now = tick(rig, session.book, number)
    for text in seen:
        number_text, equals, value = text.partition("=")
        if not equals or not number_text.strip().isdecimal():
            raise UsageError(f"{text!r}: write STEP=VALUE, or STEP=unset")
        now = tick(rig, session.book, int(number_text), value)
    return now


def _asked(session: "Session", rig: "ByHandRig", now: "Sheet") -> "Sheet":
    from keenlattice.cli.output import say
    from keenlattice.errors import BadValue
    from keenlattice.rig.byhand.sheets import tick

    for step in now.open:
        show_step(step)
        while True:
            answer = typer.prompt("Done? y, n, q to stop here, or what it shows now", default="n").strip()
            if answer.lower() in ("n", "no", "q"):
                break
            try:
                now = tick(rig, session.book, step.number, None if answer.lower() in ("y", "yes") else answer)
                break
            except BadValue as error:
                say(f"! {error}")
        if answer.lower() == "q":
            break
    return now


def _write(now: "Sheet", out: Path) -> None:
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.output import say, shown_path
    from keenlattice.files import replace_file
    from keenlattice.report.sheet_page import markdown, page

    free = new_file(out, ".md", ".html") or out
    replace_file(free, (page(now) if out.suffix == ".html" else markdown(now)).encode())
    say(f"Written to {shown_path(free.absolute())}.")


def show_sheet(now: "Sheet") -> None:
    """The whole sheet, grouped by restart."""
    from keenlattice.cli.output import say
    from keenlattice.report.sheet_page import heading

    say(f"Run sheet: {now.title}" + f": {now.note}" * bool(now.note), "bold")
    for restart, steps in now.groups():
        say(f"\n{heading(restart)}", "bold")
        for step in steps:
            show_step(step)


def show_step(step: "SheetStep") -> None:
    """One step: what is there, what to set, why, where, and how to check."""
    from keenlattice.cli.output import say
    from keenlattice.report.sheet_page import BOX, shown, whom

    state = {"open": "", "said": "  (you say so)", "seen": f"  (you saw {shown(step, step.seen)})"}[step.done]
    say(f"{BOX[step.done]} {step.number}. {step.title}, {whom(step)}: from {shown(step, step.before)} to "
        f"{shown(step, step.after)}" + " (takes rights)" * step.rights + state)
    if step.done == "open":
        say(f"      where: {step.where}\n      check: {step.check}\n      why:   {step.why}", "dim")


def _what_now(now: "Sheet") -> None:
    from keenlattice.cli.output import hint, say
    from keenlattice.report.sheet_page import shown

    for step in (one for one in now.steps if one.otherwise):
        say(f"! step {step.number}: you saw {shown(step, step.seen)}, and {shown(step, step.after)} was to be set: "
            "it did not take")
    if now.open:
        say(f"\n{len(now.open)} of {len(now.steps)} steps are open.")
        first = now.open[0].number
        hint(f"keen sheet --ask; or keen sheet --tick {first}, --seen {first}=VALUE; to print it: --out sheet.html")
    else:
        said = sum(step.done == "said" for step in now.steps)
        say(f"\nAll {len(now.steps)} steps are done: {len(now.steps) - said} seen, {said} only said. The logbook has "
            "it; to go back: keen undo --rig byhand")
