"""The metrics of frames that come piece by piece, with none of them kept.

Counts, sums and stutters are exact whatever the pieces. Quantiles, and what is made of them, come from a histogram
whose bins are QUANTILE_ERROR wide, relative to their values; below SMALLEST_MS, within that much.
"""

import math

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import METRICS, MIN_FRAMES, STEADY_WITHIN, STUTTER_WINDOW, late_frames
from keenlattice.measure.telemetry import BOUND_FROM

QUANTILE_ERROR = 0.001
SMALLEST_MS, LARGEST_MS = 1e-3, 1e7
NARROW = math.log1p(QUANTILE_ERROR)
BINS = math.ceil(math.log(LARGEST_MS / SMALLEST_MS) / NARROW) + 2
AROUND = STUTTER_WINDOW // 2


class Histogram:
    """Values by how large they are: how many in each bin, and their sum."""

    def __init__(self) -> None:
        self._counts = np.zeros(BINS, dtype=np.int64)
        self._sums = np.zeros(BINS)
        self.largest = 0.0

    def add(self, values: Floats) -> None:
        """More values; shape (values,), none below 0."""
        if not values.size:
            return
        place = np.log(np.maximum(values, SMALLEST_MS) / SMALLEST_MS) / NARROW
        which = np.minimum(place.astype(np.int64), BINS - 1)
        self._counts += np.bincount(which, minlength=BINS)
        self._sums += np.bincount(which, weights=values, minlength=BINS)
        self.largest = max(self.largest, float(values.max()))

    def quantile(self, share: float) -> float:
        """Linear between ranks, as of values in memory."""
        upto = np.cumsum(self._counts)
        rank = share * (int(upto[-1]) - 1)
        low = int(rank)
        first, second = self._of_rank(upto, low), self._of_rank(upto, min(low + 1, int(upto[-1]) - 1))
        return first + (rank - low) * (second - first)

    def _of_rank(self, upto: NDArray[np.int64], rank: int) -> float:
        return self._mean(int(np.searchsorted(upto, rank, side="right")))

    def _mean(self, which: int) -> float:
        return float(self._sums[which] / self._counts[which])

    def of_time(self, share: float) -> float:
        """The value that this share of the sum is in values up to."""
        upto = np.cumsum(self._sums)
        return self._mean(int(np.searchsorted(upto, share * upto[-1])))

    def mean_of_largest(self, share: float) -> float:
        """The mean of this share of the values, the largest."""
        wanted = max(1, round(int(self._counts.sum()) * share))
        from_the_top = np.cumsum(self._counts[::-1])
        whole = int(np.searchsorted(from_the_top, wanted))  # so many bins from the top, and a part of the next
        total = float(self._sums[::-1][:whole].sum())
        rest = wanted - (int(from_the_top[whole - 1]) if whole else 0)
        return (total + rest * self._mean(BINS - 1 - whole)) / wanted

    def within(self, low: float, high: float) -> int:
        """How many values lie from one to the other; those in the bins of both ends count by their bin's mean."""
        there = np.flatnonzero(self._counts)
        means = self._sums[there] / self._counts[there]
        return int(self._counts[there][(means >= low) & (means <= high)].sum())


class Tally:
    """The metrics of frames that come piece by piece."""

    def __init__(self) -> None:
        self._frames, self._changes = Histogram(), Histogram()
        self.count, self.total_ms, self._change_ms = 0, 0.0, 0.0
        self._last: float | None = None
        self._waiting, self._decided = np.empty(0), 0  # frames whose stutters are open, after some that are context
        self._stutter_ms: list[float] = []
        self._open_ms = 0.0
        self._staged, self._bound = 0, [0, 0]

    def add(self, frames: Floats, cpu_ms: Floats, gpu_ms: Floats) -> None:
        """More frames; shape (frames,), and of the stages either that or (0,)."""
        if not frames.size:
            return
        self._frames.add(frames)
        self.count += frames.size
        self.total_ms += float(frames.sum())
        changes = np.abs(np.diff(frames if self._last is None else np.concatenate(([self._last], frames))))
        self._changes.add(changes)
        self._change_ms += float(changes.sum())
        self._last = float(frames[-1])
        if cpu_ms.size and gpu_ms.size:
            self._staged += frames.size
            for side, (mine, other) in enumerate(((cpu_ms, gpu_ms), (gpu_ms, cpu_ms))):
                self._bound[side] += int(((mine >= BOUND_FROM * frames) & (mine >= other)).sum())
        self._waiting = np.concatenate((self._waiting, frames))
        self._decide(self._waiting.size - AROUND)

    def _decide(self, end: int) -> None:
        """Which of the waiting frames up to `end` stutter; AROUND of them stay as context of the next."""
        if end <= self._decided:
            return
        late = late_frames(self._waiting)[self._decided:end]
        frames = self._waiting[self._decided:end]
        edges = np.flatnonzero(np.diff(np.concatenate(([self._open_ms > 0], late, [False])).astype(np.int8)))
        if self._open_ms and late[:1].all():  # the stutter that the last piece ended in goes on
            first, edges = int(edges[0]), edges[1:]
            self._open_ms += float(frames[:first].sum())
            if first < late.size:
                self._close()
        elif self._open_ms:
            self._close()
            edges = edges[1:]
        for begin, stop in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
            self._open_ms = float(frames[begin:stop].sum())
            if stop < late.size:
                self._close()
        keep = max(0, end - AROUND)
        self._waiting, self._decided = self._waiting[keep:], end - keep

    def _close(self) -> None:
        self._stutter_ms.append(self._open_ms)
        self._open_ms = 0.0

    def metrics(self) -> dict[str, float]:
        """Metric name to value; NaN where there is too little for it, and for latency. Nothing can be added after."""
        self._decide(self._waiting.size)
        if self._open_ms:
            self._close()
        found = dict.fromkeys(METRICS, float("nan"))
        if self.count < MIN_FRAMES:
            return found
        frames, minutes = self._frames, self.total_ms / 60_000
        median = frames.quantile(0.5)
        found |= {"frame_ms_mean": self.total_ms / self.count, "fps_mean": 1000 * self.count / self.total_ms,
                  "frame_change_ms_mean": self._change_ms / (self.count - 1),
                  "frame_change_ms_p99": self._changes.quantile(0.99),
                  "pacing_pct": 100 * frames.within((1 - STEADY_WITHIN) * median, (1 + STEADY_WITHIN) * median)
                  / self.count,
                  "stutters_per_min": len(self._stutter_ms) / minutes,
                  "stutter_time_pct": 100 * sum(self._stutter_ms) / self.total_ms,
                  "longest_stutter_ms": max(self._stutter_ms, default=0.0)}
        found |= {f"frame_ms_{name}": frames.quantile(share) for name, share in (
            ("p50", 0.5), ("p95", 0.95), ("p99", 0.99), ("p99_9", 0.999))}
        found |= {f"frame_ms_{name}_of_time": frames.of_time(share) for name, share in (
            ("p50", 0.5), ("p95", 0.95), ("p99", 0.99))}
        found |= {f"low_{name}_fps": 1000 / frames.mean_of_largest(share) for name, share in (
            ("1", 0.01), ("0_1", 0.001))}
        found |= {f"low_{name}_fps_quantile": 1000 / frames.quantile(share) for name, share in (
            ("1", 0.99), ("0_1", 0.999))}
        if self._staged == self.count:
            found |= {f"{name}_bound_pct": 100 * self._bound[side] / self.count
                      for side, name in enumerate(("cpu", "gpu"))}
        return found
