"""A game as a process of this machine: found if it runs already, else started; and everything that it has started."""

import os
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from keenlattice.errors import RigError, way
from keenlattice.quickly import dataclass
from keenlattice.rig.linux.children import start, start_to_stay, stop, with_display
from keenlattice.rig.linux.launch import Start
from keenlattice.rig.linux.wayland.clients import ASKS_FOR_THE_LOG, CommitLog
from keenlattice.rig.under_way import not_started

PROC = Path("/proc")


@dataclass(frozen=True)
class Running:
    """A game's process, or several of one name, of which one has its window.

    Args:
        ours: whether it is one that we have started, and shall end.
        commits: of one that we have started, the frames that it says to hand over to a Wayland compositor.
    """

    pids: tuple[int, ...]
    ours: bool
    commits: CommitLog | None = None

    def alive(self) -> bool:
        """Whether any still runs; a process that has ended and that nobody has asked about does not."""
        return any(_status(pid)[:1] not in ([], ["Z"], ["X"]) for pid in self.pids)

    def processes(self) -> set[int]:
        """All of them and what they have started, and those in turn: a launcher is rarely what opens the window."""
        children: dict[int, list[int]] = {}
        for path in PROC.iterdir():
            if path.name.isdigit():
                for parent in _status(path.name)[1:2]:
                    children.setdefault(int(parent), []).append(int(path.name))
        result, waiting = set[int](), list(self.pids)
        while waiting:
            process = waiting.pop()
            result.add(process)
            waiting += children.get(process, [])
        return result


def _status(pid: int | str) -> list[str]:
    """What the kernel says of a process, from its state on; nothing of one that has ended."""
    try:
        return (PROC / str(pid) / "stat").read_text(errors="replace").rpartition(")")[2].split()
    except OSError:
        return []


def running(executables: Sequence[str]) -> Running | None:
    """The processes that run one of these executables, if any does."""
    processes_found = []
    for path in PROC.iterdir():
        if path.name.isdigit() and int(path.name) != os.getpid():
            try:
                started_as = (path / "cmdline").read_bytes().split(b"\0")[0].decode(errors="replace")
                names = {os.path.basename(started_as), os.path.basename(os.readlink(path / "exe"))}
            except OSError:
                continue  # somebody else's, or ended meanwhile
            if names & set(executables):
                processes_found.append(int(path.name))
    return Running(tuple(sorted(processes_found)), ours=False) if processes_found else None


@contextmanager
def game_running(name: str, executables: Sequence[str], command: Sequence[str], display: str,
                 home: Path, begin: Start, leave: bool = False) -> Iterator[Running]:
    """The game, running: as it was found, and then left alone; or started for this, and then ended.

    Args:
        begin: how it is started; one that runs is treated so for as long as this lasts.
        leave: leave it running, too, if it was started for this.

    Raises:
        RigError: it neither runs nor is it known how to start it; or it cannot be started.
    """
    processes_found = running(executables)
    if processes_found is not None:
        with begin.while_it_runs(processes_found.processes):
            yield processes_found
        return
    if not command:
        raise RigError(f"{name} does not run, and how it is started is not known: start it, or say so with "
                       f"{way(f'keen rig game {name} --command WORDS', 'ws.rig.games.tell(LISTED)')}")
    logs = bool(os.environ.get("WAYLAND_DISPLAY")) and not leave  # who is left running would write to nobody
    try:
        started = start_to_stay if leave else start
        process = started(begin.command(command), begin.before_it_runs,
                          env={**with_display(display), "HOME": str(home), **(ASKS_FOR_THE_LOG if logs else {}),
                               **begin.environment},
                          cwd=begin.folder, stdout=subprocess.DEVNULL,
                          stderr=subprocess.PIPE if logs else subprocess.DEVNULL)
    except subprocess.SubprocessError:
        raise begin.refused(name) from None
    except OSError as error:
        raise not_started(name, command, error) from None
    try:
        yield Running((process.pid,), ours=True, commits=CommitLog(process.stderr) if process.stderr else None)
    finally:
        if not leave:
            stop(process)
