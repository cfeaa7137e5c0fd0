"""Of eight changes from somebody's list, which matter? Asked of the stand-in rig, all at once.

Run it anywhere: `python examples/which_changes.py [FOLDER]`. It leaves a logbook and a figure in FOLDER.
"""

import sys
import tempfile
from pathlib import Path

import keenlattice as keen

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
ws = keen.open(folder / "logbook", rig="standin")
the_list = ws.edit("brass-orbit", {
    "frame.queue-depth": 1, "scaling.render-scale": 90, "gpu.clock-policy": "hold-high", "process.io-priority": "high",
    "antialias.gamma": False, "driver.compute-fallback": "forbid", "texture.bias-below-zero": "ignored",
    "window.high-dpi": "by-game"}, note="a list")
screen = ws.screen("brass-orbit@stock", the_list, seconds=20, seed=1, matters="3%")
for change in screen.result.factors:
    for one in change.judged:
        print(f"{change.settings[0]:24} {one.metric:18} {one.low_pct:+6.1f} to {one.high_pct:+6.1f} %  {one.standing}")
print(f"{screen.result.runs} runs; one by one, {screen.result.one_by_one_runs} would have told as much")
screen.figure().save(folder / "which-changes.png")
