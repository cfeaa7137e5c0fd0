"""Runs, recordings and latencies in blocks: how it runs first, then each metric, and what speaks against it.

What they say is of these runs alone; to compare two versions takes a trial.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from statistics import median
from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, KeyFigure, Table, Telling, Text
from keenlattice.errors import counted
from keenlattice.measure.capture import STAGES
from keenlattice.measure.course import periodic_hitches, warm_up_ms
from keenlattice.measure.doubts import doubts_of
from keenlattice.measure.metrics import METRICS, OF_TELEMETRY, TRIAL_METRICS, metrics_of
from keenlattice.measure.telemetry import limited_by, mean_limits, readings
from keenlattice.report.said import limits_sentence, reading_rows
from keenlattice.report.words import TITLES, capital, rounded
from keenlattice.workspace.recording_results import MeasureResult

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.latency import Latency
    from keenlattice.measure.telemetry import Reading
    from keenlattice.workspace.recording_results import LatencyResult, Metrics, Recording

DOUBTS_SHOWN = 8


def measured(rig: str, game: str, seconds: float, seed: int, captures: "Sequence[Capture]",
             files: Sequence[str]) -> MeasureResult:
    """Return what some recorded runs come to.

    Args:
        rig: its name.
        game: what was played.
        seconds, seed: as they were asked for.
        captures: the runs, one at least.
        files: their names in the logbook.
    """
    return MeasureResult(
        rig, game, seconds, seed, tuple(files), tuple(metrics_of(capture) for capture in captures),
        tuple(f"run {number}: {why}" for number, capture in enumerate(captures, 1) for why in doubts_of(capture)),
        tuple(readings(capture) for capture in captures), tuple(limited_by(capture) for capture in captures),
        sum(capture.click_ms.size for capture in captures), sum(capture.latency_ms.size for capture in captures),
        captures[-1], tell_measured)


def tell_measured(result: MeasureResult, every: bool) -> Telling:
    """Return how a game runs: the middle of the runs, and all of them, where there are several."""
    count = len(result.runs)
    columns = ["this run"] if count == 1 else ["middle run", "all runs"]
    rows = [[_title(name), *_middle_and_range([run[name] for run in result.runs])] for name in _shown(every)]
    about = (f"{result.game} on {result.rig}, {counted(count, 'run')} of {result.seconds:g} s, "
             f"seed {result.seed}.")
    return Telling(_how_it_runs(result.runs), about, [
        Table(["", *columns], rows, right=range(1, 1 + len(columns))), *_said(result.said, result.limited_by),
        *(Alert(capital(doubt)) for doubt in result.doubts)])


def tell_recording(recording: "Recording", every: bool) -> Telling:
    """Return what was read of a recording, what was left out of it, and how it runs."""
    numbers, about = recording.metrics, recording.run.about
    blocks: list[Block] = [Text(line) for line in _left_out(recording)]
    blocks += [Alert(f"Left out, line {damage.line}: {damage.what}" + f" ({damage.count} such)" * (damage.count > 1))
               for damage in recording.damage]
    blocks.append(Table(["", ""], [[_title(name), *_side_by_side(numbers[name])] for name in _shown(every)
                                   if math.isfinite(numbers[name])], right=(1,)))
    blocks += _said([readings(recording.run)], [limited_by(recording.run)])
    if clock := about.get("log_clock"):
        blocks.append(Text("The log's clock is the frames' own." if clock == "as the frames" else
                           "The log's clock is not the frames': it counts as begun with the run, unless --log-starts "
                           "says otherwise.", aside=True))
    blocks += [Text(line) for line in _course(recording.run)]
    blocks += [Alert(capital(doubt)) for doubt in doubts_of(recording.run)]
    blocks += [Text(f"segment {name}: {start / 1000:.1f} to {end / 1000:.1f} s")
               for name, (start, end) in recording.segments.items()]
    return Telling(_how_it_runs([numbers]), f"{recording.file}: {recording.frames} frames in "
                   f"{recording.seconds:.1f} s, by the map {recording.columns.name}.", blocks)


def tell_latency(result: "LatencyResult") -> Telling:
    """Return input latency with its intervals, where it is spent, and what speaks against it."""
    middle = (result.mean_high_ms - result.mean_low_ms) / 2
    low, high = result.mean_ms - middle, result.mean_ms + middle
    rows = [["mean", f"{result.mean_ms:.1f}", f"{low:.1f} to {high:.1f}"]]
    rows += [[name, f"{value:.1f}", f"{least:.1f} to {most:.1f}"]
             for name, (value, least, most) in result.percentiles.items()]
    blocks = [*_beside(result), *(Text(line) for line in _how(result.found)), Table(
        ["press to screen", "ms", "95 % interval"], [*rows, ["spread", f"{result.spread_ms:.1f}", ""]], right=(1,))]
    if result.stages:
        blocks.append(Table(["stage, on average", "ms", "95 % interval", ""], [
            [name, f"{mean:.1f}", f"{least:.1f} to {most:.1f}", STAGES[name]]
            for name, (mean, least, most) in result.stages.items()], right=(1,)))
    if result.grid_ms:
        blocks.append(Text(f"The waits come in steps of about {result.grid_ms:.1f} ms ({1000 / result.grid_ms:.0f} "
                           "Hz): a polling rate or a refresh. A change smaller than a step shows in the mean of many "
                           "presses alone."))
    blocks += [Alert(f"The press at {doubt.at_ms / 1000:.2f} s: {doubt.what}")
               for doubt in result.doubts[:DOUBTS_SHOWN]]
    if len(result.doubts) > DOUBTS_SHOWN:
        more = counted(len(result.doubts) - DOUBTS_SHOWN, "more such press", "more such presses")
        blocks.append(Alert(f"{more} (--json lists all)"))
    blocks.append(Text("These intervals describe this recording. To compare two versions, record each several times, "
                       "in turn.", aside=True))
    mean, least, most = (rounded(value, middle) for value in (result.mean_ms, low, high))
    return Telling([KeyFigure(f"Press to screen takes {mean} ms on average, between {least} and {most}.", "",
                              "Press to screen", f"{mean} ms", f"on average, between {least} and {most}")],
                   f"{result.file}: {result.presses} presses, {result.answered} answered.", blocks)


def _how_it_runs(runs: "Sequence[Metrics]") -> list[KeyFigure]:
    """Return frame rate, latency and stutters, those that were measured, as key figures."""
    middle = {name: median(values) for name in ("fps_mean", "low_1_fps", "latency_ms_median", "stutters_per_min")
              if (values := [run[name] for run in runs if math.isfinite(run[name])])}
    keys = []
    if "fps_mean" in middle:
        rate, slowest = f"{middle['fps_mean']:.0f} fps", ""
        if "low_1_fps" in middle:
            slowest = f"{middle['low_1_fps']:.0f} in the slowest 1 %"
        keys.append(KeyFigure(f"Frame rate: {rate}{', ' * bool(slowest)}{slowest}.", "", "Frame rate", rate, slowest))
    if "latency_ms_median" in middle:
        latency = f"{middle['latency_ms_median']:.0f} ms"
        keys.append(KeyFigure(f"Latency: {latency} from press to screen.", "", "Latency", latency, "press to screen"))
    if "stutters_per_min" in middle:
        stutters = f"{middle['stutters_per_min']:.0f}"
        keys.append(KeyFigure(f"Stutters: {stutters} a minute.", "", "Stutters", stutters, "a minute"))
    return keys


def _shown(every: bool) -> Sequence[str]:
    return [name for name in METRICS if (every or name in TRIAL_METRICS) and name not in OF_TELEMETRY]


def _title(name: str) -> str:
    return f"{TITLES[name]}, {METRICS[name].unit}"


def _said(series: "Sequence[Mapping[str, Reading]]", limits: Sequence[Mapping[str, float]]) -> list[Block]:
    """Return what the rig said of itself over some runs, and what the frames waited for."""
    rows, sentence = reading_rows(series), limits_sentence(mean_limits(limits))
    return [*([Table(["what the rig said", "mean", "worst"], rows, right=(1, 2))] if rows else []),
            *([Text(sentence)] if sentence else [])]


def _middle_and_range(values: list[float]) -> list[str]:
    """The median, and of several runs the range."""
    finite = [value for value in values if math.isfinite(value)]
    if not finite:
        return [*["-"] * (len(values) > 1), "too little to tell"]
    middle, least, most = _side_by_side(median(finite), min(finite), max(finite))
    return [middle, *[f"{least} to {most}"] * (len(values) > 1)]


def _side_by_side(*values: float) -> list[str]:
    """Numbers of runs, all as exact: with no digit that the next run would not bear out."""
    exact = 0.1 if max(map(abs, values)) < 100 else 1.0
    return [rounded(value, exact) for value in values]


def _course(capture: "Capture") -> Iterator[str]:
    """What is plain in the course of the run: a warm-up, hitches that come again and again."""
    if warm := warm_up_ms(capture):
        yield f"The first {warm / 1000:.1f} s run differently from the rest: a warm-up, perhaps."
    if hitches := periodic_hitches(capture):
        yield f"A hitch of about {hitches.extra_ms:.0f} ms comes every {hitches.period_s:.2g} s."


def _left_out(recording: "Recording") -> Iterator[str]:
    about = recording.run.about
    if still := about.get("still_share"):
        yield f"{100 * still:.0f} % of the film is left out: only the longest stretch in which something moves counts."
    if torn := about.get("torn"):
        yield f"{torn} pictures are torn: each shows two frames, and both count."
    if recording.dropped_frames:
        yield f"{recording.dropped_frames} frames are marked as never shown; they count as no frames."


def _beside(result: "LatencyResult") -> Iterator[Block]:
    """What is in no number, and what speaks against the numbers."""
    if result.misses:
        yield Text(f"{result.misses} without an answer within half a second; they count in no number below.")
    if bounces := result.about.get("bounces"):
        yield Text(f"The button bounces: {bounces} press{'es' * (bounces != 1)} within 30 ms of another, counted with "
                   "that.")
    if result.unasked:
        yield Text(f"{result.unasked} changes of the screen that no press had asked for.")
    if result.unasked > result.presses:
        yield Alert("The light changes far more often than a press was made: it may flicker faster than it was "
                    "sampled. Do not trust these numbers; sample faster, or switch the flicker off")
    if lasts := result.about.get("press_lasts_ms"):
        yield Alert(f"A press takes {lasts:.0f} ms to show, as a key or a finger does, and makes contact at some "
                    "moment of these. Film a lamp to be surer of the mean; versions that are filmed alike compare as "
                    "well as ever")
    for unsure in result.about.get("unsure", ()):
        yield Alert(f"Not sure: {unsure}")


def _how(latency: "Latency") -> Iterator[str]:
    """How it was measured, as far as that was found out from the signal."""
    about = latency.about
    if "press_area" in about:
        yield (f"areas: press at {about['press_area']}, answer at {about['answer_area']} (x, y, width, height in "
               "pixels); --figure FILE draws them")
    if "polarity" in about:
        yield f"answer: the screen {about['polarity']}; timed {about['threshold']}"
    if about.get("strobe_hz"):
        hz = about["strobe_hz"]
        yield f"backlight: strobed at {hz:.0f} Hz: a single answer is sure to half of {1000 / hz:.1f} ms"
    if "pictures" in about:
        yield (f"camera: {about['pictures']} pictures, {about['camera_hz']:.0f} a second: one press is sure to "
               f"{latency.half_width_ms:.1f} ms, all together to {latency.bias_ms:.1f} ms (in the intervals below)")
    elif latency.half_width_ms:
        yield (f"camera: each count stands for anything within {latency.half_width_ms:.1f} ms of it; the spread is "
               "without what that adds")
