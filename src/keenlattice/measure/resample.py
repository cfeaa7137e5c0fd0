"""An interval for a quantile of frame time, by resampling blocks of frames. It describes the runs at hand, no others.

Frames resemble their neighbours, so blocks of them are drawn, in a circle (D. N. Politis and J. P. Romano's circular
block bootstrap, 1992). Only a run's longest frames can be its high quantile: how often each of those is drawn is
counted, and no resample is ever put together.
"""

import math
from collections.abc import Sequence
from concurrent.futures import Executor
from functools import partial

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Floats
from keenlattice.parallel import spread

RESAMPLES = 2000
AT_ONCE = 250      # resamples in memory
SPARE = 3.0        # times the frames above the quantile are followed, and MORE of them
MORE = 40


def quantile_interval(runs: Sequence[Floats], share: float = 0.99, *, block: int | None = None,
                      resamples: int = RESAMPLES, confidence: float = 0.95, seed: int = 1,
                      executor: Executor | None = None) -> tuple[float, float, float]:
    """The mean over runs of a quantile of their frame times, with its interval.

    Args:
        runs: frame times of each; shape (frames,) each.
        share: which quantile, from 0.5 up.
        block: frames in a block; twice the cube root of a run's frames, if it is not said.
        executor: what the runs are spread over; the result is the same.

    Raises:
        CaptureError: no run, or one of fewer than 20 frames.
    """
    if not runs or min(run.size for run in runs) < 20:
        raise CaptureError("an interval takes runs of at least 20 frames")
    if not 0.5 <= share < 1:
        raise CaptureError(f"the share {share:g}: quantiles from 0.5 to below 1 are resampled")
    jobs = [(run, [seed, number]) for number, run in enumerate(runs)]
    drawn = spread(partial(_of_job, share, block, resamples), jobs, executor)
    means = np.mean(drawn, axis=0)
    tail = (1 - confidence) / 2
    middle = float(np.mean([np.quantile(run, share) for run in runs]))
    return middle, float(np.quantile(means, tail)), float(np.quantile(means, 1 - tail))


def _of_job(share: float, block: int | None, resamples: int, job: tuple[Floats, list[int]]) -> Floats:
    run, seed = job
    return resampled_quantiles(run, share, block or math.ceil(2 * run.size ** (1 / 3)), resamples,
                               np.random.default_rng(seed))


def resampled_quantiles(frames: Floats, share: float, block: int, resamples: int,
                        random: np.random.Generator) -> Floats:
    """The quantile in each resample of a run, linear between ranks; shape (resamples,)."""
    block = min(block, frames.size)  # in a circle, a longer one would hold some frames twice
    size, blocks = frames.size, math.ceil(frames.size / block)
    drawn = blocks * block
    rank = share * (drawn - 1)
    above = drawn - 1 - int(rank)  # how many frames of a resample are longer than the lower of the two ranks
    followed = min(size, math.ceil(SPARE * (1 - share) * size) + MORE)
    longest = np.argpartition(frames, size - followed)[size - followed:]
    longest = longest[np.argsort(-frames[longest], kind="stable")]
    counter = _Counter(longest, size, block)
    quantiles = np.empty(resamples)
    for first in range(0, resamples, AT_ONCE):
        starts = random.integers(0, size, (min(AT_ONCE, resamples - first), blocks))
        upto = np.cumsum(counter.times_drawn(starts), axis=1)
        values = frames[longest]
        low, high = (values[np.minimum((upto <= place).sum(axis=1), followed - 1)] for place in (above, above - 1))
        order = low + (rank - int(rank)) * (high - low)
        short = np.flatnonzero(upto[:, -1] <= above)  # too few of those that are followed: put together after all
        for row in short:
            index = (starts[row][:, None] + np.arange(block)) % size
            order[row] = np.quantile(frames[index.ravel()], share)
        quantiles[first:first + AT_ONCE] = order
    return quantiles


class _Counter:
    """How often some frames are drawn, by where blocks begin."""

    def __init__(self, frames: NDArray[np.intp], size: int, block: int) -> None:
        last, before = frames, (frames - block) % size  # a block that begins in (before, last] holds the frame
        self._bounds = np.unique(np.concatenate([last, before]))
        self._last, self._before = (np.searchsorted(self._bounds, window) for window in (last, before))
        self._wraps = frames < block
        self._bin = np.searchsorted(self._bounds, np.arange(size)).astype(np.int32)

    def times_drawn(self, starts: NDArray[np.int64]) -> NDArray[np.int32]:
        """Shape (resamples, frames), from where the blocks of each resample begin; shape (resamples, blocks)."""
        rows, bins = len(starts), self._bounds.size + 1
        index = self._bin[starts] + (np.arange(rows, dtype=np.int32) * bins)[:, None]
        counts = np.bincount(index.ravel(), minlength=rows * bins).reshape(rows, bins)
        upto = np.cumsum(counts, axis=1, dtype=np.int32)
        return np.asarray(upto[:, self._last] - upto[:, self._before] + self._wraps * np.int32(starts.shape[1]))
