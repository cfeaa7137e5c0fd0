"""The X display that a game is measured on, the one at hand or a private one, and a connection to it."""

import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from keenlattice.errors import NeedsInstalling, RigError
from keenlattice.rig.linux.children import start, stop

SCREEN = "1280x800x24"
INSTALL_XVFB = "install it: apt-get install xvfb, or start this on a desktop that runs X11"


@contextmanager
def x_display(private: bool = True) -> Iterator[str]:
    """The name of a display, such as `:0`; a private Xvfb is started, and stopped, where there is none.

    Args:
        private: whether a private one will do although the desktop is there, only not on X11; if not, the name of that
            desktop's display is empty.

    Raises:
        NeedsInstalling: there is no display, and no Xvfb.
        RigError: Xvfb does not start.
    """
    if at_hand := os.environ.get("DISPLAY"):
        yield at_hand
        return
    if not private and os.environ.get("WAYLAND_DISPLAY"):
        yield ""
        return
    program = shutil.which("Xvfb")
    if program is None:
        raise NeedsInstalling(f"there is no X display, and no Xvfb to make one; {INSTALL_XVFB}")
    reading, writing = os.pipe()
    command = [program, "-displayfd", str(writing), "-screen", "0", SCREEN, "-nolisten", "tcp"]
    server = start(command, pass_fds=(writing,), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    os.close(writing)
    try:
        with os.fdopen(reading) as number:
            display = number.readline().strip()
        if not display:
            raise RigError("Xvfb did not start; does `Xvfb :99` run on its own?")
        yield f":{display}"
    finally:
        stop(server)


def connect(name: str) -> Any:
    """Connects to a display.

    The library keeps the numbers of extensions' events for all connections of a process, and servers differ in them;
    so each connection gets its own table.

    Raises:
        RigError: there is none of that name, or it does not let us in.
        ImportError: the library is not installed.
    """
    from Xlib import display
    from Xlib.error import ConnectionClosedError, DisplayError
    from Xlib.protocol import display as wire
    from Xlib.protocol import event

    wire.Display.event_classes = event.event_class.copy()
    try:
        server = display.Display(name)
    except (ConnectionClosedError, DisplayError, OSError) as error:
        raise RigError(f"no X display {name!r}: {error}") from None
    server.display.event_classes = wire.Display.event_classes
    return server
