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
from numpy.typing import NDArray

from keenlattice.errors import RigError
from keenlattice.measure.capture import Capture

CLICK_EVERY_S = (0.05, 0.10)  # drawn at random, so that clicks do not fall into step with frames
NO_ANSWER_S = 1.0
BESIDE = 60                   # pixels from the one that answers to where the pointer is
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

        try:
            self._check_seen(window, spot)
            watch = window.damage_create(damage.DamageReportRawRectangles)
            focus = self._focus()
            recording = self._watch(window, seconds, np.random.default_rng(seed), spot, alive)
            self._display.damage_destroy(watch)
            self._display.sync()
        except error.XError:
            raise RigError("the game's window went away while it was measured") from None
        if not alive():
            raise RigError("the game ended while it was measured")
        return _capture(recording, {"composed": self._composed(), "focus_lost": self._focus() != focus})

    def _watch(self, window: Any, seconds: float, random: np.random.Generator, spot: tuple[int, int] | None,
               alive: Callable[[], bool]) -> _Recording:
        recording, size = _Recording(), window.get_geometry()
        if spot:
            self.point_at(window, spot)
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
                recording.clicks.append(self.click())
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

    def _check_seen(self, window: Any, spot: tuple[int, int] | None) -> None:
        """Whether other windows leave enough of this one to be measured.

        Raises:
            RigError: it is covered, all of it or where it is clicked or looked at.
        """
        size, at = window.get_geometry(), self._place(window)
        seen = np.ones((size.height, size.width), dtype=bool)
        for left, top, width, height in self._above(window):
            x, y = left - at[0], top - at[1]
            seen[max(0, y):max(0, y + height), max(0, x):max(0, x + width)] = False
        if not seen.any():
            raise RigError("the game's window is covered by other windows: bring it to the front")
        if spot:
            for what, (x, y) in (("looked at", spot), ("clicked", _beside(spot, size.width, size.height))):
                if not (0 <= x < size.width and 0 <= y < size.height):
                    raise RigError(f"the pixel {x},{y} is outside of the game's window, which is {size.width} by "
                                   f"{size.height}")
                if not seen[y, x]:
                    raise RigError(f"another window covers the place that is {what} ({x},{y} in the game's window): "
                                   "move it away")

    def _place(self, window: Any) -> tuple[int, int]:
        told = window.translate_coords(self._display.screen().root, 0, 0)
        return -told.x, -told.y

    def _above(self, window: Any) -> list[tuple[int, int, int, int]]:
        """The windows that lie over this one, as left, top, width, height on the screen."""
        from Xlib import X, error

        found = []
        while (tree := window.query_tree()).parent:
            siblings = tree.parent.query_tree().children  # from the lowest to the highest
            for other in siblings[[one.id for one in siblings].index(window.id) + 1:]:
                try:
                    attributes, size = other.get_attributes(), other.get_geometry()
                    if attributes.map_state == X.IsViewable and attributes.win_class == X.InputOutput:
                        found.append((*self._place(other), size.width, size.height))
                except error.XError:  # it went away while we looked at it
                    continue
            window = tree.parent
        return found

    def _focus(self) -> int:
        """Where key presses go: a window's number, or that of a rule such as "wherever the pointer is"."""
        focus = self._display.get_input_focus().focus
        return focus if isinstance(focus, int) else int(focus.id)

    def _composed(self) -> bool:
        """Whether a compositor draws the screen: then a frame handed over is not yet one on the screen."""
        name = self._display.intern_atom(f"_NET_WM_CM_S{self._display.get_default_screen()}")
        return bool(self._display.get_selection_owner(name))

    def point_at(self, window: Any, spot: tuple[int, int]) -> None:
        """Moves the pointer beside a pixel, so that one drawn in software does not cover it."""
        size = window.get_geometry()
        window.warp_pointer(*_beside(spot, size.width, size.height))
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


def _beside(spot: tuple[int, int], width: int, height: int) -> tuple[int, int]:
    """A place in the window near a pixel of it."""
    x, y = (one + BESIDE if one + BESIDE < size else max(0, one - BESIDE)
            for one, size in zip(spot, (width, height), strict=True))
    return x, y


def _capture(recording: _Recording, about: dict[str, bool]) -> Capture:
    shown = np.array(recording.shown)
    if shown.size < 2:
        raise RigError("the game's window shows no new frames; is it covered, minimised or paused?")
    start = shown[0]
    return Capture((shown - start) * 1000, (np.array(recording.clicks) - start) * 1000,
                   (np.array(recording.answers) - start) * 1000,
                   about={"clock_start_s": float(start), **about})
