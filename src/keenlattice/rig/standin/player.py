"""A player who is simulated: changes a stand-in by hand as instructed, plays it, and records it with programs of
their own. The demo of the rig changed by hand is played by one, and so are its tests.
"""

from collections.abc import Iterable
from pathlib import Path

import numpy as np

from keenlattice.catalog.values import Value
from keenlattice.measure.capture import Capture
from keenlattice.measure.sensors import write_sensor_log
from keenlattice.profile.sheet import SheetStep
from keenlattice.rig.hand import ComingRun, Noted
from keenlattice.rig.standin.machine import Standin

FRAMES_HEADER = "nr;t [us];program"


class SimulatedPlayer:
    """A player and their machine, which nobody else can write to.

    Args:
        home: where the machine is kept.
        folder: where the recordings go.
        seed: of all that they play.
        executable: what their recorder calls the game.
    """

    def __init__(self, home: Path, folder: Path, seed: int, executable: str = "brass-orbit") -> None:
        self.machine = Standin(home)
        self.folder, self._seed, self._executable = folder, seed, executable
        self.played = self.switched = 0
        folder.mkdir(parents=True, exist_ok=True)

    def set(self, owner: str, key: str, value: Value | None) -> None:
        """Changes a setting, and restarts what it takes."""
        machine = self.machine
        machine.put(machine.changed(machine.state(), owner, {key: value}))
        machine.restart("machine")
        self.switched += 1

    def sees(self, owner: str, key: str) -> Value:
        """What the machine's panel shows for a setting."""
        held = self.machine.values(self.machine.state(), owner)
        stock = self.machine.catalog()[key].stock
        return held.get(key, stock)

    def play(self, game: str, seconds: float) -> Capture:
        """Plays, whether it is recorded or not."""
        self.played += 1
        return self.machine.play(game, seconds, self._seed * 10_000 + self.played)

    def record(self, game: str, seconds: float, sensor: bool = True) -> list[Path]:
        """Plays, and leaves the recordings in the folder: the frames, and what a light sensor saw."""
        run = self.record_frames(game, seconds)
        files = [self.folder / f"run-{self.played:03}.csv"]
        if sensor:
            files.append(self.folder / f"light-{self.played:03}.csv")
            write_sensor_log(run, files[-1], self.played)
        return files

    def record_frames(self, game: str, seconds: float) -> Capture:
        """Plays, and leaves the recording of the frames in the folder; what really happened is returned."""
        run = self.play(game, seconds)
        rows = [f"{number};{1000 * at:.0f};{self._executable}" for number, at in enumerate(run.shown_ms)]
        (self.folder / f"run-{self.played:03}.csv").write_text("\n".join([FRAMES_HEADER, *rows]) + "\n",
                                                               encoding="utf-8")
        return run

    def take(self, steps: Iterable[SheetStep]) -> Noted:
        """Takes some steps; returns what was there, of those where nobody had told."""
        noted = {}
        for step in steps:
            if step.before is None and step.was is None:
                noted[step.owner, step.key] = self.sees(step.owner, step.key)
            self.set(step.owner, step.key, step.was if step.after is None else step.after)
        return noted


def longest(run: ComingRun) -> float:
    """How long the recording of a run is: a recorder is begun a little early, and stopped a little late."""
    return run.seconds + 1.0 + float(np.random.default_rng(run.place).random())
