"""The monitor of an X display, through the extension RandR: its modes, which of them is on, and turning one on."""

from functools import cached_property
from typing import Any

from keenlattice.errors import RefusedByRig, RigError
from keenlattice.rig.linux.monitor import Mode, Monitor
from keenlattice.rig.linux.x11.server import connect

INTERLACED, DOUBLE_SCAN = 0x10, 0x20


class Monitors:
    """The monitors of an X display; the connection is made when it is first needed.

    Args:
        display: its name, `:0`; empty for none.
    """

    def __init__(self, display: str) -> None:
        self._name = display

    @cached_property
    def _display(self) -> Any:
        """The connection; None where there is none, or no RandR."""
        try:
            server = connect(self._name) if self._name else None
        except (ImportError, RigError):
            return None
        return server if server and server.has_extension("RANDR") else None

    def primary(self) -> Monitor | None:
        """The primary monitor, or the first that is on; None if none is, or none can be asked for."""
        monitor = self._look()
        return monitor[0] if monitor else None

    def _look(self) -> tuple[Monitor, Any, dict[int, Mode]] | None:
        if self._display is None:
            return None
        from Xlib import error

        try:
            root = self._display.screen().root
            resources = root.xrandr_get_screen_resources_current()
            modes = {mode["id"]: Mode(mode["width"], mode["height"], _rate(mode)) for mode in resources.modes
                     if not mode["flags"] & INTERLACED}
            first = root.xrandr_get_output_primary().output
            outputs = [(number, self._display.xrandr_get_output_info(number, resources.config_timestamp))
                       for number in sorted(resources.outputs, key=lambda number: number != first)]
            on = [(number, output) for number, output in outputs if output.crtc and output.modes]
            if not on:
                return None
            number, output = on[0]
            crtc = self._display.xrandr_get_crtc_info(output.crtc, resources.config_timestamp)
            if crtc.mode not in modes:
                return None
            own = [modes[mode] for mode in output.modes if mode in modes]
            preferred = modes[output.modes[0]].resolution if output.modes[0] in modes else modes[crtc.mode].resolution
            monitor = Monitor(str(output.name), modes[crtc.mode], tuple(dict.fromkeys(own)), preferred, len(on) == 1)
            return monitor, (resources, number, output, crtc), {mode: modes[mode] for mode in output.modes
                                                                if mode in modes}
        except (error.XError, error.ConnectionClosedError, OSError) as wrong:
            raise RigError(f"the X display {self._name} does not say what its monitor does: {wrong}") from None

    def output(self) -> tuple[Any, int, str] | None:
        """The connection, and the number and name of the primary monitor's output; None if there is none."""
        look = self._look()
        return (self._display, look[1][1], look[0].name) if look else None

    def turn_on(self, text: str) -> None:
        """Turns a mode on, of the primary monitor.

        Args:
            text: the mode, as `Mode.text` has it.

        Raises:
            RefusedByRig: there is no such mode; or the server refuses it.
        """
        monitor_modes = self._look()
        if monitor_modes is None:
            raise RefusedByRig(f"there is no monitor on the X display {self._name} now")
        monitor, (resources, number, output, crtc), modes = monitor_modes
        wanted = next((mode_id for mode_id, mode in modes.items() if mode.text == text), None)
        if wanted is None:
            raise RefusedByRig(f"the monitor {monitor.name} has no mode {text} now")
        from Xlib import X, error

        mode, root = modes[wanted], self._display.screen().root
        try:
            size = root.get_geometry()
            if mode.width > size.width or mode.height > size.height:
                root.xrandr_set_screen_size(max(mode.width, size.width), max(mode.height, size.height),
                                            self._display.screen().width_in_mms, self._display.screen().height_in_mms)
            answer = self._display.xrandr_set_crtc_config(output.crtc, resources.config_timestamp, crtc.x, crtc.y,
                                                          wanted,
                                                          crtc.rotation, [number], X.CurrentTime)
            if monitor.alone and (mode.width, mode.height) != (size.width, size.height):
                root.xrandr_set_screen_size(mode.width, mode.height, self._display.screen().width_in_mms,
                                            self._display.screen().height_in_mms)
            self._display.sync()
        except error.XError as wrong:
            raise RefusedByRig(f"the X display {self._name} does not take the mode {text}: {wrong}") from None
        if answer.status:
            raise RefusedByRig(f"the X display {self._name} does not take the mode {text}")


def _rate(mode: dict[str, int]) -> float:
    lines = mode["v_total"] * (2 if mode["flags"] & DOUBLE_SCAN else 1)
    return round(mode["dot_clock"] / (mode["h_total"] * lines), 2) if mode["h_total"] and lines else 0.0
