"""A connection to a Wayland compositor: what it offers, its outputs, copies of their frames."""

import mmap
import os
import select
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from pywayland.client import Display
from pywayland.protocol.wayland import WlOutput, WlShm
from pywayland.protocol.xdg_output_unstable_v1 import ZxdgOutputManagerV1

from keenlattice.errors import RigError
from keenlattice.rig.linux.wayland.protocol import WindowList, on

WENT_AWAY = "the Wayland compositor went away, or broke the connection off"
FULLSCREEN, MINIMISED = 3, 1
ANSWERS_WITHIN_S = 5.0


@dataclass(eq=False)
class Output:
    """A screen of the compositor: its number, and size in pixels and in the desktop's own units, which are larger on a
    scaled desktop."""

    id: int
    proxy: Any
    name: str = ""
    width: int = 0
    height: int = 0
    refresh_hz: float = 0.0
    logical: tuple[int, int] = (0, 0)
    turned: bool = False
    kept: list[Any] = field(default_factory=list)


@dataclass(eq=False)
class Toplevel:
    """A window of any program, as the compositor reports it."""

    outputs: set[int] = field(default_factory=set)
    states: frozenset[int] = frozenset()


class Compositor:
    """A connection to a compositor.

    Args:
        name: the socket's name or path, as in the environment's `WAYLAND_DISPLAY`.

    Raises:
        RigError: there is none.
    """

    def __init__(self, name: str) -> None:
        self._display = Display(name)
        try:
            self._display.connect()
        except ValueError:
            raise RigError(f"no Wayland compositor answers at {name!r}") from None
        self._given: list[Any] = []  # objects of events: the library does not know whose they are
        self._bound: dict[str, Any] = {}
        self._offered: dict[str, list[tuple[int, int]]] = {}
        self.outputs: list[Output] = []
        try:
            self._look()
        except BaseException:
            self.close()  # what is left open is a fault of the whole process, once it is collected
            raise

    def _look(self) -> None:
        """Hears what the compositor offers, and of its outputs."""
        self._registry = self._display.get_registry()
        on(self._registry, **{"global": lambda number, interface, version: self._offered.setdefault(
            interface, []).append((number, version))})
        self.settle()
        self.outputs += [Output(number, self._registry.bind(number, WlOutput, min(version, WlOutput.version)))
                         for number, version in self._offered.get("wl_output", [])]
        for output in self.outputs:
            self._hear(output)
        self.settle()

    def _hear(self, output: Output) -> None:
        def mode(flags: int, width: int, height: int, refresh_mhz: int) -> None:
            if flags & 1:
                output.width, output.height, output.refresh_hz = width, height, refresh_mhz / 1000

        def geometry(*fields: Any) -> None:
            output.turned = bool(fields[-1] & 1)

        def logical(width: int, height: int) -> None:
            output.logical = width, height

        on(output.proxy, mode=mode, geometry=geometry, name=lambda name: setattr(output, "name", name))
        if self.offers(ZxdgOutputManagerV1):
            output.kept.append(self.bound(ZxdgOutputManagerV1).get_xdg_output(output.proxy))
            on(output.kept[-1], logical_size=logical)

    def offers(self, interface: Any) -> bool:
        return interface.name in self._offered

    def version_of(self, interface: Any) -> int:
        return max((version for _, version in self._offered.get(interface.name, ())), default=0)

    def bound(self, interface: Any) -> Any:
        """The compositor's object of an interface.

        Raises:
            RigError: it offers none.
        """
        if interface.name not in self._bound:
            if not self.offers(interface):
                raise RigError(f"this Wayland compositor offers no {interface.name}")
            number, version = self._offered[interface.name][0]
            self._bound[interface.name] = self._registry.bind(number, interface, min(version, interface.version))
        return self._bound[interface.name]

    def settle(self) -> None:
        """Waits until the compositor has dealt with all that was asked of it.

        Raises:
            RigError: it does not answer, or went away.
        """
        done = list[int]()
        asked = self._display.sync()
        on(asked, done=done.append)
        if not self.wait_for(lambda: done, ANSWERS_WITHIN_S):
            raise RigError(f"the Wayland compositor gave no answer in {ANSWERS_WITHIN_S:.0f} s")

    def when_done(self, act: Callable[[], None]) -> None:
        """Have something done once the compositor has dealt with all that was asked of it so far."""
        on(self._display.sync(), done=lambda _: act())

    def wait(self, seconds: float) -> None:
        """Waits for word of the compositor, for so long at most, and deals with it."""
        try:
            self._display.dispatch()
            if self._display.flush() < 0 and not select.select([], [self._display.get_fd()], [], seconds)[1]:
                return
            if select.select([self._display.get_fd()], [], [], max(0.0, seconds))[0]:
                self._display.read()  # what is there, and no more: half a message is not waited for
                self._display.dispatch()
        except (RuntimeError, OSError):
            raise RigError(WENT_AWAY) from None

    def wait_for(self, happened: Callable[[], object], seconds: float) -> bool:
        """Waits until something has happened, for so long at most; says whether it has."""
        until = time.perf_counter() + seconds
        while not happened() and (left := until - time.perf_counter()) > 0:
            self.wait(left)
        return bool(happened())

    def given(self, proxy: Any) -> None:
        """Takes an object that came with an event: it has to be let go of before the connection ends."""
        self._given.append(proxy)

    def close(self) -> None:
        for proxy in self._given:
            proxy._destroy()
        self._display.disconnect()

    def toplevels(self) -> list[Toplevel] | None:
        """The windows of all programs; None if the compositor does not report them."""
        if not self.offers(WindowList):
            return None
        result: dict[Any, Toplevel] = {}

        def appeared(window: Any) -> None:
            self.given(window)
            toplevel = result[window] = Toplevel()
            on(window, output_enter=lambda proxy: toplevel.outputs.update(
                   output.id for output in self.outputs if output.proxy is proxy),
               state=lambda raw: setattr(toplevel, "states", frozenset(memoryview(bytes(raw)).cast("I"))),
               closed=lambda: result.pop(window, None))

        number, version = self._offered[WindowList.name][0]
        manager = self._registry.bind(number, WindowList, min(version, WindowList.version))
        on(manager, toplevel=appeared)
        self.settle()
        self.settle()  # the first reports the windows, the second what they say
        return list(result.values())


class BufferStore:
    """A piece of memory that the compositor writes a frame into.

    Args:
        shape: the pixels' format, width, height, and bytes in a row.
    """

    def __init__(self, compositor: Compositor, shape: tuple[int, int, int, int]) -> None:
        self.shape, (form, width, height, stride) = shape, shape
        file = os.memfd_create("keen")
        os.ftruncate(file, stride * height)
        self._memory = mmap.mmap(file, stride * height)
        pool = compositor.bound(WlShm).create_pool(file, stride * height)
        self.buffer = pool.create_buffer(0, width, height, stride, form)
        pool.destroy()
        os.close(file)

    @property
    def content(self) -> bytes:
        return self._memory[:]
