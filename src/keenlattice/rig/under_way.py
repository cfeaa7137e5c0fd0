"""A game that a player plays: waited for, also where a launcher hands over to it."""

import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from keenlattice.errors import RigError, way

LOOKS_EVERY_S, READS_EVERY_S = 0.5, 5.0
FIRST_STRETCH_AFTER_S, STRETCH_EVERY_S, STRETCH_S = 60.0, 300.0, 10.0
"""Frames are recorded for a stretch every few minutes: a recording of all of it would cost the game."""
HANDED_OVER_WITHIN_S = 15.0
"""A launcher that ends may have handed over to a program that is still coming up."""


def _nothing() -> None:
    """Look at nothing."""


class Readings:
    """What a machine says of itself while a game is played, now and then.

    Args:
        read: tells what it says now, by series (`measure.series`); it may raise OSError.
    """

    def __init__(self, read: Callable[[], Mapping[str, float]]) -> None:
        self._read, self._last = read, float("-inf")
        self._values = dict[str, tuple[int, float, float]]()

    def look(self) -> None:
        """Read, if the last time is long enough ago."""
        if time.monotonic() - self._last < READS_EVERY_S:
            return
        self._last = time.monotonic()
        try:
            now = self._read()
        except OSError:
            return
        for name, value in now.items():
            count, total, highest = self._values.get(name, (0, 0.0, value))
            self._values[name] = count + 1, total + value, max(highest, value)

    @property
    def mean_and_highest(self) -> dict[str, tuple[float, float]]:
        """Series to its mean and its highest value, in its own unit."""
        return {name: (total / count, highest) for name, (count, total, highest) in sorted(self._values.items())}


class Stretches:
    """Frames of a game that is played, recorded for a stretch now and then.

    Args:
        record: records so many seconds; metric to its value, empty where the game shows none.
    """

    def __init__(self, record: Callable[[float], Mapping[str, float]]) -> None:
        self._record, self._next = record, time.monotonic() + FIRST_STRETCH_AFTER_S
        self.metrics: tuple[Mapping[str, float], ...] = ()

    def look(self) -> None:
        """Record a stretch, if the last is long enough ago; one that fails is tried again sooner."""
        if time.monotonic() < self._next:
            return
        metrics = self._record(STRETCH_S)
        self._next = time.monotonic() + (STRETCH_EVERY_S if metrics else FIRST_STRETCH_AFTER_S)
        self.metrics += (metrics,) if metrics else ()


class StartedGame:
    """A game under way.

    Args:
        code: tells the exit code of what was started, None while that runs; None itself, if nothing was started.
        runs: tells whether the game runs.
        launched: whether what was started is a launcher, and not the game itself.
        look: is called at each look while the game runs.
        readings: of the machine meanwhile.
        stretches: of the frames meanwhile, where they can be recorded.
    """

    def __init__(self, code: Callable[[], int | None] | None, runs: Callable[[], bool], launched: bool = False,
                 look: Callable[[], None] = _nothing, readings: Readings | None = None,
                 stretches: Stretches | None = None) -> None:
        self._code, self._runs, self._launched, self._at_each_look = code, runs, launched, look
        self._readings, self._stretches, self.untreated = readings, stretches, 0

    def _look(self) -> None:
        self._at_each_look()
        for watch in (self._readings, self._stretches):
            if watch is not None:
                watch.look()

    @property
    def machine(self) -> Mapping[str, tuple[float, float]]:
        """What the machine said of itself meanwhile: mean and highest of each series."""
        return self._readings.mean_and_highest if self._readings else {}

    @property
    def frames(self) -> tuple[Mapping[str, float], ...]:
        """The metrics of each stretch of frames that was recorded meanwhile."""
        return self._stretches.metrics if self._stretches else ()

    def wait(self) -> int | None:
        """Wait until the game has ended; return the exit code of what was started, None if nothing was."""
        since, code = time.monotonic(), None
        while self._code is not None and (code := self._code()) is None:
            self._look()
            time.sleep(LOOKS_EVERY_S)
        until = since + HANDED_OVER_WITHIN_S if code == 0 and self._launched else 0.0
        while (running := self._runs()) or time.monotonic() < until:
            if running:
                until = 0.0
                self._look()
            time.sleep(LOOKS_EVERY_S)
        return code


def is_launcher(command: Sequence[str], executables: Sequence[str]) -> bool:
    """Return whether a command starts something else than the game itself.

    >>> is_launcher(["/opt/shop", "orbit"], ["orbit"]), is_launcher(["/opt/Orbit.exe"], ["orbit.exe"])
    (True, False)
    """
    return Path(command[0]).name.lower() not in {name.lower() for name in executables}


def not_started(name: str, command: Sequence[str], error: OSError) -> RigError:
    """Return the error of a game that the system does not start, with the file or folder at fault."""
    return RigError(f"{name} cannot be started: {error.filename or command[0]}: {error.strerror}")


def not_known_how(name: str) -> RigError:
    """Return the error of a game that does not run, and of which nobody has said how it is started."""
    return RigError(f"{name} does not run, and how it is started is not known: put its command behind --, or say it "
                    f"once: {way(f'keen rig game {name} --command WORDS', 'ws.rig.games.tell(LISTED)')}")
