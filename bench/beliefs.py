"""What a player would come to believe without a trial, on the stand-in, whose truth is known: the numbers of
`docs/believing.md`. `python -m bench.beliefs` prints them, in half a minute."""

from collections.abc import Mapping

import numpy as np
from league import LIST, PLACEBOS

from bench.calibrate import pipeline_of
from keenlattice.catalog.values import Value
from keenlattice.measure.metrics import metrics_of
from keenlattice.rig.standin.mechanisms import Pipeline
from keenlattice.rig.standin.pipeline import simulate

PAIRS, LONG_RUNS = 300, 40
NAMES = ("frame_ms_mean", "frame_ms_p99", "low_1_fps", "latency_ms_median", "stutters_per_min")
TOLD = NAMES[:4]
HIDDEN = ("interrupt.mode@usb0", "message")
Runs = dict[str, np.ndarray[tuple[int], np.dtype[np.float64]]]


def main() -> None:
    _one_run_before_and_one_after()
    _the_best_of_ten()
    _what_an_average_hides()
    _a_list()


def _line(values: Mapping[str, Value]) -> Pipeline:
    """Brass Orbit's pipeline with those settings beside stock."""
    return pipeline_of(tuple(sorted(values.items())))


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
    stock, changed = _runs(_line({}), 120, LONG_RUNS, 0), _runs(_line(dict([HIDDEN])), 120, LONG_RUNS, 20_000)
    told = ", ".join(f"{name} {stock[name].mean():.2f} to {changed[name].mean():.2f} ({moved:+.1f} %)"
                     for name, moved in _moved(stock, changed).items())
    print(f"{'='.join(HIDDEN)}, means of {LONG_RUNS} runs of 120 s: {told}")


def _a_list() -> None:
    stock = _runs(_line({}), 60, LONG_RUNS, 0)

    def moves(values: Mapping[str, Value], first: int) -> dict[str, float]:
        return _moved(stock, _runs(_line(values), 60, LONG_RUNS, first))

    def told(values: Mapping[str, Value]) -> str:
        return ", ".join(f"{name} {moved:+.1f} %" for name, moved in moves(values, 40_000).items())

    print(f"the list of {len(LIST)}, of which {len(PLACEBOS)} act on nothing; all together: {told(LIST)}")
    alone = {}
    for key, value in LIST.items():
        moved = moves({key: value}, 30_000)
        alone[key] = moved["frame_ms_mean"], moved["latency_ms_median"]
    for sign, word in ((-1, "help"), (1, "hurt")):
        most = {key: max(sign * one for one in both) for key, both in alone.items()}
        some = sorted((key for key in alone if most[key] >= 1), key=lambda key: -most[key])
        print(f"alone, {len(some)} {word} mean frame time or median latency by 1 % or more: " + ", ".join(
            f"{key} ({alone[key][0]:+.1f}, {alone[key][1]:+.1f} %)" for key in some))
    best = sorted(alone, key=lambda key: min(alone[key]))[:3]
    print(f"the best three alone, {', '.join(best)}: {told({key: LIST[key] for key in best})}")


def _moved(before: Runs, after: Runs) -> dict[str, float]:
    """By how many per cent each metric's mean has moved."""
    return {name: 100 * float(after[name].mean() / before[name].mean() - 1) for name in NAMES}


if __name__ == "__main__":
    main()
