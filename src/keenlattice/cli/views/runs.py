"""How runs and recordings are shown."""

import math
import sys
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from statistics import median
from typing import TYPE_CHECKING, TextIO

from keenlattice.cli.output import confirmed, hint, say, table, width
from keenlattice.cli.terminal import shows_colours
from keenlattice.cli.views.bars import bars, has_blocks
from keenlattice.measure.telemetry import Moment
from keenlattice.report.words import TITLES, rounded

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.latency import Latency
    from keenlattice.measure.telemetry import Reading
    from keenlattice.workspace.latencies import LatencyResult
    from keenlattice.workspace.recording_results import MeasureResult, NewMap, Recording


ROWS_SHOWN, DOUBTS_SHOWN = 4, 8


def show_measured(result: "MeasureResult", every: bool) -> None:
    """How a game runs: the middle of the runs, and all of them, where there are several."""
    from keenlattice.measure.metrics import METRICS, OF_TELEMETRY, TRIAL_METRICS

    count = len(result.runs)
    say(f"{result.game} on {result.rig}, {count} run{'s' if count > 1 else ''} of {result.seconds:g} s, "
        f"seed {result.seed}",
        "bold")
    columns = ["this run"] if count == 1 else ["middle run", "all runs"]
    table(["", *columns], [
        [f"{TITLES[name]}, {metric.unit}", *_middle_and_range([row[name] for row in result.runs])]
        for name, metric in METRICS.items() if (every or name in TRIAL_METRICS) and name not in OF_TELEMETRY],
        right=(1, 2))
    show_said(result.said, result.limited_by)


def show_said(series: "Sequence[Mapping[str, Reading]]", limited_by: Sequence[Mapping[str, float]]) -> None:
    """What the rig said of itself over some runs, and what the frames waited for."""
    from keenlattice.measure.telemetry import mean_limits
    from keenlattice.report.said import limits_sentence, reading_rows

    if rows := reading_rows(series):
        say()
        table(["what the rig said", "mean", "worst"], rows, right=(1, 2))
    if sentence := limits_sentence(mean_limits(limited_by)):
        say(sentence)


def _middle_and_range(values: list[float]) -> list[str]:
    """The median, and of several runs the range."""
    import math

    finite = [value for value in values if math.isfinite(value)]
    if not finite:
        return [*["-"] * (len(values) > 1), "too little to tell"]
    middle, least, most = _side_by_side(median(finite), min(finite), max(finite))
    return [middle, *[f"{least} to {most}"] * (len(values) > 1)]


def _side_by_side(*values: float) -> list[str]:
    """Numbers of runs, all as exact: with no digit that the next run would not bear out."""
    exact = 0.1 if max(map(abs, values)) < 100 else 1.0
    return [rounded(value, exact) for value in values]


def show_metrics_of_run(numbers: Mapping[str, float], every: bool) -> None:
    """A run's metrics, those that it has."""
    from keenlattice.measure.metrics import METRICS, OF_TELEMETRY, TRIAL_METRICS

    table(["", ""], [[f"{TITLES[name]}, {metric.unit}", *_side_by_side(numbers[name])]
                     for name, metric in METRICS.items() if numbers[name] == numbers[name]
                     and (every or name in TRIAL_METRICS) and name not in OF_TELEMETRY], right=(1,))


def show_kept(kept: str | None, picture: str = "") -> None:
    """Whether a recording is in the logbook now, and how it can be drawn."""
    say(f"Kept as {kept}." if kept else "Not kept: say what was played with --of GAME to keep it.", "dim")
    if kept:
        hint(" ".join(f"keen draw {kept} {picture} --out run.png".split()))


