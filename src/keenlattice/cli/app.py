"""The program `keen`: its commands, and how its errors reach the player."""

import errno
import io
import os
import sys
from typing import Any

import typer

from keenlattice import _version
from keenlattice.cli.complete import completing
from keenlattice.cli.grouped import group
from keenlattice.cli.terminal import STOPPED
from keenlattice.errors import KeenLatticeError, UsageError, worded_as_commands

WRONG_USAGE: Any = typer.BadParameter.__mro__[1]  # the parser's UsageError, which Typer does not name
INTERRUPTED = 130  # the exit code of a program that Ctrl-C has ended

GROUPS = {
    "Profiles": {
        "catalog": "List the settings, search them, or tell all about one.",
        "edit": "Change settings in a profile: makes a new version.",
        "show": "Show what holds for a game, and from which layer.",
        "history": "List the versions of a profile, or label one.",
        "compare": "Show what differs between two versions, and what it did.",
        "merge": "Bring two lines together, or take one change back.",
        "pack": "Look at a shared pack, take it over, or write one.",
        "takeover": "Make a logbook from elsewhere your own."},
    "The rig": {
        "status": "Show what is on the rig, what waits, and what to do next.",
        "survey": "Look at the rig, and at what is clearly wrong with it.",
        "apply": "Put a version on the rig, with a way back.",
        "undo": "Go back to before an apply, a chore or an undo.",
        "play": "Put a version on with its game, and back when it ends.",
        "drift": "Tell whether the rig still holds what was applied.",
        "rig": "Facts, games, sheets, chores and recovery of a rig."},
    "Measure": {
        "measure": "Play a game as the rig stands, and say how it runs.",
        "ingest": "Read a recording of any recorder's.",
        "latency": "Measure input latency in what was recorded.",
        "draw": "Draw one run, or several over each other."},
    "Find out what did it": {
        "trial": "Play two versions against each other, for a verdict.",
        "screen": "Find out which of many changes matter, all at once.",
        "hunt": "Find since which version it is so, and because of what.",
        "tune": "Find the best combination of some values.",
        "blind": "Find out, blind, whether you can feel it.",
        "studies": "List what was measured; go on with it, compute it again.",
        "report": "Write a page about a study, or a game's history.",
        "pool": "What changes do on many rigs, from the evidence of all.",
        "demo": "Tell the whole story once: edit, apply, measure, undo."}}
"""The commands, in the order in which a player meets them, each in a few words."""



OTHER_WORDS = {
    "list": "keen studies lists what was measured, keen catalog the settings, keen history the versions",
    "diff": "keen compare shows what differs between two versions", "games": "keen rig game lists and adds games",
    "redo": "keen undo --redo takes the newest undo back", 
    "revert": "keen undo, or keen merge --revert for one version",
    "settings": "keen catalog lists the settings", "profiles": "keen history lists the versions of a profile",
    "set": "keen edit GAME SETTING=VALUE makes a version", "test": "keen trial plays two versions against each other",
    "run": "keen measure plays a game, keen trial two versions against each other",
    "restore": "keen undo --list shows the restore points"}
"""What a player may type for a command, and where that leads."""
ASKED_FOR = {"help": "--help", "-h": "--help", "version": "--version", "-V": "--version"}


def _of_a_kind(name: str) -> Any:
    """Return the command of a kind of study that lacks its own; None if there is no such kind."""
    from keenlattice.study.kind import KINDS, kind_named

    if name not in KINDS or (plan := kind_named(name).plan) is None:
        return None
    from keenlattice.cli.of_kind import command_of

    return command_of(name, plan)


app = group(
    "keenlattice.cli.commands", GROUPS, more=_of_a_kind, name="keen",
    pretty_exceptions_enable=False, add_completion=True,
    help="Edit a game's driver profile, apply it with a way back, measure what it did.",
    epilog="New here? `keen demo`, then `keen survey`. Words: --install-completion.")


def main() -> None:
    """Runs the command line; what goes wrong is one line on standard error, and 1 or 2 as exit code."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")  # where only ASCII can be printed, the rest of a line still can
    if len(sys.argv) == 1 and "_KEEN_COMPLETE" not in os.environ:
        sys.argv.append("--help")
    sys.argv[1:2] = [ASKED_FOR.get(word, word) for word in sys.argv[1:2]]
    if sys.argv[1:] == ["--version"]:
        print(f"keen {_version.__version__}")
        sys.exit(0)
    try:
        sys.argv[:] = map(_as_text, sys.argv)
        _check_words(sys.argv)
        with worded_as_commands():
            code = completing(lambda: app(standalone_mode=False, prog_name="keen"))
        if code == INTERRUPTED:  # which Typer makes of Ctrl-C, without a word
            _say(STOPPED, INTERRUPTED)
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
        return _say(STOPPED, INTERRUPTED)
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
        return _say("a name, note or path holds bytes that are not UTF-8: rename it, or type it again", 1)
    if isinstance(error, MemoryError):
        return _say("there is not enough memory for this; nothing was kept of it", 1)
    return None


def _as_text(word: str) -> str:
    """A word as it was typed: where the locale knows letters of ASCII alone, Python leaves the others as bytes."""
    try:
        return word.encode(errors="surrogateescape").decode()
    except UnicodeError:
        return word


def _check_words(words: list[str]) -> None:
    """Whether all that was typed is text.

    Raises:
        UsageError: it is not.
    """
    for word in words:
        if any("\ud800" <= letter <= "\udfff" for letter in word):
            raise UsageError(f"{word.encode(errors='surrogateescape')!r} is not UTF-8 text: type it again, or rename "
                             "the file")


def _advised(message: str, where: str) -> str:
    """What the parser says, with what is known of why it may have been said."""
    if message.startswith("No such option") and where == "keen":
        message = f"{message.partition(' (')[0].rstrip('.')}: options come after the command"
    elif message.startswith("Got unexpected extra argument"):
        message = f"{message}: what has several words takes quotes around it"
    elif message.startswith("No such command") and where == "keen":
        named = message.split("'")[1]
        if named in OTHER_WORDS:
            return f"no command {named}: {OTHER_WORDS[named]}"
    end = " See" if message.endswith("?") else "; see"
    return f"{message.rstrip('.')}{end} `{where} --help`"


def _say(message: str, code: int) -> int:
    from keenlattice.cli.output import harmless

    print(harmless(f"keen: {' '.join(message.split())}"), file=sys.stderr)
    return code
