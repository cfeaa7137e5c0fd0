"""The course of a run: where its warm-up ends, hitches that come again and again, and its segments."""

from dataclasses import replace

import numpy as np

from keenlattice.errors import CaptureError, UnknownName
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.metrics import CLOCK_STEPS
from keenlattice.quickly import dataclass

BIN_MS = 250.0
MOST_OF_RUN = 0.5
HITCH_BIN_MS = 10.0
HITCH_PERIODS_S = (0.2, 20.0)
FALSE_ALARMS = 0.001
LATE_TIMES = 6.0
FINER = 4  # frequencies are looked at this many times closer than a run tells them apart
NEARLY = 0.8
LOOKED_AT = 200_000  # frames: of a longer run its beginning, which is half an hour at 110 frames a second


def warm_up_ms(capture: Capture) -> float:
    """Where the warm-up ends, in ms from the start; 0 if there is none.

    The rule (marginal standard error, after K. P. White's "An effective truncation heuristic", 1997): the mean frame
    time is taken over stretches of BIN_MS, and the cut is put where the standard error of what is left is least; not
    beyond MOST_OF_RUN of the run.
    """
    if capture.frame_ms.size < 2:
        return 0.0
    bins = binned(capture, BIN_MS)
    count = bins.size
    if count < 8:
        return 0.0
    tails = np.array([np.var(bins[cut:]) / (count - cut) for cut in range(int(count * MOST_OF_RUN) + 1)])
    cut = int(np.argmin(tails))
    return BIN_MS * cut


def cut(capture: Capture, start_ms: float, end_ms: float) -> Capture:
    """The part of a run from one moment to another, with the clicks made in it; its time starts again.

    Raises:
        CaptureError: fewer than two frames were shown in it.
    """
    frames = (capture.shown_ms >= start_ms) & (capture.shown_ms <= end_ms)
    clicks = (capture.click_ms >= start_ms) & (capture.click_ms <= end_ms)
    if capture.shown_ms.size and frames.sum() < 2:
        raise CaptureError(f"fewer than two frames were shown from {start_ms:.0f} to {end_ms:.0f} ms")
    begin = capture.shown_ms[frames][0] if frames.any() else 0.0  # latency alone may have been recorded
    stages = {name: values[frames] if values.size else values
              for name, values in (("cpu_ms", capture.cpu_ms), ("gpu_ms", capture.gpu_ms))}
    about = {key: value for key, value in capture.about.items() if key != "segments"}
    return replace(capture, shown_ms=capture.shown_ms[frames] - begin, click_ms=capture.click_ms[clicks] - begin,
                   answer_ms=capture.answer_ms[clicks] - begin, about={**about, "cut_ms": [start_ms, end_ms]},
                   stage_ms={name: times[clicks] for name, times in capture.stage_ms.items()},
                   telemetry={name: series.between(begin, end_ms, begin) for name, series in capture.telemetry.items()},
                   **stages)


def segment(capture: Capture, name: str) -> Capture:
    """The segment of that marker.

    Raises:
        UnknownName: the run has none of that name.
    """
    spans = capture.about.get("segments", {})
    if name not in spans:
        raise UnknownName("segment", name, spans, f"there are {', '.join(spans) or 'none in this run'}")
    return cut(capture, *spans[name])


@dataclass(frozen=True)
class Hitches:
    """Hitches that come again and again: how far apart, how long each is beyond its neighbours, and how many."""

    period_s: float
    extra_ms: float
    times: int


@dataclass(frozen=True, eq=False)
class HitchSpectrum:
    """How strongly late frames recur at each period.

    Args:
        period_s: shape (periods,), falling.
        strength: 1 is what chance gives, at any of the periods, in FALSE_ALARMS of runs; shape (periods,).
        hitches: what stands out; None if nothing does.
    """

    period_s: Floats
    strength: Floats
    hitches: Hitches | None


def periodic_hitches(capture: Capture) -> Hitches | None:
    """Hitches that come at a steady period; None if no period stands out. See `hitch_spectrum`."""
    spectrum = hitch_spectrum(capture)
    return spectrum.hitches if spectrum else None


def hitch_spectrum(capture: Capture) -> HitchSpectrum | None:
    """How strongly late frames recur, period by period; None if the run is too short, or has too few of them, to tell.

    What late frames take beyond their local median is looked at as a series in time, and its power at each frequency
    and twice and three times that is added up. Under noise that sum is chi-squared with six degrees of freedom; a
    period stands out if chance would give as much, at any of the periods, in fewer than FALSE_ALARMS of runs. Of those
    that do, the longest that has nearly the most power is meant: a series repeats after its half period, too, in its
    even harmonics. Of a run of more than LOOKED_AT frames these first ones are looked at.
    """
    from scipy.fft import next_fast_len, rfft
    from scipy.ndimage import median_filter
    from scipy.special import gammainccinv

    frames = capture.frame_ms[:LOOKED_AT]
    if frames.size < 100 or float(frames.sum()) < 4000 * HITCH_PERIODS_S[0]:
        return None
    beyond = frames - median_filter(frames, size=61, mode="nearest")
    noise = float(np.median(np.abs(beyond)))
    late = beyond > LATE_TIMES * noise + max(0.1, CLOCK_STEPS * capture.clock_ms)
    bins = ((capture.shown_ms[:frames.size] - capture.shown_ms[0]) / HITCH_BIN_MS).astype(np.int64)
    series = np.bincount(bins, weights=np.where(late, beyond, 0.0))
    if late.sum() < 4:
        return None
    padded = next_fast_len(FINER * series.size, real=True)
    power = np.abs(rfft(series - series.mean(), padded)) ** 2 * 2 / float(series.size * series.var())
    total_s, padded_s = series.size * HITCH_BIN_MS / 1000, padded * HITCH_BIN_MS / 1000
    shortest, longest = HITCH_PERIODS_S[0], min(HITCH_PERIODS_S[1], total_s / 4)
    lines = np.arange(int(padded_s / longest) + 1, int(padded_s / shortest))
    if not lines.size:
        return None
    summed = power[lines] + power[2 * lines] + power[3 * lines]
    # Chi-squared with six degrees of freedom; of the finer lines not all are lines of their own.
    bound = 2 * float(gammainccinv(3, FALSE_ALARMS / (lines.size * series.size / padded)))
    periods = padded_s / lines
    if summed.max() < bound:
        return HitchSpectrum(periods, summed / bound, None)
    period = padded_s / float(lines[int(np.argmax(summed > NEARLY * summed.max()))])
    hitches = Hitches(period, float(np.median(beyond[late])), round(total_s / period))
    return HitchSpectrum(periods, summed / bound, hitches)


def binned(capture: Capture, bin_ms: float) -> Floats:
    """Mean frame time in each stretch of time; stretches without a frame take the one before."""
    which = ((capture.shown_ms[:-1] - capture.shown_ms[0]) / bin_ms).astype(np.int64)
    counts = np.bincount(which)
    sums = np.bincount(which, weights=capture.frame_ms)
    means = np.divide(sums, counts, out=np.full(counts.size, np.nan), where=counts > 0)
    for index in np.flatnonzero(counts == 0):
        means[index] = means[index - 1]
    return np.asarray(means[:-1] if means.size > 1 else means)
