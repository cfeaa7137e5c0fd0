"""Requests of X extensions that the library does not know: Present, and the keyboard's."""

from Xlib.protocol import rq

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
