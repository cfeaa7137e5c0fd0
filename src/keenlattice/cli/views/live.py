"""A study as it is played: what is on the rig, the run just over, and how each deciding interval narrows."""

import math
import sys
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from types import TracebackType
from typing import TYPE_CHECKING, Any, Self

from keenlattice.cli.output import VERDICT_STYLES, minutes
from keenlattice.cli.terminal import shows_colours
from keenlattice.cli.views.bars import bars, has_blocks, slowest
from keenlattice.measure.metrics import METRICS, metrics_of
from keenlattice.measure.series import kind_of
from keenlattice.report.said import series_title
from keenlattice.report.words import brief_title, capital, signed_with_ends
from keenlattice.study.kind import Spec, kind_named

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.study.player import Interim, Run

BAR = 33          # columns of an interval, zero in the middle
REACH = 4.0       # how far it goes, in multiples of what matters
MOST_LINES = 12   # changes
STRIP = 48        # columns of the run just over
PLAIN_EVERY_S = 10.0
HEAT = ("gpu0.temperature", "gpu.temperature", "cpu.temperature", "gpu0.clock", "gpu.clock", "cpu.clock")


class StudyView:
    """Shows a study while it is played: at a terminal a block that is redrawn, elsewhere a line now and then.

    Args:
        title: what is played, where nothing better is known.
    """

    def __init__(self, title: str) -> None:
        self._title, self._done, self._total = title, 0, 0
        self._spec: Spec | None = None
        self._kind = ""
        self._numbers: dict[int, Mapping[str, float]] = {}
        self._last: Run | None = None
        self._began, self._first, self._told = time.monotonic(), 0, time.monotonic()
        self._live: Any = None
        self._blocks = has_blocks(sys.stderr)  # asked before the stream is redirected

    def __enter__(self) -> Self:
        if shows_colours(sys.stderr):
            from rich.console import Console
            from rich.live import Live

            # Drawn between runs alone: nothing of ours may work while one is measured.
            self._live = Live(console=Console(stderr=True), transient=True, auto_refresh=False)
            self._live.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None,
                 where: TracebackType | None) -> None:
        if self._live is not None:
            self._live.stop()

    @contextmanager
    def put_away(self) -> Iterator[None]:
        """Take the block off the screen, for something else to be shown and asked there."""
        if self._live is not None:
            self._live.stop()
        yield
        if self._live is not None:
            self._live.start()

    def __call__(self, done: int, total: int) -> None:
        """How many runs are done, of how many at most."""
        self._done, self._total = done, total
        self._draw()
        if self._live is None and time.monotonic() - self._told > PLAIN_EVERY_S:
            self._told = time.monotonic()
            print(self._progress(), file=sys.stderr, flush=True)

    def begins(self, kind: str, spec: Spec, done: "Mapping[int, Capture]") -> None:
        """A study begins, or goes on, with runs that were played earlier."""
        self._kind, self._spec, self._last = kind, spec, None
        self._numbers = {place: metrics_of(capture, spec.judged_by) for place, capture in done.items()}
        self._began, self._first = time.monotonic(), len(done)

    def ran(self, run: "Run") -> None:
        """A run is over."""
        self._last = run
        if not run.excluded and self._spec is not None:
            self._numbers[run.place] = metrics_of(run.capture, self._spec.judged_by)
        if run.excluded:  # which is not counted, and so not told otherwise
            self._draw()

    def _draw(self) -> None:
        if self._live is not None:
            self._live.update(self._drawn(), refresh=True)

    def _progress(self) -> str:
        """Which run it is, of how many, and how long it still takes."""
        played = self._done - self._first
        left = (self._total - self._done) * (time.monotonic() - self._began) / played / 60 if played > 0 else 0.0
        block = f", block {self._last.block + 1}" if self._last is not None and self._kind == "trial" else ""
        at_most = "at most " * (self._spec is not None)
        return (f"{self._done} of {at_most}{self._total or '?'} runs{block}"
                + f", about {minutes(left)} left if it takes all" * (left > 0))

    def _drawn(self) -> Any:
        from rich.console import Group
        from rich.text import Text

        title = f"{capital(self._kind)}: {self._spec.about}" if self._spec is not None else self._title
        lines = [Text(title, style="bold"), Text(self._progress())]
        if self._last is not None:
            lines += [Text(line, style="dim") for line in _of_run(self._last, self._spec, self._blocks)]
        if changes := self._interim():
            width = max(len(change.title) for change in changes) + 1
            head = f"{'':<{width}}{'worse':<{BAR // 2 - 4}}no matter{'better':>{BAR // 2 - 4}}"
            lines.append(Text(head, style="dim"))
            lines += [Text(drawn_interval(change, width), style=VERDICT_STYLES.get(change.word, ""))
                      for change in changes]
        lines.append(Text("Ctrl-C stops: what was played is kept, and keen studies resume goes on.", style="dim"))
        return Group(*lines)

    def _interim(self) -> "Sequence[Interim]":
        """What is known so far: by what the study says itself, or by the numbers of its runs."""
        if self._last is not None and self._last.interim:
            return self._last.interim[:MOST_LINES]
        tell = kind_named(self._kind).so_far if self._spec is not None else None
        return tell(self._spec, self._numbers) if tell else ()


