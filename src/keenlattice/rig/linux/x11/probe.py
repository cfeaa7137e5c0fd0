"""Frame times and input latency from outside: the X server's word of a window's frames, and XTEST clicks.

Nothing is injected into the program. The X server says when something was drawn into the window (its extension DAMAGE),
and of frames that are presented when they were shown (`present`), which is more exact and taken where it is given;
after a click, the pixel that answers is read back with every such event until it has changed. Times are this process's
`time.perf_counter`, taken when an event arrives, and held against the server's own stamps (`stamps`).
"""

import select
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from keenlattice.errors import RigError
from keenlattice.measure.capture import Capture, Floats
from keenlattice.rig.linux.recorder import Clicks, Image, Live, Spot, undisturbed
from keenlattice.rig.linux.x11.present import Present, drawn
from keenlattice.rig.linux.x11.windows import Windows, still_there

NEARLY_ALL = 0.9
ALIVE_EVERY_S = 0.1
SAME_CLOCK_MS = 1000.0


@dataclass
class _Recording:
    arrived: list[float] = field(default_factory=list)
    stamp: list[int] = field(default_factory=list)
    whole: list[bool] = field(default_factory=list)
    presented: list[float] = field(default_factory=list)


class Probe(Windows):
    """Watches one window of an X display.

    Raises:
        RigError: no such display, or it lacks the extensions DAMAGE or XTEST.
    """

    def record(self, window: Any, seconds: float, seed: int, spot: Spot | None, alive: Callable[[], bool],
               clicked: Spot | None = None, live: Live | None = None) -> Capture:
        """Records a window for some seconds.

        Args:
            spot: the pixel of the window that answers a click; None to record frames alone.
            alive: says whether the program still runs.
            clicked: where it is clicked; None for the pixel that answers.
            live: learns how it goes.

        Raises:
            RigError: the window went away.
        """
        from Xlib.ext import damage

        clicked = (clicked or spot) if spot else None
        present = Present(self._display)
        with still_there():
            self.check_seen(window, spot, clicked)
            watch, presented = window.damage_create(damage.DamageReportRawRectangles), present.watch(window)
            if clicked:
                self.point_at(window, clicked)
            self._settle()
            focus = self.focus()
            clicks = Clicks(seed, time.perf_counter() + seconds)
            with undisturbed():
                recording = self._watch(window, seconds, clicks, spot, alive, present, live)
            window.get_geometry()  # one that went away has shown no more, and nothing else would say so
            self._display.damage_destroy(watch)
            present.forget(presented, window)
            self._display.sync()
            about = {"composed": self.composed(), "focus_lost": self.focus() != focus}
        if not alive():
            raise RigError("the game ended while it was measured")
        return _capture(recording, clicks, about)

    def _watch(self, window: Any, seconds: float, clicks: Clicks, spot: Spot | None,
               alive: Callable[[], bool], present: Present, live: Live | None) -> _Recording:
        recording, size = _Recording(), window.get_geometry()
        before, end = self._pixel(window, spot) if spot else b"", time.perf_counter() + seconds
        ready, next_check = True, 0.0
        while (now := time.perf_counter()) < end:
            if now >= next_check:
                if not alive():
                    break
                next_check = now + ALIVE_EVERY_S
            ready = ready or bool(select.select([self._display], [], [], min(0.01, end - now))[0])
            any_drawn = ready and self._take_events(recording, (size.width, size.height), present)
            ready = bool(any_drawn and clicks.waiting and spot)  # reading a pixel may bring more events with it
            if ready and spot and (colour := self._pixel(window, spot)) != before:
                clicks.answer(time.perf_counter())
                before = colour
            if spot and clicks.is_due(time.perf_counter()):
                clicks.send(self.click())
            if live:
                live.look(recording.arrived, clicks)
        return recording

    def _take_events(self, recording: _Recording, size: tuple[int, int], present: Present) -> bool:
        """Notes the reports of drawing that have arrived; says whether there were any."""
        any_drawn, damaged = False, self._display.extension_event.DamageNotify
        for _ in range(self._display.pending_events()):
            event, at = self._display.next_event(), time.perf_counter()
            if event.type == damaged:
                any_drawn = True
                recording.arrived.append(at)
                recording.stamp.append(event.timestamp)
                recording.whole.append((event.area.width, event.area.height) == size)
            elif (shown := present.shown_ms(event)) is not None:
                recording.presented.append(shown)
        return any_drawn

    def _pixel(self, window: Any, spot: Spot) -> bytes:
        from Xlib import X

        colour: bytes = window.get_image(*spot, 1, 1, X.ZPixmap, 0xFFFFFFFF).data
        return colour

    def image(self, window: Any) -> Image:
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

    @still_there()
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


def _capture(recording: _Recording, clicks: Clicks, about: dict[str, Any]) -> Capture:
    drawn_frames = drawn(np.array(recording.arrived) * 1000, np.array(recording.stamp, dtype=np.float64),
                         np.array(recording.whole))
    presented = np.unique(recording.presented)
    by_present = is_told_of_all(presented, drawn_frames.at_ms)
    at_ms = presented if by_present else drawn_frames.at_ms
    late = {} if by_present or drawn_frames.late != drawn_frames.late else {"late_share": round(drawn_frames.late, 4)}
    if at_ms.size < 2:
        raise RigError("the game's window shows no new frames; is it covered, minimised or paused?")
    start = at_ms[0]
    return Capture(at_ms - start, np.array(clicks.sent) * 1000 - start, np.array(clicks.answered) * 1000 - start,
                   about={"clock_start_s": float(start) / 1000, "recorded_by": "present" if by_present else "damage",
                          **about, **late})


def is_told_of_all(presented_ms: Floats, drawn_ms: Floats) -> bool:
    """Whether the server told, of the frames that were drawn, when they were shown: of nearly all, and on our clock."""
    if presented_ms.size < 2 or presented_ms.size < NEARLY_ALL * drawn_ms.size:
        return False
    return not drawn_ms.size or bool(abs(presented_ms[-1] - drawn_ms[-1]) < SAME_CLOCK_MS)
