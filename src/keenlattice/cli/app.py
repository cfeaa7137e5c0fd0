"""The program `keen`: its commands, and how its errors reach the player."""

import os
import sys
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
    trial,
    tune,
    undo,
)
from keenlattice.errors import KeenLatticeError

WRONG_USAGE: Any = typer.BadParameter.__mro__[1]  # the parser's UsageError, which Typer gives no name of its own

app = typer.Typer(
    name="keen", pretty_exceptions_enable=False, add_completion=True,
    help="Change one game's driver profile, apply it with a way back, and measure what it did.",
    epilog="New here? Run `keen demo`, then `keen survey`.")

for command in (demo.demo, survey.survey, catalog.catalog, edit.edit, show.show, history.history, compare.compare,
                label.label, merge.merge, merge.revert, game.game, match.match, apply.apply, undo.undo, drift.drift,
                recover.recover, restart.restart, chore.chore, fault.fault, facts.facts, sheet.sheet, measure.measure,
                ingest.ingest, latency.latency, draw.draw, report.report, trial.trial, screen.screen,
                hunt.hunt, tune.tune):
    app.command()(command)
app.add_typer(pack.app, name="pack")


def main() -> None:
    """Runs the command line; what goes wrong is one line on standard error, and 1 or 2 as exit code."""
    if len(sys.argv) == 1:
        sys.argv.append("--help")
    try:
        code = app(standalone_mode=False, prog_name="keen")
    except KeenLatticeError as error:
        code = _say(str(error), error.exit_code)
    except typer.Exit as error:
        code = error.exit_code
    except WRONG_USAGE as error:
        where = getattr(getattr(error, "ctx", None), "command_path", "keen")
        code = _say(f"{error.format_message().rstrip('.')}; see `{where} --help`", 2)
    except (typer.Abort, KeyboardInterrupt):
        code = _say("stopped; nothing is left half-done", 130)
    except BrokenPipeError:  # the reader of our output has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        code = 0
    except OSError as error:
        code = _say(f"{error.strerror or error}{f': {error.filename}' if error.filename else ''}", 1)
    sys.exit(code or 0)


def _say(message: str, code: int) -> int:
    line = " ".join(message.split())
    print(f"keen: {line}", file=sys.stderr)
    return code
