"""What the probe itself costs: the scene's own frame time while it is recorded, against that while it is not.

One scene runs all the while, and is recorded every other stretch, first or second of a pair in turn, so that the
machine's drift cancels in the ratio of each pair.
"""

import tempfile
import time
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.start_time import Row
from keenlattice.errors import NeedsInstalling
from keenlattice.measure.summaries import t_interval
from keenlattice.rig.linux.play import check_installed, scene_running
from keenlattice.rig.linux.scene import LAMP
from keenlattice.rig.linux.x11.probe import Probe
from keenlattice.rig.linux.x11.server import x_display

PAIRS, SECONDS = 240, 0.6
SETTLES_S = 0.2


def measure() -> list[Row]:
    try:
        check_installed()
    except NeedsInstalling as error:
        print(f"left out: the probe's cost: {error}")
        return []
    with x_display() as display:
        ratios = _ratios(display)
    middle, low, high = (100 * np.expm1(value) for value in t_interval(np.log(ratios), 0.95))
    what = f"the probe's cost, on the scene's mean frame time ({low:.1f} to {high:.1f} %)"
    return [(what, float(middle), "%", "at most 2, clicks and all", high < 2.0)]


def _ratios(display: str) -> NDArray[np.float64]:
    """The scene's mean frame time while it is recorded, by that while it is not, of each pair; shape (PAIRS,)."""
    with tempfile.TemporaryDirectory() as folder:
        stamps = Path(folder) / "stamps"
        with scene_running(display, Path(folder), stamps) as scene:
            probe = Probe(display)
            window = probe.find(lambda: {scene.pid}, 20, lambda: scene.poll() is None)
            time.sleep(1.0)
            stretches = []
            for pair in range(PAIRS):
                both = {recorded: _stretch(probe, window, recorded) for recorded in (pair % 2 == 0, pair % 2 == 1)}
                stretches.append((both[True], both[False]))
            probe.close()
        own = np.loadtxt(stamps)
    return np.array([_mean_ms(own, *recorded) / _mean_ms(own, *alone) for recorded, alone in stretches])


def _stretch(probe: Probe, window: object, recorded: bool) -> tuple[float, float]:
    """Records the scene for a while, or leaves it alone; when that began and ended."""
    time.sleep(SETTLES_S)
    began = time.perf_counter()
    if recorded:
        probe.record(window, SECONDS, 1, LAMP, lambda: True)
    else:
        time.sleep(SECONDS)
    return began, time.perf_counter()


def _mean_ms(own: NDArray[np.float64], began: float, ended: float) -> float:
    return float(np.diff(own[(own > began) & (own < ended)]).mean() * 1000)
