"""Asks the OpenGL driver through EGL, and prints its answer as JSON; run as a separate program, by `driver.ask`.

It imports nothing of ours, so that it starts in no time. Exit code 3: there is no driver that could be asked.
"""

import ctypes
import json
import sys
from typing import Any

PLATFORM_SURFACELESS = 0x31DD  # EGL_PLATFORM_SURFACELESS_MESA: a display with no screen behind it
EGL_VENDOR, EGL_OPENGL_API, EGL_NONE, GL_RENDERER = 0x3053, 0x30A2, 0x3038, 0x1F01


def _answer() -> dict[str, str]:
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
    return dict(zip(("name", "vendor", "renderer", "options"), ((text or b"").decode() for text in texts),
                    strict=True))


if __name__ == "__main__":
    try:
        print(json.dumps(_answer()))
    except OSError as error:
        print(error, file=sys.stderr)
        sys.exit(3)
