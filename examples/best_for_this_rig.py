"""Which cap and which queue bring Brass Orbit's flippers closest, with steady frames? Asked of the stand-in rig.

Run it anywhere: `python examples/best_for_this_rig.py [FOLDER]`.
"""

import sys
import tempfile
from pathlib import Path

from keenlattice import Limit, TunePlan, open_rig, run_tune, stock

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
plan = TunePlan(choices=(("frame.cap", ("off", 120, 160)), ("frame.queue-depth", (1, 2, 3))), goal="latency_ms_p95",
                limits=(Limit("frame_ms_p99", "below", 8.0),), rounds=10, seconds=15, seed=1, matters_pct=3)
result = run_tune(open_rig("standin", folder), stock("brass-orbit"), plan)
for one in result.combinations:
    print(f"{one.values!s:48} {one.rounds:3} runs  {one.standing}")
print(f"the best: {result.best.values if result.best else 'none keeps the limit'}")
