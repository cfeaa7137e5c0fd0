"""A connection to an X server."""

from typing import Any

from keenlattice.errors import RigError


def connect(name: str) -> Any:
    """Connects to a display.

    The library keeps the numbers of extensions' events for all connections of a process, and servers differ in them;
    so each connection gets a table of its own.

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
        found = display.Display(name)
    except (ConnectionClosedError, DisplayError, OSError) as error:
        raise RigError(f"no X display {name!r}: {error}") from None
    found.display.event_classes = wire.Display.event_classes
    return found
