"""What the probe itself costs: the scene's own frame time with the probe attached, against without.

Runs with and without are taken in turn, so that the machine's drift cancels in the ratio of each pair.
"""

import tempfile
import time
from pathlib import Path

import numpy as np

from bench.start_time import Row
from keenlattice.errors import NeedsInstalling
from keenlattice.measure._summary import t_interval
from keenlattice.rig.linux.play import check_installed, scene_running
from keenlattice.rig.linux.scene import LAMP
from keenlattice.rig.linux.x11.probe import Probe
from keenlattice.rig.linux.x11.server import x_display

PAIRS, SECONDS = 16, 3.0


def measure() -> list[Row]:
    try:
        check_installed()
    except NeedsInstalling as error:
        print(f"left out: the probe's cost: {error}")
        return []
    with x_display() as display:
        logs = [np.log(_own_mean_ms(display, True) / _own_mean_ms(display, False)) for _ in range(PAIRS)]
    middle, low, high = (100 * np.expm1(value) for value in t_interval(np.array(logs), 0.95))
    what = f"the probe's cost, on the scene's mean frame time ({low:.1f} to {high:.1f} %)"
    return [(what, float(middle), "%", "none set, it is measured", True)]


def _own_mean_ms(display: str, probed: bool) -> float:
    """The scene's mean frame time by its own stamps, over the last `SECONDS`."""
    with tempfile.TemporaryDirectory() as folder:
        stamps = Path(folder) / "stamps"
        with scene_running(display, Path(folder), stamps) as scene:
            probe = Probe(display)
            window = probe.find(lambda: {scene.pid}, 20, lambda: scene.poll() is None)
            time.sleep(0.6)
            if probed:
                probe.record(window, SECONDS, 1, LAMP, lambda: scene.poll() is None)
            else:
                time.sleep(SECONDS)
            probe.close()
        own = np.loadtxt(stamps)
    return float(np.diff(own[own > own[-1] - SECONDS]).mean() * 1000)
