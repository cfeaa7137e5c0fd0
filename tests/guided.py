"""A player at a terminal: reads what the guide says, changes a machine of their own as told, plays and records it."""

import os
import re
import select
import signal
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import KEEN, environment
from keenlattice.catalog.values import Value
from keenlattice.rig.standin.player import SimulatedPlayer

STEP = re.compile(r"\[ \] \d+\. (?P<title>.+?), for .+?: from .* to (?P<value>.+?)(?:, as it was)?$")
PATIENCE_S = 60


class AtTerminal:
    """A player who sits before `keen`, with a machine that nobody else can write to.

    Args:
        home: of the player.
        player: who plays the machine.
        mischief: is asked at every run, by its number among all that were played; does something else instead of
            recording it properly, and says so by returning True.
    """

    def __init__(self, home: Path, player: SimulatedPlayer,
                 mischief: Callable[["AtTerminal", int], bool] = lambda _player, _run: False) -> None:
        self.home, self.player, self.mischief = home, player, mischief
        self.screen, self._read, self.runs = "", 0, 0
        self.skip_steps = False
        self.on_missing_sensor: Callable[[], None] | None = None

    def sit(self, *words: str, kill_at: int = 0) -> str:
        """Sits down, and goes through with what is asked; returns what was on the screen.

        Args:
            kill_at: the program is killed before this many runs are recorded; 0 for never.
        """
        self.screen, self._read = "", 0
        pty = pytest.importorskip("pty", reason="there are no pseudo-terminals here")
        child, self._terminal = pty.fork()
        if child == 0:
            os.execve(KEEN[0], [*KEEN, *words], environment(self.home, KEEN_BOOK=str(self.home / "book"),
                                                             KEEN_RIG="byhand", TERM="xterm", NO_COLOR="1",
                                                             COLUMNS="400"))
        until = time.monotonic() + PATIENCE_S
        while time.monotonic() < until:
            if select.select([self._terminal], [], [], 0.2)[0]:
                try:
                    self.screen += os.read(self._terminal, 65_536).decode()
                except OSError:
                    os.waitpid(child, 0)
                    return self.screen
            if kill_at and self.runs >= kill_at:
                os.kill(child, signal.SIGKILL)
                os.waitpid(child, 0)
                return self.screen
            if self._answered():
                until = time.monotonic() + PATIENCE_S
        os.kill(child, signal.SIGKILL)
        raise AssertionError(f"nothing more happens: {self.screen[-3000:]}")

    def type(self, line: str) -> None:
        """Types a line."""
        os.write(self._terminal, f"{line}\n".encode())

    def _answered(self) -> bool:
        new = self.screen[self._read:]
        asked = re.search(r"^> (.*):\s*$", new.replace("\r", ""), re.MULTILINE)
        if asked is None:
            return False
        self._read = len(self.screen)
        if asked[1].startswith("What does"):
            title = re.search(r"What does (.*) show now", asked[1])[1]  # type: ignore[index]
            key = self._key(title)
            self.type(str(self._shown(key)))
        elif asked[1].startswith(("Change this", "Enter once")):
            self.take_steps()
            self.type("")
        elif asked[1].startswith("Waiting"):
            self.runs += 1
            if not self.mischief(self, self.runs):
                self.player.record("brass-orbit", self._seconds() + 0.7)
        elif "its sensor's file is not there yet" in asked[1] and self.on_missing_sensor is not None:
            self.on_missing_sensor()
        elif asked[1].startswith("t to take"):
            self.type("w")
        else:
            raise AssertionError(f"an unknown question: {asked[1]}")
        return True

    def _seconds(self) -> float:
        return float(re.findall(r"Now play .* for ([\d.]+) s", self.screen)[-1])

    def take_steps(self) -> None:
        """The steps of the newest run, as they stand on the screen."""
        said = re.split(r"^(?:Run \d+ of|All runs are played)", self.screen.replace("\r", ""), flags=re.MULTILINE)[-1]
        for line in said.splitlines():
            if (found := STEP.search(line)) and not self.skip_steps:
                key = self._key(found["title"])
                self.player.set("brass-orbit", key, self._value(key, found["value"]))

    def _key(self, title: str) -> str:
        return next(one.name for one in self.player.machine.catalog() if one.title == title)

    def _value(self, key: str, text: str) -> Value | None:
        setting = self.player.machine.catalog()[key]
        plain = re.sub(r"^(-?[\d.]+) .*", r"\1", text.strip())  # without its unit
        return None if "before" in plain else setting.parsed(plain)

    def _shown(self, key: str) -> Value:
        value = self.player.sees("brass-orbit", key)
        return {True: "on", False: "off"}[value] if isinstance(value, bool) else value
