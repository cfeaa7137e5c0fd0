"""Reading a film: its analysis against its bare decoding, in turn; and the memory of a film three times as long."""

import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

import numpy as np

from bench.start_time import Row
from keenlattice.measure.film.grid import windows
from keenlattice.measure.film.made_up import write_film
from keenlattice.measure.film.reader import look_at, pictures
from keenlattice.measure.film.screen import frames_of

SIZE, PICTURES, RUNS = (1920, 1080), 480, 5
OPTIONS = {"crf": "23", "preset": "veryfast"}


def measure() -> list[Row]:
    """Two seconds of 1080p at 240 pictures a second, as a phone would film a desk, and as a recorder a screen."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "film.mp4"
        _write(path, PICTURES)
        film = look_at(path)
        ways = {"presses": lambda: sum(window.at_ms.size for window in windows(film)),
                "frames": lambda: frames_of(film)}
        rows: list[Row] = []
        for what, analysed in ways.items():
            ratios = []
            for _ in range(RUNS):
                bare, whole = _seconds(lambda: sum(1 for _ in pictures(film))), _seconds(analysed)
                ratios.append(whole / bare)
            ratio = median(ratios)
            rows.append((f"looking for {what} in a film of 1080p, against decoding it ({min(ratios):.2f} to "
                         f"{max(ratios):.2f})", ratio, "times", "1.3", ratio <= 1.3))
        return [*rows, _memory(Path(folder))]


def _write(path: Path, count: int, size: tuple[int, int] = SIZE) -> None:
    random = np.random.default_rng(1)
    width, height = size
    world = random.integers(30, 220, (height // 12 + 1, (width + 400) // 12 + 1)).repeat(12, 0).repeat(12, 1) * 1.0
    write_film(path, (np.asarray(world[:height, 3 * number % 400:][:, :width] + random.integers(0, 9, (height, 1)))
                      for number in range(count)), np.arange(count) * 1000 / 240, size, options=OPTIONS, rate_hz=240.0)


PEAK = """
import sys
from pathlib import Path
from keenlattice.measure.film.grid import windows
from keenlattice.measure.film.reader import look_at
for window in windows(look_at(Path(sys.argv[1]))):
    pass
print(next(int(line.split()[1]) for line in open("/proc/self/status") if line.startswith("VmHWM")))
"""


def _memory(folder: Path) -> Row:
    """The most memory that reading a film takes, against one of two windows."""
    peaks = []
    for count in (12_000, 36_000):
        _write(folder / f"{count}.mp4", count, (128, 96))
        peaks.append(int(subprocess.run([sys.executable, "-c", PEAK, str(folder / f"{count}.mp4")], capture_output=True,
                                        text=True, check=True).stdout))
    ratio = peaks[1] / peaks[0]
    return "memory for a film of three times the length", ratio, "times", "1.1", ratio <= 1.1


def _seconds(work: object) -> float:
    begin = time.perf_counter()
    work()  # type: ignore[operator]
    return time.perf_counter() - begin
