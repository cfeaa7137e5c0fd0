"""What a machine says of itself while a game runs, in numbers: clocks, temperatures, loads, power."""

import math
import re
from collections.abc import Callable, Iterator, Mapping, Sequence

import numpy as np

from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.series import Series, kind_of
from keenlattice.quickly import dataclass

BOUND_FROM = 0.85  # of the frame time: the stage that takes as much is what the frame waits for
FULL_LOAD = 90.0   # %: a part that is as busy is what the game waits for
LIMITS = ("not known", "CPU", "GPU", "cap", "heat")


@dataclass(frozen=True)
class Reading:
    """A series in brief: its mean, its worst (the lowest clock, the highest temperature) and its unit."""

    mean: float
    worst: float
    unit: str
    decimals: int


def part_title(part: str) -> str:
    """A part as a player calls it; of several GPUs the first without a number.

    >>> part_title("gpu0"), part_title("gpu1"), part_title("cpu"), part_title("case-rear")
    ('GPU', 'GPU 1', 'CPU', 'case-rear')
    """
    match = re.fullmatch(r"(cpu|gpu)(\d*)", part)
    return part if not match else match[1].upper() + (f" {match[2]}" if match[2] not in ("", "0") else "")


def readings(capture: Capture) -> dict[str, Reading]:
    """Every series of a run in brief, by name; those that said nothing are left out.

    >>> clock = Series(np.array([0.0, 20.0]), np.array([1800.0, 1500.0]))
    >>> run = Capture(np.arange(5) * 8.0, telemetry={"gpu.clock": clock})
    >>> readings(run)["gpu.clock"]
    Reading(mean=1650.0, worst=1500.0, unit='MHz', decimals=0)
    """
    result = {}
    for name, series in sorted(capture.telemetry.items()):
        kind, values = kind_of(name), series.known
        if values.size:
            worst = values.min() if kind.worst == "low" else values.max()
            result[name] = Reading(float(values.mean()), float(worst), kind.unit, kind.decimals)
    return result


def throttled(capture: Capture) -> dict[str, float]:
    """The parts that were held back for their heat or power, each with the share of time, in %."""
    return {name.rpartition(".")[0]: series.mean for name, series in readings(capture).items()
            if name.endswith(".throttled") and series.mean > 0}


def reading(capture: Capture, part: str, kind: str, worst: bool = False) -> float:
    """The mean, or the worst, of what a part said; of several GPUs the first's; NaN if it said nothing."""
    for name in (f"{part}.{kind}", f"{part}0.{kind}"):
        if name in capture.telemetry and capture.telemetry[name].known.size:
            values = capture.telemetry[name].known
            return float(values.mean() if not worst else values.min() if kind_of(name).worst == "low" else values.max())
    return float("nan")


def power_w(capture: Capture) -> float:
    """Mean power of all parts that say theirs, a battery left out, since it gives what the others take."""
    power = [series.mean for name, series in readings(capture).items()
             if name.endswith(".power") and not name.startswith("battery")]
    return sum(power) if power else reading(capture, "battery", "power")


def throttled_pct(capture: Capture) -> float:
    """Share of the time in which the part that was held back most was; NaN if no part says."""
    shares = [series.mean for name, series in readings(capture).items() if name.endswith(".throttled")]
    return max(shares) if shares else float("nan")


def energy_per_frame_mj(capture: Capture) -> float:
    """Mean power (`power_w`) times the run's length, over its frames, in millijoules. What does not say its power (a
    panel, say) is not in it: it compares runs of one machine."""
    frames = capture.frame_ms.size
    return 1000 * power_w(capture) * capture.seconds / frames if frames else float("nan")


