"""What the OpenGL driver says of itself, through EGL: its name, and the options that it declares.

Asked in a process of its own: a driver is loaded into whoever asks, and is not to be trusted with ours. Run as a
module, this file is that process.
"""

import ctypes
import json
import subprocess
import sys
from dataclasses import dataclass
from typing import Any
from xml.parsers import expat

from keenlattice.catalog.model import Setting
from keenlattice.errors import CatalogError, NeedsInstalling, RigError

PLATFORM_SURFACELESS = 0x31DD  # EGL_PLATFORM_SURFACELESS_MESA: a display with no screen behind it
EGL_VENDOR, EGL_OPENGL_API, EGL_NONE, GL_RENDERER = 0x3053, 0x30A2, 0x3038, 0x1F01
INSTALL_MESA = "install it: apt-get install libegl1 libgl1 libgl1-mesa-dri"
NOT_BY_PLAYERS = "A setting of the driver's own; what it trades is not written down here: measure it."


@dataclass(frozen=True)
class Driver:
    """The driver's name, its EGL vendor, its renderer, and its own description of its options (XML)."""

    name: str
    vendor: str
    renderer: str
    options: str


def ask() -> Driver:
    """Asks the driver.

    Raises:
        NeedsInstalling: there is no EGL, or the driver has no configuration to query.
        RigError: the driver crashed over it.
    """
    # -P: without it, Python runs what lies in the current folder under the name of a module that is imported
    asked = subprocess.run([sys.executable, "-P", "-m", __name__], capture_output=True, text=True, timeout=60,
                           check=False)
    if asked.returncode == 3:
        raise NeedsInstalling(f"the driver cannot be asked: {asked.stderr.strip()}; {INSTALL_MESA}")
    if asked.returncode:
        raise RigError(f"the driver failed when asked for its options (exit {asked.returncode}); does any OpenGL "
                       "program run here?")
    return Driver(**json.loads(asked.stdout))


def _answer() -> Driver:
    egl = ctypes.CDLL("libEGL.so.1")
    egl.eglGetProcAddress.restype = ctypes.c_void_p
    egl.eglGetProcAddress.argtypes = [ctypes.c_char_p]
    egl.eglInitialize.argtypes = [ctypes.c_void_p, ctypes.c_void_p, ctypes.c_void_p]
    egl.eglQueryString.restype = ctypes.c_char_p
    egl.eglQueryString.argtypes = [ctypes.c_void_p, ctypes.c_int]

    def function(name: str, *types: Any) -> Any:
        address = egl.eglGetProcAddress(name.encode())
        if not address:
            raise OSError(f"EGL has no {name}")
        return ctypes.CFUNCTYPE(*types)(address)

    open_display = function("eglGetPlatformDisplayEXT", ctypes.c_void_p, ctypes.c_uint, *[ctypes.c_void_p] * 2)
    display = open_display(PLATFORM_SURFACELESS, None, None)
    if not display or not egl.eglInitialize(display, None, None):
        raise OSError("EGL finds no driver")
    name = function("eglGetDisplayDriverName", ctypes.c_char_p, ctypes.c_void_p)(display)
    options = function("eglGetDisplayDriverConfig", ctypes.c_char_p, ctypes.c_void_p)(display)
    make_context = function("eglCreateContext", ctypes.c_void_p, *[ctypes.c_void_p] * 4)
    make_current = function("eglMakeCurrent", ctypes.c_uint, *[ctypes.c_void_p] * 4)
    function("eglBindAPI", ctypes.c_uint, ctypes.c_uint)(EGL_OPENGL_API)
    context = make_context(display, None, None, ctypes.byref(ctypes.c_int(EGL_NONE)))
    if not context or not make_current(display, None, None, context):
        raise OSError("the driver makes no OpenGL context")
    renderer = function("glGetString", ctypes.c_char_p, ctypes.c_uint)(GL_RENDERER)
    texts = (name, egl.eglQueryString(display, EGL_VENDOR), renderer, options)
    return Driver(*((text or b"").decode() for text in texts))


def settings_of(driver: Driver) -> list[Setting]:
    """The driver's declared options as settings of the domain `mesa`, typed and bounded as it says.

    Raises:
        RigError: the description is not what EGL_MESA_query_driver promises.
    """
    found: list[Setting] = []
    current: dict[str, str] = {}
    choices: list[str] = []

    def start(tag: str, attributes: dict[str, str]) -> None:
        if tag == "option":
            current.clear()
            choices.clear()
            current.update(attributes)
        elif tag == "description" and current:
            current["text"] = attributes.get("text", "")
        elif tag == "enum" and current:
            choices.append(f"{attributes.get('value')}: {attributes.get('text')}")

    def end(tag: str) -> None:
        if tag == "option":
            found.extend(_setting(dict(current), choices))
            current.clear()

    parser = expat.ParserCreate()
    parser.StartElementHandler, parser.EndElementHandler = start, end
    try:
        parser.Parse(driver.options, True)
    except (expat.ExpatError, CatalogError, ValueError) as error:
        raise RigError(f"the driver {driver.name} describes its options in a way that is not understood: {error}"
                       ) from None
    return found


def _setting(option: dict[str, str], choices: list[str]) -> list[Setting]:
    kind = {"bool": "switch", "int": "whole", "enum": "whole", "float": "number", "string": "text"}.get(option["type"])
    if kind is None:
        return []
    low, _, high = option.get("valid", "").partition(":")
    default: bool | float | int | str = option["default"]
    if kind == "switch":
        default = default == "true"
    elif kind != "text":
        default = float(default) if kind == "number" else int(float(default))
    return [Setting.model_validate({
        "name": f"mesa.{option['name'].lower()}", "title": "; ".join([option.get("text", "").strip(), *choices]),
        "kind": kind, "low": float(low) if low and high else None, "high": float(high) if high else None,
        "scope": "game", "stock": default, "restart": "game", "trades": NOT_BY_PLAYERS, "sure": "disputed",
        "moves": {"frame-time": "either"}, "advice": "Nobody has collected what it does: measure it."})]


if __name__ == "__main__":
    try:
        print(json.dumps(_answer().__dict__))
    except OSError as error:
        print(error, file=sys.stderr)
        sys.exit(3)
