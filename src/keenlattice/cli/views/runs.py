"""How runs and recordings are shown."""

import math
import sys
from collections import deque
from collections.abc import Mapping
from typing import TYPE_CHECKING, TextIO

from keenlattice.cli.output import confirmed, hint, say, table, width
from keenlattice.cli.terminal import shows_colours
from keenlattice.cli.views.bars import bars, has_blocks
from keenlattice.cli.views.blocks import show_telling
from keenlattice.measure.telemetry import Moment

if TYPE_CHECKING:
    from keenlattice.workspace.recording_results import LatencyResult, NewMap, Recording


ROWS_SHOWN = 4


def show_kept(kept: str | None, picture: str = "") -> None:
    """Whether a recording is in the logbook now, and how it can be drawn."""
    say(f"Kept as {kept}." if kept else "Not kept: say what was played with --of GAME to keep it.", "dim")
    if kept:
        hint(" ".join(f"keen draw {kept} {picture} --out run.png".split()))


def show_recording(recording: "Recording", every: bool) -> None:
    """A recording that was read, and where it is kept."""
    show_telling(recording.telling(every))
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


def show_latency(result: "LatencyResult") -> None:
    """Input latency, and where it is kept."""
    show_telling(result.telling())
    show_kept(result.capture, "--what latency")


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
