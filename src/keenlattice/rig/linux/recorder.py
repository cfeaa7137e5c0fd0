"""What records a game from outside, whatever draws the desktop: it finds its window, tells its frames and clicks."""

import gc
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Capture
from keenlattice.measure.telemetry import Watcher, moment_of

CLICK_EVERY_S = (0.05, 0.10)  # drawn at random, so that clicks do not fall into step with frames
NO_ANSWER_S = 1.0
LIVE_EVERY_S = 1.0

Spot = tuple[int, int]
"""A pixel of a window, counted from its upper left corner."""

Image = NDArray[np.uint32]
"""A window's pixels, one number each; shape (height, width)."""


class Recorder(Protocol):
    """A way to record. A window is what it finds: of X11 a window, of Wayland the output that the game is shown on.

    All of it raises RigError when the window goes away, or the desktop does.
    """

    def find(self, processes: Callable[[], set[int]], patience_s: float, alive: Callable[[], bool]) -> Any:
        """The window that some processes draw their frames into, once one is there."""

    def frames_in(self, window: Any, seconds: float) -> int:
        """How many frames it shows in this many seconds."""

    def check_seen(self, window: Any, looked_at: Spot | None, clicked: Spot | None) -> None:
        """Refuses one that is covered, all of it or where it is looked at or clicked."""

    def record(self, window: Any, seconds: float, seed: int, spot: Spot | None, alive: Callable[[], bool],
               clicked: Spot | None = None, live: "Live | None" = None) -> Capture:
        """Records it for some seconds, with clicks if a pixel that answers them is known."""

    def size_of(self, window: Any) -> tuple[int, int]:
        """Its width and height."""

    def image(self, window: Any) -> Image:
        """All of its pixels."""

    def point_at(self, window: Any, spot: Spot) -> None:
        """Moves the pointer there."""

    def click(self) -> float:
        """A click where the pointer is; when it was sent, in `time.perf_counter` seconds."""

    def close(self) -> None:
        """Ends the connection."""


@contextmanager
def undisturbed() -> Iterator[None]:
    """Without Python's collection of garbage meanwhile, which would keep frames waiting for tens of milliseconds."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


class Clicks:
    """When to click next, and which click waits for its answer; times are in `time.perf_counter` seconds.

    Args:
        seed: of the times between an answer and the next click.
        until: when the recording ends.
    """

    def __init__(self, seed: int, until: float) -> None:
        self.sent: list[float] = []
        self.answered: list[float] = []
        self.waiting = False
        self._random, self._until = np.random.default_rng(seed), until
        self._next = time.perf_counter() + self._random.uniform(*CLICK_EVERY_S)

    def is_due(self, now: float) -> bool:
        """Whether it is time for a click; one that has had no answer for NO_ANSWER_S is given up."""
        if self.waiting and now > self.sent[-1] + NO_ANSWER_S:
            self.waiting, self._next = False, now
        return not self.waiting and self._next <= now < self._until - NO_ANSWER_S / 4

    def send(self, at: float) -> None:
        """Notes down a click that was sent."""
        self.sent.append(at)
        self.answered.append(float("nan"))
        self.waiting = True

    def answer(self, at: float) -> None:
        """Notes down the answer to the last click."""
        self.answered[-1], self.waiting = at, False
        self._next = time.perf_counter() + self._random.uniform(*CLICK_EVERY_S)


class Live:
    """Tells somebody who watches how a recording goes, once a second.

    Args:
        watcher: who learns of it.
        readings: gives what the machine said of itself last.
    """

    def __init__(self, watcher: Watcher, readings: Callable[[], Mapping[str, float]]) -> None:
        self._watcher, self._readings = watcher, readings
        self._began = self._last = time.perf_counter()
        self._frames = self._clicks = 0

    def look(self, shown_s: Sequence[float], clicks: Clicks) -> None:
        """Reports what is new, if a second has passed.

        Args:
            shown_s: when each frame so far was shown.
            clicks: those so far.
        """
        now = time.perf_counter()
        if now < self._last + LIVE_EVERY_S:
            return
        new = np.diff(shown_s[max(0, self._frames - 1):]) * 1000
        answers = np.array(clicks.answered[self._clicks:]) - np.array(clicks.sent[self._clicks:])
        answered = answers[np.isfinite(answers)] * 1000
        self._watcher(moment_of(now - self._began, len(shown_s) - self._frames, new, answered, self._readings()))
        self._last, self._frames = now, len(shown_s)
        self._clicks = len(clicks.sent) - clicks.waiting
