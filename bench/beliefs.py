"""What a player would come to believe without a trial, on the stand-in, whose truth is known: the numbers of
`docs/believing.md`. `python -m bench.beliefs` prints them, in half a minute."""

import tempfile
from collections.abc import Mapping
from functools import partial
from pathlib import Path

import numpy as np

from keenlattice.catalog.values import Value
from keenlattice.measure.metrics import metrics_of
from keenlattice.profile.compare import Change
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.mechanisms import Pipeline
from keenlattice.rig.standin.pipeline import simulate
from keenlattice.rig.standin.population import LIST, PLACEBOS

GAME, PAIRS, LONG_RUNS = "brass-orbit", 300, 40
NAMES = ("frame_ms_mean", "frame_ms_p99", "low_1_fps", "latency_ms_median", "stutters_per_min")
TOLD = NAMES[:4]
RIG_WIDE = "rig"
HIDDEN = ("interrupt.mode@usb0", "message")
Runs = dict[str, np.ndarray[tuple[int], np.dtype[np.float64]]]


def main() -> None:
    _one_run_before_and_one_after()
    _the_best_of_ten()
    _what_an_average_hides()
    _a_list()


def _line(values: Mapping[str, Value]) -> Pipeline:
    """Brass Orbit's pipeline with those settings beside stock."""
    with tempfile.TemporaryDirectory() as folder:
        rig = Standin(Path(folder))
        catalog = rig.catalog()
        for owner in (RIG_WIDE, GAME):
            own = {key: value for key, value in values.items()
                   if (catalog[key].scope == "game") == (owner == GAME)}
            changes = [Change(key, None, value) for key, value in own.items()]
            rig.put(rig.changed(rig.state(), owner, {one.key: one.after for one in changes}))
        rig.restart("machine")
        return rig.pipeline(GAME)


def _runs(line: Pipeline, seconds: float, count: int, first: int) -> Runs:
    """Each metric of some runs."""
    found = [metrics_of(simulate(line, seconds, seed), NAMES) for seed in range(first, first + count)]
    return {name: np.array([one[name] for one in found]) for name in NAMES}


def _one_run_before_and_one_after() -> None:
    for seconds in (30, 120):
        line = _line({})
        before, after = _runs(line, seconds, PAIRS, 0), _runs(line, seconds, PAIRS, 10_000)
        for name in TOLD:
            change = 100 * np.abs(after[name] / before[name] - 1)
            print(f"nothing changed, one run of {seconds} s before and one after, {name}: "
                  f"median {np.median(change):.1f} %, "
                  f"one in ten beyond {np.quantile(change, 0.9):.1f} %, "
                  f"3 % or more in {100 * (change >= 3).mean():.0f} %")


def _the_best_of_ten() -> None:
    runs = _runs(_line({}), 30, 11 * 60, 50_000)
    for name in ("frame_ms_p99", "latency_ms_median"):
        pairs = runs[name].reshape(60, 11)
        gain = 100 * (1 - pairs[:, 1:].min(axis=1) / pairs[:, 0])
        print(f"ten changes that do nothing, one run each, the best of them, {name}: 'gains' {np.median(gain):.1f} % "
              f"(median of 60 players)")


def _what_an_average_hides() -> None:
    stock, changed = _runs(_line({}), 120, LONG_RUNS, 0), _runs(_line({HIDDEN[0]: HIDDEN[1]}), 120, LONG_RUNS, 20_000)
    told = ", ".join(f"{name} {stock[name].mean():.2f} to {changed[name].mean():.2f} "
                     f"({100 * (changed[name].mean() / stock[name].mean() - 1):+.1f} %)" for name in NAMES)
    print(f"{'='.join(HIDDEN)}, means of {LONG_RUNS} runs of 120 s: {told}")


def _a_list() -> None:
    stock = _runs(_line({}), 60, LONG_RUNS, 0)
    change = partial(_change, stock)
    print(f"the list of {len(LIST)}, of which {len(PLACEBOS)} act on nothing; all together: {change(dict(LIST))}")
    moved = {}
    for key, value in LIST.items():
        runs = _runs(_line({key: value}), 60, LONG_RUNS, 30_000)
        moved[key] = tuple(100 * (runs[name].mean() / stock[name].mean() - 1)
                           for name in ("frame_ms_mean", "latency_ms_median"))
    for sign, told in ((-1, "help"), (1, "hurt")):
        some = sorted((one for one in moved if max(sign * each for each in moved[one]) >= 1),
                      key=lambda one: -max(sign * each for each in moved[one]))
        print(f"alone, {len(some)} {told} mean frame time or median latency by 1 % or more: " + ", ".join(
            f"{one} ({moved[one][0]:+.1f}, {moved[one][1]:+.1f} %)" for one in some))
    best = sorted(moved, key=lambda one: min(moved[one]))[:3]
    print(f"the best three alone, {', '.join(best)}: {change({key: LIST[key] for key in best})}")


def _change(stock: Runs, values: Mapping[str, Value]) -> str:
    runs = _runs(_line(values), 60, LONG_RUNS, 40_000)
    return ", ".join(f"{name} {100 * (runs[name].mean() / stock[name].mean() - 1):+.1f} %" for name in NAMES)


if __name__ == "__main__":
    main()