def show_recording(recording: "Recording", every: bool) -> None:
    """A recording that was read."""
    from keenlattice.measure.doubts import doubts_of
    from keenlattice.measure.telemetry import limited_by, readings

    say(f"{recording.file}: {recording.frames} frames in {recording.seconds:.1f} s, by the map "
        f"{recording.columns.name}", "bold")
    about = recording.run.about
    if still := about.get("still_share"):
        say(f"{100 * still:.0f} % of the film is left out: only the longest stretch in which something moves counts")
    if torn := about.get("torn"):
        say(f"{torn} pictures are torn: each shows two frames, and both count")
    for damage in recording.damage:
        say(f"! left out, line {damage.line}: {damage.what}" + f" ({damage.count} such)" * (damage.count > 1))
    if recording.dropped_frames:
        say(f"{recording.dropped_frames} frames are marked as never shown; they count as no frames")
    show_metrics_of_run(recording.metrics, every)
    show_said([readings(recording.run)], [limited_by(recording.run)])
    if clock := recording.run.about.get("log_clock"):
        say("The log's clock is the frames' own." if clock == "as the frames" else
            "The log's clock is not the frames': it counts as begun with the run, unless --log-starts says otherwise.",
            "dim")
    _show_course(recording.run)
    for doubt in doubts_of(recording.run):
        say(f"! {doubt}")
    for name, (start, end) in recording.segments.items():
        say(f"segment {name}: {start / 1000:.1f} to {end / 1000:.1f} s")
    say()
    show_kept(recording.capture)


def take_map(file: str, yes: bool, quiet: bool, new: "NewMap") -> bool:
    """Whether the player takes a proposed column map, seen with the reasons and some rows."""
    if not quiet:
        say("No map for this header is known yet. By the data alone:", "bold")
        for reason in new.proposal.why:
            say(f"  {reason}")
        table(new.header, [row for row in new.rows[:ROWS_SHOWN] if len(row) == len(new.header)])
        say()
    return confirmed(f"Read {file} like this?", yes)


def _show_course(capture: "Capture") -> None:
    """What is plain in the course of the run: a warm-up, hitches that come again and again."""
    from keenlattice.measure.course import periodic_hitches, warm_up_ms

    if warm := warm_up_ms(capture):
        say(f"the first {warm / 1000:.1f} s run differently from the rest: a warm-up, perhaps")
    if hitches := periodic_hitches(capture):
        say(f"a hitch of about {hitches.extra_ms:.0f} ms comes every {hitches.period_s:.2g} s")


def show_latency(result: "LatencyResult") -> None:
    """Input latency, with intervals, and where it is spent."""
    from keenlattice.measure.capture import STAGES

    say(f"{result.file}: {result.presses} presses, {result.answered} answered", "bold")
    for line in _beside(result):
        say(line)
    for name, text in _how(result.found):
        say(f"{name}: {text}")
    middle = (result.mean_high_ms - result.mean_low_ms) / 2
    rows = [["mean", f"{result.mean_ms:.1f}", f"{result.mean_ms - middle:.1f} to {result.mean_ms + middle:.1f}"]]
    rows += [[name, f"{value:.1f}", f"{low:.1f} to {high:.1f}"]
             for name, (value, low, high) in result.percentiles.items()]
    table(["press to screen", "ms", "95 % interval"], [*rows, ["spread", f"{result.spread_ms:.1f}", ""]], right=(1,))
    if result.stages:
        say()
        table(["stage, on average", "ms", "95 % interval", ""], [
            [name, f"{mean:.1f}", f"{low:.1f} to {high:.1f}", STAGES[name]]
            for name, (mean, low, high) in result.stages.items()], right=(1,))
    if result.grid_ms:
        say(f"the waits come in steps of about {result.grid_ms:.1f} ms ({1000 / result.grid_ms:.0f} Hz): a polling "
            "rate or a refresh. A change smaller than a step shows in the mean of many presses alone")
    for doubt in result.doubts[:DOUBTS_SHOWN]:
        say(f"! the press at {doubt.at_ms / 1000:.2f} s: {doubt.what}")
    if len(result.doubts) > DOUBTS_SHOWN:
        say(f"! and {len(result.doubts) - DOUBTS_SHOWN} more like these (--json lists all)")
    say("\nThese intervals describe this recording. To compare two versions, record each several times, in turn.",
        "dim")
    show_kept(result.capture, "--what latency")


def _beside(result: "LatencyResult") -> Iterator[str]:
    """What is in no number, and what speaks against the numbers."""
    if result.misses:
        yield f"{result.misses} without an answer within half a second; they count in no number below"
    if bounces := result.about.get("bounces"):
        yield f"the button bounces: {bounces} press{'es' * (bounces != 1)} within 30 ms of another, counted with that"
    if result.unasked:
        yield f"{result.unasked} changes of the screen that no press had asked for"
    if result.unasked > result.presses:
        yield ("! the light changes far more often than a press was made: it may flicker faster than it was sampled. "
               "Do not trust these numbers; sample faster, or switch the flicker off")
    if lasts := result.about.get("press_lasts_ms"):
        yield (f"! a press takes {lasts:.0f} ms to show, as a key or a finger does, and makes contact at some moment "
               "of these. Film a lamp to be surer of the mean; versions that are filmed alike compare as well as ever")
    for unsure in result.about.get("unsure", ()):
        yield f"! not sure: {unsure}"