def limited_by(capture: Capture) -> dict[str, float]:
    """What the frames waited for, each with its share of the time in %: "heat", "GPU", "CPU", "cap" (a cap or sync),
    and "not known" for the rest.

    Heat: a part was being held back. Else by the stages of each frame where they are known: the one that takes
    BOUND_FROM of the frame, and if neither does, a cap. Else by loads of FULL_LOAD or more: the GPU's; or that of the
    game's busiest thread, or of all cores. With no load that is known it is not known; nor is a cap, where nothing is
    at its full load.
    """
    frames, at, total = capture.frame_ms, capture.shown_ms[1:], capture.total_ms
    if not total:
        return {}
    of = {whom: place for place, whom in enumerate(LIMITS)}
    limits = np.zeros(frames.size, dtype=np.int8)
    if capture.cpu_ms.size and capture.gpu_ms.size:
        cpu, gpu = capture.cpu_ms[1:], capture.gpu_ms[1:]
        limits[:] = of["cap"]
        limits[(cpu >= BOUND_FROM * frames) & (cpu > gpu)] = of["CPU"]
        limits[(gpu >= BOUND_FROM * frames) & (gpu >= cpu)] = of["GPU"]
    else:
        gpus = [name for name in capture.telemetry if re.match(r"gpu\d*\.load$", name)]
        for name, whom in (("cpu.load", "CPU"), ("game-thread.load", "CPU"), *((gpu, "GPU") for gpu in gpus)):
            if name in capture.telemetry:
                limits[_at_those(capture.telemetry[name], at) >= FULL_LOAD] = of[whom]
    for name, series in capture.telemetry.items():
        if name.endswith(".throttled"):
            limits[_at_those(series, at) > 0] = of["heat"]
    spent = 100 * np.bincount(limits, frames, len(LIMITS)) / total
    shares = {whom: float(share) for whom, share in zip(LIMITS, spent, strict=True) if share}
    return dict(sorted(shares.items(), key=lambda share: -share[1]))


def mean_limits(runs: Sequence[Mapping[str, float]]) -> dict[str, float]:
    """What the frames of several runs waited for: of each the mean of its shares, which add up to 100; empty if of none
    anything is known.

    Args:
        runs: of each, what `limited_by` says.

    >>> mean_limits([{"GPU": 100.0}, {"GPU": 50.0, "not known": 50.0}])
    {'GPU': 75.0, 'not known': 25.0}
    >>> mean_limits([{"not known": 100.0}])
    {}
    """
    names = dict.fromkeys(name for run in runs for name in run)
    shares = {name: sum(run.get(name, 0.0) for run in runs) / len(runs) for name in names}
    return shares if set(shares) - {"not known"} else {}


def _at_those(series: Series, at_ms: Floats) -> Floats:
    """The value of a series at some moments: the next that was said, since it describes the time before; NaN if
    none."""
    finite = np.isfinite(series.values)
    times, values = series.at_ms[finite], series.values[finite]
    if not times.size:
        return np.full(at_ms.size, np.nan)
    return np.asarray(values[np.minimum(np.searchsorted(times, at_ms), times.size - 1)])


Watcher = Callable[["Moment"], None]
"""What learns of each moment; it must be quick, for the recorder waits for it."""


@dataclass(frozen=True)
class Moment:
    """The last second or so of a run.

    Args:
        at_s: how long the run has lasted, in s.
        frames: shown since the moment before.
        frame_ms, worst_ms: the median and the longest frame time since then; NaN without frames.
        latency_ms: the median latency of the clicks that were answered since then; NaN without any.
        said: what the machine said of itself last, by series (`series.KINDS`).
    """

    at_s: float
    frames: int
    frame_ms: float
    worst_ms: float
    latency_ms: float
    said: Mapping[str, float]


def moment_of(at_s: float, frames: int, frame_ms: Floats, latency_ms: Floats, said: Mapping[str, float]) -> Moment:
    """Return a moment of a run, from its frame times and the latencies that were answered in it.

    Args:
        at_s, frames, said: as in `Moment`.
        frame_ms, latency_ms: any number of each; none is NaN.
    """
    nan = math.nan
    return Moment(at_s, frames, float(np.median(frame_ms)) if frame_ms.size else nan,
                  float(frame_ms.max()) if frame_ms.size else nan,
                  float(np.median(latency_ms)) if latency_ms.size else nan, said)


def moments(capture: Capture) -> Iterator[Moment]:
    """Yield every second of a run that is over, as it would have been seen while it lasted.

    >>> [(moment.at_s, moment.frames) for moment in moments(Capture(np.arange(251) * 8.0))]
    [(1.0, 125), (2.0, 125)]
    """
    shown, frames, answered = capture.shown_ms, capture.frame_ms, capture.answer_ms
    for second in range(1, round(capture.total_ms / 1000) + 1):
        first, last = shown[0] + 1000.0 * (second - 1), shown[0] + 1000.0 * second
        new = frames[(shown[1:] > first) & (shown[1:] <= last)]
        waits = (answered - capture.click_ms)[(answered > first) & (answered <= last)]
        latest = {name: float(_at_those(series, np.array([last - shown[0]]))[0])
                  for name, series in capture.telemetry.items() if series.known.size}
        yield moment_of(float(second), new.size, new, waits, latest)
