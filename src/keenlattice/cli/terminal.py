"""A terminal: whether a stream is one and shows colours, and what is typed while the program waits."""

import os
import queue
import sys
import threading
from contextlib import suppress
from functools import cache
from typing import Any, TextIO

from keenlattice.errors import KeenLatticeError

STOPPED = "stopped; nothing is left half-done"


class Interrupted(KeenLatticeError):
    """Somebody pressed Ctrl-C; the message says what is kept."""

    exit_code = 130


COLOURS = 0x0004  # ENABLE_VIRTUAL_TERMINAL_PROCESSING: the console acts on colour codes instead of printing them


def is_terminal(stream: TextIO) -> bool:
    """Whether somebody sits behind a stream. On Windows the null device calls itself a terminal, and is none."""
    return stream.isatty() and (sys.platform != "win32" or _console_mode(stream) is not None)


def at_a_terminal(json: bool) -> bool:
    """Whether somebody sits there who can be guided."""
    return not json and is_terminal(sys.stdin) and is_terminal(sys.stdout)


@cache
def shows_colours(stream: TextIO) -> bool:
    """Whether colours can be shown there; on Windows they are switched on, which consoles before 2016 cannot do."""
    if not is_terminal(stream):
        return False
    if sys.platform != "win32":
        return os.environ.get("TERM", "") not in ("", "dumb")
    mode = _console_mode(stream)
    kernel, handle = _kernel(stream)
    return mode is not None and bool(mode & COLOURS or kernel.SetConsoleMode(handle, mode | COLOURS))


def _kernel(stream: TextIO) -> tuple[Any, int]:
    import ctypes
    import msvcrt

    return ctypes.windll.kernel32, msvcrt.get_osfhandle(stream.fileno())  # type: ignore[attr-defined]


def _console_mode(stream: TextIO) -> int | None:
    """How a Windows console is set; None if the stream is none."""
    import ctypes

    try:
        kernel, handle = _kernel(stream)
    except (OSError, ValueError):
        return None
    mode = ctypes.c_ulong()
    return mode.value if kernel.GetConsoleMode(handle, ctypes.byref(mode)) else None


LOOK_S = 0.2


class Keys:
    """The lines that are typed, one by one."""

    def __init__(self) -> None:
        self._lines: queue.Queue[str | None] = queue.Queue()
        self._thread: threading.Thread | None = None

    def line(self, wait_s: float | None = None) -> str | None:
        """The next line, without its end; None if none was typed within `wait_s`, or nobody can type any more.

        Raises:
            EOFError: the input is at its end.
        """
        if self._thread is None:
            self._thread = threading.Thread(target=self._read, daemon=True)
            self._thread.start()
        while True:  # in short waits, which Ctrl-C can end on any system
            try:
                answer = self._lines.get(timeout=LOOK_S if wait_s is None else wait_s)
                break
            except queue.Empty:
                if wait_s is not None:
                    return None
        if answer is None:
            self._lines.put(None)
            raise EOFError
        return answer

    def _read(self) -> None:
        with suppress(OSError, ValueError):  # nobody can type there
            for line in sys.stdin:
                self._lines.put(line.rstrip("\r\n"))
        self._lines.put(None)
