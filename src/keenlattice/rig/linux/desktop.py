"""The primary monitor's mode: read from, and turned on through, the compositor or the X server."""

from functools import cached_property, partial
from typing import Protocol

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.base import FactValue
from keenlattice.rig.linux.monitor import Mode, Monitor
from keenlattice.rig.linux.x11.randr import Monitors
from keenlattice.rig.stored import StoredSetting, Texts, of_the_player

REFRESH, RESOLUTION = "display.refresh", "display.resolution"
PREFIX, SUFFIX = "display/", "/mode"
NATIVE = "native"
NEAR_HZ = 1.0  # 59.81 Hz is what a player calls 60


class Tells(Protocol):
    """What describes the monitors of a desktop."""

    def primary(self) -> Monitor | None:
        """The primary monitor; None if none is on."""

    def turn_on(self, text: str) -> None:
        """Turns a mode on, of that monitor."""


class ModeStore:
    """The mode that is on, of the primary monitor.

    Args:
        monitors: of the X display.
        compositor: the Wayland compositor's socket; empty for none.
    """

    def __init__(self, monitors: Monitors, compositor: str) -> None:
        self._of_display, self._compositor = monitors, compositor

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
    def _monitors(self) -> Tells:
        return self._outputs or self._of_display

    def monitor(self) -> Monitor | None:
        """Return the primary monitor; None if none is on, or nothing describes it."""
        return self._monitors.primary()

    def owns(self, place: str) -> bool:
        """Return whether a place is a monitor's mode."""
        return place.startswith(PREFIX) and place.endswith(SUFFIX)

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        return f"the monitor {place.split('/')[1]}" if self.owns(place) else ""

    def read(self) -> Texts:
        """Return the mode that is on; nothing where modes cannot be turned on, as on an X display that lies within
        another desktop."""
        monitor = self.monitor() if self._outputs is not None or not self._compositor else None
        return {} if monitor is None else {place_of(monitor): monitor.on.text}

    def check(self, texts: Texts) -> None:
        """Everybody may set their own desktop."""

    def write(self, texts: Texts) -> None:
        """Turn a mode on.

        Raises:
            RefusedByRig: this monitor is not on now, or does not take the mode.
        """
        for place, text in texts.items():
            monitor = self.monitor()
            if monitor is None or place != place_of(monitor) or text is None:
                raise RefusedByRig(f"{self.in_words(place)} is not on now")
            self._monitors.turn_on(text)


def place_of(monitor: Monitor) -> str:
    """Return the place of a monitor's mode."""
    return f"{PREFIX}{monitor.name}{SUFFIX}"


def facts(monitor: Monitor | None) -> dict[str, FactValue]:
    """What a monitor says of itself."""
    if monitor is None:
        return {}
    rates = monitor.rates(monitor.on.resolution)
    return {"panel": monitor.name, "refresh_hz": round(monitor.on.refresh_hz),
            "best_refresh_hz": round(max(rates, default=monitor.on.refresh_hz)),
            "resolution": monitor.on.resolution}


def settings(monitor: Monitor | None, held: Texts) -> list[StoredSetting]:
    """The settings of a monitor of several modes; the resolution first, since the rates are those that it has.

    Args:
        held: what is on, or was before anything was set.
    """
    if monitor is None or len(monitor.modes) < 2 or place_of(monitor) not in held:
        return []
    place = place_of(monitor)
    result = [StoredSetting(RESOLUTION, catalog()[RESOLUTION], partial(_resolution, monitor),
                            partial(_at_resolution, monitor), step=place),
              StoredSetting(REFRESH, catalog()[REFRESH], lambda held: round(_on(monitor, held).refresh_hz),
                            partial(_at_rate, monitor), step=place)]
    return [of_the_player(setting, held) for setting in result]


def _on(monitor: Monitor, held: Texts) -> Mode:
    return _mode(held.get(place_of(monitor)) or "") or monitor.on


def _resolution(monitor: Monitor, held: Texts) -> str:
    resolution = _on(monitor, held).resolution
    return NATIVE if resolution == monitor.preferred else resolution


def _at_resolution(monitor: Monitor, value: Value, held: Texts) -> Texts:
    """The mode of a resolution whose rate is the nearest to that of now."""
    on, resolution = _on(monitor, held), monitor.preferred if value == NATIVE else str(value)
    if not monitor.rates(resolution):
        resolutions = dict.fromkeys(mode.resolution for mode in sorted(monitor.modes, reverse=True))
        raise RefusedByRig(f"{RESOLUTION}: the monitor {monitor.name} has no {resolution}; it has "
                           f"{', '.join(resolutions)}")
    if not monitor.alone and resolution != on.resolution:
        raise RefusedByRig(f"{RESOLUTION}: several monitors are on, and their places would have to move: do it by "
                           "hand in the desktop's own settings")
    return {place_of(monitor): _nearest(monitor, resolution, on.refresh_hz).text}


def _at_rate(monitor: Monitor, value: Value, held: Texts) -> Texts:
    """The mode of now with another rate."""
    resolution = _on(monitor, held).resolution
    mode = _nearest(monitor, resolution, float(value))
    if abs(mode.refresh_hz - float(value)) > NEAR_HZ:
        raise RefusedByRig(f"{REFRESH}: at {resolution} the monitor {monitor.name} has "
                           f"{', '.join(f'{round(rate)}' for rate in monitor.rates(resolution))} Hz")
    return {place_of(monitor): mode.text}


def _nearest(monitor: Monitor, resolution: str, rate_hz: float) -> Mode:
    return min((mode for mode in monitor.modes if mode.resolution == resolution),
               key=lambda mode: abs(mode.refresh_hz - rate_hz))


def _mode(text: str) -> Mode | None:
    try:
        size, _, rate = text.partition("@")
        width, _, height = size.partition("x")
        return Mode(int(width), int(height), float(rate))
    except ValueError:
        return None
