"""Simulated films with a known truth: of a lamp at a button and a screen, in many conditions; and of a screen."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from keenlattice.measure.capture import Floats
from keenlattice.measure.film.made_up import LIT_MS, backdrop, box, exposed, flashes, levels, write_film

KEY_TRAVEL = 0.05  # of the height of the picture


@dataclass
class Desk:
    """What is filmed, and how.

    Args:
        presses: how many.
        rate: pictures a second that are taken; `claimed` is what the file's stamps say, if that differs.
        shutter: the share of a picture's interval for which the shutter is open.
        noise: of single pixels, in levels of 255.
        shake: how far a hand moves the picture, in pixels.
        flicker: (Hz, share) of the room's light.
        backlight: (Hz, share) of the screen's own.
        panel_ms: the time constant of the screen.
        lamp, screen: how bright each gets, in linear light; more than 1 is overexposed.
        readout: the share of a picture's interval in which its rows are read.
        lamp_row: where the lamp is, as a share of the height.
        travel_ms: no lamp but a key that takes so long from top to bottom, the press being half-way.
        bounces: how many presses open again after 16 ms, for 8 ms.
        toggles: the lamp changes at each press, like the keyboard's.
        holds: the screen stays lit as long as the lamp.
        adapts: the camera's exposure follows the brightness.
        missed, unasked: how many presses have no answer, and how many answers no press.
        latency_ms: mean and standard deviation.
    """

    presses: int = 20
    rate: float = 240.0
    claimed: float = 0.0
    size: tuple[int, int] = (320, 180)
    codec: str = "libx264"
    pixels: str = "yuv420p"
    options: dict[str, str] = field(default_factory=lambda: {"crf": "24", "preset": "ultrafast"})
    shutter: float = 0.8
    noise: float = 4.0
    shake: float = 0.0
    flicker: tuple[float, float] = (0.0, 0.0)
    backlight: tuple[float, float] = (0.0, 0.0)
    panel_ms: float = 2.0
    lamp: float = 0.6
    screen: float = 0.5
    readout: float = 0.0
    lamp_row: float = 0.75
    travel_ms: float = 0.0
    bounces: int = 0
    toggles: bool = False
    holds: bool = False
    adapts: bool = False
    missed: int = 0
    unasked: int = 0
    latency_ms: tuple[float, float] = (42.0, 9.0)
    sound_s: float = 0.0
    wavers: float = 0.0
    seed: int = 1


@dataclass
class Truth:
    """When presses were, and when the screen answered each; NaN where it did not."""

    press_ms: Floats
    answer_ms: Floats  # when the light has come half-way

    @property
    def waits_ms(self) -> Floats:
        return (self.answer_ms - self.press_ms)[np.isfinite(self.answer_ms)]


def film_of_a_desk(path: Path, desk: Desk) -> Truth:
    """Make a film; returns what happened."""
    random = np.random.default_rng(desk.seed)
    press = 400 + np.cumsum(random.uniform(330, 480, desk.presses))
    answer = press + np.clip(random.normal(*desk.latency_ms, desk.presses), 4, 250)
    answer[random.permutation(desk.presses)[:desk.missed]] = np.nan
    shown = np.concatenate((answer[np.isfinite(answer)], press[:desk.unasked] + 220))
    lamp_edges = press if desk.toggles else np.sort(
        np.concatenate((press, press + random.uniform(70, 110, press.size),
                        press[:desk.bounces] + 16, press[:desk.bounces] + 24)))
    screen_edges = flashes(shown, 70 if desk.holds else LIT_MS)
    interval = 1000 / desk.rate
    at: Floats = np.arange(0.0, int((float(press[-1]) + 500) / interval)) * interval
    if desk.wavers:
        at = at + random.uniform(-desk.wavers, desk.wavers, at.size) * interval
    pictures = _pictures(desk, at, lamp_edges, screen_edges, random)
    stamps = at * (desk.rate / desk.claimed if desk.claimed else 1)
    write_film(path, pictures, stamps, desk.size, desk.codec, desk.pixels, desk.options, desk.claimed or desk.rate,
               desk.sound_s)
    return Truth(press, answer + desk.panel_ms * np.log(2))


def _pictures(desk: Desk, at: Floats, lamp_edges: Floats, screen_edges: Floats, random: np.random.Generator
              ) -> Iterator[Floats]:
    width, height = desk.size
    open_ms, late = desk.shutter * 1000 / desk.rate, desk.readout * 1000 / desk.rate
    lit = exposed(at + desk.lamp_row * late, open_ms, lamp_edges, 0.05)
    if desk.travel_ms:
        lit = uniform_filter1d(lit, max(1, round(desk.travel_ms * desk.rate / 1000)))
    glow = exposed(at + 0.3 * late, open_ms, screen_edges, desk.panel_ms, desk.backlight)
    hz, share = desk.flicker
    room = 0.03 * (1 + share * np.sin(2 * np.pi * hz * at / 1000) * np.sinc(hz * open_ms / 1000))
    pattern = backdrop(desk.size, random)
    noises = random.normal(0, desk.noise, (12, height + 16, width + 16)).astype(np.float32)
    shakes = desk.shake * np.sin(at / 1000 * 2 * np.pi * 3)[:, None] * np.array([1 / width, 0.6 / height])
    gain = 1.0
    for number in range(at.size):
        light = room[number] * pattern
        right, down = shakes[number]
        box(light, (0.55 + right, 0.12 + down, 0.38, 0.4), 0.01 + desk.screen * float(glow[number]))
        down += KEY_TRAVEL * float(lit[number]) if desk.travel_ms else 0.0
        shown = 1.0 if desk.travel_ms else float(lit[number])
        box(light, (0.12 + right, desk.lamp_row + down, 0.05, 0.08), 0.01 + desk.lamp * shown)
        if desk.adapts:
            gain += (float(np.clip(0.05 / light.mean(), 0.5, 1.5)) - gain) * 0.02
        top, left = random.integers(0, 16, 2)
        yield levels(gain * light) + noises[number % 12, top:top + height, left:left + width]


@dataclass
class Screen:
    """A recording of a game's screen.

    Args:
        fps: frames that the game draws a second, each taking about as long; `hitches` of them take 200 ms.
        rate: pictures that the recorder takes a second.
        seconds: how long.
        torn: the recorder's pictures show what the screen did while it was scanned out.
        noise: of single pixels, in levels of 255.
        still: from when to when nothing moves, in s.
        speed: how far the scene moves in a second, in pixels.
        cursor: something small moves in every picture.
    """

    fps: float = 45.0
    rate: float = 60.0
    seconds: float = 10.0
    size: tuple[int, int] = (320, 180)
    hitches: int = 0
    torn: bool = False
    noise: float = 0.0
    still: tuple[float, float] = (0.0, 0.0)
    speed: float = 90.0
    cursor: bool = False
    codec: str = "libx264"
    pixels: str = "yuv420p"
    options: dict[str, str] = field(default_factory=lambda: {"crf": "23", "preset": "ultrafast"})
    seed: int = 1


def film_of_a_screen(path: Path, screen: Screen) -> tuple[Floats, NDArray[np.intp]]:
    """Make a film; returns when each frame was drawn, in ms, and which frame each picture shows at its end."""
    random = np.random.default_rng(screen.seed)
    lengths = random.normal(1000 / screen.fps, 0.08 * 1000 / screen.fps, int(screen.seconds * screen.fps * 1.2))
    lengths[random.permutation(lengths.size)[:screen.hitches]] = 200
    drawn = np.concatenate(([-1.0], np.cumsum(np.maximum(lengths, 1000 / screen.fps / 2))))
    width, height = screen.size
    world = random.integers(40, 216, (height // 6 + 1, width)).repeat(6, 0)[:height].repeat(6, 1).astype(np.float32)
    stamps = np.arange(int(screen.seconds * screen.rate)) * 1000 / screen.rate
    noises = random.normal(0, screen.noise, (8, height, width)).astype(np.float32)
    rows = np.arange(height)

    def scene(frame: int) -> Floats:
        at = drawn[frame] / 1000
        if screen.still[0] <= at < screen.still[1]:
            at = screen.still[0]
        shift = int(screen.speed * max(at, 0) * 4) / 4 % (world.shape[1] - width - 1)
        whole, part = int(shift), shift % 1
        return np.asarray(world[:, whole:whole + width] * (1 - part) + world[:, whole + 1:whole + width + 1] * part)

    def picture(number: int) -> Floats:
        first = int(np.searchsorted(drawn, stamps[number], side="right")) - 1
        result = scene(first)
        if screen.torn:
            at = stamps[number] + rows / height * 1000 / screen.rate
            which = np.searchsorted(drawn, at, side="right") - 1
            for frame in range(first + 1, int(which[-1]) + 1):
                result = np.where((which >= frame)[:, None], scene(frame), result)
        if screen.cursor:
            result = result.copy()
            result[40:56, (number * 5) % (width - 20):(number * 5) % (width - 20) + 14] = 255
        return np.asarray(result + noises[number % 8])

    write_film(path, (picture(number) for number in range(stamps.size)), stamps, screen.size, screen.codec,
               screen.pixels, screen.options, screen.rate)
    return drawn, np.searchsorted(drawn, stamps, side="right") - 1
