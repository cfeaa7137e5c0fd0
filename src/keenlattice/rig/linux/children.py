"""Programs that we start; unless they are to stay, they must not outlive us, however we end."""

import ctypes
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

PR_SET_PDEATHSIG = 1


def _end_with_parent() -> None:
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)


def start(command: Sequence[str], before: Callable[[], None] | None = None,
          **options: Any) -> "subprocess.Popen[bytes]":
    """Starts a program that the kernel ends when we die.

    Args:
        before: is called in its process before it runs.

    Raises:
        OSError: it cannot be started.
        SubprocessError: what was to be done before it runs failed.
    """
    def prepare() -> None:
        _end_with_parent()
        if before:
            before()

    return subprocess.Popen(command, preexec_fn=prepare, stdin=subprocess.DEVNULL, **options)


def start_to_stay(command: Sequence[str], before: Callable[[], None] | None = None,
                  **options: Any) -> "subprocess.Popen[bytes]":
    """Starts a program that goes on when we have ended; as `start`."""
    return subprocess.Popen(command, preexec_fn=before, start_new_session=True, stdin=subprocess.DEVNULL, **options)


def stop(process: "subprocess.Popen[bytes]", patience_s: float = 5.0) -> None:
    """Asks a program to end, and ends it if it does not."""
    if process.poll() is None:
        process.send_signal(signal.SIGTERM)
    try:
        process.wait(patience_s)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()


def with_display(display: str) -> dict[str, str]:
    """Our environment, on that X display; an empty name is none."""
    return {**os.environ, "DISPLAY": display} if display else dict(os.environ)


# They start in no time, whatever lies in the current folder is not run, and what they load cannot harm us.

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
                output, complained = self._process.communicate(timeout=max(0.1, self._until - time.monotonic()))
            except subprocess.TimeoutExpired:
                self._process.kill()
                raise TimeoutError from None
        return self._process.returncode, output, complained