def _how(latency: "Latency") -> list[tuple[str, str]]:
    """How it was measured, as far as that was found out from the signal."""
    rows, about = [], latency.about
    if "press_area" in about:
        rows.append(("areas", f"press at {about['press_area']}, answer at {about['answer_area']} "
                              "(x, y, width, height in pixels); --figure FILE draws them"))
    if "polarity" in about:
        rows.append(("answer", f"the screen {about['polarity']}; timed {about['threshold']}"))
    if about.get("strobe_hz"):
        hz = about["strobe_hz"]
        rows.append(("backlight", f"strobed at {hz:.0f} Hz: a single answer is sure to half of {1000 / hz:.1f} ms"))
    if "pictures" in about:
        rows.append(("camera", f"{about['pictures']} pictures, {about['camera_hz']:.0f} a second: one press is sure to "
                               f"{latency.half_width_ms:.1f} ms, all together to {latency.bias_ms:.1f} ms (in the "
                               "intervals below)"))
    elif latency.half_width_ms:
        rows.append(("camera", f"each count stands for anything within {latency.half_width_ms:.1f} ms of it; the "
                               "spread is without what that adds"))
    return rows


STEPS = "▁▂▃▄▅▆▇"  # not the full block: bars of two lines would touch
HISTORY, TITLE, VALUE = 40, 34, 12
LEFT_OUT = (".pressure", "-taken.load", "swap.memory")
UP, CLEAR = "\x1b[{}A", "\x1b[J"


class LiveView:
    """What is shown of each moment: at a terminal a block that is redrawn, elsewhere a line a second.

    Args:
        stream: where it goes; the standard error, if that is not said, for the result goes to the other.
    """

    def __init__(self, stream: TextIO | None = None) -> None:
        stream = stream or sys.stderr
        self._stream, self._block = stream, shows_colours(stream)
        self._bars = self._block and has_blocks(stream)
        self._history: dict[str, deque[float]] = {}
        self._drawn = 0
        self._at_s = math.inf

    def __call__(self, moment: Moment) -> None:
        if moment.at_s < self._at_s:  # another run: what was drawn of the last one stays
            self._drawn, self._history = 0, {}
        self._at_s = moment.at_s
        rows = _rows(moment)
        if not self._block:
            values = ", ".join(f"{title} {text}" for title, (text, _) in rows.items() if text)
            print(f"{moment.at_s:.0f} s: {values}", file=self._stream, flush=True)
            return
        lines = [f"recorded for {moment.at_s:.0f} s", *(self._line(title, *row) for title, row in rows.items()), ""]
        back = UP.format(self._drawn) if self._drawn else ""
        self._stream.write(back + CLEAR + "\n".join(line[:width()] for line in lines) + "\n")
        self._stream.flush()
        self._drawn = len(lines)

    def _line(self, title: str, text: str, value: float) -> str:
        past = self._history.setdefault(title, deque(maxlen=HISTORY))
        past.append(value)
        return f"{title:<{TITLE}} {text or '-':>{VALUE}}  {bars(list(past)) if self._bars else ''}".rstrip()


def _rows(moment: Moment) -> Mapping[str, tuple[str, float]]:
    """What there is to say: by title the value with its unit, empty if there is none now, and as a number."""
    from keenlattice.measure.series import kind_of
    from keenlattice.report.said import series_title

    rows = {"frames": (f"{moment.frames}", float(moment.frames)), "frame time": _ms(moment.frame_ms),
            "worst frame": _ms(moment.worst_ms), "latency": _ms(moment.latency_ms)}
    for name, value in sorted(moment.said.items()):
        if not name.endswith(LEFT_OUT):
            kind = kind_of(name)
            rows[series_title(name)] = (f"{value:.{kind.decimals}f} {kind.unit}", value)
    return rows


def _ms(value: float) -> tuple[str, float]:
    return "" if math.isnan(value) else f"{value:.1f} ms", value
