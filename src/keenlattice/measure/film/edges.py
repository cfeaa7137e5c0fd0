"""Edges in the light of an area of a film: when a lamp or a screen comes on or goes off, between pictures where that
can be told."""

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.measure.edges import Steps, apart, peaks_of, step_heights, usual_height

MEAN_MS = 12.0        # the light before an edge and after it is averaged over this long, two pictures at least
LEVEL_MS = 80.0       # and its levels are taken over this long, unless another edge comes first
NOISE_TIMES = 6.0     # an edge has to stand this far above the noise of such averages,
TYPICAL_SHARE = 0.35  # be this share of the usual edge,
LEAST = 0.002         # and this much of all the light that the camera can tell, at least
LINES, LINE_FROM_HZ, LINE_SHARE = 4, 15.0, 0.1  # flicker: how many lines, from where on, with how much of what changes


def edges(at_ms: Floats, light: Floats) -> Steps:
    """Return every edge of the light, up and down.

    An edge is dated to when the light has come half-way between its levels, on a straight line between two pictures.
    That is right on average however long the shutter is open: a picture that was exposed while the light came on is
    partly bright, and if none was, the light came on somewhere between two pictures.

    Args:
        at_ms: when each picture was taken; shape (pictures,), rising.
        light: what the camera received of the area, 0 to 1; shape (pictures,).
    """
    interval = float(np.median(np.diff(at_ms))) if at_ms.size > 1 else 0.0
    width = max(2, round(MEAN_MS / interval)) if interval else 2
    if light.size < 6 * width:
        return Steps(np.empty(0), np.empty(0), np.empty(0), None, 0.0)
    calm = without_flicker(light, 1000 / interval)
    heights = step_heights(calm, width)
    noise = 1.4826 * float(np.median(np.abs(heights)))
    peaks = peaks_of(np.abs(heights), width)
    size = np.abs(heights[peaks])
    peaks = apart(heights, peaks[size > max(NOISE_TIMES * noise, TYPICAL_SHARE * usual_height(size), LEAST)])
    reach = max(width, round(LEVEL_MS / interval))
    before = np.minimum(np.diff(peaks, prepend=-reach), reach)
    after = np.minimum(np.diff(peaks, append=light.size + reach), reach)
    crossing = [_half_way(calm, at_ms, *place, width)
                for place in zip(peaks.tolist(), before.tolist(), after.tolist(), strict=True)]
    ratio = np.abs(heights[peaks]) / noise if noise else np.full(peaks.size, np.inf)
    return Steps(np.array(crossing), heights[peaks], ratio, None, noise)


def without_flicker(light: Floats, rate_hz: float) -> Floats:
    """The light without what flickers in it: lamps on the mains, and screens that are dimmed by pulses.

    A film takes too few pictures a second to see the flicker itself; what it sees is a line at the difference to a
    multiple of its own rate. Up to LINES of them are fitted to the changes that are not edges, and taken off.
    """
    change = np.diff(light)
    limit = 4 * 1.4826 * float(np.median(np.abs(change))) + 1e-12
    calm = np.abs(change) <= limit
    if calm.sum() < 64:
        return light
    time, result = np.arange(light.size) / rate_hz, light.copy()
    middle = (time[1:] + time[:-1]) / 2
    left = np.where(calm, change, 0.0)
    for _ in range(LINES):
        hz = _strongest_line(left, rate_hz)
        if not hz:
            break
        turn = 2 * np.pi * hz
        waves = np.stack([np.cos(turn * middle[calm]), np.sin(turn * middle[calm])], 1)
        (a, b), *_ = np.linalg.lstsq(waves, left[calm], rcond=None)
        fit = waves @ np.array([a, b])
        if float(fit.var()) < LINE_SHARE * float(left[calm].var()):
            break
        left[calm] -= fit
        gain = 2 * np.sin(turn / (2 * rate_hz))  # a difference of a wave is its slope, this much smaller
        result -= (a * np.sin(turn * time) - b * np.cos(turn * time)) / gain
    return result


def _strongest_line(signal: Floats, rate_hz: float) -> float:
    """The frequency at which a signal has the most power, between the bins of its spectrum."""
    size = 1 << (4 * signal.size - 1).bit_length()
    power = np.abs(np.fft.rfft(signal * np.hanning(signal.size), size)) ** 2
    hz = np.arange(power.size) * rate_hz / size
    power[(hz < LINE_FROM_HZ) | (hz > 0.48 * rate_hz)] = 0
    peak = int(np.argmax(power))
    if not 0 < peak < power.size - 1 or not power[peak - 1] * power[peak + 1]:
        return float(hz[peak]) if power[peak] else 0.0
    low, middle, high = np.log(power[peak - 1:peak + 2])
    return float(hz[peak] + (high - low) / (2 * (2 * middle - low - high)) * (hz[1] - hz[0]))  # of a parabola


def _half_way(light: Floats, at_ms: Floats, peak: int, before: int, after: int, width: int) -> float:
    """When the light has come half-way; `before` and `after` are how many pictures off the edges around it are."""
    first, last = max(0, peak - max(2, before // 2)), min(light.size, peak + max(2, after * 4 // 5))
    was = np.median(light[first:max(first + 1, peak - min(width, before // 3))])
    settles = np.median(light[min(last - 1, peak + after // 2):last])
    first = max(0, peak - width - 1)
    part = light[first:peak + width + 1] - (was + settles) / 2
    crossing = np.flatnonzero((part[1:] > 0) != (part[:-1] > 0))
    if not crossing.size:
        return float(at_ms[peak] + at_ms[peak - 1]) / 2
    nearest = crossing[int(np.argmin(np.abs(crossing + first + 0.5 - (peak - 0.5))))]
    share = part[nearest] / (part[nearest] - part[nearest + 1])
    index = first + nearest
    return float(at_ms[index] + share * (at_ms[index + 1] - at_ms[index]))
