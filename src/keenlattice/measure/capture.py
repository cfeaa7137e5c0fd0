"""One recorded run: frames and, where there are some, latency events."""

from collections.abc import Mapping
from dataclasses import field
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from keenlattice.errors import CaptureError
from keenlattice.measure.series import Floats as Floats
from keenlattice.measure.series import Series, check_names
from keenlattice.notebook import Rows, Shown
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    import pandas

STAGES = {"device": "from the press until the device has sent it", "system": "until the game reads it",
          "game": "the CPU stage of the frame that it goes into", "queue": "until the GPU begins with that frame",
          "gpu": "the GPU stage", "display": "until the screen shows it"}
"""Where a click's latency goes, in the order in which it passes."""


BY_SCREEN = "screen copy"
"""How a run was recorded of which only the frames are known that the screen showed."""

LONGEST_MS = 7 * 86_400_000.0
LONGEST_WAIT_MS = 60_000.0
LATEST_STAMP_MS = 1e14  # a clock that counts from 1970 is at 1.8e12


def _none() -> Floats:
    return np.empty(0)


@dataclass(frozen=True, eq=False, repr=False)
class Capture(Shown):
    """One recorded run.

    Args:
        shown_ms: when each frame was shown, in ms from the start; shape (frames,), rising.
        click_ms: when each click was made; shape (clicks,).
        answer_ms: when the screen answered it; shape (clicks,), NaN where it did not.
        cpu_ms, gpu_ms: the time that each frame took on either, where known; shape (frames,) or (0,).
        stage_ms: how long each click spent in each of STAGES that is known; shape (clicks,), NaN where it is not.
        telemetry: what the machine said of itself meanwhile, by name (`series.KINDS`).
        about: where it comes from: rig, game, version, seed, time and the like; JSON types only.

    Raises:
        CaptureError: shapes that do not fit, time running backwards, or what can be no time of a run: infinities,
            answers before their clicks or more than LONGEST_WAIT_MS after, a run longer than LONGEST_MS.

    >>> run = Capture(np.array([0.0, 8.0, 16.0, 30.0]), np.array([3.0]), np.array([30.0]))
    >>> run.frame_ms, run.latency_ms
    (array([ 8.,  8., 14.]), array([27.]))
    """

    shown_ms: Floats
    click_ms: Floats = field(default_factory=_none)
    answer_ms: Floats = field(default_factory=_none)
    cpu_ms: Floats = field(default_factory=_none)
    gpu_ms: Floats = field(default_factory=_none)
    about: Mapping[str, Any] = field(default_factory=dict)
    stage_ms: Mapping[str, Floats] = field(default_factory=dict)
    telemetry: Mapping[str, Series] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.click_ms.shape != self.answer_ms.shape:
            raise CaptureError(f"{self.click_ms.size} clicks but {self.answer_ms.size} answers")
        for name in ("cpu_ms", "gpu_ms"):
            if getattr(self, name).size not in (0, self.shown_ms.size):
                raise CaptureError(f"{self.shown_ms.size} frames but {getattr(self, name).size} values of {name}")
        for name, times in self.stage_ms.items():
            if name not in STAGES or times.shape != self.click_ms.shape:
                raise CaptureError(f"{self.click_ms.size} clicks but {times.size} values of the stage {name}; there "
                                   f"are the stages {', '.join(STAGES)}")
        check_names(self.telemetry)
        rises = not self.frame_ms.size or float(self.frame_ms.min()) > 0
        self._check_times(self.shown_ms[[0, -1]] if rises and self.shown_ms.size else self.shown_ms)
        if not rises:
            row = int(np.argmin(self.frame_ms)) + 1
            raise CaptureError(f"time does not move on at frame {row} (by {self.frame_ms[row - 1]:g} ms)")

    def _check_times(self, shown_ms: Floats) -> None:
        """Whether all times can be: what is computed and drawn from them rests on that. Of frames that come one after
        the other the first and the last tell it of all."""
        for name, times in (("shown_ms", shown_ms), ("click_ms", self.click_ms)):
            if not np.isfinite(times).all():
                raise CaptureError(f"{name} holds what is not a time (an infinity, or nothing)")
        for name, times in (("answer_ms", self.answer_ms), ("cpu_ms", self.cpu_ms), ("gpu_ms", self.gpu_ms),
                            *(("stage_ms", value) for value in self.stage_ms.values())):
            if np.isinf(times).any():
                raise CaptureError(f"{name} holds an infinity")
        waits = self.latency_ms
        if waits.size and not 0 <= float(waits.min()) <= float(waits.max()) <= LONGEST_WAIT_MS:
            wrong = float(waits.min()) if waits.min() < 0 else float(waits.max())
            raise CaptureError(f"an answer {wrong:.0f} ms after its click: it takes 0 to "
                               f"{LONGEST_WAIT_MS / 1000:.0f} s; "
                               "are both on one clock, and in the unit that was said?")
        ends = [float(end) for times in (shown_ms, self.click_ms) if times.size
                for end in (times.min(), times.max())]
        if (ends and max(ends) - min(ends) > LONGEST_MS) or max(map(abs, ends), default=0.0) > LATEST_STAMP_MS:
            raise CaptureError(f"its times go from {min(ends):g} to {max(ends):g} ms: a run lasts a week at most; is "
                               "the unit right?")

    def table(self) -> "pandas.DataFrame":
        """A row for each frame and click, in the order of time.

        Columns: kind ("frame" or "click"), at_ms, and where known frame_ms (of a frame: since the one before),
        cpu_ms, gpu_ms, latency_ms (of a click that was answered).
        """
        import pandas

        frames = pandas.DataFrame({"kind": "frame", "at_ms": self.shown_ms, "frame_ms": np.concatenate(
            [np.full(min(1, self.shown_ms.size), np.nan), self.frame_ms])})
        for name, values in (("cpu_ms", self.cpu_ms), ("gpu_ms", self.gpu_ms)):
            frames[name] = values if values.size else np.nan
        clicks = pandas.DataFrame({"kind": "click", "at_ms": self.click_ms,
                                     "latency_ms": self.answer_ms - self.click_ms})
        both: pandas.DataFrame = pandas.concat([frames, clicks])
        return both.sort_values("at_ms", kind="stable", ignore_index=True)

    def _in_brief(self) -> Rows:
        shares = {"p5": 0.05, "median": 0.5, "p95": 0.95, "p99": 0.99}
        return [{"": title, "mean": values.mean(), **{
            name: np.quantile(values, share) for name, share in shares.items()}, "longest": values.max()}
            for title, values in (("frame time, ms", self.frame_ms), ("input latency, ms", self.latency_ms))
            if values.size]

    def _caption(self) -> str:
        origin = "@".join(str(self.about[key])[:length] for key, length in (("game", 40), ("version", 8))
                          if self.about.get(key))
        return (f"Capture{f' of {origin}' if origin else ''}: {self.frame_ms.size} frames in {self.seconds:.1f} s, "
                f"{self.click_ms.size} clicks")

    @cached_property
    def frame_ms(self) -> Floats:
        """Time from each frame to the next; shape (frames - 1,)."""
        return np.diff(self.shown_ms)

    @cached_property
    def total_ms(self) -> float:
        """The sum of all frame times."""
        return float(self.frame_ms.sum())

    @cached_property
    def ordered_ms(self) -> Floats:
        """The same, from the shortest to the longest: sorted once, for all quantiles."""
        return np.sort(self.frame_ms)

    @cached_property
    def change_ms(self) -> Floats:
        """How much each frame time differs from the one before, without its sign; shape (frames - 2,)."""
        changes = np.diff(self.frame_ms)
        return np.abs(changes, out=changes)

    @property
    def latency_ms(self) -> Floats:
        """Click to answer, of the clicks that were answered."""
        waits = self.answer_ms - self.click_ms
        return waits[np.isfinite(waits)]

    @property
    def clock_ms(self) -> float:
        """The interval of which frame times are multiples, as a film's are, in ms; 0 where they are known better."""
        step = self.about.get("step_ms")
        return float(step) if isinstance(step, int | float) and 0 < step <= LONGEST_WAIT_MS else 0.0

    @property
    def seconds(self) -> float:
        """From the first frame to the last."""
        return float(self.shown_ms[-1] - self.shown_ms[0]) / 1000 if self.shown_ms.size > 1 else 0.0
