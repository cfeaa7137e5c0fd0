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

import keenlattice as keen

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
ws = keen.open(folder / "logbook", rig="here")
run = ws.measure("scene", runs=1, seconds=4, seed=1).last
shown_ns = [round(at * 1e6) for at in run.shown_ms]  # a recorder's clock has steps; all three share these

seconds = "".join(f"{at / 1e9:.9f},scene\n" for at in shown_ns)
(folder / "stamps.csv").write_text(f"shown [s],program\n{seconds}", encoding="utf-8")
intervals = "".join(f"{number};{(at - before) / 1000:.3f}\n".replace(".", ",")
                    for number, (before, at) in enumerate(pairwise(shown_ns)))
(folder / "intervals.csv").write_text(f"# a recording, begun again\nframe;took [us]\n{intervals}", encoding="utf-8")
(folder / "lines.jsonl").write_text("".join(json.dumps({"event": "shown", "at": at}) + "\n" for at in shown_ns),
                                   encoding="utf-8")

maps = {"stamps.csv": keen.column_map(name="stamps", time="shown [s]", means="stamps", unit="s"),
        "intervals.csv": keen.column_map(name="intervals", time="took [us]", means="intervals", unit="us"),
        "lines.jsonl": keen.column_map(name="lines", time="at", means="stamps", unit="ns")}
for name, columns in maps.items():
    found = ws.recordings.ingest(folder / name, columns)
    assert found is not None
    numbers = found.metrics
    print(f"{name:14} {found.frames} frames, p50 {numbers['frame_ms_p50']:.4f} ms, "
          f"p99 {numbers['frame_ms_p99']:.4f} ms, 1 % low {numbers['low_1_fps']:.3f} fps")
