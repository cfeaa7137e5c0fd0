"""Programs of ours that run apart from this one, with nothing but Python's own loaded.

They start in no time, whatever lies in the current folder is not run, and what they load cannot harm us.
"""

import subprocess
import sys
import time
from pathlib import Path

ANSWERS_WITHIN_S = 8.0
"""Seconds from the start of such a program: several that are asked at once are waited for together."""


def command(script: Path, *words: str) -> list[str]:
    """What starts such a program."""
    return [sys.executable, "-I", "-S", str(script), *words]


class Asked:
    """A program that was begun, and will answer on its standard output."""

    def __init__(self, script: Path) -> None:
        self._until = time.monotonic() + ANSWERS_WITHIN_S
        self._process = subprocess.Popen(command(script), stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
                                         stderr=subprocess.PIPE, text=True)

    def answer(self) -> tuple[int, str, str]:
        """Its exit code, and what it said on either output.

        Raises:
            TimeoutError: it has said nothing in ANSWERS_WITHIN_S from its start, and is ended.
        """
        with self._process:
            try:
                said, complained = self._process.communicate(timeout=max(0.1, self._until - time.monotonic()))
            except subprocess.TimeoutExpired:
                self._process.kill()
                raise TimeoutError from None
        return self._process.returncode, said, complained
