"""How sway hands frames to its monitors: asked and told by its own protocol (sway-ipc), through its socket.

The compositor forgets it when it ends, or reads its configuration again.
"""

import re
import socket
import struct
from dataclasses import replace
from typing import Any

from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.stored import StoredSetting, Texts
from keenlattice.safejson import parse_json

PREFIX, MAGIC, HEAD = "compositor/", b"i3-ipc", struct.Struct("=6sII")
RUN, OUTPUTS = 0, 3
PATIENCE_S, MOST_BYTES = 5.0, 4_000_000
COMMANDS = {"render-time": "max_render_time", "variable-refresh": "adaptive_sync", "tearing": "allow_tearing"}
TOLD = {"render-time": "max_render_time", "variable-refresh": "adaptive_sync_status", "tearing": "allow_tearing"}
"""The names in a command, and in the description of an output; older compositors lack some."""
OUTPUT, TEXT = re.compile(r"[\w.-]{1,60}"), re.compile(r"on|off|\d{1,3}")


class SwayOutputs:
    """The outputs of a compositor.

    Args:
        path: of its socket; empty for none.
    """

    def __init__(self, path: str) -> None:
        self._path = path

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(PREFIX)

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        _, output, name = place.split("/", 2) if self.owns(place) else ("", "", "")
        return f"the compositor's {name.replace('-', ' ')} on {output}" if name else ""

    def read(self) -> Texts:
        """Return the values of each output that is on; nothing where no compositor answers."""
        try:
            outputs = [output for output in self._ask(OUTPUTS) if output.get("active")] if self._path else []
        except (OSError, ValueError, AttributeError, TypeError):
            return {}
        return {f"{PREFIX}{output['name']}/{name}": _text(output[key]) for output in outputs
                if OUTPUT.fullmatch(str(output.get("name"))) for name, key in TOLD.items() if key in output}

    def check(self, texts: Texts) -> None:
        """Everybody may tell their own compositor."""

    def write(self, texts: Texts) -> None:
        """Have some outputs be so.

        Raises:
            RefusedByRig: the compositor is not there now, or does not take it.
        """
        for place, text in texts.items():
            _, output, name = place.split("/", 2)
            if name not in COMMANDS or not OUTPUT.fullmatch(output) or not TEXT.fullmatch(text or ""):
                raise RefusedByRig(f"{place}: {str(text)[:40]!r} is nothing that an output can be set to")
            try:
                (answer,) = self._ask(RUN, f"output {output} {COMMANDS[name]} {text}")
                taken = answer["success"] is True
            except (OSError, ValueError, KeyError, TypeError):
                raise RefusedByRig(f"{self.in_words(place)}: the compositor does not answer now") from None
            if not taken:
                raise RefusedByRig(f"{self.in_words(place)}: the compositor does not take {text}")

    def _ask(self, request: int, command: str = "") -> Any:
        """Send a request, and return the answer.

        Raises:
            OSError, ValueError: the compositor does not answer, or answers another request.
        """
        with socket.socket(socket.AF_UNIX) as line:
            line.settimeout(PATIENCE_S)
            line.connect(self._path)
            line.sendall(HEAD.pack(MAGIC, len(command), request) + command.encode())
            magic, size, kind = HEAD.unpack(_exactly(line, HEAD.size))
            if magic != MAGIC or kind != request or size > MOST_BYTES:
                raise ValueError("not an answer")
            return parse_json(_exactly(line, size))


def _exactly(line: socket.socket, size: int) -> bytes:
    content = b""
    while len(content) < size:
        part = line.recv(size - len(content))
        if not part:
            raise ValueError("cut off")
        content += part
    return content


def _text(value: object) -> str:
    """Return a value as a command writes it, where a render time of 0 is off."""
    words = {"enabled": "on", "disabled": "off", True: "on", False: "off"}
    return words.get(value, str(value)) if isinstance(value, str | bool) else str(value or "off")


def outputs(held: Texts) -> list[StoredSetting]:
    """The settings of a compositor, which hold for all its outputs."""
    return [_setting(name, [place for place in held if place.endswith(f"/{name}")], held) for name in COMMANDS
            if any(place.endswith(f"/{name}") for place in held)]


TITLES = {
    "render-time": ("How long before a refresh the compositor draws", "A short time lets a frame wait less for the "
                    "refresh; too short, and the compositor misses it."),
    "variable-refresh": ("The monitor waits for frames", "The panel waits for the game instead of the game for the "
                         "panel; works only within the panel's range."),
    "tearing": ("Frames may tear", "A frame in fullscreen is shown at once, torn, instead of waiting for the refresh.")}


def _setting(name: str, places: list[str], held: Texts) -> StoredSetting:
    title, trades = TITLES[name]
    of_time = name == "render-time"

    def value(held: Texts) -> Value | None:
        texts = {held.get(place) for place in places if held.get(place)}
        text = texts.pop() if len(texts) == 1 else None
        return text if text is None else int(text) if text.isdigit() else text if of_time else text == "on"

    def texts(value: Value, held: Texts) -> Texts:
        text = ("on" if value else "off") if isinstance(value, bool) else str(value)
        return {place: text for place in places if place in held}

    stock = value(held)
    setting = Setting(
        f"compositor.{name}", title, "switch", "rig", stock if stock is not None and not of_time else False, trades,
        moves={"latency": "either"}, sure="disputed", advice="Measure it: it helps one game and hurts another.",
        where=f"The compositor's configuration: output NAME {COMMANDS[name]} ...",
        check="swaymsg -t get_outputs tells it of each output.")
    if of_time:
        setting = replace(setting, kind="whole", unit="ms", low=1, high=100, words=("off",), stock=stock or "off")
    return StoredSetting(setting.name, setting, value, texts)
