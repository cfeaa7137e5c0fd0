"""How a study is played from the command line: with a progress bar; or, on a rig that is changed by hand, guided at the
terminal, or else with word of what comes next.
"""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from keenlattice.cli.terminal import STOPPED, Interrupted, at_a_terminal, is_terminal
from keenlattice.cli.views.sheet import show_next_run
from keenlattice.errors import UsageError
from keenlattice.rig.hand import Paused
from keenlattice.workspace.next_run import Waiting

if TYPE_CHECKING:
    from keenlattice.cli.views.live import StudyView
    from keenlattice.workspace.workspace import Workspace

Told = Callable[[int, int], None] | None


@contextmanager
def playing(ws: "Workspace", title: str, json: bool = False, watch: Path | None = None, sensor: str = ""
            ) -> Iterator[Told]:
    """Yields what learns how many runs are done. If the study waits for a person, that is shown, and the command ends.

    Args:
        title: is played, for the bar.
        watch: a folder that recordings appear in.
        sensor: the serial port of a sensor that is read while a run is played.
    """
    if (watch or sensor) and not ws.rig.by_hand:
        raise UsageError(f"--watch and --sensor go with a rig that is changed by hand: {ws.rig.kind} is played from "
                         "here")
    if (watch or sensor) and json:
        raise UsageError("--json does not go with --watch or --sensor, which guide a player; keen rig next takes "
                         "recordings without a word")
    try:
        if ws.rig.by_hand and (watch or sensor or at_a_terminal(json)):
            from keenlattice.cli.guide import Guide
            from keenlattice.rig.session import hand_where_nobody_is

            guide = Guide(ws, watch, sensor)
            with hand_where_nobody_is(ws.rig.machine, guide), guide:
                yield guide.told
        elif json or ws.rig.by_hand:
            yield None
        else:
            from keenlattice.cli.views.live import StudyView

            with StudyView(title) as view, _steps_asked(ws, at_a_terminal(json), view):
                yield view
    except KeyboardInterrupt as stopped:
        raise Interrupted(str(stopped) or STOPPED) from None
    except Waiting as waiting:
        _show_what_is_next(ws, waiting, json)
        raise typer.Exit from None
    except Paused as paused:
        from keenlattice.cli.output import hint, say

        say(f"\n{paused}")
        hint("keen rig next, to go on" if ws.rig.by_hand else "keen studies resume, to go on")
        raise typer.Exit from None


@contextmanager
def _steps_asked(ws: "Workspace", there: bool, view: "StudyView") -> Iterator[None]:
    """The player at this terminal is asked for what a study changes, and nothing on the rig writes."""
    if not there:
        yield
        return
    from keenlattice.cli.steps import steps_of_a_study
    from keenlattice.rig.session import hand_where_nobody_is

    with hand_where_nobody_is(ws.rig.machine, steps_of_a_study(ws.rig.machine, view.put_away)):
        yield


def _show_what_is_next(ws: "Workspace", waiting: Exception, json: bool) -> None:
    assert isinstance(waiting, Waiting) and waiting.next is not None
    show_next_run(ws, waiting.next, json)


@contextmanager
def progress(title: str, quiet: bool = False) -> Iterator[Callable[[int, int], None] | None]:
    """Yields what a workspace is given to tell how many runs are done, of how many; None where nobody looks."""
    if quiet or not is_terminal(sys.stderr):
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(title, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)
