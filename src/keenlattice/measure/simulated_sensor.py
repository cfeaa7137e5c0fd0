"""A latency sensor that is simulated: light and button of a run, sampled, as a log or over a pseudo-terminal.

It stands in for the hardware in the demo and in the tests; that it is one is plain from the name of its port alone.
"""

import os
import threading
from pathlib import Path

import numpy as np

from keenlattice.measure.capture import Capture, Floats

RATE_HZ = 1000.0
PRESS_MS = 60.0
LIT_MS = 90.0
HEADER = "micros;photo;switch"


def sensor_lines(run: Capture, seed: int, rate_hz: float = RATE_HZ) -> list[str]:
    """What the sensor sees of a run's clicks and answers: a line per sample, time in us, light and button.

    Args:
        run: with clicks; its frames are not looked at.
        seed: of the sensor's noise.
        rate_hz: samples a second.
    """
    seconds = max(run.seconds, float(np.max(run.click_ms, initial=0.0)) / 1000 + 1)
    at: Floats = np.arange(0.0, 1000 * seconds, 1000 / rate_hz)
    random = np.random.default_rng([seed, 29])
    light, button = 210 + random.normal(0, 3, at.size), np.ones(at.size)
    for click, answer in zip(run.click_ms, run.answer_ms, strict=True):
        button[(at >= click) & (at < click + PRESS_MS)] = 0
        if np.isfinite(answer):
            light[(at >= answer) & (at < answer + LIT_MS)] += 520
    return [f"{1000 * time:.0f};{level:.0f};{down:.0f}" for time, level, down in zip(at, light, button, strict=True)]


def write_sensor_log(run: Capture, path: Path, seed: int, rate_hz: float = RATE_HZ) -> None:
    """The same as a file with a header."""
    path.write_text("\n".join([HEADER, *sensor_lines(run, seed, rate_hz)]) + "\n", encoding="utf-8")


class SimulatedSensor:
    """A sensor at a pseudo-terminal, where there are such (not on Windows); `port` is its name."""

    def __init__(self) -> None:
        import pty
        import tty

        self._ours, self._theirs = pty.openpty()
        tty.setraw(self._theirs)
        self.port = os.ttyname(self._theirs)
        self._thread: threading.Thread | None = None

    def send(self, lines: list[str]) -> None:
        """Sends lines, as fast as they are read."""
        self._thread = threading.Thread(target=self._send, args=("\n".join(["", *lines]) + "\n",), daemon=True)
        self._thread.start()

    def wait(self) -> None:
        """Returns once all was sent."""
        if self._thread is not None:
            self._thread.join()

    def close(self) -> None:
        """Unplugs it."""
        os.close(self._ours)
        os.close(self._theirs)

    def _send(self, text: str) -> None:
        left = memoryview(text.encode())
        while left:
            left = left[os.write(self._ours, left[:2048]):]
