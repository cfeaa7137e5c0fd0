"""The program `keen`: its commands, and how its errors reach the player."""

import errno
import io
import os
import sys
from collections.abc import Callable
from typing import Any

import typer

from keenlattice.cli.commands import (
    apply,
    blind,
    catalog,
    compare,
    demo,
    draw,
    drift,
    edit,
    history,
    hunt,
    ingest,
    latency,
    measure,
    merge,
    pack,
    report,
    screen,
    show,
    survey,
    takeover,
    trial,
    tune,
    undo,
)
from keenlattice.cli.commands.pool import fleet, look, order, read, write
from keenlattice.cli.commands.rig import chore, facts, fault, game, match, recover, restart, sheet, take_stock
from keenlattice.cli.commands.rig import next as next_
from keenlattice.cli.complete import completing
from keenlattice.cli.grouped import Grouped
from keenlattice.errors import KeenLatticeError, UsageError

WRONG_USAGE: Any = typer.BadParameter.__mro__[1]  # the parser's UsageError, which Typer gives no name of its own
STOPPED = "stopped; nothing is left half-done"

app = typer.Typer(
    name="keen", cls=Grouped, rich_markup_mode=None, pretty_exceptions_enable=False, add_completion=True,
    help="Edit a game's driver profile, apply it with a way back, measure what it did.",
    epilog="New here? `keen demo`, then `keen survey`. Words: --install-completion.")
of_a_pool = typer.Typer(rich_markup_mode=None, help="What changes do on many rigs, from the evidence of all.")
of_a_rig = typer.Typer(rich_markup_mode=None, help="Facts, games, sheets, chores and recovery of a rig.")

GROUPS: dict[str, dict[Callable[..., None], str]] = {
    "Profiles": {
        catalog.catalog: "List the settings, search them, or tell all about one.",
        edit.edit: "Change settings in a profile: makes a new version.",
        show.show: "Show what holds for a game, and from which layer.",
        history.history: "List the versions of a profile, or label one.",
        compare.compare: "Show what differs between two versions, and what it did.",
        merge.merge: "Bring two lines together, or take one change back."},
    "The rig": {
        survey.survey: "Look at the rig, and at what is plainly wrong with it.",
        apply.apply: "Put a version on the rig, with a way back.",
        undo.undo: "Go back to before an apply, a chore or an undo.",
        drift.drift: "Tell whether the rig still holds what was applied."},
    "Measure": {
        measure.measure: "Play a game as the rig stands, and say how it runs.",
        ingest.ingest: "Read a recording of any recorder's.",
        latency.latency: "Measure input latency in what was recorded.",
        draw.draw: "Draw one run, or several over each other."},
    "Find out what did it": {
        trial.trial: "Play two versions against each other, for a verdict.",
        screen.screen: "Find out which of many changes matter, all at once.",
        hunt.hunt: "Find since which version it is so, and because of what.",
        tune.tune: "Find the best combination of some values.",
        blind.blind: "Find out, blind, whether you can feel it.",
        report.report: "Write a page about a study, or a game's history."},
    "Besides": {
        demo.demo: "Tell the whole story once: edit, apply, measure, undo.",
        takeover.takeover: "Make a logbook from elsewhere your own."}}
"""The commands, in the order in which a player comes to them, each in a few words."""
OF_A_POOL: dict[Callable[..., None], str] = {
    read.read: "Pool evidence of many rigs: what does each change do?",
    look.look: "Show what the pool says, and what to expect here.",
    order.order: "Say which of many changes to try first here.",
    write.write: "Write your own evidence, for others to pool.",
    fleet.fleet: "Let a league of made-up players publish evidence."}
