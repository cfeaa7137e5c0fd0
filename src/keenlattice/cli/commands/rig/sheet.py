"""`keen rig sheet`: the run sheet of a rig that is changed by hand, and what was done of it."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin_by_hand
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, new_file, on_this_rig, say, shown_path
from keenlattice.cli.typed import only
from keenlattice.cli.views.sheet import ask_of_each, note_and_tick, show_sheet, show_what_is_open
from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.profile.sheet import Sheet
    from keenlattice.workspace.sheets import SheetResult


def sheet(
    ctx: typer.Context,
    was: Annotated[list[str] | None, typer.Option("--was", metavar="STEP=VALUE", help="What it shows before you change "
                                                  "it, for the way back.")] = None,
    tick: Annotated[list[int] | None, typer.Option("--tick", metavar="STEP", help="You have done it; once or more.")
                    ] = None,
    seen: Annotated[list[str] | None, typer.Option("--seen", metavar="STEP=VALUE", help="You have done it, and this is "
                                                   "what you read there now.")] = None,
    ask: Annotated[bool, typer.Option("--ask", help="Go through the open steps one by one.")] = False,
    drop: Annotated[bool, typer.Option("--drop", help="Give it up; what you have done of it is remembered.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="Write it to print: NAME.md or NAME.html.")] = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Show the run sheet of the rig that is changed by hand, tick its steps off, or print it."""
    if drop or out:
        only(ctx, "--drop" if drop else "--out", "drop" if drop else "out")
    ws = begin_by_hand(book, rig)
    result = ws.rig.sheets.open()
    now = result.sheet
    if now is None:
        if was or tick or seen or drop or out or ask:
            raise UsageError("no run sheet is open; `keen apply` writes one, where there is something to do by hand")
        emit(result) if json else _show_none(result)
    elif drop:
        dropped, done = ws.rig.sheets.drop(), len(now.steps) - len(now.open)
        emit(dropped) if json else say(f"Given up: {now.title}. {done} of {len(now.steps)} steps had been done" + (
            f"; keen undo{on_this_rig()} writes the sheet that takes them back." if done else "."))
    elif out:
        free = _written(result, out)
        emit(result) if json else say(f"Written to {shown_path(free.absolute())}.")
    else:
        result = note_and_tick(ws, result, was or [], tick or [], seen or [])
        result = ask_of_each(ws, result) if ask else result
        assert result.sheet is not None
        if json:
            emit(result)
            return
        show_sheet(result.sheet)
        show_what_is_open(result.sheet)


def _show_none(result: "SheetResult") -> None:
    count = len(result.earlier)
    say(f"No run sheet is open; {count} {'is' if count == 1 else 'are'} in the logbook.")
    for sheet in result.earlier[:5]:
        say(f"  {sheet.title}: {_counted(sheet)}")
    hint("keen apply GAME")


def _counted(sheet: "Sheet") -> str:
    counts = {kind: sum(step.done == kind for step in sheet.steps) for kind in ("seen", "said", "open")}
    return f"{counts['seen']} seen, {counts['said']} said" + f", {counts['open']} left out" * bool(counts["open"])


def _written(result: "SheetResult", out: Path) -> Path:
    free = new_file(out, ".md", ".html") or out
    result.save(free)
    return free
