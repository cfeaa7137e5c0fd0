"""Frame times and input latency from a Wayland compositor: copies of an output's frames, and a virtual pointer.

A program's own window cannot be watched on Wayland; what can is the screen that it is shown on. The compositor says, of
each frame that differs from the last, when it was shown and which part of it is new. So a game is measured as shown,
which is at most once a refresh, and has to be alone on its screen: fullscreen, best of all. Of the frame itself a pixel
is copied, no more: the one that answers clicks. Times are the compositor's own.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import RigError
from keenlattice.measure.capture import BY_SCREEN, Capture, Floats
from keenlattice.rig.linux.recorder import Clicks, Image, Live, Spot, undisturbed
from keenlattice.rig.linux.wayland.compositor import FULLSCREEN, MINIMISED, BufferStore, Compositor, Output
from keenlattice.rig.linux.wayland.protocol import Pointers, Screencopy, ask, on

LEFT_BUTTON, PRESSED, RELEASED = 0x110, 1, 0
WATCHED_S = 0.4  # for how long several screens are watched, to see on which of them something moves
ANSWERS_WITHIN_S = 2.0
SAME_CLOCK_S = 5.0
NO_NEW_FRAMES = "the screen shows no new frames; is the game covered, minimised or paused?"
CANNOT = ("this Wayland compositor lets no program copy its frames (it offers no zwlr_screencopy_manager_v1): start "
          "the game with its X11 back end, or on an X11 session; or record it by other means, for `keen ingest`")

Rectangle = tuple[int, int, int, int]
"""Left, top, width, height."""


@dataclass
class Frames:
    """What was seen of an output: when each frame was shown by the compositor's clock, when word of it arrived, and
    from when on the compositor surely waited for it, in s; how many pixels of it were new, and what the part that was
    copied held."""

    shown_s: list[float] = field(default_factory=list)
    awaited_s: list[float] = field(default_factory=list)
    arrived_s: list[float] = field(default_factory=list)
    new: list[int] = field(default_factory=list)
    copied: list[bytes] = field(default_factory=list)


class Watch:
    """Takes down every new frame of an output, until it is closed.

    Args:
        part: what of each frame is copied, in the desktop's own units.
    """

    def __init__(self, compositor: Compositor, output: Output, part: Rectangle) -> None:
        self.frames, self.failed = Frames(), False
        self._compositor, self._output, self._part = compositor, output, part
        self._store: BufferStore | None = None
        self._frame: Any = None
        self._shape: tuple[int, int, int, int] | None = None
        self._new, self._awaited_s = 0, 0.0
        self._next()

    def _next(self) -> None:
        self._frame = ask(self._compositor.bound(Screencopy), "capture_output_region", 0, self._output.proxy,
                          *self._part)
        on(self._frame, buffer=self._told_shape, buffer_done=self._copy, damage=self._told_new, ready=self._ready,
           failed=self._failed)

    def _told_shape(self, *shape: int) -> None:
        self._shape = (shape[0], shape[1], shape[2], shape[3])

    def _copy(self) -> None:
        if self._shape and (self._store is None or self._store.shape != self._shape):
            self._store = BufferStore(self._compositor, self._shape)
        if self._store:
            ask(self._frame, "copy_with_damage", self._store.buffer)
            self._compositor.when_done(self._awaited)

    def _awaited(self) -> None:
        self._awaited_s = time.perf_counter()

    def _told_new(self, _left: int, _top: int, width: int, height: int) -> None:
        self._new = max(self._new, width * height)

    def _ready(self, high: int, low: int, nanoseconds: int) -> None:
        frames = self.frames
        frames.arrived_s.append(time.perf_counter())
        frames.shown_s.append(float((high << 32) + low) + nanoseconds / 1e9)
        frames.awaited_s.append(self._awaited_s or frames.arrived_s[-1])
        self._awaited_s = 0.0
        frames.new.append(self._new)
        frames.copied.append(self._store.content if self._store else b"")
        self._new = 0
        self.close()
        self._next()  # at once: a frame that is shown before it is asked for is not seen

    def _failed(self) -> None:
        self.failed = True

    def close(self) -> None:
        ask(self._frame, "destroy")
        self._frame._destroy()
        self._frame._handle = None  # which refers to the frame itself: it would stay until garbage is collected


class WaylandProbe:
    """Watches an output of a compositor.

    Args:
        name: the socket's name or path.

    Raises:
        RigError: there is no compositor, or it lets nobody copy its frames.
    """

    def __init__(self, name: str) -> None:
        self._compositor = Compositor(name)
        if not self._compositor.offers(Screencopy):
            self._compositor.close()
            raise RigError(CANNOT)
        self._clicks_offered = self._compositor.offers(Pointers)
        self._pointer: Any = None

    def close(self) -> None:
        self._compositor.close()

    def find(self, processes: Callable[[], set[int]], patience_s: float, alive: Callable[[], bool]) -> Output:
        """The output on which most is drawn; which programs draw on it, a compositor does not say."""
        outputs = [output for output in self._compositor.outputs if output.width and output.height]
        if not outputs:
            raise RigError("the Wayland compositor has no screen that is on")
        if len(outputs) == 1:
            return outputs[0]
        watches = [Watch(self._compositor, output, (0, 0, 1, 1)) for output in outputs]
        self._compositor.wait_for(lambda: False, WATCHED_S)
        ranked = [sum(watch.frames.new) for watch in watches]
        for watch in watches:
            watch.close()
        return outputs[int(np.argmax(ranked))]

    def frames_in(self, window: Output, seconds: float) -> int:
        watch = Watch(self._compositor, window, (0, 0, 1, 1))
        self._compositor.wait_for(lambda: watch.failed, seconds)
        watch.close()
        return len(watch.frames.shown_s)

    def check_seen(self, window: Output, looked_at: Spot | None, clicked: Spot | None) -> None:
        width, height = self.size_of(window)
        for x, y in (spot for spot in (looked_at, clicked) if spot):
            if not (0 <= x < width and 0 <= y < height):
                raise RigError(f"the pixel {x},{y} is outside of the screen, which is {width} by {height}")

    def record(self, window: Output, seconds: float, seed: int, spot: Spot | None, alive: Callable[[], bool],
               clicked: Spot | None = None, live: Live | None = None) -> Capture:
        self.check_seen(window, spot, clicked)
        spot = spot if self._clicks_offered else None
        if spot:
            self.point_at(window, clicked or spot)
        toplevels_shown, end = self._others(window), time.perf_counter() + seconds
        watch = Watch(self._compositor, window, (*self._logical(window, spot or (0, 0)), 1, 1))
        clicks, seen = Clicks(seed, end), 0
        with undisturbed():
            while (now := time.perf_counter()) < end and alive() and not watch.failed:
                self._compositor.wait(min(0.01, end - now))
                seen = _answers(watch.frames, seen, clicks)
                if spot and clicks.is_due(time.perf_counter()):
                    clicks.send(self.click())
                if live:
                    live.look(watch.frames.shown_s, clicks)
        watch.close()
        if watch.failed:
            raise RigError("the screen was turned off, or its mode changed, while it was recorded")
        if not alive():
            raise RigError("the game ended while it was measured")
        return _capture(watch.frames, clicks, window.refresh_hz, {}
                        if toplevels_shown is None else {"others_shown": toplevels_shown})

    def _others(self, window: Output) -> bool | None:
        """Whether more than one window is shown on an output, and none fills it; None if nobody tells."""
        toplevels = self._compositor.toplevels()
        if toplevels is None:
            return None
        here = [toplevel for toplevel in toplevels
                if window.id in toplevel.outputs and MINIMISED not in toplevel.states]
        return len(here) > 1 and not any(FULLSCREEN in toplevel.states for toplevel in here)

    def size_of(self, window: Output) -> tuple[int, int]:
        return (window.height, window.width) if window.turned else (window.width, window.height)

    def _logical(self, window: Output, spot: Spot) -> Spot:
        width, height = self.size_of(window)
        wide, high = window.logical if all(window.logical) else (width, height)
        return spot[0] * wide // width, spot[1] * high // height

    def image(self, window: Output) -> Image:
        properties: dict[str, Any] = {}
        frame = ask(self._compositor.bound(Screencopy), "capture_output", 0, window.proxy)
        on(frame, buffer=lambda *shape: properties.update(shape=shape), flags=
           lambda flags: properties.update(flags=flags),
           ready=lambda *_: properties.update(done=True), failed=lambda: properties.update(done=False))
        self._compositor.wait_for(lambda: "shape" in properties, ANSWERS_WITHIN_S)
        if "shape" in properties:
            store = BufferStore(self._compositor, properties["shape"])
            ask(frame, "copy", store.buffer)
            self._compositor.wait_for(lambda: "done" in properties, ANSWERS_WITHIN_S)
        ask(frame, "destroy")
        frame._destroy()
        if not properties.get("done"):
            raise RigError("the compositor does not hand over a picture of the screen; is it turned off?")
        _, width, height, stride = properties["shape"]
        if stride < 4 * width:
            raise RigError("this screen's pixels are not of four bytes: its colours cannot be compared")
        pixels: NDArray[np.uint32] = np.frombuffer(store.content, dtype=np.uint32).reshape(height, stride // 4)
        return pixels[::-1 if properties.get("flags", 0) & 1 else 1, :width]

    def point_at(self, window: Output, spot: Spot) -> None:
        if not self._clicks_offered:
            raise RigError("this Wayland compositor lets no program click: frames can be measured, and no latency")
        if self._pointer is None:
            manager = self._compositor.bound(Pointers)
            self._pointer = (ask(manager, "create_virtual_pointer_with_output", None, window.proxy)
                             if self._compositor.version_of(Pointers) >= 2 else
                             ask(manager, "create_virtual_pointer", None))
        ask(self._pointer, "motion_absolute", _now_ms(), *spot, *self.size_of(window))
        ask(self._pointer, "frame")
        self._compositor.settle()

    def click(self) -> float:
        at = time.perf_counter()
        for state in (PRESSED, RELEASED):
            ask(self._pointer, "button", _now_ms(), LEFT_BUTTON, state)
            ask(self._pointer, "frame")
        self._compositor.wait(0.0)
        return at


def _now_ms() -> int:
    return int(time.perf_counter() * 1000) & 0xFFFFFFFF


def _answers(frames: Frames, seen: int, clicks: Clicks) -> int:
    """Looks through the frames that are new for one that answers the last click; returns how many were seen now."""
    for place in range(max(seen, 1), len(frames.copied)):
        if clicks.waiting and frames.copied[place] != frames.copied[place - 1] and \
                frames.shown_s[place] > clicks.sent[-1]:
            clicks.answer(frames.shown_s[place])
    return len(frames.copied)


def _capture(frames: Frames, clicks: Clicks, refresh_hz: float, about: dict[str, Any]) -> Capture:
    shown, arrived = np.array(frames.shown_s), np.array(frames.arrived_s)
    if shown.size < 2:
        raise RigError(NO_NEW_FRAMES)
    if np.abs(shown - arrived).max() > SAME_CLOCK_S:
        raise RigError("the compositor's clock is not this machine's: its frames cannot be told in time with clicks")
    new = np.array(frames.new)
    large = new >= np.median(new) / 2  # a clock or a cursor beside the game is not a frame of it
    at = shown[large] * 1000
    start = at[0]
    missed = missed_share(shown, np.array(frames.awaited_s), refresh_hz) if refresh_hz else float("nan")
    return Capture(at - start, np.array(clicks.sent) * 1000 - start, np.array(clicks.answered) * 1000 - start, about={
        "clock_start_s": float(start) / 1000, "recorded_by": BY_SCREEN, "refresh_hz": round(refresh_hz, 2), **about,
        **({"missed_share": round(missed, 4)} if missed == missed else {})})


def missed_share(shown_s: Floats, awaited_s: Floats, refresh_hz: float) -> float:
    """Return the greatest share of frames that may have been shown and not seen.

    The screen shows at most one frame a refresh. Between two frames that were seen there was room for as many as whole
    refreshes lie between them, and of these only such as came before the compositor waited for the next one for us.

    Args:
        shown_s: when each frame that was seen was shown; shape (frames,), rising.
        awaited_s: from when on the compositor surely waited for it, on the same clock; shape (frames,).
    """
    between = np.round(np.diff(shown_s) * refresh_hz) - 1
    unseen = np.floor((awaited_s[1:] - shown_s[:-1]) * refresh_hz + 1e-6)
    missed = float(np.clip(np.minimum(between, unseen), 0, None).sum())
    return missed / (missed + shown_s.size)
