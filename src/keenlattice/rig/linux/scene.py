"""Our scene program: a small pinball table in OpenGL, which answers every click by switching one lamp.

Run as a module: `python -m keenlattice.rig.linux.scene --name keen-scene --stamps FILE`. It ends on SIGTERM, on its
window being closed, or after `--seconds`, and then writes when it handed over each frame (`time.perf_counter`,
seconds, one per line) into the file.
"""

import argparse
import ctypes
import math
import signal
import struct
import sys
import time
from pathlib import Path
from typing import Any

from keenlattice.profile.matching import Game

SIZE = (640, 360)
SCENE = Game("scene", "Pinball scene", ("keen-scene",))
LAMP = (20, 20)  # a pixel of the lamp
LAMP_PX = 48  # the lamp's square in the upper left corner of the window
BALLS = 60

_kept: list["ctypes.Array[ctypes.c_char]"] = []

VERTEX = """
#version 330
in vec2 corner; uniform vec2 place; uniform vec2 size; out vec2 at;
void main() { at = corner; gl_Position = vec4(place + corner * size, 0.0, 1.0); }
"""
TABLE = """
#version 330
in vec2 at; uniform float time; out vec4 colour;
void main() {
    float glow = 0.0;
    for (int i = 0; i < 5; i++) {
        vec2 bumper = 0.8 * vec2(sin(float(i) * 2.4 + time * 0.3), cos(float(i) * 1.7 - time * 0.2));
        glow += 0.04 / (0.02 + dot(at - bumper, at - bumper));
    }
    colour = vec4(0.05 + 0.10 * glow, 0.07 + 0.05 * glow, 0.12 + 0.02 * glow, 1.0);
}
"""
BALL = """
#version 330
in vec2 at; uniform vec3 tint; uniform float square; out vec4 colour;
void main() { if (square < 0.5 && dot(at, at) > 1.0) discard; colour = vec4(tint, 1.0); }
"""


def call_ourselves(name: str) -> None:
    """Takes a name for the driver's matching: it goes by glibc's `program_invocation_name`, read when it loads."""
    _kept.append(ctypes.create_string_buffer(name.encode()))  # glibc keeps the address: it must stay allocated
    ctypes.c_void_p.in_dll(ctypes.CDLL(None), "program_invocation_name").value = ctypes.addressof(_kept[-1])


class Scene:
    """The window, and what is drawn into it."""

    def __init__(self, title: str) -> None:
        import glfw
        import moderngl

        if not glfw.init():
            sys.exit("no display to open a window on")
        for hint, value in ((glfw.CONTEXT_VERSION_MAJOR, 3), (glfw.CONTEXT_VERSION_MINOR, 3),
                            (glfw.OPENGL_PROFILE, glfw.OPENGL_CORE_PROFILE), (glfw.RESIZABLE, False)):
            glfw.window_hint(hint, value)
        self.window = glfw.create_window(*SIZE, title, None, None)
        if not self.window:
            sys.exit("no OpenGL 3.3 here")
        glfw.make_context_current(self.window)
        glfw.set_mouse_button_callback(self.window, self._clicked)
        self._gl = moderngl.create_context()
        corners = self._gl.buffer(struct.pack("8f", -1, -1, 1, -1, -1, 1, 1, 1))
        self._table, self._ball = (self._gl.program(vertex_shader=VERTEX, fragment_shader=shader)
                                   for shader in (TABLE, BALL))
        self._draw = {program: self._gl.vertex_array(program, [(corners, "2f", "corner")])
                      for program in (self._table, self._ball)}
        self._lamp_on = False

    def _clicked(self, _window: Any, _button: int, action: int, _modifiers: int) -> None:
        self._lamp_on ^= action == 1

    def draw(self, at: float) -> None:
        """One frame of the scene; `at` is in seconds."""
        self._shape(self._table, (0.0, 0.0), (1.0, 1.0), time=at)
        for ball in range(BALLS):
            turn = at * (0.7 + 0.013 * ball) + ball
            place = (0.85 * math.sin(turn), 0.8 * math.cos(1.3 * turn))
            self._shape(self._ball, place, (0.03, 0.053), tint=(0.9, 0.6 + 0.006 * ball, 0.3), square=0.0)
        lamp = (2 * LAMP_PX / SIZE[0] / 2, 2 * LAMP_PX / SIZE[1] / 2)
        tint = (1.0, 1.0, 1.0) if self._lamp_on else (0.0, 0.0, 0.0)
        self._shape(self._ball, (-1 + lamp[0], 1 - lamp[1]), lamp, tint=tint, square=1.0)

    def _shape(self, program: Any, place: tuple[float, float], size: tuple[float, float], **values: Any) -> None:
        for name, value in {"place": place, "size": size, **values}.items():
            if name in program:
                program[name] = value
        self._draw[program].render(self._gl.TRIANGLE_STRIP)


def main() -> None:
    parser = argparse.ArgumentParser(description="A pinball table in OpenGL that answers clicks with a lamp.")
    parser.add_argument("--name", default="keen-scene", help="executable name that the driver shall match")
    parser.add_argument("--stamps", type=Path, help="file for the time of each frame")
    parser.add_argument("--seconds", type=float, default=math.inf)
    options = parser.parse_args()
    call_ourselves(options.name)  # before the driver is loaded
    stamps = play(options.name, options.seconds)
    if options.stamps:
        options.stamps.write_text("".join(f"{stamp:.7f}\n" for stamp in stamps), encoding="utf-8")


def play(title: str, seconds: float) -> list[float]:
    """Draws until told to stop; returns when each frame was handed over."""
    import glfw

    scene, stop, stamps = Scene(title), [], []
    signal.signal(signal.SIGTERM, lambda *_: stop.append(True))
    glfw.swap_interval(0)
    began = time.perf_counter()
    while not stop and not glfw.window_should_close(scene.window) and time.perf_counter() < began + seconds:
        glfw.poll_events()
        scene.draw(time.perf_counter() - began)
        glfw.swap_buffers(scene.window)
        stamps.append(time.perf_counter())
    return stamps


if __name__ == "__main__":
    main()
