"""The windows of an X display: which is a game's, where it is, whether it can be seen."""

import select
import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import numpy as np

from keenlattice.errors import RigError
from keenlattice.rig.linux.x11.server import connect

WATCHED_S = 0.4  # for how long several windows of a game are watched, to see which of them is drawn


@contextmanager
def still_there() -> Iterator[None]:
    """What is done with a window that may be destroyed at any moment, or its display with it.

    Raises:
        RigError: that was so.
    """
    from Xlib import error

    try:
        yield
    except error.XError:
        raise RigError("the game's window went away while it was measured") from None
    except error.ConnectionClosedError:
        raise RigError("the X display went away, or broke the connection off") from None


class Windows:
    """A connection to an X display.

    Raises:
        RigError: no such display, or it lacks the extensions DAMAGE or XTEST.
    """

    def __init__(self, display: str) -> None:
        self._display = connect(display)
        for extension in ("DAMAGE", "XTEST"):
            if not self._display.has_extension(extension):
                raise RigError(f"the X display {display} lacks the extension {extension}, which measuring needs")
        self._display.damage_query_version()
        self._display.set_error_handler(lambda *_: None)  # a window that is gone is noticed by what has an answer

    def close(self) -> None:
        self._display.close()

    @still_there()
    def find(self, processes: Callable[[], set[int]], patience_s: float, alive: Callable[[], bool]) -> Any:
        """The window that some processes draw their frames into, once one is there: of several viewable ones that which
        shows most (frames times area); where none shows anything, the largest, and of equals the topmost.

        A window's process is asked of the X server (its extension X-Resource); of a program on another machine, or
        where the server lacks that, it is what the program says of itself.

        Raises:
            RigError: none came up in time, or the process ended.
        """
        until, hidden = time.perf_counter() + patience_s, False
        while time.perf_counter() < until and alive():
            windows = self._windows_of(processes())
            seen = [(window, area) for window, area, viewable in windows if viewable and area > 1]
            if len(seen) == 1:
                return seen[0][0]
            if seen:
                return self._liveliest(seen)
            hidden = any(area > 1 for _, area, _ in windows)
            time.sleep(0.02)
        if not alive():
            raise RigError("the game opened no window: it ended at once; does it run on its own?")
        raise RigError("the game's window is not shown: is it minimised?" if hidden else
                       "the game opened no window on this X display; does it draw by other means than X11?")

    @still_there()
    def shows(self, processes: set[int]) -> bool:
        """Whether any of some processes has a window here that can be seen."""
        return any(viewable and area > 1 for _, area, viewable in self._windows_of(processes))

    def _windows_of(self, processes: set[int]) -> list[tuple[Any, int, bool]]:
        """Each window of some processes, its area, and whether it is viewable; what goes away meanwhile is left out."""
        from Xlib import X, error

        windows = []
        for window in self._all_windows():
            try:
                if self._process_of(window) in processes:
                    attributes, size = window.get_attributes(), window.get_geometry()
                    if attributes.win_class == X.InputOutput:
                        windows.append((window, size.width * size.height, attributes.map_state == X.IsViewable))
            except error.XError:
                continue
        return windows

    def _liveliest(self, windows: Sequence[tuple[Any, int]]) -> Any:
        """Of several windows, that which shows most; they are in the order from the lowest to the topmost."""
        frames = self._count_frames([window for window, _ in windows], WATCHED_S)
        ranked = [(frames[window.id] * area, area, place) for place, (window, area) in enumerate(windows)]
        return windows[max(ranked)[2]][0]

    def _count_frames(self, windows: Sequence[Any], seconds: float) -> Counter[int]:
        """How often something is drawn into each window, by the window's number."""
        from Xlib.ext import damage

        watches = [window.damage_create(damage.DamageReportRawRectangles) for window in windows]
        self._settle()
        drawn, end = Counter[int](), time.perf_counter() + seconds
        while (left := end - time.perf_counter()) > 0:
            if not self._display.pending_events():
                select.select([self._display], [], [], left)
            for _ in range(self._display.pending_events()):
                event = self._display.next_event()
                if event.type == self._display.extension_event.DamageNotify:
                    drawn[event.drawable.id] += 1
        for watch in watches:
            self._display.damage_destroy(watch)
        self._settle()
        return drawn

    def frames_in(self, window: Any, seconds: float) -> int:
        """How often something is drawn into a window in this many seconds.

        Raises:
            RigError: it went away.
        """
        with still_there():
            window.get_geometry()
            return self._count_frames([window], seconds)[window.id]

    def _settle(self) -> None:
        """Waits for the server, and drops what it had to say: making a watch reports one change, which is not a
        frame."""
        self._display.sync()
        for _ in range(self._display.pending_events()):
            self._display.next_event()

    def _process_of(self, window: Any) -> int | None:
        from Xlib import X
        from Xlib.ext import res

        if self._display.has_extension("X-Resource"):
            reply = self._display.res_query_client_ids([{"client": window.id, "mask": res.LocalClientPIDMask}])
            for client in reply.ids:
                if client.value:
                    return int(client.value[0])
        owner = window.get_full_property(self._display.intern_atom("_NET_WM_PID"), X.AnyPropertyType)
        return int(owner.value[0]) if owner else None

    def _all_windows(self) -> list[Any]:
        from Xlib import error

        result, level = [], [self._display.screen().root]
        for _ in range(3):  # the window manager's frames lie between the root and a program's own window
            below = []
            for window in level:
                try:
                    below += window.query_tree().children  # from the lowest to the topmost
                except error.XError:  # it went away while we looked
                    continue
            level = below
            result += level
        return result

    @still_there()
    def check_seen(self, window: Any, looked_at: tuple[int, int] | None, clicked: tuple[int, int] | None) -> None:
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
        for use, spot in (("looked at", looked_at), ("clicked", clicked)):
            if spot is None:
                continue
            x, y = spot
            if not (0 <= x < size.width and 0 <= y < size.height):
                raise RigError(f"the pixel {x},{y} is outside of the game's window, which is {size.width} by "
                               f"{size.height}")
            if not seen[y, x]:
                raise RigError(f"another window covers the place that is {use} ({x},{y} in the game's window): "
                               "move it away")

    def _place(self, window: Any) -> tuple[int, int]:
        position = window.translate_coords(self._display.screen().root, 0, 0)
        return -position.x, -position.y

    def _above(self, window: Any) -> list[tuple[int, int, int, int]]:
        """The windows that lie over this one, as left, top, width, height on the screen."""
        from Xlib import X, error

        areas = []
        while (tree := window.query_tree()).parent:
            siblings = tree.parent.query_tree().children  # from the lowest to the highest
            for above in siblings[[sibling.id for sibling in siblings].index(window.id) + 1:]:
                try:
                    attributes, size = above.get_attributes(), above.get_geometry()
                    if attributes.map_state == X.IsViewable and attributes.win_class == X.InputOutput:
                        areas.append((*self._place(above), size.width, size.height))
                except error.XError:  # it went away while we looked at it
                    continue
            window = tree.parent
        return areas

    def focus(self) -> int:
        """Where key presses go: a window's number, or that of a rule such as "where the pointer is"."""
        focus = self._display.get_input_focus().focus
        return focus if isinstance(focus, int) else int(focus.id)

    def composed(self) -> bool:
        """Whether a compositor draws the screen: then a frame handed over is not yet one on the screen."""
        name = self._display.intern_atom(f"_NET_WM_CM_S{self._display.get_default_screen()}")
        return bool(self._display.get_selection_owner(name))
