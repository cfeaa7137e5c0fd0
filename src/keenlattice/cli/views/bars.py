"""Numbers as bars of text: in blocks where the terminal has them, else in plain letters."""

import math
import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING, TextIO

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture, Floats

BLOCKS, LETTERS = "▁▂▃▄▅▆▇", "_.-:=+#"


def has_blocks(stream: TextIO) -> bool:
    """Whether a stream can be written blocks."""
    return "utf" in (stream.encoding or "").lower()


def bars(values: Sequence[float], top: float = 0.0, blocks: bool = True) -> str:
    """Return values as bars from nothing to the highest of them, or to `top`; a gap for what is not a number.

    >>> bars([0.0, 2.0, 4.0, math.nan])
    '▁▄▇ '
    """
    steps = BLOCKS if blocks else LETTERS
    top = top or max((value for value in values if value > 0), default=0.0)
    return "".join(" " if math.isnan(value) else steps[min(len(steps) - 1, round(value / top * (len(steps) - 1)))
                                                       if top else 0] for value in values)


def slowest(capture: "Capture", columns: int) -> list[float]:
    """Return the longest frame time of each of some stretches of a run, equally many frames in each."""
    import numpy as np

    return [float(part.max()) for part in np.array_split(capture.frame_ms, min(columns, capture.frame_ms.size))]


def show_runs(names: Sequence[str], captures: "Sequence[Capture]", columns: int) -> list[str]:
    """Return runs as lines: the frame times of each over time and how they are distributed, on one scale for all, and
    latency where there is some."""
    import numpy as np

    blocks = has_blocks(sys.stdout)
    lines = []
    for title, series in (("frame time", "frame_ms"), ("latency", "latency_ms")):
        values: list[Floats] = [getattr(run, series) for run in captures]
        measured = [times for times in values if times.size]
        if not measured:
            continue
        longest = max(float(np.quantile(times, 0.999)) for times in measured)
        shortest = min(float(times.min()) for times in measured)
        for name, run, times in zip(names, captures, values, strict=True):
            if not times.size:
                continue
            median, high = np.quantile(times, (0.5, 0.99))
            lines.append(f"{name}: {title}, median {median:.1f} ms, 99 in 100 below {high:.1f} ms")
            if title == "frame time":
                lines.append(f"  {bars(slowest(run, columns), longest, blocks)}  the longest of each moment")
            counts = np.histogram(times, bins=columns // 2, range=(shortest, longest))[0]
            lines.append(f"  {bars([float(count) for count in counts], 0.0, blocks)}  how many, from {shortest:.0f} to "
                         f"{longest:.0f} ms")
    return lines
