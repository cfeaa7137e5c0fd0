"""Pools: how long against reading their evidence, over two processes, and in how much memory; `python -m bench.pooling`
tells what it costs from 10 rigs to 10,000."""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from statistics import median

from league import FleetPlan, play_fleet

from bench.evidence import write_evidence
from bench.start_time import Row
from keenlattice.study.pool.play import pool_evidence
from keenlattice.study.pool.reading import of_plan, read_evidence
from keenlattice.study.pool.result import PoolPlan

RUNS, TRIES = 7, 10
PLAYERS = 24
PLAN = PoolPlan(("bench",))
POOLED = """
import json, sys, time
from pathlib import Path
import keenlattice
began = time.perf_counter()
with keenlattice.open(Path(sys.argv[2]) / "book") as ws:
    ws.pool.read(sys.argv[1])
peak = next(int(line.split()[1]) for line in open("/proc/self/status") if line.startswith("VmHWM"))
print(json.dumps([time.perf_counter() - began, peak / 1024]))
"""


def measure() -> list[Row]:
    """Ten thousand records of a thousand rigs, in turn with reading them; and the memory of ten times as many."""
    import pyarrow.parquet as pq

    with tempfile.TemporaryDirectory() as folder:
        few, many = Path(folder) / "few", Path(folder) / "many"
        write_evidence(few, 1000, TRIES)
        write_evidence(many, 10_000, TRIES)
        table = read_evidence([few]).table
        times = [(_seconds(lambda: pool_evidence(of_plan(table, PLAN.metrics), PLAN)),
                  _seconds(lambda: pq.read_table(few))) for _ in range(RUNS)][1:]
        memory = cost(many)[1] / cost(few)[1]
    ratio = median(one / other for one, other in times)
    seconds = median(one for one, _ in times)
    return [(f"pooling 10,000 records ({seconds:.2f} s), against reading them with pyarrow", ratio, "times", "3",
             ratio <= 3),
            ("memory of pooling 10,000 rigs, against 1,000", memory, "times", "1.5", memory <= 1.5)]


def measure_two_processes() -> list[Row]:
    """A league over two processes, against one; both started before the clock is."""
    times = {}
    with tempfile.TemporaryDirectory() as folder:
        for processes in (1, 2):
            with ProcessPoolExecutor(processes) as executor:
                play_fleet(FleetPlan(2 * processes, 9, 1, 2.0), Path(folder) / f"warm-{processes}", executor)
                times[processes] = _seconds(partial(
                    play_fleet, FleetPlan(PLAYERS, 1, 4), Path(folder) / str(processes), executor))
    ratio = times[1] / times[2]
    return [("a league over two processes, against one", ratio, "times quicker", "1.7", ratio >= 1.7)]


def cost(folder: Path) -> tuple[float, float]:
    """What reading, pooling and keeping a data set takes, in a separate process: seconds, and MiB at most."""
    import json

    with tempfile.TemporaryDirectory() as home:
        done = subprocess.run([sys.executable, "-c", POOLED, str(folder), home], capture_output=True, text=True,
                              check=True, env={"KEEN_STATE": f"{home}/state", "PATH": "", "HOME": home})
    seconds, peak = json.loads(done.stdout)
    return seconds, peak


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def main() -> None:
    print("| rigs | records | evidence | read, pooled and kept in | memory at most |\n|---|---|---|---|---|")
    for rigs in (10, 100, 1000, 10_000):
        with tempfile.TemporaryDirectory() as folder:
            records = write_evidence(Path(folder), rigs, TRIES)
            size = sum(file.stat().st_size for file in Path(folder).iterdir()) / 2**20
            seconds, peak = cost(Path(folder))
            print(f"| {rigs:,} | {records:,} | {size:.1f} MiB | {seconds:.1f} s | {peak:.0f} MiB |", flush=True)


if __name__ == "__main__":
    main()