OF_A_RIG: dict[Callable[..., None], str] = {
    facts.facts: "Show what a rig says of itself, or type that in.",
    game.game: "List a rig's games, or tell it of one.",
    match.match: "Say which game's profile an executable would get.",
    next_.next_run: "Say what a study by hand waits for, or take it.",
    take_stock.take_stock: "Note what you see on a rig changed by hand.",
    sheet.sheet: "Show the sheet of a rig changed by hand; tick it off.",
    chore.chore: "List the chores of a rig, or do one.",
    restart.restart: "Restart what waits for that.",
    recover.recover: "Finish or undo a change that was cut short.",
    fault.fault: "Let something go wrong on the stand-in."}

for title, commands in GROUPS.items():
    for command, short in commands.items():
        app.command(rich_help_panel=title, short_help=short)(command)
for command, short in OF_A_POOL.items():
    of_a_pool.command(short_help=short)(command)
for command, short in OF_A_RIG.items():
    of_a_rig.command("next" if command is next_.next_run else None, short_help=short)(command)
app.add_typer(pack.app, name="pack", rich_help_panel="Profiles")
app.add_typer(of_a_pool, name="pool", rich_help_panel="Find out what did it")
app.add_typer(of_a_rig, name="rig", rich_help_panel="The rig")


def main() -> None:
    """Runs the command line; what goes wrong is one line on standard error, and 1 or 2 as exit code."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")  # where only ASCII can be printed, the rest of a line still can
    if len(sys.argv) == 1 and "_KEEN_COMPLETE" not in os.environ:
        sys.argv.append("--help")
    try:
        _check_words(sys.argv)
        code = completing(lambda: app(standalone_mode=False, prog_name="keen"))
    except (Exception, KeyboardInterrupt) as error:
        code = _told(error)
        if code is None:
            raise
    sys.exit(code or 0)


def _told(error: BaseException) -> int | None:
    """Says what went wrong, in one line; returns the exit code, or None if that is not known."""
    if isinstance(error, KeenLatticeError):
        return _say(str(error), error.exit_code)
    if isinstance(error, typer.Exit):
        return int(error.exit_code)
    if isinstance(error, WRONG_USAGE):
        where = getattr(getattr(error, "ctx", None), "command_path", "keen")
        return _say(_advised(error.format_message(), where), 2)
    if isinstance(error, typer.Abort | KeyboardInterrupt):
        return _say(STOPPED, 130)
    if isinstance(error, BrokenPipeError) or _is_closed_pipe(error):  # the reader of our output has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    return _of_the_machine(error)


def _is_closed_pipe(error: BaseException) -> bool:
    """Whether nobody reads our output any more, as Windows says it: an invalid argument, of no file."""
    return (sys.platform == "win32" and isinstance(error, OSError) and error.errno == errno.EINVAL
            and error.filename is None)


def _of_the_machine(error: BaseException) -> int | None:
    if isinstance(error, OSError):
        return _say(f"{error.strerror or error}{f': {error.filename}' if error.filename else ''}", 1)
    if isinstance(error, UnicodeError):
        return _say("a name, note or path holds bytes that are no UTF-8: rename it, or type it anew", 1)
    if isinstance(error, MemoryError):
        return _say("there is not enough memory for this; nothing was kept of it", 1)
    return None


def _check_words(words: list[str]) -> None:
    """Whether all that was typed is text.

    Raises:
        UsageError: it is not.
    """
    for word in words:
        if any("\ud800" <= letter <= "\udfff" for letter in word):
            raise UsageError(f"{word.encode(errors='surrogateescape')!r} is no UTF-8 text: type it anew, or rename "
                             "the file")


def _advised(message: str, where: str) -> str:
    """What the parser says, with what is known of why it may have been said."""
    if message.startswith("No such option") and where == "keen":
        message = f"{message.partition(' (')[0].rstrip('.')}: options come after the command"
    elif message.startswith("Got unexpected extra argument"):
        message = f"{message}: what has several words takes quotes around it"
    end = " See" if message.endswith("?") else "; see"
    return f"{message.rstrip('.')}{end} `{where} --help`"


def _say(message: str, code: int) -> int:
    from keenlattice.cli.output import harmless

    print(harmless(f"keen: {' '.join(message.split())}"), file=sys.stderr)
    return code
