"""The protocols by which a compositor offers its frames, a pointer, and word of its windows and outputs.

They are public interfaces, offered by the compositors built on wlroots among others. Each message is given with the
kinds of its arguments, as the wire format has them: whole numbers with and without sign, fixed-point numbers, text,
arrays, objects and new objects of an interface.
"""

from collections.abc import Callable
from typing import Any

from pywayland.protocol.wayland import WlBuffer, WlOutput, WlSeat, WlSurface
from pywayland.protocol_core import Argument, ArgumentType, Interface, Proxy
from pywayland.protocol_core.message import Message

INT, UINT, FIXED, TEXT, ARRAY = (Argument(kind) for kind in (
    ArgumentType.Int, ArgumentType.Uint, ArgumentType.Fixed, ArgumentType.String, ArgumentType.Array))


def _object(interface: Any, or_none: bool = False) -> Argument:
    return Argument(ArgumentType.Object, nullable=or_none, interface=interface)


def _new(interface: Any) -> Argument:
    return Argument(ArgumentType.NewId, interface=interface)


def _message(name: str, *arguments: Argument, since: int = 1) -> Message:
    def named() -> None: ...

    named.__name__ = name
    return Message(named, arguments, since if since > 1 else None)


def _interface(name: str, version: int, requests: tuple[Message, ...],
               events: tuple[Message, ...] = ()) -> Any:
    """An interface for the library, which makes its own from a protocol's description in the same way."""
    made: Any = type(name, (Interface,), {"name": name, "version": version})
    made.requests, made.events = list(requests), list(events)
    made._gen_c()
    made.proxy_class = type(f"{name}_proxy", (Proxy,), {"interface": made})
    return made


def ask(proxy: "Proxy[Any]", request: str, *arguments: object) -> Any:
    """Sends a request; returns the object that it makes, if it makes one."""
    number, message = next((number, candidate) for number, candidate in enumerate(proxy.interface.requests)
                           if candidate.name == request)
    made = next((argument.interface for argument in message.arguments if argument.argument_type is ArgumentType.NewId),
                None)
    if made is not None:
        return proxy._marshal_constructor(number, made, *arguments)
    return proxy._marshal(number, *arguments)


def on(proxy: "Proxy[Any]", **handlers: Callable[..., object]) -> None:
    """What is done at events, by their names; a handler is not given the object that the event is of."""
    for event, handler in handlers.items():
        def handle(_proxy: object, *arguments: object, handler: Callable[..., object] = handler) -> None:
            handler(*arguments)  # what it returns must not reach the library

        proxy.dispatcher[event] = handle


Frame = _interface("zwlr_screencopy_frame_v1", 3, (
    _message("copy", _object(WlBuffer)), _message("destroy"), _message("copy_with_damage", _object(WlBuffer), since=2),
), (
    _message("buffer", UINT, UINT, UINT, UINT), _message("flags", UINT), _message("ready", UINT, UINT, UINT),
    _message("failed"), _message("damage", UINT, UINT, UINT, UINT, since=2),
    _message("linux_dmabuf", UINT, UINT, UINT, since=3), _message("buffer_done", since=3)))

Screencopy = _interface("zwlr_screencopy_manager_v1", 3, (
    _message("capture_output", _new(Frame), INT, _object(WlOutput)),
    _message("capture_output_region", _new(Frame), INT, _object(WlOutput), INT, INT, INT, INT), _message("destroy")))

Pointer = _interface("zwlr_virtual_pointer_v1", 2, (
    _message("motion", UINT, FIXED, FIXED), _message("motion_absolute", UINT, UINT, UINT, UINT, UINT),
    _message("button", UINT, UINT, UINT), _message("axis", UINT, UINT, FIXED), _message("frame")))

Pointers = _interface("zwlr_virtual_pointer_manager_v1", 2, (
    _message("create_virtual_pointer", _object(WlSeat, or_none=True), _new(Pointer)), _message("destroy"),
    _message("create_virtual_pointer_with_output", _object(WlSeat, or_none=True), _object(WlOutput, or_none=True),
             _new(Pointer), since=2)))

Window = _interface("zwlr_foreign_toplevel_handle_v1", 1, (
    _message("set_maximized"), _message("unset_maximized"), _message("set_minimized"), _message("unset_minimized"),
    _message("activate", _object(WlSeat)), _message("close"),
    _message("set_rectangle", _object(WlSurface), INT, INT, INT, INT), _message("destroy"),
), (
    _message("title", TEXT), _message("app_id", TEXT), _message("output_enter", _object(WlOutput)),
    _message("output_leave", _object(WlOutput)), _message("state", ARRAY), _message("done"), _message("closed")))

WindowList = _interface("zwlr_foreign_toplevel_manager_v1", 1, (_message("stop"),), (
    _message("toplevel", _new(Window)), _message("finished")))

Mode = _interface("zwlr_output_mode_v1", 2, (), (
    _message("size", INT, INT), _message("refresh", INT), _message("preferred"), _message("finished")))

Head = _interface("zwlr_output_head_v1", 2, (), (
    _message("name", TEXT), _message("description", TEXT), _message("physical_size", INT, INT),
    _message("mode", _new(Mode)), _message("enabled", INT), _message("current_mode", _object(Mode)),
    _message("position", INT, INT), _message("transform", INT), _message("scale", FIXED), _message("finished"),
    _message("make", TEXT, since=2), _message("model", TEXT, since=2), _message("serial_number", TEXT, since=2)))

ConfiguredHead = _interface("zwlr_output_configuration_head_v1", 2, (
    _message("set_mode", _object(Mode)), _message("set_custom_mode", INT, INT, INT),
    _message("set_position", INT, INT), _message("set_transform", INT), _message("set_scale", FIXED)))

Configuration = _interface("zwlr_output_configuration_v1", 2, (
    _message("enable_head", _new(ConfiguredHead), _object(Head)), _message("disable_head", _object(Head)),
    _message("apply"), _message("test"), _message("destroy")), (
    _message("succeeded"), _message("failed"), _message("cancelled")))

OutputManager = _interface("zwlr_output_manager_v1", 2, (
    _message("create_configuration", _new(Configuration), UINT), _message("stop")), (
    _message("head", _new(Head)), _message("done", UINT), _message("finished")))