def _of_run(run: "Run", spec: Spec | None, blocks: bool) -> list[str]:
    """Return what the run just over was: the version, its numbers, its frame times as bars, and heat."""
    capture, place = run.capture, spec.version_of(run.arm) if spec else None
    version = spec.versions[place].reference if spec and place is not None else run.arm
    if version.isdecimal():  # a row of a screen's design
        version = f"combination {int(version) + 1}"
    if run.excluded:
        return [f"last run: {version}: {run.excluded}; it is played again"]
    numbers = metrics_of(capture, ("frame_ms_mean", "fps_mean", "latency_ms_median"))
    parts = [f"{brief_title(name)} {value:.1f} {METRICS[name].unit}" for name, value in numbers.items()
            if math.isfinite(value)]
    lines = [f"last run: {version}: {', '.join(parts)}"]
    if blocks and capture.frame_ms.size:
        lines.append(f"frame times, slowest of each moment  {bars(slowest(capture, STRIP))}")
    heat = [f"{series_title(name)} {capture.telemetry[name].known.mean():.0f} {kind_of(name).unit}" for name in HEAT
            if name in capture.telemetry and capture.telemetry[name].known.size]
    return lines + [", ".join(heat)] * bool(heat)


def drawn_interval(change: "Interim", width: int) -> str:
    """Return an interval as a line: better always to the right, `|` the borders of what matters.

    An end that lies beyond the line is an arrow.

    Args:
        width: of the title before it.
    """
    title = f"{change.title:<{width}}"
    if change.low_pct is None or change.high_pct is None or change.change_pct is None:
        return f"{title}{change.word if change.word == 'best' else 'no interval yet':<{BAR}}"
    sign = -1 if METRICS[change.metric].lower_is_better else 1
    ends = sorted((sign * change.low_pct, sign * change.high_pct))
    cells, matters = [" "] * BAR, change.matters_pct or 1.0
    for border in (-matters, matters):
        cells[_column(border, matters)] = "|"
    first, last = (_column(end, matters) for end in ends)
    for column in range(first, last + 1):
        cells[column] = "-"
    cells[_column(sign * change.change_pct, matters)] = "o"
    for end, column, arrow in ((ends[0], 0, "<"), (ends[1], BAR - 1, ">")):
        if abs(end) > REACH * matters and (end < 0) == (column == 0):
            cells[column] = arrow
    middle, low, high = signed_with_ends(change.change_pct, change.low_pct, change.high_pct)
    about = f"{brief_title(change.metric)} " * (capital(brief_title(change.metric)) != change.title)
    return f"{title}{''.join(cells)}  {about}{middle} % ({low} to {high} %): {change.word}"


def _column(pct: float, matters: float) -> int:
    """Return the column of a change, better to the right."""
    share = max(-1.0, min(1.0, pct / (REACH * matters)))
    return round((share + 1) / 2 * (BAR - 1))
