"""Evidence that nobody measured, for benchmarks alone: drawn, not played, so that there can be as much as is wanted."""

from pathlib import Path

import numpy as np
from league import LIST, rig_of

from keenlattice.measure.metrics import TRIAL_METRICS
from keenlattice.study.pool.columns import packed, schema
from keenlattice.study.pool.evidence import digest

ROWS_A_FILE = 80_000


def write_evidence(folder: Path, rigs: int, tries: int, seed: int = 1) -> int:
    """Writes a data set of Parquet files: each rig has tried some changes of the list, with the metrics of a trial.

    Returns: how many records it holds.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    folder.mkdir(parents=True, exist_ok=True)
    a_file = max(1, ROWS_A_FILE // (tries * len(TRIAL_METRICS)))
    for first in range(0, rigs, a_file):
        columns = _columns(range(first, min(rigs, first + a_file)), tries, seed)
        pq.write_table(pa.table(columns, schema=schema()), folder / f"{first:08}.parquet", compression="zstd")
    return rigs * tries


def _columns(rigs: range, tries: int, seed: int) -> dict[str, list[object]]:
    random = np.random.default_rng([seed, rigs.start])
    changes = [packed([{"setting": key, "before": "stock", "after": value}]) for key, value in LIST.items()]
    means = np.random.default_rng(seed).normal(-0.01, 0.02, len(changes))
    facts = {rig: packed({**{key: value for key, value in rig_of(seed, rig).build.hardware.items() if key != "panel"},
                          "refresh_hz": 60.0}) for rig in rigs}
    told: dict[str, list[object]] = {name: [] for name in schema().names}
    for rig in rigs:
        limits = packed({"GPU": float(random.integers(0, 101))})
        for place in random.choice(len(changes), tries, replace=False):
            truth, error = random.normal(means[place], 0.02), 0.008 * float(np.exp(random.normal(0, 0.4)))
            row = {"rig": digest(seed, rig), "study": digest(seed, rig, place), "kind": "trial", "state": "finished",
                   "game": "brass-orbit", "change": changes[place], "software": "0", "day": "2026-11-20",
                   "facts": facts[rig], "limited_by": limits, "verdict": "unclear", "decides": True, "blocks": 8.0,
                   "matters_pct": 1.0, "dof": 8.0, "error": error, "early": True, "planned": 8.0,
                   "repeats": 1.0, "seconds": 30.0, "seed": int(rig * 100 + place), "warm_up_s": 0.0}
            for name in TRIAL_METRICS:
                for column, value in row.items():
                    told[column].append(value)
                told["metric"].append(name)
                told["log_ratio"].append(truth + error * random.standard_normal())
    return told
