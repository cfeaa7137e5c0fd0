"""How many frames a second the stand-in simulates on one core, and what its first call in a process costs."""

import json
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from statistics import median

from bench.start_time import Row
from keenlattice.parallel import spread
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.mechanisms import Pipeline
from keenlattice.rig.standin.pipeline import simulate, simulate_many

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
        rate = _rate(Standin(Path(folder)))
    return [("the stand-in on one core", rate, "million frames a second", "none", True)]


def _rate(rig: Standin) -> float:
    rig.play("brass-orbit", 60, 0)
    rates = []
    for seed in range(30):
        began = time.process_time()
        frames = rig.play("brass-orbit", 60, seed).shown_ms.size
        rates.append(frames / (time.process_time() - began))
    return median(rates) / 1e6


def measure_two_processes() -> list[Row]:
    """A hundred runs over two processes, against one; both started before the clock is."""
    with tempfile.TemporaryDirectory() as folder:
        line = Standin(Path(folder)).pipeline("brass-orbit")
    times = {}
    for processes in (1, 2):
        with ProcessPoolExecutor(processes) as executor:
            simulate_many(line, 1, range(processes), executor)
            began = time.perf_counter()
            spread(partial(_frames_of, line), range(100), executor)
            times[processes] = time.perf_counter() - began
    ratio = times[1] / times[2]
    return [("a hundred runs over two processes, against one", ratio, "times quicker", "1.7", ratio >= 1.7)]


def _frames_of(line: Pipeline, seed: int) -> int:
    return int(simulate(line, 60, seed).shown_ms.size)


def measure_first_call() -> list[Row]:
    costs = []
    for _ in range(3):
        asked = subprocess.run([sys.executable, "-c", FIRST_CALL], capture_output=True, text=True, check=True)
        first, *later = json.loads(asked.stdout)
        costs.append(first - median(later))
    cost = median(costs)
    return [("the first call of a process, beyond the next ones", cost, "s", "1", cost <= 1)]
