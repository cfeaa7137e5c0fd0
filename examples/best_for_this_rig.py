"""Which cap and which queue bring Brass Orbit's flippers closest, with steady frames? Asked of the stand-in rig.

Run it anywhere: `python examples/best_for_this_rig.py [FOLDER]`.
"""

import sys
import tempfile
from pathlib import Path

import keenlattice as keen

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
ws = keen.open(folder / "logbook", rig="standin")
found = ws.tune("brass-orbit@stock", {"frame.cap": ["off", 120, 160], "frame.queue-depth": [1, 2, 3]},
                goal="latency_ms_p95", limits=[keen.Limit("frame_ms_p99", "below", 8.0)], rounds=10, seconds=15, seed=1,
                matters="3%", proof=4)
for one in found.result.combinations:
    print(f"{one.values!s:48} {one.rounds:3} runs  {one.standing}")
if found.version and found.proof:
    print(f"the best: {dict(found.version.entries)}, kept as {found.version.reference}")
    print(keen.headline(found.proof.result))
