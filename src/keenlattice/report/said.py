"""What a rig said of itself, in words and pictures."""

from collections.abc import Mapping, Sequence
from statistics import median
from typing import TYPE_CHECKING, Any

from keenlattice.measure.series import kind_of
from keenlattice.measure.telemetry import Reading, part_title
from keenlattice.report.style import INK, LINES, nothing, plain
from keenlattice.report.words import listed

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from keenlattice.measure.capture import Capture

NAMED = {
    "game.load": "load of the game (of a core)", "game-thread.load": "load of the game's busiest thread",
   
    "game.memory": "memory of the game", "cpu-busiest.load": "load of the busiest core",
    "cpu-fastest.clock": "clock of the fastest core", "cpu-taken.load": "CPU time that another machine took",
    "system.memory": "memory in use", "swap.memory": "page file in use", "cpu.pressure": "time waiting for a core",
    "memory.pressure": "time waiting for memory", "io.pressure": "time waiting for a disk"}
QUIET = {"cpu-taken.load", "swap.memory", "cpu.pressure", "memory.pressure", "io.pressure"}
"""What is worth a row only if there was any."""
LOADS = ("gpu0.load", "gpu.load", "game-thread.load", "cpu.load")
HEATS = ("gpu0.temperature", "gpu.temperature", "cpu.temperature")
LIMITS = {"GPU": "the GPU", "CPU": "the CPU", "cap": "a cap or sync", "heat": "heat"}


def series_title(name: str) -> str:
    """What a series is called, without its unit.

    >>> series_title("gpu0.clock"), series_title("game-thread.load"), series_title("gpu1.temperature")
    ('GPU clock', "load of the game's busiest thread", 'GPU 1 temperature')
    """
    if name in NAMED:
        return NAMED[name]
    part, _, kind = name.rpartition(".")
    return f"{part_title(part)} {kind}"


def reading_rows(runs: Sequence[Mapping[str, Reading]]) -> list[list[str]]:
    """Each series over some runs: its title and unit, the middle of its means, and the worst there was."""
    rows = []
    for name in dict.fromkeys(name for run in runs for name in run):
        result, kind = [run[name] for run in runs if name in run], kind_of(name)
        worst = (min if kind.worst == "low" else max)(series.worst for series in result)
        if name in QUIET and worst < 1:
            continue
        rows.append([f"{series_title(name)}, {kind.unit}",
                     f"{median(series.mean for series in result):.{kind.decimals}f}",
                     f"{worst:.{kind.decimals}f}"])
    return rows


def limits_sentence(shares: Mapping[str, float]) -> str:
    """What the frames waited for, in a sentence; empty if nothing is known of it.

    >>> limits_sentence({"GPU": 91.2, "cap": 8.8})
    'Limited by the GPU for 91 % of the time and by a cap or sync for 9 %.'
    >>> limits_sentence({"not known": 100.0})
    ''
    """
    shown = [(LIMITS[name], share) for name, share in shares.items() if name in LIMITS and share >= 1]
    if not shown:
        return ""
    parts = [f"by {name} for {share:.0f} %" + " of the time" * (not place) for place, (name, share) in enumerate(shown)]
    rest = shares.get("not known", 0.0)
    return f"Limited {listed(parts)}{f'; for {rest:.0f} % it is not known' if rest >= 1 else ''}."


def limits_of_trial(limited_by: Mapping[Any, Mapping[str, float]]) -> str:
    """What the frames of either version waited for, in a sentence or two; empty if nothing is known of it.

    >>> limits_of_trial({"before": {"GPU": 100.0}, "after": {"cap": 100.0}})
    'Before: limited by the GPU for 100 % of the time. After: limited by a cap or sync for 100 % of the time.'
    """
    before, after = (limits_sentence(limited_by.get(arm, {})) for arm in ("before", "after"))
    if before == after:
        return f"Both versions: {before[:1].lower()}{before[1:]}" if before else ""
    sentences = [f"{which}: {sentence[:1].lower()}{sentence[1:]}"
                 for which, sentence in (("Before", before), ("After", after)) if sentence]
    return " ".join(sentences)


def telemetry_strips(loads: "Axes", heats: "Axes", capture: "Capture") -> None:
    """Under the frame times, on the same time: loads and throttling in per cent, and temperatures."""
    throttled = [name for name in capture.telemetry if name.endswith(".throttled")]
    _strip(loads, capture, [name for name in LOADS if name in capture.telemetry][:3], "load, %", 100.0)
    _strip(heats, capture, [name for name in HEATS if name in capture.telemetry][:2], "°C", None)
    loads.tick_params(labelbottom=False)
    heats.set_xlabel("time, s", fontsize=9, color=INK)
    for name in throttled:
        series = capture.telemetry[name]
        at = series.at_ms[series.values > 0] / 1000
        heats.plot(at, [0.06] * at.size, linestyle="", marker="x", markersize=4, color=INK,
                   transform=heats.get_xaxis_transform())
        if at.size:
            heats.text(0.0, 1.04, "x: throttled", transform=heats.transAxes, fontsize=8, color=INK, va="bottom")


def _strip(axes: "Axes", capture: "Capture", names: Sequence[str], unit: str, top: float | None) -> None:
    plain(axes, "", "", unit)
    if not names:
        nothing(axes, "not said")
        return
    for name, (colour, line) in zip(names, LINES, strict=False):
        series = capture.telemetry[name]
        axes.plot(series.at_ms / 1000, series.values, color=colour, linestyle=line, linewidth=1.3,
                  label=series_title(name))
    low, high = axes.get_ylim()
    axes.set_ylim(0 if top else low - 0.1 * (high - low), top * 1.08 if top else high + 0.1 * (high - low))
    axes.set_xlim(0, capture.seconds)
    axes.legend(loc="lower right", bbox_to_anchor=(1.0, 0.98), ncols=3, frameon=False, fontsize=8, handlelength=2.4,
                borderaxespad=0)
