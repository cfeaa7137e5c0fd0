"""Since which version is Brass Orbit slower, and because of what? Asked of the stand-in rig.

Run it anywhere: `python examples/since_when.py [FOLDER]`. Five versions, one of which brought more than it told of.
"""

import sys
import tempfile
from pathlib import Path

from keenlattice import HuntPlan, Logbook, Plan, open_rig, run_hunt, stock

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
steps: list[tuple[str, dict[str, bool | int | float | str]]] = [
    ("a tip", {"antialias.gamma": False}), ("quieter", {"frame.cap-unfocused": 30}),
    ("what the list said", {"shading.ambient-occlusion": "on", "process.io-priority": "high",
                            "texture.negative-bias": "clamp"}),
    ("another tip", {"window.high-dpi": "by-game"})]
with Logbook(folder / "logbook") as book:
    line = [stock("brass-orbit")]
    for note, more in steps:
        line.append(book.commit("brass-orbit", {**line[-1].entries, **more}, note=note))
    plan = HuntPlan(Plan(blocks=8, seconds=20, seed=1, decides="frame_ms_mean", matters_pct=3))
    found = run_hunt(open_rig("standin", book), line, plan)
    (first,) = (version for version in line if version.reference == found.first)
    print(f"it changed with {first.note!r} ({100 * found.weight:.0f} % sure): {', '.join(found.settings)}")
