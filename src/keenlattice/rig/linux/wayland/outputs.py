"""The monitor of a Wayland desktop, through its compositor's output management: its modes, and turning one on."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from keenlattice.errors import RefusedByRig, RigError
from keenlattice.rig.linux.monitor import Mode, Monitor
from keenlattice.rig.linux.wayland.compositor import Compositor
from keenlattice.rig.linux.wayland.protocol import OutputManager, ask, on

ANSWERS_WITHIN_S = 10.0


@dataclass(eq=False)
class _Mode:
    proxy: Any
    size: tuple[int, int] = (0, 0)
    refresh_mhz: int = 0
    preferred: bool = False

    @property
    def mode(self) -> Mode:
        return Mode(*self.size, round(self.refresh_mhz / 1000, 2))


@dataclass(eq=False)
class _Head:
    proxy: Any
    name: str = ""
    enabled: bool = False
    on: Any = None
    at: tuple[int, int] = (0, 0)
    modes: list[_Mode] = field(default_factory=list)


class Outputs:
    """The monitors of a compositor.

    Args:
        name: its socket.
    """

    def __init__(self, name: str) -> None:
        self._name = name

    @cached_property
    def offered(self) -> bool:
        """Whether there is such a compositor, and it lets programs set modes."""
        try:
            compositor = Compositor(self._name)
        except RigError:
            return False
        try:
            return compositor.offers(OutputManager)
        finally:
            compositor.close()

    def primary(self) -> Monitor | None:
        """The monitor at the desktop's upper left corner; None if none is on, or it has no modes to choose from."""
        if not self.offered:
            return None
        with self._asked() as (_, _, heads, _):
            return _monitor(heads)

    def turn_on(self, text: str) -> None:
        """Turns a mode on, of that monitor.

        Args:
            text: the mode, as `Mode.text` has it.

        Raises:
            RefusedByRig: there is no such mode; or the compositor refuses it.
        """
        with self._asked() as (compositor, manager, heads, serial):
            monitor = _monitor(heads)
            if monitor is None:
                raise RefusedByRig("this Wayland desktop has no monitor on now")
            head = _first(heads)
            wanted = next((mode for mode in head.modes if mode.mode.text == text), None)
            if wanted is None:
                raise RefusedByRig(f"the monitor {monitor.name} has no mode {text} now")
            configuration, answers = ask(manager, "create_configuration", serial), list[str]()
            on(configuration, **{word: (lambda word=word: answers.append(word))
                                 for word in ("succeeded", "failed", "cancelled")})
            for output_head in heads:  # each has to be named; of one that is named alone nothing is changed
                if output_head.enabled:
                    configured = ask(configuration, "enable_head", output_head.proxy)
                    if output_head is head:
                        ask(configured, "set_mode", wanted.proxy)
                else:
                    ask(configuration, "disable_head", output_head.proxy)
            ask(configuration, "apply")
            compositor.wait_for(lambda: answers, ANSWERS_WITHIN_S)
            if answers != ["succeeded"]:
                raise RefusedByRig(f"the compositor does not take the mode {text}" + (
                    ": something else changed the monitors meanwhile; try again" if answers == ["cancelled"] else ""))

    @contextmanager
    def _asked(self) -> Iterator[tuple[Compositor, Any, list[_Head], int]]:
        """A connection, the output manager, the heads as it reports them, and the number of that telling."""
        compositor = Compositor(self._name)
        heads, serials = list[_Head](), list[int]()
        try:
            manager = compositor.bound(OutputManager)
            on(manager, head=lambda proxy: heads.append(_heard(compositor, proxy)), done=serials.append)
            compositor.wait_for(lambda: serials, ANSWERS_WITHIN_S)
            if not serials:
                raise RigError("the compositor does not say what its monitors do")
            yield compositor, manager, heads, serials[-1]
        finally:
            compositor.close()


def _heard(compositor: Compositor, proxy: Any) -> _Head:
    head = _Head(proxy)
    compositor.given(proxy)

    def appeared(mode: Any) -> None:
        compositor.given(mode)
        output_mode = _Mode(mode)
        head.modes.append(output_mode)
        on(mode, size=lambda width, height: setattr(output_mode, "size", (width, height)),
           refresh=lambda mhz: setattr(output_mode, "refresh_mhz", mhz), preferred=
           lambda: setattr(output_mode, "preferred", True))

    on(proxy, name=lambda name: setattr(head, "name", name), mode=appeared,
       enabled=lambda yes: setattr(head, "enabled", bool(yes)), current_mode=lambda mode: setattr(head, "on", mode),
       position=lambda x, y: setattr(head, "at", (x, y)))
    return head


def _first(heads: list[_Head]) -> _Head:
    return min((head for head in heads if head.enabled and head.on is not None), key=lambda head: head.at)


def _monitor(heads: list[_Head]) -> Monitor | None:
    if not any(version.enabled and version.on is not None for version in heads):
        return None
    head = _first(heads)
    current = next((mode for mode in head.modes if mode.proxy is head.on), None)
    if current is None:
        return None
    best = next((mode for mode in head.modes if mode.preferred), current)
    modes = tuple(dict.fromkeys(mode.mode for mode in head.modes))
    return Monitor(head.name, current.mode, modes, best.mode.resolution, sum(head.enabled for head in heads) == 1)
