"""Of eight changes from somebody's list, which matter? Asked of the stand-in rig, all at once.

Run it anywhere: `python examples/which_changes.py [FOLDER]`. It leaves a figure in FOLDER.
"""

import sys
import tempfile
from pathlib import Path

from keenlattice import ScreenPlan, Version, factors_of, open_rig, run_screen, save, screen_figure, stock

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
the_list = Version("brass-orbit", {
    "frame.queue-depth": 1, "scaling.render-scale": 90, "gpu.clock-policy": "hold-high", "process.io-priority": "high",
    "antialias.gamma": False, "driver.compute-fallback": "forbid", "texture.negative-bias": "clamp",
    "window.high-dpi": "by-game"})
plan = ScreenPlan(factors_of({}, the_list.entries), rounds=3, seconds=20, seed=1, decides="latency_ms_median",
                  matters_pct=3)
result = run_screen(open_rig("standin", folder), stock("brass-orbit"), the_list, plan)
for one in result.factors:
    print(f"{one.settings[0]:24} {one.judged.low_pct:+6.1f} to {one.judged.high_pct:+6.1f} %  {one.judged.standing}")
print(f"{result.runs} runs; one by one, {result.one_by_one_runs} would have told as much")
save(screen_figure(result), folder / "which-changes.png")
