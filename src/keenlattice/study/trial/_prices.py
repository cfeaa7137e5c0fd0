"""What a change costs in power and heat: told beside a trial's verdict, and deciding nothing."""

from collections.abc import Mapping, Sequence

import numpy as np

from keenlattice.measure._summary import t_interval
from keenlattice.measure.metrics import METRICS
from keenlattice.study.trial.plan import Arm
from keenlattice.study.trial.result import Price

AT = 0.95
FEWEST = 2


def prices(runs: Sequence[tuple[int, Arm, Mapping[str, float]]]) -> tuple[Price, ...]:
    """What each metric of telemetry came to with either version, and how much they differ.

    The differences of the blocks that know it for both versions, their mean, and its interval by Student's t.

    Args:
        runs: of each its block, its version, and its metrics.
    """
    found = []
    for name in runs[0][2] if runs else ():
        by_arm = {arm: {block: row[name] for block, of, row in runs if of == arm and np.isfinite(row[name])}
                  for arm in ("before", "after")}
        blocks = sorted(by_arm["before"].keys() & by_arm["after"].keys())
        if len(blocks) < FEWEST:
            continue
        before, after = (np.array([by_arm[arm][block] for block in blocks]) for arm in ("before", "after"))
        found.append(Price(name, METRICS[name].unit, float(before.mean()), float(after.mean()),
                           *t_interval(after - before, AT), len(blocks)))
    return tuple(found)
