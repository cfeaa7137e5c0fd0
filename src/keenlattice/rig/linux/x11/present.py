"""When frames that a program presents were shown, by the X server's extension Present; and the requests for it.

Programs present their frames so where a GPU draws them; where the processor does, they copy, and the server has
nothing to tell here.
"""

import struct
from typing import Any

from Xlib.protocol import rq

COMPLETE_NOTIFY, COMPLETE_MASK = 1, 1 << 1
OF_A_PIXMAP, SKIPPED = 0, 2
GENERIC_EVENT = 35
MAJOR, MINOR = 1, 0
TOLD = struct.Struct("=BBIIIQ")  # kind, mode, event id, window, serial, time in microseconds; more follows


class Present:
    """Asks an X server for word of presented frames.

    Args:
        display: a connection.
    """

    def __init__(self, display: Any) -> None:
        self._display = display
        found = display.query_extension("Present") if display.has_extension("Generic Event Extension") else None
        self._opcode = found.major_opcode if found and found.present else 0
        if self._opcode:
            from keenlattice.rig.linux.x11.present import PresentVersion

            PresentVersion(display=display.display, opcode=self._opcode, major=MAJOR, minor=MINOR)

    def watch(self, window: Any) -> int:
        """From now on the server tells of what is presented into a window; returns what `forget` takes."""
        if not self._opcode:
            return 0
        number = self._display.display.allocate_resource_id()
        self._select(number, window, COMPLETE_MASK)
        return int(number)

    def forget(self, number: int, window: Any) -> None:
        """Ends that."""
        if number:
            self._select(number, window, 0)
            self._display.display.free_resource_id(number)

    def _select(self, number: int, window: Any, mask: int) -> None:
        from keenlattice.rig.linux.x11.present import PresentInput

        PresentInput(display=self._display.display, onerror=lambda *_: None, opcode=self._opcode, number=number,
                     window=window.id, mask=mask)

    def shown_ms(self, event: Any) -> float | None:
        """When the frame that an event tells of was shown, in ms of the server's clock; None for any other event, and
        for a frame that was overtaken by the next before it was shown."""
        if not self._opcode or event.type & 0x7F != GENERIC_EVENT or event.extension != self._opcode or \
                event.evtype != COMPLETE_NOTIFY:
            return None
        data = bytes(event.data)
        if len(data) < TOLD.size:
            return None
        kind, mode, *_, at_us = TOLD.unpack_from(data)
        return at_us / 1000 if kind == OF_A_PIXMAP and mode != SKIPPED else None


_HEAD = (rq.ReplyCode(), rq.Pad(1), rq.Card16("sequence_number"), rq.ReplyLength())


class PresentVersion(rq.ReplyRequest):  # type: ignore[misc]
    """Agrees on a version of Present."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(0), rq.RequestLength(), rq.Card32("major"), rq.Card32("minor"))
    _reply = rq.Struct(*_HEAD, rq.Card32("major"), rq.Card32("minor"), rq.Pad(16))


class PresentInput(rq.Request):  # type: ignore[misc]
    """Asks for word of what is presented into a window."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(3), rq.RequestLength(), rq.Card32("number"),
                         rq.Card32("window"), rq.Card32("mask"))


class UseKeyboard(rq.ReplyRequest):  # type: ignore[misc]
    """Agrees on a version of the keyboard extension."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(0), rq.RequestLength(), rq.Card16("major"), rq.Card16("minor"))
    _reply = rq.Struct(rq.ReplyCode(), rq.Card8("supported"), rq.Card16("sequence_number"), rq.ReplyLength(),
                       rq.Card16("major"), rq.Card16("minor"), rq.Pad(20))


class KeyboardControls(rq.ReplyRequest):  # type: ignore[misc]
    """Asks for a keyboard's controls, key repeat among them."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(6), rq.RequestLength(), rq.Card16("device"), rq.Pad(2))
    _reply = rq.Struct(rq.ReplyCode(), rq.Card8("device"), rq.Card16("sequence_number"), rq.ReplyLength(), rq.Pad(12),
                       rq.Card16("delay"), rq.Card16("interval"), rq.Pad(68))


class SetKeyboardControls(rq.Request):  # type: ignore[misc]
    """Sets some of them."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(7), rq.RequestLength(), rq.Card16("device"), rq.Pad(26),
                         rq.Card32("which"), rq.Card16("delay"), rq.Card16("interval"), rq.Pad(60))
