"""The desktop's settings of this machine: refresh rate and resolution of the primary monitor, by X11 or the compositor.

Both forget them when they end, and have no "unset": what was on before the first of them was set is noted down in
the rig's home, and is on again once all are unset.
"""

import json
from collections.abc import Mapping
from functools import cached_property
from pathlib import Path
from typing import NamedTuple, Protocol

from keenlattice._files import read_bounded
from keenlattice._safejson import parse_json
from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig, RigError
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.base import Edits, FactValue, State
from keenlattice.rig.linux.monitor import Mode, Monitor
from keenlattice.rig.linux.x11.randr import Monitors
from keenlattice.rig.parts import Part
from keenlattice.rig.places import put_file

NOTED, MOST_BYTES = "desktop-before.json", 100_000
REFRESH, RESOLUTION = "display.refresh", "display.resolution"
NATIVE = "native"
NEAR_HZ = 1.0  # 59.81 Hz is what a player calls 60


class Tells(Protocol):
    """What describes the monitors of a desktop."""

    def primary(self) -> Monitor | None:
        """The primary monitor; None if none is on."""

    def turn_on(self, text: str) -> None:
        """Turns a mode on, of that monitor."""


class _Noted(NamedTuple):
    """What was on before anything was set, and what is set."""

    before: str
    keys: tuple[str, ...]


class Desktop(Part):
    """The primary monitor.

    Args:
        display: the X display's name; empty for none.
        compositor: the Wayland compositor's socket; empty for none.
        home: where is noted down what was on before.
    """

    def __init__(self, display: str, compositor: str, home: Path) -> None:
        self._display, self._compositor, self._home = display, compositor, home

    @cached_property
    def _outputs(self) -> Tells | None:
        """The compositor's monitors, if it manages them for others; asked when they are first needed."""
        if not self._compositor:
            return None
        try:
            from keenlattice.rig.linux.wayland.outputs import Outputs
        except ImportError:
            return None
        outputs = Outputs(self._compositor)
        return outputs if outputs.offered else None

    @cached_property
    def _monitors(self) -> Tells | None:
        return self._outputs or (Monitors(self._display) if self._display else None)

    @property
    def _settable(self) -> bool:
        """Whether modes can be turned on there: not, where the X display lies within another desktop."""
        return self._outputs is not None or not self._compositor

    def _monitor(self) -> Monitor | None:
        return self._monitors.primary() if self._monitors else None

    def settings(self) -> list[Setting]:
        monitor = self._monitor()
        if monitor is None or not self._settable or len(monitor.modes) < 2:
            return []
        before = self._before()
        stock = before or monitor.on
        own = {"rights": False, "restart": "none"}
        return [catalog()[REFRESH].model_copy(update={**own, "stock": round(stock.refresh_hz)}),
                catalog()[RESOLUTION].model_copy(update={**own, "stock": NATIVE})]

    def _before(self) -> Mode | None:
        return _mode(self._noted({NOTED: read_bounded(self._home / NOTED, MOST_BYTES)}).before)

    def facts(self) -> dict[str, FactValue]:
        monitor = self._monitor()
        if monitor is None:
            return {}
        rates = monitor.rates(monitor.on.resolution)
        return {"panel": monitor.name, "refresh_hz": round(monitor.on.refresh_hz),
                "best_refresh_hz": round(max(rates, default=monitor.on.refresh_hz)),
                "resolution": monitor.on.resolution}

    def state(self) -> State:
        monitor = self._monitor()
        noted = {NOTED: read_bounded(self._home / NOTED, MOST_BYTES)}
        return noted if monitor is None or not self._settable else {**noted, _place(monitor): monitor.on.text.encode()}

    def in_words(self, place: str) -> str:
        return f"the monitor {place.split('/')[1]}" if place.startswith("display/") else ""

    def covers(self, owner: str, key: str) -> bool:
        return key in (REFRESH, RESOLUTION)

    def values(self, state: State, owner: str) -> Entries:
        return self._set(state) if owner == WHOLE_RIG else {}

    def _set(self, state: State) -> dict[str, Value]:
        monitor = self._monitor()
        on = None if monitor is None else _mode((state.get(_place(monitor)) or b"").decode())
        if monitor is None or on is None:
            return {}
        values: dict[str, Value] = {
            REFRESH: round(on.refresh_hz),
            RESOLUTION: NATIVE if on.resolution == monitor.preferred else on.resolution}
        return {key: values[key] for key in self._noted(state).keys if key in values}

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        """The state after some changes.

        Raises:
            RefusedByRig: the monitor has no such mode, or there is none.
        """
        monitor = self._monitor()
        if monitor is None:
            raise RefusedByRig(f"{', '.join(changes)}: there is no monitor on this desktop now")
        noted = self._noted(state)
        on = _mode((state.get(_place(monitor)) or b"").decode()) or monitor.on
        before = _mode(noted.before) or on
        wanted = {**self._set(state), **{key: value for key, value in changes.items() if value is not None}}
        for key in [key for key, value in changes.items() if value is None]:
            wanted.pop(key, None)
        mode = _chosen(monitor, before, wanted)
        if not monitor.alone and mode.resolution != on.resolution:
            raise RefusedByRig(f"{RESOLUTION}: several monitors are on, and their places would have to move: do it by "
                               "hand in the desktop's own settings")
        kept = json.dumps({"before": before.text, "set": sorted(wanted)}).encode() if wanted else None
        return {_place(monitor): mode.text.encode(), NOTED: kept}

    def put(self, state: State) -> None:
        """Turns on what a state has, and notes down what was on."""
        try:
            if state.get(NOTED) is not None:
                put_file(self._home / NOTED, state[NOTED])
            for place, content in state.items():
                if place.startswith("display/") and content and self._monitors:
                    self._monitors.turn_on(content.decode())
            if NOTED in state and state[NOTED] is None:
                put_file(self._home / NOTED, None)
        except OSError as error:
            raise RigError(f"cannot write {self._home / NOTED}: {error.strerror}") from None

    def _noted(self, state: State) -> _Noted:
        try:
            noted = parse_json(state.get(NOTED) or b"{}")
            return _Noted(str(noted.get("before", "")), tuple(str(name) for name in noted.get("set", ())))
        except (ValueError, TypeError, AttributeError):
            raise RigError(f"{self._home / NOTED} is damaged: move it away; what is on then counts as the desktop's own"
                           ) from None


