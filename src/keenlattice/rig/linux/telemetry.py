"""What this machine says of itself while a game is recorded: taken down by a separate program (`sampler`)."""

import json
import os
import subprocess
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from keenlattice.measure.capture import Capture
from keenlattice.measure.series import MOST_SERIES, NAME, Series
from keenlattice.rig.linux.children import command, start, stop

SAMPLER = Path(__file__).with_name("sampler.py")
EVERY_S = 0.25
MOST_AT_ONCE = 1_000_000
PROCESSES = 40  # of a game, that are looked at


@dataclass
class Telemetry:
    """What was taken down: series on the clock of `time.perf_counter`, in s; and what that cost, a share of a core."""

    series: dict[str, tuple[list[float], list[float]]] = field(default_factory=dict)
    cost: float | None = None
    file: int = -1
    _read: int = 0
    _names: list[str] = field(default_factory=list)
    _last: dict[str, float] = field(default_factory=dict)

    def latest(self) -> dict[str, float]:
        """What was taken down last, by series, while it goes on."""
        new = os.pread(self.file, MOST_AT_ONCE, self._read)
        lines = new[:new.rfind(b"\n") + 1]
        self._read += len(lines)
        for reading in map(json.loads, lines.splitlines()):
            if isinstance(reading, dict):
                self._names = reading.get("names", self._names)
            else:
                self._last = {name: float(value) for name, value in zip(self._names, reading[1:], strict=False)
                              if value is not None}
        return self._last

    def beside(self, capture: Capture) -> Capture:
        """A capture with what was taken down while it was recorded."""
        if "clock_start_s" not in capture.about:
            return capture
        start_ms, length = 1000 * float(capture.about["clock_start_s"]), 1000 * capture.seconds
        series_of = {}
        for name, (at_s, values) in list(self.series.items())[:MOST_SERIES]:
            series = Series(np.array(at_s) * 1000 - start_ms, np.array(values))
            part = series.between(0.0, length)
            if part.known.size and NAME.match(name):
                series_of[name] = part
        cost = {} if self.cost is None else {"telemetry_cost_pct": round(100 * self.cost, 3)}
        return replace(capture, telemetry=series_of, about={**capture.about, **cost})


@contextmanager
def taken_down(pids: Iterable[int], root: Path = Path("/"), every_s: float = EVERY_S) -> Iterator[Telemetry]:
    """What the machine says meanwhile; it is filled in once this is over. A machine that says nothing is not an error.

    Args:
        pids: the game's processes.
        root: where `proc` and `sys` are.
        every_s: how far samples are apart; further, where they would cost more than half a percent of a core.
    """
    telemetry = Telemetry()
    with tempfile.TemporaryFile() as output:
        of_game = (str(pid) for pid in sorted(pids)[:PROCESSES])
        telemetry.file = output.fileno()
        sampler = start(command(SAMPLER, str(root), str(every_s), *of_game), stdout=output, stderr=subprocess.DEVNULL)
        try:
            yield telemetry
        finally:
            stop(sampler)
            output.seek(0)
            fill(telemetry, output.read().decode(errors="replace").splitlines())


def fill(telemetry: Telemetry, lines: Iterable[str]) -> None:
    names: list[str] = []
    for line in lines:
        try:
            reading = json.loads(line)
        except ValueError:  # the last line, if the sampler was ended for good
            continue
        if isinstance(reading, dict):
            names = reading.get("names", names)
            telemetry.cost = reading.get("cost", telemetry.cost)
            continue
        for name, value in zip(names, reading[1:], strict=False):
            at_s, values = telemetry.series.setdefault(name, ([], []))
            at_s.append(reading[0])
            values.append(float("nan") if value is None else float(value))
