"""Programs that we start; unless they are to stay, they must not outlive us, however we end."""

import ctypes
import os
import signal
import subprocess
from collections.abc import Callable, Sequence
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
