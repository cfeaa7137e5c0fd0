"""Records a window from outside: frames from the X server's DAMAGE events, latency from XTEST clicks.

Nothing is injected into the program. The X server says when something was drawn into the window; after a click, the
pixel that answers is read back with every such event until it has changed. Times are this process's
`time.perf_counter`, taken when an event arrives: the server's own stamps are whole milliseconds.
"""

import select
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from keenlattice.errors import RigError
from keenlattice.measure.capture import Capture

CLICK_EVERY_S = (0.05, 0.10)  # drawn at random, so that clicks do not fall into step with frames
NO_ANSWER_S = 1.0
SAME_FRAME_S = 0.0005         # a part of the window drawn so soon after another is of the same frame


@dataclass
class _Recording:
    shown: list[float] = field(default_factory=list)
    clicks: list[float] = field(default_factory=list)
    answers: list[float] = field(default_factory=list)


class Probe:
    """Watches one window of an X display.

    Raises:
        RigError: no such display, or it lacks the extensions DAMAGE or XTEST.
    """

    def __init__(self, display: str) -> None:
        from Xlib import display as xdisplay
        from Xlib.error import DisplayError

        try:
            self._display = xdisplay.Display(display)
        except (DisplayError, OSError) as error:
            raise RigError(f"no X display {display!r}: {error}") from None
        for extension in ("DAMAGE", "XTEST"):
            if not self._display.has_extension(extension):
                raise RigError(f"the X display {display} lacks the extension {extension}, which measuring needs")
        self._display.damage_query_version()

    def close(self) -> None:
        self._display.close()

    def find(self, processes: Callable[[], set[int]], patience_s: float, alive: Callable[[], bool]) -> Any:
        """The largest viewable window of some processes, once one is there.

        A window's process is asked of the X server (its extension X-Resource); of a program on another machine, or
        where the server lacks that, it is what the program says of itself.

        Raises:
            RigError: none came up in time, or the process ended.
        """
        from Xlib import X, error

        until, hidden = time.perf_counter() + patience_s, False
        while time.perf_counter() < until and alive():
            wanted, found = processes(), []
            for window in self._all_windows():
                try:
                    if self._process_of(window) in wanted and window.get_attributes().win_class == X.InputOutput:
                        size = window.get_geometry()
                        found.append((size.width * size.height, window.get_attributes().map_state, window))
                except error.XError:  # it went away while we looked at it
                    continue
            seen = [(area, window) for area, state, window in found if state == X.IsViewable and area > 1]
            if seen:
                return max(seen, key=lambda one: one[0])[1]
            hidden = any(area > 1 for area, _, _ in found)
            time.sleep(0.02)
        if not alive():
            raise RigError("the game opened no window: it ended at once; does it run on its own?")
        raise RigError("the game's window is not shown: is it minimised?" if hidden else
                       "the game opened no window on this X display; does it draw by other means than X11?")

    def _process_of(self, window: Any) -> int | None:
        from Xlib import X
        from Xlib.ext import res

        if self._display.has_extension("X-Resource"):
            told = self._display.res_query_client_ids([{"client": window.id, "mask": res.LocalClientPIDMask}])
            for one in told.ids:
                if one.value:
                    return int(one.value[0])
        owner = window.get_full_property(self._display.intern_atom("_NET_WM_PID"), X.AnyPropertyType)
        return int(owner.value[0]) if owner else None

    def _all_windows(self) -> list[Any]:
        found, level = [], [self._display.screen().root]
        for _ in range(3):  # the window manager's frames lie between the root and a program's own window
            level = [child for window in level for child in window.query_tree().children]
            found += level
        return found

    def record(self, window: Any, seconds: float, seed: int, spot: tuple[int, int] | None,
               alive: Callable[[], bool]) -> Capture:
        """Records a window for some seconds.

        Args:
            spot: the pixel of the window that answers a click; None to record frames alone.
            alive: says whether the program still runs.

        Raises:
            RigError: the window went away.
        """
        from Xlib import error
        from Xlib.ext import damage

        watch = window.damage_create(damage.DamageReportRawRectangles)
        try:
            recording = self._watch(window, seconds, np.random.default_rng(seed), spot, alive)
            self._display.damage_destroy(watch)
            self._display.sync()
        except error.XError:
            raise RigError("the game's window went away while it was measured") from None
        if not alive():
            raise RigError("the game ended while it was measured")
        return _capture(recording)

    def _watch(self, window: Any, seconds: float, random: np.random.Generator, spot: tuple[int, int] | None,
               alive: Callable[[], bool]) -> _Recording:
        recording, size = _Recording(), window.get_geometry()
        if spot:
            self._point_at(window, spot)
            before = self._pixel(window, spot)
        self._display.flush()
        end = time.perf_counter() + seconds
        next_click, waiting = time.perf_counter() + random.uniform(*CLICK_EVERY_S), False
        while (now := time.perf_counter()) < end and alive():
            if not self._display.pending_events():
                select.select([self._display], [], [], min(0.01, end - now))
            drawn = self._take_events(recording, (size.width, size.height))
            at = time.perf_counter()
            if drawn and waiting and spot and (colour := self._pixel(window, spot)) != before:
                recording.answers[-1] = time.perf_counter()
                before, waiting, next_click = colour, False, at + random.uniform(*CLICK_EVERY_S)
            if waiting and at > recording.clicks[-1] + NO_ANSWER_S:
                waiting, next_click = False, at
            if spot and not waiting and at >= next_click and at < end - NO_ANSWER_S / 4:
                recording.clicks.append(self._click())
                recording.answers.append(float("nan"))
                waiting = True
        return recording

    def _take_events(self, recording: _Recording, whole: tuple[int, int]) -> bool:
        """Notes the frames that have arrived; says whether anything was drawn."""
        drawn, damaged = False, self._display.extension_event.DamageNotify
        for _ in range(self._display.pending_events()):
            event, at = self._display.next_event(), time.perf_counter()
            if event.type != damaged:
                continue
            drawn = True
            shown, area = recording.shown, event.area
            if (area.width, area.height) == whole or not shown or at - shown[-1] > SAME_FRAME_S:
                shown.append(at)
        return drawn

    def _pixel(self, window: Any, spot: tuple[int, int]) -> bytes:
        from Xlib import X

        colour: bytes = window.get_image(*spot, 1, 1, X.ZPixmap, 0xFFFFFFFF).data
        return colour

    def _point_at(self, window: Any, spot: tuple[int, int]) -> None:
        # Beside the pixel that answers, so that a pointer drawn in software does not cover it.
        window.warp_pointer(spot[0] + 60, spot[1] + 60)
        self._display.sync()

    def _click(self) -> float:
        from Xlib import X
        from Xlib.ext import xtest

        at = time.perf_counter()
        xtest.fake_input(self._display, X.ButtonPress, 1)
        xtest.fake_input(self._display, X.ButtonRelease, 1)
        self._display.flush()
        return at


def _capture(recording: _Recording) -> Capture:
    shown = np.array(recording.shown)
    if shown.size < 2:
        raise RigError("the game's window shows no new frames; is it covered, minimised or paused?")
    start = shown[0]
    return Capture((shown - start) * 1000, (np.array(recording.clicks) - start) * 1000,
                   (np.array(recording.answers) - start) * 1000, about={"clock_start_s": float(start)})
