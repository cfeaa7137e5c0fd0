"""Reading a long recording: time against the reader of columns that it is made of, memory against its arrays."""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

import numpy as np

from bench.start_time import Row
from keenlattice.measure.columns import ColumnMap
from keenlattice.measure.ingesting import ingest

ROWS, RUNS = 5_000_000, 3
COLUMNS = ColumnMap(name="bench", time="t", means="stamps", unit="ms", cpu="c", gpu="g")


def measure() -> list[Row]:
    """A CSV of 5 million rows and four columns, of which three are wanted, in turn with `pyarrow.csv.read_csv`."""
    import pyarrow as pa
    from pyarrow import csv

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.csv"
        frames = np.random.default_rng(1).uniform(6, 9, ROWS)
        csv.write_csv(pa.table({"t": np.cumsum(frames), "c": frames / 2, "g": frames / 3, "n": np.arange(ROWS)}), path)
        memory = _memory(path)
        pairs = [(_seconds(lambda: ingest(path, COLUMNS)), _seconds(lambda: csv.read_csv(str(path))))
                 for _ in range(RUNS)]
    ratio = median(one / other for one, other in pairs)
    what = "reading a CSV of 5 million rows and four columns, against pyarrow.csv.read_csv"
    return [(what, ratio, "times", "1.5", ratio <= 1.5), *memory]


PEAK = """
import sys
from pathlib import Path
import pyarrow.csv, scipy.ndimage
from bench.ingest import COLUMNS
from keenlattice.measure.ingesting import ingest
def peak():
    return next(int(line.split()[1]) for line in open("/proc/self/status") if line.startswith("VmHWM"))
before = peak()
ingest(Path(sys.argv[1]), COLUMNS)
print((peak() - before) * 1024)
"""


def _memory(path: Path) -> list[Row]:
    """What reading it adds to the most memory that a process has had, against the bytes of its three arrays."""
    arrays = 3 * 8 * ROWS
    times = int(subprocess.run([sys.executable, "-c", PEAK, str(path)], capture_output=True, text=True,
                               check=True).stdout) / arrays
    return [("memory to read it, against the bytes of its arrays", times, "times", "3", times <= 3)]


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
