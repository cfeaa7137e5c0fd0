"""Reading a long recording, against the reader of columns that it is made of."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

import numpy as np

from bench.start_time import Row
from keenlattice.measure.columns import ColumnMap
from keenlattice.measure.ingest import ingest

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
        pairs = [(_seconds(lambda: ingest(path, COLUMNS)), _seconds(lambda: csv.read_csv(str(path))))
                 for _ in range(RUNS)]
    ratio = median(one / other for one, other in pairs)
    what = "reading a CSV of 5 million rows and four columns, against pyarrow.csv.read_csv"
    return [(what, ratio, "times", "1.5", ratio <= 1.5)]


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
