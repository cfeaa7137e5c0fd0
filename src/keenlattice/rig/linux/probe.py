"""Frame times and input latency from outside: the X server's DAMAGE events of a window, and XTEST clicks.

Nothing is injected into the program. The X server says when something was drawn into the window; after a click, the
pixel that answers is read back with every such event until it has changed. Times are this process's
`time.perf_counter`, taken when an event arrives, and held against the server's own stamps (`stamps`).
"""

import select
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import RigError
from keenlattice.measure.capture import Capture
from keenlattice.rig.linux.stamps import drawn
from keenlattice.rig.linux.windows import Windows, still_there

CLICK_EVERY_S = (0.05, 0.10)  # drawn at random, so that clicks do not fall into step with frames
NO_ANSWER_S = 1.0

Spot = tuple[int, int]
"""A pixel of a window, counted from its upper left corner."""


@dataclass
class _Recording:
    arrived: list[float] = field(default_factory=list)
    stamp: list[int] = field(default_factory=list)
    whole: list[bool] = field(default_factory=list)
    clicks: list[float] = field(default_factory=list)
    answers: list[float] = field(default_factory=list)


class Probe(Windows):
    """Watches one window of an X display.

    Raises:
        RigError: no such display, or it lacks the extensions DAMAGE or XTEST.
    """

    def record(self, window: Any, seconds: float, seed: int, spot: Spot | None, alive: Callable[[], bool],
               clicked: Spot | None = None) -> Capture:
        """Records a window for some seconds.

        Args:
            spot: the pixel of the window that answers a click; None to record frames alone.
            alive: says whether the program still runs.
            clicked: where it is clicked; None for the pixel that answers.

        Raises:
            RigError: the window went away.
        """
        from Xlib.ext import damage

        clicked = (clicked or spot) if spot else None
        with still_there():
            self.check_seen(window, spot, clicked)
            watch = window.damage_create(damage.DamageReportRawRectangles)
            if clicked:
                self.point_at(window, clicked)
            self._settle()
            focus = self.focus()
            recording = self._watch(window, seconds, np.random.default_rng(seed), spot, alive)
            window.get_geometry()  # one that went away has shown no more, and nothing else would say so
            self._display.damage_destroy(watch)
            self._display.sync()
            about = {"composed": self.composed(), "focus_lost": self.focus() != focus}
        if not alive():
            raise RigError("the game ended while it was measured")
        return _capture(recording, about)

    def _watch(self, window: Any, seconds: float, random: np.random.Generator, spot: Spot | None,
               alive: Callable[[], bool]) -> _Recording:
        recording, size = _Recording(), window.get_geometry()
        before = self._pixel(window, spot) if spot else b""
        end = time.perf_counter() + seconds
        next_click, waiting = time.perf_counter() + random.uniform(*CLICK_EVERY_S), False
        while (now := time.perf_counter()) < end and alive():
            if not self._display.pending_events():
                select.select([self._display], [], [], min(0.01, end - now))
            any_drawn = self._take_events(recording, (size.width, size.height))
            at = time.perf_counter()
            if any_drawn and waiting and spot and (colour := self._pixel(window, spot)) != before:
                recording.answers[-1] = time.perf_counter()
                before, waiting, next_click = colour, False, at + random.uniform(*CLICK_EVERY_S)
            if waiting and at > recording.clicks[-1] + NO_ANSWER_S:
                waiting, next_click = False, at
            if spot and not waiting and at >= next_click and at < end - NO_ANSWER_S / 4:
                recording.clicks.append(self.click())
                recording.answers.append(float("nan"))
                waiting = True
        return recording

    def _take_events(self, recording: _Recording, whole: tuple[int, int]) -> bool:
        """Notes the reports of drawing that have arrived; says whether there were any."""
        any_drawn, damaged = False, self._display.extension_event.DamageNotify
        for _ in range(self._display.pending_events()):
            event, at = self._display.next_event(), time.perf_counter()
            if event.type == damaged:
                any_drawn = True
                recording.arrived.append(at)
                recording.stamp.append(event.timestamp)
                recording.whole.append((event.area.width, event.area.height) == whole)
        return any_drawn

    def _pixel(self, window: Any, spot: Spot) -> bytes:
        from Xlib import X

        colour: bytes = window.get_image(*spot, 1, 1, X.ZPixmap, 0xFFFFFFFF).data
        return colour

    def image(self, window: Any) -> NDArray[np.uint32]:
        """All pixels of a window, one number each; shape (height, width).

        Raises:
            RigError: it went away, or its pixels are of another size than four bytes.
        """
        from Xlib import X, error

        try:
            size = window.get_geometry()
            data = window.get_image(0, 0, size.width, size.height, X.ZPixmap, 0xFFFFFFFF).data
        except error.XError:
            raise RigError("the game's window went away, or is partly off the screen") from None
        if len(data) != 4 * size.width * size.height:
            raise RigError("this display's pixels are not of four bytes: its colours cannot be compared")
        return np.frombuffer(data, dtype=np.uint32).reshape(size.height, size.width)

    def size_of(self, window: Any) -> tuple[int, int]:
        """A window's width and height.

        Raises:
            RigError: it went away.
        """
        with still_there():
            size = window.get_geometry()
            return size.width, size.height

    def point_at(self, window: Any, spot: Spot) -> None:
        """Moves the pointer to a pixel of a window. The server leaves its own pointer out of what is read back."""
        window.warp_pointer(*spot)
        self._display.sync()

    def click(self) -> float:
        """A click where the pointer is; when it was sent, in `time.perf_counter` seconds."""
        from Xlib import X
        from Xlib.ext import xtest

        at = time.perf_counter()
        xtest.fake_input(self._display, X.ButtonPress, 1)
        xtest.fake_input(self._display, X.ButtonRelease, 1)
        self._display.flush()
        return at


def _capture(recording: _Recording, about: dict[str, bool]) -> Capture:
    if len(recording.arrived) < 2:
        raise RigError("the game's window shows no new frames; is it covered, minimised or paused?")
    found = drawn(np.array(recording.arrived) * 1000, np.array(recording.stamp, dtype=np.float64),
                  np.array(recording.whole))
    if found.at_ms.size < 2:
        raise RigError("the game's window shows no new frames; is it covered, minimised or paused?")
    start = found.at_ms[0]
    return Capture(found.at_ms - start, np.array(recording.clicks) * 1000 - start,
                   np.array(recording.answers) * 1000 - start,
                   about={"clock_start_s": float(start) / 1000, **about,
                          **({"late_share": round(found.late, 4)} if found.late == found.late else {})})
