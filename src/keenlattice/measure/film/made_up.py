"""Simulated films of a lamp at a button and a screen, as a phone would film them: for the demo, the examples and tests.

Light is summed over the time that the shutter is open, so a lamp that comes on meanwhile is partly bright.
"""

from collections.abc import Iterable, Mapping
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

import numpy as np

from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.film.grid import GAMMA

if TYPE_CHECKING:
    from av.audio.stream import AudioStream
    from av.video.stream import VideoStream

SIZE, RATE_HZ, SHUTTER = (320, 180), 240.0, 0.8
PRESSED_MS, LIT_MS, PANEL_MS = 90.0, 60.0, 1.0
LAMP, SCREEN = (0.12, 0.62, 0.05, 0.08), (0.55, 0.42, 0.38, 0.4)  # x, y, width and height, as shares of the picture
STEPS = 24  # that an exposure is summed in


def film_of_run(run: Capture, path: Path, seed: int, claimed_hz: float = 30.0) -> None:
    """Write what a phone films of a run's clicks and answers, in slow motion.

    Args:
        run: with clicks; its frames are not looked at.
        path: the film's; its ending says in which container.
        seed: of the camera's noise.
        claimed_hz: the rate that its stamps have, where the phone took RATE_HZ pictures a second.
    """
    random = np.random.default_rng([seed, 31])
    answers = run.answer_ms[np.isfinite(run.answer_ms)]
    count = int((float(np.max(run.click_ms, initial=0.0)) + 600) * RATE_HZ / 1000)
    at = np.arange(count) * 1000 / RATE_HZ
    lamp = exposed(at, SHUTTER * 1000 / RATE_HZ, flashes(run.click_ms, PRESSED_MS), 0.05)
    screen = exposed(at, SHUTTER * 1000 / RATE_HZ, flashes(answers, LIT_MS), PANEL_MS)
    desk = 0.03 * backdrop(SIZE, random)
    noise = random.normal(0, 3, (8, SIZE[1], SIZE[0])).astype(np.float32)

    def picture(number: int) -> Floats:
        light = desk.copy()
        box(light, SCREEN, 0.01 + 0.5 * float(screen[number]))
        box(light, LAMP, 0.01 + 0.6 * float(lamp[number]))
        return np.asarray(levels(light) + noise[number % 8])

    write_film(path, map(picture, range(count)), at * RATE_HZ / claimed_hz, SIZE, rate_hz=claimed_hz)


def flashes(at_ms: Floats, length_ms: float) -> Floats:
    """When a light comes on and goes off that is lit for so long from each moment on; shape (2 * flashes,)."""
    return np.sort(np.concatenate((at_ms, at_ms + length_ms)))


def exposed(at: Floats, open_ms: float, edges: Floats, tau_ms: float, backlight: tuple[float, float] = (0.0, 0.0)
            ) -> Floats:
    """How bright a light is in each picture: its mean over the time that the shutter is open.

    Args:
        at: the middle of each exposure, in ms; shape (pictures,).
        open_ms: how long the shutter is open.
        edges: when the light comes on and goes off, in turn.
        tau_ms: the time constant of its rise and fall.
        backlight: frequency in Hz and depth of what it is dimmed by.
    """
    fine = at[:, None] + ((np.arange(STEPS) + 0.5) / STEPS - 0.5)[None, :] * open_ms
    state = np.searchsorted(edges, fine, side="right")
    last = np.where(state > 0, edges[np.maximum(state - 1, 0)] if edges.size else 0.0, -np.inf)
    settled = 1 - np.exp(-(fine - last) / tau_ms)
    level = np.where(state % 2 == 1, settled, np.where(state > 0, 1 - settled, 0.0))
    if backlight[0]:
        level = level * (1 + backlight[1] * np.sign(np.sin(2 * np.pi * backlight[0] * fine / 1000)))
    return np.asarray(level.mean(axis=1))


def backdrop(size: tuple[int, int], random: np.random.Generator) -> Floats:
    """A desk with some pattern, in light; shape (height, width)."""
    width, height = size
    grain = 0.85 + 0.3 * random.random((height // 4 + 1, width // 4 + 1))
    return np.asarray(grain.repeat(4, 0).repeat(4, 1)[:height, :width])


def box(light: Floats, place: tuple[float, float, float, float], level: float) -> None:
    """Draw a light with edges between pixels."""
    x, y, width, height = place
    rows, columns = np.arange(light.shape[0]), np.arange(light.shape[1])
    down = np.clip(np.minimum(rows + 1 - y * rows.size, (y + height) * rows.size - rows), 0, 1)
    across = np.clip(np.minimum(columns + 1 - x * columns.size, (x + width) * columns.size - columns), 0, 1)
    share = down[:, None] * across[None, :]
    light *= 1 - share
    light += share * level


def levels(light: Floats) -> Floats:
    """The levels of 255 that a camera gives to light."""
    return np.asarray(255 * np.clip(light, 0, 1) ** (1 / GAMMA))


def write_film(path: Path, pictures: Iterable[Floats], stamps_ms: Floats, size: tuple[int, int],
               codec: str = "libx264", pixels: str = "yuv420p", options: Mapping[str, str] | None = None,
               rate_hz: float = 60.0, sound_s: float = 0.0) -> None:
    """Write grey pictures of 0 to 255 as a film, each with its stamp; without options, as a phone would."""
    import av

    base = Fraction(1, 90_000)
    with av.open(str(path), "w") as film:
        stream = cast("VideoStream", film.add_stream(codec, rate=Fraction(rate_hz).limit_denominator(1001)))
        stream.width, stream.height = size
        stream.pix_fmt = pixels
        stream.options = dict(options if options is not None else {"crf": "26", "preset": "veryfast", "threads": "1"})
        stream.codec_context.time_base = base
        sound = film.add_stream("aac", rate=48_000) if sound_s else None
        deep = pixels.endswith("10le")
        for picture, stamp in zip(pictures, stamps_ms, strict=False):
            grey = np.clip(picture, 0, 255)
            frame = av.VideoFrame.from_ndarray((grey * 257).astype(np.uint16) if deep else grey.astype(np.uint8),
                                               "gray16le" if deep else "gray")
            frame.pts, frame.time_base = round(float(stamp) * 90), base
            film.mux(stream.encode(frame))
        film.mux(stream.encode())
        if sound is not None:
            _silence(film, sound, sound_s)


def _silence(film: Any, sound: "AudioStream", seconds: float) -> None:
    import av

    quiet = np.zeros((1, 1024), np.float32)
    for number in range(int(seconds * 48_000 / 1024)):
        part = av.AudioFrame.from_ndarray(quiet, format="fltp", layout="mono")
        part.sample_rate, part.pts = 48_000, number * 1024
        film.mux(sound.encode(part))
    film.mux(sound.encode())
