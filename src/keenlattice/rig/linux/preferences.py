"""What a desktop keeps among the player's preferences, where it does so by GSettings: asked and told by its program."""

import os
import re
import shutil
import subprocess

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.stored import StoredSetting, Texts, by_table, of_the_player

DESKTOP = "GNOME"  # as XDG_CURRENT_DESKTOP has it, beside other names
PREFIX, SCHEMA = "preferences/", "org.gnome.desktop."
SCHEMAS = ("interface", "privacy", "peripherals.keyboard", "peripherals.mouse", "a11y.keyboard")
ANIMATIONS, USAGE, PROBLEMS, DELAY, INTERVAL, POINTER, SLOW, SLOW_MS = PLACES = tuple(PREFIX + SCHEMA + key for key in (
    "interface/enable-animations", "privacy/send-software-usage-stats", "privacy/report-technical-problems",
    "peripherals.keyboard/delay", "peripherals.keyboard/repeat-interval", "peripherals.mouse/accel-profile",
    "a11y.keyboard/slowkeys-enable", "a11y.keyboard/slowkeys-delay"))
TEXT = re.compile(r"true|false|(?:uint32 )?\d{1,6}|'[a-z]{1,20}'")
PATIENCE_S = 10


class Preferences:
    """The preferences of the player's desktop.

    Args:
        live: whether this is the machine itself, and not a recorded tree.
    """

    def __init__(self, live: bool) -> None:
        self._program = shutil.which("gsettings") if live else None

    @property
    def there(self) -> bool:
        """Whether the desktop is one that keeps them so."""
        return self._program is not None and DESKTOP in os.environ.get("XDG_CURRENT_DESKTOP", "").split(":")

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place in PLACES

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        return f"the desktop's {place.rpartition('/')[2].replace('-', ' ')}" if self.owns(place) else ""

    def read(self) -> Texts:
        """Return the texts of those that this desktop has."""
        if not self.there:
            return {}
        asked = [subprocess.Popen([str(self._program), "list-recursively", SCHEMA + schema], text=True,
                                  errors="replace", stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
                                  stderr=subprocess.DEVNULL)
                 for schema in SCHEMAS]  # all at once: each takes some hundredths of a second
        lines = [line.split(None, 2) for program in asked for line in _lines(program)]
        held = {f"{PREFIX}{words[0]}/{words[1]}": words[2] for words in lines if len(words) == 3}
        return {place: held[place] for place in PLACES if place in held}

    def check(self, texts: Texts) -> None:
        """Everybody may set their own."""

    def write(self, texts: Texts) -> None:
        """Set some of them.

        Raises:
            RefusedByRig: the desktop does not take one.
        """
        for place, text in texts.items():
            if text is None or not TEXT.fullmatch(text):
                raise RefusedByRig(f"{place}: {str(text)[:40]!r} is nothing that a desktop's preference can be set to")
            command = [str(self._program), "set", *place.removeprefix(PREFIX).split("/"), text]
            if not self.there or subprocess.run(command, capture_output=True, timeout=PATIENCE_S,
                                                check=False).returncode:
                raise RefusedByRig(f"{self.in_words(place)}: the desktop does not take {text}")


def _lines(program: "subprocess.Popen[str]") -> list[str]:
    try:
        return program.communicate(timeout=PATIENCE_S)[0].splitlines()
    except subprocess.TimeoutExpired:
        program.kill()
        return []


def preferences_of(held: Texts) -> list[StoredSetting]:
    """The settings of a desktop, for what it holds."""
    settings = [
        by_table(catalog()["background.visual-effects"], ANIMATIONS, {True: "true", False: "false"}),
        StoredSetting("background.telemetry", catalog()["background.telemetry"],
                      lambda held: "true" in (held[USAGE], held[PROBLEMS]),
                      lambda value, held: dict.fromkeys((USAGE, PROBLEMS), "true" if value else "false")),
        _number("input.key-repeat-delay", DELAY), _number("input.key-repeat-interval", INTERVAL),
        StoredSetting("input.key-acceptance-delay", catalog()["input.key-acceptance-delay"],
                      lambda held: 0 if held[SLOW] == "false" else _as_number(held[SLOW_MS]),
                      lambda value, held: {SLOW: "true", SLOW_MS: str(value)} if value else {SLOW: "false"}),
        by_table(catalog()["input.pointer-acceleration"], POINTER, {True: "'adaptive'", False: "'flat'"},
                 {"'default'": True})]
    return [of_the_player(setting, held) for setting in settings] if held.keys() >= set(PLACES) else []


def _number(name: str, place: str) -> StoredSetting:
    return StoredSetting(name, catalog()[name], lambda held: _as_number(held[place]),
                         lambda value, held: {place: f"uint32 {value}"})


def _as_number(text: str | None) -> Value | None:
    digits = (text or "").removeprefix("uint32 ")
    return int(digits) if digits.isdigit() else None
