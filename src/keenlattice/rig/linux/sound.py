"""The sound server's buffer, where that server is PipeWire: asked and told by its own program.

How many samples are mixed at once is among the server's settings (https://docs.pipewire.org, "PipeWire settings"): a
forced count goes before what programs ask for, and 0 leaves it to them. The server forgets it when it ends.
"""

import re
import shutil
import subprocess

from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.stored import StoredSetting, Texts

PROGRAM, PLACE, NAME = "pw-metadata", "sound/buffer", "clock.force-quantum"
BY_PROGRAMS = "by-programs"
TOLD = re.compile(r"^update: id:0 key:'([\w.-]+)' value:'(\d{1,9})'", re.MULTILINE)
LIMITS = (("min", 32), ("max", 8192))
PATIENCE_S = 5


class SoundServer:
    """The settings of the player's sound server.

    Args:
        live: whether this is the machine itself, and not a recorded tree.
    """

    def __init__(self, live: bool) -> None:
        self._program = shutil.which(PROGRAM) if live else None
        self._told: dict[str, str] = {}

    def owns(self, place: str) -> bool:
        """Return whether a place is the buffer's."""
        return place == PLACE

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        return "the sound server's buffer" if self.owns(place) else ""

    def read(self) -> Texts:
        """Return how many samples are forced, 0 for none; nothing where no such server answers."""
        self._told = dict(TOLD.findall(self._ask().stdout)) if self._program else {}
        return {PLACE: self._told[NAME]} if NAME in self._told else {}

    def check(self, texts: Texts) -> None:
        """Everybody may tell their own server."""

    def write(self, texts: Texts) -> None:
        """Force a count of samples, or none.

        Raises:
            RefusedByRig: the server is not there now.
        """
        text = texts.get(PLACE)
        if text is None or not text.isdigit():
            raise RefusedByRig(f"{PLACE}: {str(text)[:40]!r} is not a count of samples")
        if self._program is None or self._ask(NAME, text).returncode:
            raise RefusedByRig("sound.buffer: the sound server does not answer now")

    def settings(self, held: Texts) -> list[StoredSetting]:
        """The buffer, from the least to the most that the server itself has.

        Args:
            held: what was read.
        """
        if PLACE not in held:
            return []
        low, high = (float(self._told.get(f"clock.{end}-quantum", default)) for end, default in LIMITS)
        setting = Setting(
            "sound.buffer", "Buffer of the sound server", "whole", "rig", BY_PROGRAMS,
            "A small buffer lets you hear a hit sooner; too small, the sound crackles and the processor is woken more "
            "often.", called=("audio latency", "quantum", "sound latency"), unit="samples", low=low, high=high,
            words=(BY_PROGRAMS,), moves={"frame-tail": "either"}, sure="disputed",
            inert="The game asks the sound card itself, past the server.",
            where=f"{PROGRAM} -n settings lists what the sound server goes by.",
            check="Listen while the game is busy: no crackle. pw-top shows the count that is in use.",
            advice="Halve it until it crackles, then go back one step; no frame is shown sooner by it.")
        return [StoredSetting(setting.name, setting, _value, lambda value, _: {
            PLACE: "0" if value == BY_PROGRAMS else str(value)})]

    def _ask(self, *words: str) -> "subprocess.CompletedProcess[str]":
        try:
            return subprocess.run([str(self._program), "-n", "settings", "0", *words], capture_output=True, text=True,
                                  errors="replace", stdin=subprocess.DEVNULL, timeout=PATIENCE_S, check=False)
        except (OSError, subprocess.TimeoutExpired):
            return subprocess.CompletedProcess([], 1, "", "")


def _value(held: Texts) -> Value | None:
    text = held.get(PLACE)
    return None if text is None else int(text) or BY_PROGRAMS
