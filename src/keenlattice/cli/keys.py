"""What a player types while the program waits for something else, too: read by a thread of its own, on any system."""

import queue
import sys
import threading
from contextlib import suppress

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
                found = self._lines.get(timeout=LOOK_S if wait_s is None else wait_s)
                break
            except queue.Empty:
                if wait_s is not None:
                    return None
        if found is None:
            self._lines.put(None)
            raise EOFError
        return found

    def _read(self) -> None:
        with suppress(OSError, ValueError):  # nobody can type there
            for line in sys.stdin:
                self._lines.put(line.rstrip("\r\n"))
        self._lines.put(None)
