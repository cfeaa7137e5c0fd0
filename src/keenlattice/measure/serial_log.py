"""A sensor that is read live: the lines that it sends over a serial port, kept as a log like any other.

What the columns of a line mean is given by the sensor map of the log, so any sensor will do that sends lines of
numbers.
"""

import threading
from contextlib import suppress
from pathlib import Path
from typing import Any

from keenlattice.errors import CaptureError, NeedsInstalling

BAUD = 115_200
MOST_BYTES = 512 * 2**20
WAIT_S = 0.1

LONGEST_LINE = 4096


class SerialLog:
    """Lines of a serial port, written into a file while it is open.

    Args:
        port: the name of its device.
        baud: signs a second.

    Raises:
        NeedsInstalling: the package that reads serial ports is missing.
        CaptureError: the port is missing, or cannot be opened.
    """

    def __init__(self, port: str, baud: int = BAUD) -> None:
        try:
            import serial
        except ImportError:
            raise NeedsInstalling("a serial port is read by a separate package: pip install pyserial") from None
        try:
            if "://" in port:  # some of the library's URLs reach over a network, or write files
                raise ValueError("it takes the name of a device, such as /dev/ttyACM0 or COM3, and no URL")
            self._port: Any = serial.Serial(port, baudrate=baud, timeout=WAIT_S)
        except (OSError, ValueError) as error:
            raise CaptureError(f"the serial port {port} cannot be opened: {error}") from None
        self._name, self._stop, self._error = port, threading.Event(), ""
        self._thread: threading.Thread | None = None

    def start(self, into: Path) -> None:
        """Writes whatever comes from now on into a file."""
        with suppress(CaptureError):  # of a log that nobody wanted, it does not matter how it ended
            self.stop()
        self._stop.clear()
        self._error = ""
        with suppress(OSError):
            self._port.reset_input_buffer()
        self._thread = threading.Thread(target=self._read, args=(into,), daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Ends the file.

        Raises:
            CaptureError: the sensor was unplugged meanwhile.
        """
        if self._thread is None:
            return
        self._stop.set()
        self._thread.join()
        self._thread = None
        if self._error:
            raise CaptureError(f"the sensor at {self._name} could no longer be read: {self._error}; is it plugged "
                               "in?")

    def close(self) -> None:
        """Lets go of the port."""
        with suppress(CaptureError):
            self.stop()
        self._port.close()

    def _read(self, into: Path) -> None:
        """Whole lines only: the first, which may have begun before, and the last are left out."""
        size, rest, begun = 0, b"", False
        try:
            with into.open("wb") as file:
                while not self._stop.is_set() and size < MOST_BYTES:
                    *lines, rest = (rest + self._port.read(self._port.in_waiting or 1)).split(b"\n")
                    if len(rest) > LONGEST_LINE:
                        raise OSError(f"it sent {LONGEST_LINE} signs without the end of a line")
                    for line in lines if begun else lines[1:]:
                        file.write(line.rstrip(b"\r") + b"\n")
                        size += len(line) + 1
                    begun = begun or bool(lines)
        except OSError as error:
            self._error = str(error) or type(error).__name__
