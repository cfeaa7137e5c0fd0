"""Pictures of frames, one axes each: their course, how long the slowest are, how they are distributed, what recurs.

Each function takes an axes and returns it.
"""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.measure.capture import STAGES, Capture, Floats
from keenlattice.measure.course import hitch_spectrum
from keenlattice.measure.latency import of_capture, stage_means
from keenlattice.measure.metrics import METRICS, ordered_quantile, stutter_spans
from keenlattice.report.pointer import answers
from keenlattice.report.style import AFTER, BEFORE, FAINT, INK, LINES, headed, nothing, plain
from keenlattice.report.words import TITLES, listed

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


COLUMNS = 600  # points across a strip: more than its pixels, so that no spike is lost
MOST_MARKED, CURVE_POINTS = 40, 2000
SHARES = (0.5, 0.9, 0.99, 0.999, 0.9999)


def frame_times(axes: "Axes", capture: Capture, colour: str, top_ms: float) -> "Axes":
    """Frame time over time: least to greatest of each pixel column as a bar, the median as a line.

    What is longer than `top_ms` is marked at the top, with its count.
    """
    if not capture.frame_ms.size:
        return nothing(axes, "not recorded")
    frames, at = capture.frame_ms, (capture.shown_ms[1:] - capture.shown_ms[0]) / 1000
    edges = np.linspace(0, at[-1], min(COLUMNS, at.size // 4 + 1) + 1)
    starts = np.unique(np.searchsorted(at, edges[:-1]))
    middles = at[starts]
    axes.vlines(middles, np.minimum.reduceat(frames, starts), np.minimum(np.maximum.reduceat(frames, starts), top_ms),
                color=colour, linewidth=0.9, alpha=0.55)
    pace = [float(np.median(part)) for part in np.split(frames, starts[1:])]
    axes.plot(middles, pace, color=INK, linewidth=0.9)
    answers(axes, "x", middles, np.minimum(pace, top_ms), [
        f"{second:.2f} s: {middle:.1f} ms, at most {longest:.1f} ms" for second, middle, longest in zip(
            middles, pace, np.maximum.reduceat(frames, starts), strict=True)])
    beyond = at[frames > top_ms]
    if beyond.size:
        axes.plot(beyond, np.full(beyond.size, top_ms), linestyle="", marker="^", markersize=5, color=INK,
                  clip_on=False)
        axes.text(1.0, 1.07, f"▲ {beyond.size} longer than {top_ms:.0f} ms, to {frames.max():.0f} ms",
                  transform=axes.transAxes, fontsize=8, color=INK, va="bottom", ha="right")
    axes.set_ylim(0, top_ms)
    axes.set_xlim(0, at[-1])
    return axes


def stutters_marked(axes: "Axes", capture: Capture) -> "Axes":
    """Frame time over time, no spike lost, with the longest stutters marked and their length beside them."""
    frames = capture.frame_ms
    spans = stutter_spans(frames, capture.clock_ms)
    frame_times(axes, capture, BEFORE, 1.16 * float(frames.max()))
    plain(axes, "Frame time over the run (line: median of the moment)", "time, s", "frame time, ms")
    lengths = sorted(((float(frames[first:end].sum()), first) for first, end in spans), reverse=True)
    for number, (length, first) in enumerate(lengths[:MOST_MARKED]):
        at = float(capture.shown_ms[first + 1]) / 1000
        axes.plot([at], [frames[first]], marker="v", markersize=5, color=AFTER, linestyle="")
        if number < 3:
            axes.annotate(f"{length:.0f} ms", (at, float(frames[first])), xytext=(0, 6), textcoords="offset points",
                          fontsize=8, color=INK, ha="center")
    if spans:
        more = f", the {MOST_MARKED} longest marked" if len(spans) > MOST_MARKED else ""
        axes.text(1.0, 1.03, f"▼ {len(spans)} stutter{'s' if len(spans) > 1 else ''}{more}", transform=axes.transAxes,
                  fontsize=9, color=INK, ha="right", va="bottom")
    return axes


def quantile_curves(axes: "Axes", captures: Mapping[str, Capture]) -> "Axes":
    """How long the slowest share of frames is, from every second frame to one in ten thousand.

    A line for each run, with its name at its end; of a single run, the numbers stand beside the line.
    """
    top, ends = 0.0, []
    longest = max(capture.frame_ms.size for capture in captures.values())
    for (name, capture), (colour, line) in zip(captures.items(), LINES, strict=False):
        frames = capture.ordered_ms
        from_the_end = np.unique(np.geomspace(0.5, frames.size * (1 - SHARES[0]), CURVE_POINTS).astype(np.int64))
        rare, values = frames.size / (from_the_end + 0.5), frames[frames.size - 1 - from_the_end]
        axes.plot(rare, values, color=colour, linestyle=line, linewidth=1.8)
        top = max(top, float(frames[-1]))
        ends.append((float(values[0]), float(rare[0]), name))
    shares = [share for share in SHARES if longest * (1 - share) >= 1]
    ticks = [1 / (1 - share) for share in shares]
    axes.set_xscale("log")
    axes.set_xticks(ticks, [f"1 in {round(tick)}" for tick in ticks], fontsize=8.5)
    axes.minorticks_off()
    axes.set_ylim(0, 1.12 * top)
    if len(captures) == 1:
        _label_shares(axes, next(iter(captures.values())).ordered_ms, shares)
    else:
        _label_ends(axes, ends, top)
    plain(axes, "Frames at least this long", "how rare", "frame time, ms")
    return axes


def _label_shares(axes: "Axes", frames: Floats, shares: Sequence[float]) -> None:
    for share in shares:
        value, tick = ordered_quantile(frames, share), 1 / (1 - share)
        axes.plot([tick], [value], marker="o", markersize=4, color=INK)
        first = share == shares[0]  # its label goes to the right, clear of the axis
        axes.annotate(f"{value:.1f}", (tick, value), xytext=(0 if first else -3, 6), textcoords="offset points",
                      fontsize=8.5, color=INK, ha="left" if first else "right")


def _label_ends(axes: "Axes", ends: Sequence[tuple[float, float, str]], top: float) -> None:
    """Names at the right, each beside the end of its line, pushed apart where two would meet."""
    place = -np.inf
    for value, rare, name in sorted(ends):
        place = max(value, place + 0.06 * top)
        axes.annotate(name, (rare, value), xytext=(1.02, place), textcoords=("axes fraction", "data"), fontsize=8.5,
                      color=INK, va="center", arrowprops={"arrowstyle": "-", "color": FAINT, "linewidth": 0.7})


def distribution(axes: "Axes", before: Floats, after: Floats, title: str, unit: str,
                 names: tuple[str, str] = ("before", "after")) -> "Axes":
    """Both distributions as outlines over the same bins, each labelled where it is; medians marked."""
    plain(axes, title, unit, "share of all, %")
    if not before.size or not after.size:
        return nothing(axes, "not measured")
    both = np.concatenate([before, after])
    low, high = np.quantile(both, (0.001, 0.995))
    count = int(np.clip(2 * min(before.size, after.size) ** 0.5, 12, 60))
    bins = np.linspace(max(0.0, low - 0.05 * (high - low)), high + 0.05 * (high - low), count)
    shares = []
    for values, name, colour, line in ((before, names[0], *LINES[0]), (after, names[1], *LINES[1])):
        share, median = 100 * np.histogram(values, bins)[0] / values.size, float(np.median(values))
        shares.append(share)
        axes.stairs(share, bins, color=colour, linewidth=1.6, linestyle=line, label=f"{name}, median {median:.1f} ms")
        axes.axvline(median, ymax=0.82, color=colour, linewidth=1, linestyle=line, alpha=0.6)
    answers(axes, "x", (bins[:-1] + bins[1:]) / 2, np.maximum(*shares), [
        f"{low:.1f} to {high:.1f} ms: {names[0]} {first:.1f} %, {names[1]} {second:.1f} %"
        for low, high, first, second in zip(bins[:-1], bins[1:], *shares, strict=True)])
    axes.margins(x=0)
    axes.set_ylim(0, axes.get_ylim()[1] * 1.2)  # room above the data, so that the key covers none of it
    axes.legend(loc="upper right", ncols=2, frameon=False, fontsize=8.5, handlelength=2.4, borderaxespad=0)
    return axes


def recurring(axes: "Axes", capture: Capture) -> "Axes":
    """Whether hitches come again and again: how strongly late frames recur at each period, against chance."""
    plain(axes, "Do hitches come at a steady period?", "period, s", "strength (chance: below 1)")
    spectrum = hitch_spectrum(capture)
    if spectrum is None:
        return nothing(axes, "too few late frames to tell")
    axes.plot(spectrum.period_s, spectrum.strength, color=BEFORE, linewidth=1.2)
    axes.axhline(1, color=INK, linewidth=0.9, linestyle=(0, (4, 2)))
    axes.set_xscale("log")
    axes.set_ylim(0, 1.25 * max(1.0, float(spectrum.strength.max())))
    axes.set_xlim(float(spectrum.period_s.min()), float(spectrum.period_s.max()))
    ticks = [tick for tick in (0.2, 0.5, 1, 2, 5, 10, 20) if spectrum.period_s.min() <= tick <= spectrum.period_s.max()]
    axes.set_xticks(ticks, [f"{tick:g}" for tick in ticks])
    axes.minorticks_off()
    if hitches := spectrum.hitches:
        at = int(np.argmin(np.abs(spectrum.period_s - hitches.period_s)))
        axes.plot([hitches.period_s], [spectrum.strength[at]], marker="v", markersize=7, color=AFTER)
        axes.annotate(f"every {hitches.period_s:.2g} s, {hitches.extra_ms:.0f} ms each",
                      (hitches.period_s, spectrum.strength[at]), xytext=(0, 8), textcoords="offset points", fontsize=9,
                      color=INK, ha="center")
    else:
        axes.text(0.02, 0.97, "no period stands out", transform=axes.transAxes, fontsize=9, color=INK, va="top")
    return axes


# Each function but the first takes an axes and returns it.

STAGE_TITLES = {"device": "device", "system": "system", "game": "game (CPU)", "queue": "queue", "gpu": "GPU",
                "display": "display"}


def latency_figure(capture: Capture, title: str) -> "Figure":
    """Both pictures of one recording, side by side."""
    picture = headed(title, "These presses describe this recording; another one may differ by more.")
    grid = picture.add_gridspec(1, 2, left=0.06, right=0.965, top=0.84, bottom=0.09, wspace=0.22)
    latency_histogram(picture.add_subplot(grid[0, 0]), capture)
    stage_budget(picture.add_subplot(grid[0, 1]), {"": capture})
    return picture


def latency_histogram(axes: "Axes", capture: Capture) -> "Axes":
    """Input latency with its percentiles; clicks without an answer are counted in the title."""
    from matplotlib.ticker import MaxNLocator

    waits = capture.latency_ms
    missing = capture.click_ms.size - waits.size
    plain(axes, "Input latency" + f" ({missing} of {capture.click_ms.size} clicks unanswered)" * bool(missing),
          "click to answer, ms", "clicks")
    if waits.size < 2:
        return nothing(axes, "not measured")
    counts, *_ = axes.hist(waits, bins=min(40, max(8, waits.size // 4)), color=BEFORE, alpha=0.55)
    top = float(np.max(counts))
    axes.set_ylim(0, 1.32 * top)
    axes.yaxis.set_major_locator(MaxNLocator(integer=True))
    for share, height in ((0.05, 1.06), (0.5, 1.22), (0.95, 1.06)):
        value = float(np.quantile(waits, share))
        axes.plot([value, value], [0, height * top], color=INK, linewidth=1)
        last = share == 0.95  # its label goes to the left, clear of the edge
        axes.annotate(f"p{share * 100:.0f} {value:.0f} ms", (value, height * top), xytext=(-3 if last else 3, 0),
                      textcoords="offset points", fontsize=8.5, color=INK, va="center", ha="right" if last else "left")
    return axes


def stage_budget(axes: "Axes", captures: Mapping[str, Capture]) -> "Axes":
    """Where the milliseconds from click to screen go: each stage's mean begins where the one before it ends.

    Args:
        captures: name to run; one, or two to hold against each other (the first above).
    """
    plain(axes, "Where a click's time goes, on average", "since the click, ms", "")
    chosen = [(name, capture, stage_means(of_capture(capture))) for name, capture in list(captures.items())[:2]]
    if not any(means for *_, means in chosen):
        return nothing(axes, "stages not known")
    rows, reach = list(STAGES), 0.0
    rest = [float(capture.latency_ms.mean()) - sum(mean for mean, *_ in means.values()) if capture.latency_ms.size
            else 0.0 for _, capture, means in chosen]
    if any(value > 0.05 for value in rest):
        rows.append("rest")
    height = 0.7 / len(chosen)
    for place, ((name, _, means), unknown) in enumerate(zip(chosen, rest, strict=True)):
        at, colour, hatch = 0.0, (BEFORE, AFTER)[place], ("", "////")[place]
        for row, stage in enumerate(rows):
            length = unknown if stage == "rest" else means.get(stage, (0.0,))[0]
            y = row + (place - (len(chosen) - 1) / 2) * height
            axes.barh(y, length, left=at, height=0.9 * height, facecolor=colour, alpha=0.55, hatch=hatch,
                      edgecolor="white", linewidth=0)
            axes.annotate(f"{length:.1f}" if stage == "rest" or stage in means else "not known", (at + length, y),
                          xytext=(4, 0), textcoords="offset points", fontsize=8.5, color=INK, va="center")
            at += length
        reach = max(reach, at)
        if len(chosen) > 1:
            axes.text(1.0, 0.98 - 0.075 * place, f"{('upper', 'lower, hatched')[place]}: {name}, {at:.1f} ms",
                      transform=axes.transAxes, fontsize=8.5, color=INK, ha="right", va="top")
    axes.set_yticks(range(len(rows)), [STAGE_TITLES.get(stage, "not known where") for stage in rows], fontsize=9)
    axes.set_ylim(len(rows) - 0.5, -0.5)
    axes.set_xlim(0, 1.15 * reach)
    axes.set_xticks([tick for tick in axes.get_xticks() if tick <= 1.15 * reach])
    return axes


def better_side(names: Sequence[str]) -> str:
    """Return on which side of a figure of changes better lies, where metrics of both directions are drawn.

    >>> better_side(["latency_ms_median", "frame_ms_mean"]), better_side(["frame_ms_mean", "fps_mean"])
    ('left is better', 'left is better; right for frame rate')
    """
    right = [TITLES[name] for name in names if not METRICS[name].lower_is_better]
    if not right:
        return "left is better"
    return "right is better" if len(right) == len(names) else f"left is better; right for {listed(right)}"
