"""The program `keen`: its commands, and how its errors reach the player."""

import io
import os
import sys
from collections.abc import Callable
from typing import Any

import typer

from keenlattice.cli import (
    apply,
    catalog,
    chore,
    compare,
    demo,
    draw,
    drift,
    edit,
    facts,
    fault,
    game,
    history,
    hunt,
    ingest,
    label,
    latency,
    match,
    measure,
    merge,
    pack,
    recover,
    report,
    restart,
    screen,
    sheet,
    show,
    survey,
    takeover,
    trial,
    tune,
    undo,
)
from keenlattice.cli.complete import completing
from keenlattice.cli.start import STOPPED
from keenlattice.errors import KeenLatticeError, UsageError

WRONG_USAGE: Any = typer.BadParameter.__mro__[1]  # the parser's UsageError, which Typer gives no name of its own

app = typer.Typer(
    name="keen", pretty_exceptions_enable=False, add_completion=True,
    help="Change one game's driver profile, apply it with a way back, and measure what it did.",
    epilog="New here? Run `keen demo`, then `keen survey`.")

GROUPS: dict[str, tuple[Callable[..., None], ...]] = {
    "Look": (demo.demo, survey.survey, catalog.catalog, match.match),
    "Change a profile": (edit.edit, show.show, history.history, compare.compare, label.label, merge.merge,
                         merge.revert),
    "Put it on the rig, and go back": (apply.apply, undo.undo, drift.drift, recover.recover, restart.restart,
                                       chore.chore, fault.fault),
    "Measure": (measure.measure, ingest.ingest, latency.latency, draw.draw),
    "Find out what did it": (trial.trial, screen.screen, hunt.hunt, tune.tune, report.report),
    "Tell of a rig": (game.game, facts.facts, sheet.sheet),
    "Logbooks": (takeover.takeover,)}
"""The commands, in the order in which a player comes to them."""
for title, commands in GROUPS.items():
    for command in commands:
        app.command(rich_help_panel=title)(command)
app.add_typer(pack.app, name="pack", rich_help_panel="Change a profile")


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
    if isinstance(error, BrokenPipeError):  # the reader of our output has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    return _of_the_machine(error)


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
