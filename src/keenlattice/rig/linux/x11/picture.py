"""How the GPU's driver fits and codes the picture for a monitor: properties of its output, by the extension RandR.

The kernel's display drivers have them for some outputs only. The X server forgets them when it ends.
"""

import re
from collections.abc import Mapping
from typing import Any

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.linux.x11.randr import Monitors
from keenlattice.rig.stored import StoredSetting, Texts, by_table, of_the_player

PREFIX, SCALING, RANGE, MATRIX = "picture/", "scaling mode", "Broadcast RGB", "CTM"
ATOM, INTEGER, ANY, FORMAT, REPLACE = 4, 19, 0, 32, 0
WORDS, ONE, NEGATIVE, HALF = 18, 1 << 32, 1 << 31, 0xFFFF_FFFF
LUMA = (0.2126, 0.7152, 0.0722)
"""What red, green and blue add to brightness (Recommendation ITU-R BT.709)."""
NUMBERS = re.compile(r"\d{1,10}( \d{1,10}){17}")
FITS: Mapping[Value, str] = {"keep-shape": "Full aspect", "stretch": "Full", "centre": "Center"}
SCALERS: Mapping[Value, str] = {"gpu": FITS["keep-shape"], "panel": "None"}
RANGES: Mapping[Value, str] = {"full": "Full", "limited": "Limited 16:235"}


class PictureStore:
    """The properties of the primary monitor's output.

    Args:
        monitors: of the X display.
    """

    def __init__(self, monitors: Monitors) -> None:
        self._monitors = monitors

    def owns(self, place: str) -> bool:
        """Return whether a place is a property of an output."""
        return place.startswith(PREFIX)

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        _, output, name = place.split("/", 2) if self.owns(place) else ("", "", "")
        return f"the monitor {output}'s {name}" if name else ""

    def read(self) -> Texts:
        """Return the words that the properties hold."""
        output = self._monitors.output()
        if output is None:
            return {}
        texts = {name: _text(*output[:2], name) for name in (SCALING, RANGE, MATRIX)}
        return {f"{PREFIX}{output[2]}/{name}": text for name, text in texts.items() if text}

    def check(self, texts: Texts) -> None:
        """Everybody may set their own display."""

    def write(self, texts: Texts) -> None:
        """Set some properties.

        Raises:
            RefusedByRig: the monitor is not on, or the X server does not take it.
        """
        from Xlib import error
        from Xlib.ext import randr

        output, wrong = self._monitors.output(), error.CatchError()
        for place, text in texts.items():
            name = place.rpartition("/")[2]
            if output is None or place != f"{PREFIX}{output[2]}/{name}":
                raise RefusedByRig(f"{self.in_words(place)}: this monitor is not on now")
            display, number, _ = output
            of_matrix = name == MATRIX and text is not None and NUMBERS.fullmatch(text)
            numbers = list(map(int, text.split())) if of_matrix and text else [display.intern_atom(text or "")]
            randr.ChangeOutputProperty(
                display=display.display, onerror=wrong, opcode=display.display.get_extension_major("RANDR"),
                output=number, property=display.intern_atom(name), type=INTEGER if of_matrix else ATOM, mode=REPLACE,
                value=(FORMAT, numbers))
            display.sync()
            if wrong.get_error():
                raise RefusedByRig(f"{self.in_words(place)}: the X server does not take {text}")


def picture(held: Texts) -> list[StoredSetting]:
    """The settings of a monitor's picture, for what the display holds."""
    result = list[StoredSetting]()
    for place in held:
        if place.endswith(SCALING):  # the panel's own scaler has its own way to fit a picture
            result += [by_table(catalog()["display.scaler"], place, SCALERS, dict.fromkeys(FITS.values(), "gpu")),
                       by_table(catalog()["display.fit"], place, FITS)]
        elif place.endswith(RANGE):
            result.append(by_table(catalog()["display.colour-range"], place, RANGES))
        elif place.endswith(MATRIX):
            result.append(_saturation(place))
    return [of_the_player(setting, held) for setting in result]


def _saturation(place: str) -> StoredSetting:
    """The change of saturation, by the matrix that the output multiplies its colours with: each colour is moved away
    from the grey that is as bright, or towards it."""
    def value(held: Texts) -> Value | None:
        change = round(100 * (-_numbers(held[place])[1] / LUMA[1]))
        return change if held[place] == _matrix(change) else None

    return StoredSetting("display.saturation", catalog()["display.saturation"], value,
                         lambda value, held: {place: _matrix(float(value))})


def _matrix(change_pct: float) -> str:
    """Three rows of three numbers, each in two words of 32 bits: the lower one is what comes after the point, the
    higher one the rest and the sign.

    >>> _matrix(0)
    '0 1 0 0 0 0 0 0 0 1 0 0 0 0 0 0 0 1'
    """
    gain = 1 + change_pct / 100
    rows = [(1 - gain) * LUMA[column] + gain * (row == column) for row in range(3) for column in range(3)]
    words = []
    for number in rows:
        size = round(abs(number) * ONE)
        words += [size & HALF, (size >> 32) | (NEGATIVE if number < 0 and size else 0)]
    return " ".join(map(str, words))


def _numbers(text: str | None) -> list[float]:
    """The nine numbers of a matrix."""
    words = [int(word) for word in (text or "").split()]
    return [(low + (high & ~NEGATIVE) * ONE) / ONE * (-1 if high & NEGATIVE else 1)
            for low, high in zip(words[::2], words[1::2], strict=True)]


def _text(display: Any, output: int, name: str) -> str:
    """The word or the numbers that a property holds; empty where the output has none of that name, or other things."""
    from keenlattice.rig.linux.x11.present import OutputProperty

    atom = display.intern_atom(name, only_if_exists=True)
    if not atom or atom not in display.xrandr_list_output_properties(output).atoms:
        return ""
    held = OutputProperty(display=display.display, opcode=display.display.get_extension_major("RANDR"), output=output,
                          name=atom, type=ANY, offset=0, count=WORDS, delete=False, pending=False)
    if name == MATRIX:
        return " ".join(map(str, held.value)) if held.format == FORMAT and len(held.value) == WORDS else ""
    return str(display.get_atom_name(held.value[0])) if held.type == ATOM and held.value else ""