def _place(monitor: Monitor) -> str:
    return f"display/{monitor.name}/mode"


def _mode(text: str) -> Mode | None:
    try:
        size, _, rate = text.partition("@")
        width, _, height = size.partition("x")
        return Mode(int(width), int(height), float(rate))
    except ValueError:
        return None


def _chosen(monitor: Monitor, before: Mode, wanted: Mapping[str, Value]) -> Mode:
    """The monitor's mode for what is wanted; what is not said stays as it was before, or is the nearest to that.

    Raises:
        RefusedByRig: it has none.
    """
    resolution = str(wanted.get(RESOLUTION, before.resolution))
    resolution = monitor.preferred if resolution == NATIVE else resolution
    rates = monitor.rates(resolution)
    if not rates:
        resolutions = dict.fromkeys(mode.resolution for mode in sorted(monitor.modes, reverse=True))
        raise RefusedByRig(f"{RESOLUTION}: the monitor {monitor.name} has no {resolution}; it has "
                           f"{', '.join(resolutions)}")
    if REFRESH not in wanted:
        return next(mode for mode in monitor.modes if mode.resolution == resolution and mode.refresh_hz == min(
            rates, key=lambda rate: abs(rate - before.refresh_hz)))
    rate = min(rates, key=lambda rate: abs(rate - float(wanted[REFRESH])))
    if abs(rate - float(wanted[REFRESH])) > NEAR_HZ:
        raise RefusedByRig(f"{REFRESH}: at {resolution} the monitor {monitor.name} has "
                           f"{', '.join(f'{round(rate)}' for rate in rates)} Hz")
    return next(mode for mode in monitor.modes if mode.resolution == resolution and mode.refresh_hz == rate)
