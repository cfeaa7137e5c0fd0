"""A game that a player plays under Windows: started or found, its processes treated as is held for it, waited for."""

import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

assert sys.platform == "win32"

import psutil

from keenlattice.errors import RigError
from keenlattice.profile.version import Entries
from keenlattice.rig.held import HeldPart
from keenlattice.rig.windows.process import CLASSES, CORES, PRIORITY, WORDS, cores_of, words_of
from keenlattice.rig.windows.system.processes import ListedProcess, processes

LOOKS_EVERY_S = 0.5
HANDED_OVER_WITHIN_S = 15.0


class TreatedGame:
    """A game under way, and all that it starts.

    Args:
        process: that we have started; None if it was found running.
        executables: by which it is known once a launcher has handed over.
        held: what its processes hold.
        launched: whether what was started is a launcher, and not the game itself.
    """

    def __init__(self, process: "psutil.Popen | None", executables: Sequence[str], held: Entries,
                 launched: bool = False) -> None:
        self._process, self._executables, self._held, self._launched = process, executables, held, launched
        self._treated, self._before = dict[int, psutil.Process](), dict[int, tuple[int, list[int]]]()
        self.untreated = 0

    def wait(self) -> int | None:
        """Wait until the game has ended, and treat each process that it starts meanwhile."""
        since, code = time.monotonic(), None
        while self._process is not None and (code := self._process.poll()) is None:
            self.treat([self._process.pid])
            time.sleep(LOOKS_EVERY_S)
        until = since + HANDED_OVER_WITHIN_S if code == 0 and self._launched else 0.0
        while (found := processes_of(self._executables)) or any(
                value.is_running() for value in self._treated.values()) or time.monotonic() < until:
            if found:
                until = 0.0
            self.treat([one.pid for one in found])
            time.sleep(LOOKS_EVERY_S)
        return code

    def treat(self, pids: Sequence[int]) -> None:
        """Give some processes, those that they have started, and those in turn, what is held for the game."""
        listed = processes()
        family = {*pids, *self._treated}
        while more := {one.pid for one in listed if one.parent in family} - family:
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
            self.untreated += 1

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


@dataclass(frozen=True)
class GameStarter:
    """Starts games on this PC, or takes those that run.

    Args:
        part: what is held for them.
    """

    part: HeldPart

    @contextmanager
    def under_way(self, name: str, executables: Sequence[str], command: Sequence[str]) -> Iterator[TreatedGame]:
        """Start a game, or take the one that runs, and have its processes hold what is set for them.

        Raises:
            RigError: it cannot be started, or runs not and nobody has said how it is started.
        """
        held = self.part.held_for(name)
        process, found = None, [] if command else processes_of(executables)
        if not command and not found:
            raise RigError(f"{name} does not run, and how it is started is not known: put its command behind --, or "
                           f"say it once: keen rig game {name} --command WORDS")
        if command:
            try:
                process = psutil.Popen([*command, *words_of(str(held.get(WORDS, "none")))])
            except (OSError, subprocess.SubprocessError) as error:
                raise RigError(f"{name} cannot be started: {command[0]}: {getattr(error, 'strerror', error)}"
                               ) from None
        launched = bool(command) and Path(command[0]).name.lower() not in {name.lower() for name in executables}
        game = TreatedGame(process, executables, held, launched)
        game.treat([process.pid] if process else [one.pid for one in found])
        try:
            yield game
        finally:
            game.give_back()

    def runs(self, executables: Sequence[str]) -> bool:
        """Return whether one of these runs now."""
        return bool(processes_of(executables))
