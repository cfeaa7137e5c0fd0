"""A game that a player plays under Windows: started or found, its processes treated as is held for it, waited for."""

import os
import subprocess
import sys
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from keenlattice.quickly import dataclass

assert sys.platform == "win32"

import psutil

from keenlattice.errors import RigError
from keenlattice.profile.version import Entries
from keenlattice.rig import environment
from keenlattice.rig.held import HeldPart
from keenlattice.rig.under_way import Readings, StartedGame, is_launcher, not_known_how
from keenlattice.rig.windows.process import CLASSES, CORES, PRIORITY, WORDS, cores_of, words_of
from keenlattice.rig.windows.system.processes import ListedProcess, processes


@dataclass(frozen=True)
class GameStarter:
    """Starts games on this PC, or takes those that run.

    Args:
        part: what is held for them.
    """

    part: HeldPart

    @contextmanager
    def under_way(self, name: str, executables: Sequence[str], command: Sequence[str],
                  folder: Path | None = None) -> Iterator[StartedGame]:
        """Start a game, or take the one that runs, and have its processes hold what is set for them.

        Raises:
            RigError: it cannot be started, or does not run and nobody has said how it is started.
        """
        held = self.part.held_for(name)
        treated = TreatedProcesses(held)
        if not command and not self.runs(executables):
            raise not_known_how(name)
        variables = environment.variables_of(str(held.get(environment.KEY, environment.NONE)))
        words = words_of(str(held.get(WORDS, "none")))
        process = _started(name, [*command, *words], variables, folder) if command else None

        def look() -> None:
            treated.treat([*(process.pid for process in processes_of(executables)),
                           *([process.pid] if process else [])])
            game.untreated = treated.refused

        game = StartedGame(process.poll if process else None, lambda: self.runs(executables) or treated.any_runs(),
                           bool(command) and is_launcher(command, executables), look, Readings(_machine_now))
        look()
        try:
            yield game
        finally:
            treated.give_back()

    def runs(self, executables: Sequence[str]) -> bool:
        """Return whether one of these runs now."""
        return bool(processes_of(executables))


def _started(name: str, command: Sequence[str], variables: Mapping[str, str], folder: Path | None) -> psutil.Popen:
    if folder is not None and not folder.is_dir():  # the system's own message would blame the command
        raise RigError(f"{name} cannot be started: the folder {folder} is missing")
    try:
        return psutil.Popen(command, env={**os.environ, **variables}, cwd=folder)
    except (OSError, subprocess.SubprocessError) as error:
        raise RigError(f"{name} cannot be started: {command[0]}: {getattr(error, 'strerror', error)}") from None


class TreatedProcesses:
    """The processes of a game, and all that they start, each treated once.

    Args:
        held: what they hold.
    """

    def __init__(self, held: Entries) -> None:
        self._held, self.refused = held, 0
        self._treated, self._before = dict[int, psutil.Process](), dict[int, tuple[int, list[int]]]()

    def any_runs(self) -> bool:
        """Return whether any of them still runs."""
        return any(process.is_running() for process in self._treated.values())

    def treat(self, pids: Sequence[int]) -> None:
        """Give some processes, those that they have started, and those in turn, what is held for the game."""
        listed, family = processes(), {*pids, *self._treated}
        while more := {process.pid for process in listed if process.parent in family} - family:
            family |= more
        for pid in family - set(self._treated):
            with suppress(psutil.NoSuchProcess):
                self._treated[pid] = psutil.Process(pid)
                self._treat(self._treated[pid])

    def _treat(self, process: psutil.Process) -> None:
        try:
            self._before[process.pid] = (int(process.nice()), process.cpu_affinity())
            if PRIORITY in self._held:
                process.nice(getattr(psutil, CLASSES[str(self._held[PRIORITY])]))
            if cores := cores_of(str(self._held.get(CORES, "all"))):
                process.cpu_affinity(cores)
        except psutil.NoSuchProcess:
            return
        except (psutil.AccessDenied, OSError):  # a game that is protected lets nobody open it
            self.refused += 1

    def give_back(self) -> None:
        """Give the processes that still run what they had before."""
        for pid, (priority, cores) in self._before.items():
            with suppress(psutil.Error, OSError):
                self._treated[pid].nice(priority)
                self._treated[pid].cpu_affinity(cores)


def processes_of(executables: Sequence[str]) -> list[ListedProcess]:
    """The processes that run one of these executables."""
    names = {name.lower() for name in executables}
    return [process for process in processes() if process.executable.lower() in names] if names else []


def _machine_now() -> dict[str, float]:
    """The processor's load in % since the last look, and the memory in use in MiB. The clock that the system tells a
    program is the rated one, and would say nothing of the game."""
    return {"cpu.load": psutil.cpu_percent(), "system.memory": psutil.virtual_memory().used / 2**20}
