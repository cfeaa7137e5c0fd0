"""A run while it is recorded: frames, latency and what the machine says, once a second."""

import math
import sys
from collections import deque
from collections.abc import Mapping
from typing import TextIO

from keenlattice.cli.output import width
from keenlattice.cli.terminal import shows_colours
from keenlattice.measure.telemetry import Moment

STEPS = "▁▂▃▄▅▆▇"  # not the full block: bars of two lines would touch
HISTORY, TITLE, VALUE = 40, 34, 12
LEFT_OUT = (".pressure", "-taken.load", "swap.memory")
UP, CLEAR = "\x1b[{}A", "\x1b[J"


class LiveView:
    """What is shown of each moment: at a terminal a block that is drawn anew, elsewhere a line a second.

    Args:
        stream: where it goes; the standard error, if that is not said, for the result goes to the other.
    """

    def __init__(self, stream: TextIO | None = None) -> None:
        stream = stream or sys.stderr
        self._stream, self._block = stream, shows_colours(stream)
        self._bars = self._block and "utf" in (stream.encoding or "").lower()
        self._history: dict[str, deque[float]] = {}
        self._drawn = 0
        self._at_s = math.inf

    def __call__(self, moment: Moment) -> None:
        if moment.at_s < self._at_s:  # another run: what was drawn of the last one stays
            self._drawn, self._history = 0, {}
        self._at_s = moment.at_s
        rows = _rows(moment)
        if not self._block:
            told = ", ".join(f"{title} {text}" for title, (text, _) in rows.items() if text)
            print(f"{moment.at_s:.0f} s: {told}", file=self._stream, flush=True)
            return
        lines = [f"recorded for {moment.at_s:.0f} s", *(self._line(title, *row) for title, row in rows.items()), ""]
        back = UP.format(self._drawn) if self._drawn else ""
        self._stream.write(back + CLEAR + "\n".join(line[:width()] for line in lines) + "\n")
        self._stream.flush()
        self._drawn = len(lines)

    def _line(self, title: str, text: str, value: float) -> str:
        past = self._history.setdefault(title, deque(maxlen=HISTORY))
        past.append(value)
        return f"{title:<{TITLE}} {text or '-':>{VALUE}}  {_bars(past) if self._bars else ''}".rstrip()


def _rows(moment: Moment) -> Mapping[str, tuple[str, float]]:
    """What there is to say: by title the value with its unit, empty if there is none now, and as a number."""
    from keenlattice.measure.series import kind_of
    from keenlattice.report.said import series_title

    found = {"frames": (f"{moment.frames}", float(moment.frames)), "frame time": _ms(moment.frame_ms),
             "worst frame": _ms(moment.worst_ms), "latency": _ms(moment.latency_ms)}
    for name, value in sorted(moment.said.items()):
        if not name.endswith(LEFT_OUT):
            kind = kind_of(name)
            found[series_title(name)] = (f"{value:.{kind.decimals}f} {kind.unit}", value)
    return found


def _ms(value: float) -> tuple[str, float]:
    return "" if math.isnan(value) else f"{value:.1f} ms", value


def _bars(values: "deque[float]") -> str:
    """The last values as bars from nothing to the highest of them.

    >>> _bars(deque([0.0, 2.0, 4.0, math.nan]))
    '▁▄▇ '
    """
    top = max((value for value in values if value > 0), default=0.0)
    return "".join(" " if math.isnan(value) else STEPS[round(value / top * (len(STEPS) - 1)) if top else 0]
                   for value in values)
