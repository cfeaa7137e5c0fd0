"""A game that a player plays on this machine: started with what is held for it, or found running; waited for."""

import os
import subprocess
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from keenlattice.errors import RefusedByRig, RigError
from keenlattice.rig.linux.launch import Start
from keenlattice.rig.linux.program import Running, running

LOOKS_EVERY_S = 0.5
HANDED_OVER_WITHIN_S = 15.0
"""A launcher that ends may have handed over to a program that is still coming up."""


class StartedGame:
    """A game under way.

    Args:
        process: that we have started; None if it was found running.
        executables: by which it is known once a launcher has handed over.
        launched: whether what was started is a launcher, and not the game itself.
    """

    untreated = 0  # one that may not be treated is refused before

    def __init__(self, process: "subprocess.Popen[bytes] | None", executables: Sequence[str],
                 launched: bool = False) -> None:
        self._process, self._executables, self._launched = process, executables, launched

    def wait(self) -> int | None:
        """Wait until the game has ended; return the exit code of what was started, None if nothing was."""
        code, since = None, time.monotonic()
        if self._process is not None:
            code = self._process.wait()
        until = since + HANDED_OVER_WITHIN_S if code == 0 and self._launched else 0.0
        while (found := running(self._executables)) or time.monotonic() < until:
            if found:
                until = 0.0
            time.sleep(LOOKS_EVERY_S)
        return code


@contextmanager
def under_way(name: str, executables: Sequence[str], command: Sequence[str], begin: Start) -> Iterator[StartedGame]:
    """Start a game with what is held for it; without a command, take the one that runs, and treat its process so.

    Raises:
        RigError: it cannot be started, or runs not and nobody has said how it is started.
    """
    if not command:
        if (found := running(executables)) is None:
            raise RigError(f"{name} does not run, and how it is started is not known: put its command behind --, or "
                           f"say it once: keen rig game {name} --command WORDS")
        with begin.while_it_runs(found.processes):
            yield StartedGame(None, executables)
        return
    try:
        process = subprocess.Popen([*command, *begin.words], preexec_fn=begin.before_it_runs,
                                   env={**os.environ, **begin.environment})
    except subprocess.SubprocessError:
        raise RefusedByRig(f"{name} cannot be started as it is set to be: it takes rights that are not there for its "
                           f"{', '.join(begin.treatment)}") from None
    except OSError as error:
        raise RigError(f"{name} cannot be started: {command[0]}: {error.strerror}") from None
    yield StartedGame(process, executables, os.path.basename(command[0]) not in executables)


def runs(executables: Sequence[str]) -> bool:
    """Return whether a game runs."""
    found: Running | None = running(executables)
    return found is not None
