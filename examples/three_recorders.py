"""One run of the scene on the real driver, written as three differently shaped recordings, and read back.

Run it on Linux: `python examples/three_recorders.py [FOLDER]`. It needs the extra `linux`, and an X display or Xvfb.
Three recorders rarely write alike: stamps in seconds, intervals in microseconds with decimal commas, JSON Lines in
nanoseconds. Read by their column maps they are the same run, and give the same numbers.
"""

import json
import sys
import tempfile
from itertools import pairwise
from pathlib import Path

from keenlattice import column_map, ingest, metrics_of, open_rig

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
run = open_rig("linux", folder).play("scene", seconds=4, seed=1)
shown_ns = [round(at * 1e6) for at in run.shown_ms]  # a recorder's clock has steps; all three share these

seconds = "".join(f"{at / 1e9:.9f},scene\n" for at in shown_ns)
(folder / "stamps.csv").write_text(f"shown [s],program\n{seconds}")
intervals = "".join(f"{number};{(at - before) / 1000:.3f}\n".replace(".", ",")
                    for number, (before, at) in enumerate(pairwise(shown_ns)))
(folder / "intervals.csv").write_text(f"# a recording, begun anew\nframe;took [us]\n{intervals}")
(folder / "lines.jsonl").write_text("".join(json.dumps({"event": "shown", "at": at}) + "\n" for at in shown_ns))

maps = {"stamps.csv": column_map(name="stamps", time="shown [s]", means="stamps", unit="s"),
        "intervals.csv": column_map(name="intervals", time="took [us]", means="intervals", unit="us"),
        "lines.jsonl": column_map(name="lines", time="at", means="stamps", unit="ns")}
for name, columns in maps.items():
    capture = ingest(folder / name, columns).capture
    numbers = metrics_of(capture)
    print(f"{name:14} {capture.frame_ms.size} frames, p50 {numbers['frame_ms_p50']:.4f} ms, "
          f"p99 {numbers['frame_ms_p99']:.4f} ms, 1 % low {numbers['low_1_fps']:.3f} fps")
