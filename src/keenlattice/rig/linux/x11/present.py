"""When frames that a program presents were shown: the X server's word by its extension Present, which any may ask for.

Programs present their frames so where a GPU draws them; where the processor does, they copy, and the server has
nothing to tell here.
"""

import struct
from typing import Any

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
            _ask_version(display.display, self._opcode)

    def watch(self, window: Any) -> int:
        """From now on the server tells of what is presented into a window; returns what `forget` takes."""
        if not self._opcode:
            return 0
        number = self._display.display.allocate_resource_id()
        _select(self._display.display, self._opcode, number, window.id, COMPLETE_MASK)
        return int(number)

    def forget(self, number: int, window: Any) -> None:
        """Ends that."""
        if number:
            _select(self._display.display, self._opcode, number, window.id, 0)
            self._display.display.free_resource_id(number)

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


def _ask_version(display: Any, opcode: int) -> None:
    from Xlib.protocol import rq

    class QueryVersion(rq.ReplyRequest):  # type: ignore[misc]
        _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(0), rq.RequestLength(), rq.Card32("major"),
                             rq.Card32("minor"))
        _reply = rq.Struct(rq.ReplyCode(), rq.Pad(1), rq.Card16("sequence_number"), rq.ReplyLength(),
                           rq.Card32("major"), rq.Card32("minor"), rq.Pad(16))

    QueryVersion(display=display, opcode=opcode, major=MAJOR, minor=MINOR)


def _select(display: Any, opcode: int, number: int, window: int, mask: int) -> None:
    from Xlib.protocol import rq

    class SelectInput(rq.Request):  # type: ignore[misc]
        _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(3), rq.RequestLength(), rq.Card32("number"),
                             rq.Card32("window"), rq.Card32("mask"))

    SelectInput(display=display, onerror=lambda *_: None, opcode=opcode, number=number, window=window, mask=mask)
