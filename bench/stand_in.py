"""How many frames a second the stand-in simulates on one core, and what its first call in a process costs."""

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

from bench.start_time import Row
from keenlattice.rig.standin.machine import Standin

FIRST_CALL = """
import json, sys, tempfile, time
from pathlib import Path
from keenlattice.rig.standin.machine import Standin
rig = Standin(Path(tempfile.mkdtemp()))
times = []
for seed in range(4):
    began = time.perf_counter()
    rig.play("brass-orbit", 30, seed)
    times.append(time.perf_counter() - began)
print(json.dumps(times))
"""


def measure() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        rig = Standin(Path(folder))
        rig.play("brass-orbit", 30, 0)
        rates = []
        for seed in range(30):
            began = time.process_time()
            frames = rig.play("brass-orbit", 60, seed).shown_ms.size
            rates.append(frames / (time.process_time() - began))
    rate = median(rates) / 1e6
    return [("the stand-in, on one core", rate, "million frames a second", "1 at least", rate >= 1)]


def measure_first_call() -> list[Row]:
    costs = []
    for _ in range(3):
        asked = subprocess.run([sys.executable, "-c", FIRST_CALL], capture_output=True, text=True, check=True)
        first, *later = json.loads(asked.stdout)
        costs.append(first - median(later))
    cost = median(costs)
    return [("the first call of a process, beyond the next ones", cost, "s", "1", cost <= 1)]
