"""Where a sensor's signal changes: presses of a button, and steps of the light that a screen gives off."""

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass

DEBOUNCE_MS = 30.0
STEP_MS = 8.0            # the light before a step and after it is averaged over this long
SETTLED_MS = 160.0       # a slow panel has settled by then, unless the next step comes first
SMOOTH_MS = 0.25
SPLIT_SHARE = 0.5        # of the smaller of two steps: what lies between them falls to it, or they are one
PHASES = 64
FITS, FEWEST = 4, 6      # of a parabola to a panel's rise, and samples on either side
NOISE_TIMES = 5.0        # a step has to stand this far above the noise of such an average,
TYPICAL_SHARE = 0.4      # and be this share of the usual step at least
STROBE_HZ = (70.0, 2000.0)
STROBE_SHARE = 0.4       # of the power among STROBE_HZ that is near one line, if the backlight is strobed
LINE_HZ = 5.0
HUM_HZ = (50.0, 60.0)
HUM_MEAN_MS = 0.5


@dataclass(frozen=True)
class Steps:
    """Steps of the light.

    Args:
        at_ms: when each has come half-way; shape (steps,), between samples where that is so.
        height: how far it went, in the signal's unit, signed; shape (steps,).
        ratio: its height over the noise of the averages that it was found with; shape (steps,).
        strobe_hz: the backlight's, if it is strobed; else None.
        noise: of single samples, in the signal's unit.
    """

    at_ms: Floats
    height: Floats
    ratio: Floats
    strobe_hz: float | None
    noise: float


def presses(signal: Floats, rate_hz: float) -> Floats:
    """When a button was pressed, in ms from the first sample; shape (presses,).

    A level (a switch): the signal leaves the level that it rests at, by more than half of the way to the other one. A
    sound or a pulse (a microphone, a switch behind a capacitor): it leaves its noise, by NOISE_TIMES. Whatever follows
    within DEBOUNCE_MS belongs to the same press.
    """
    if signal.size < 4:
        return np.empty(0)
    rest = float(np.median(signal))
    away = np.abs(signal - rest)
    noise = 1.4826 * float(np.median(away))
    reach = float(np.quantile(away, 1 - min(0.5, 8 / signal.size)))
    if reach <= NOISE_TIMES * noise or reach == 0:
        return np.empty(0)
    bound = max(0.5 * reach if _is_level(away, reach) else 0.1 * reach, NOISE_TIMES * noise)
    beyond = away > bound
    index = np.flatnonzero(beyond[1:] & ~beyond[:-1]) + 1
    at = (index - 1 + (bound - away[index - 1]) / (away[index] - away[index - 1])) * 1000 / rate_hz
    active = np.flatnonzero(beyond)
    before = np.searchsorted(active, index)  # how many samples were active before this one
    rested = np.where(before > 0, (index - active[np.maximum(before - 1, 0)]) * 1000 / rate_hz, np.inf)
    return np.asarray(at[rested > DEBOUNCE_MS])


def _is_level(away: Floats, reach: float) -> bool:
    """Whether the signal stays where it went, as a switch's does, and not only for a moment or in swings."""
    begins, ends = stretches(away > 0.5 * reach)
    return bool(begins.size and np.median(ends - begins) >= 8)


def stretches(mask: NDArray[np.bool_]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Where each stretch of a mask begins, and where it has ended; shape (stretches,) each."""
    turns = np.flatnonzero(np.diff(np.concatenate(([False], mask, [False])).astype(np.int8)))
    return turns[::2], turns[1::2]


def light_steps(signal: Floats, rate_hz: float) -> Steps:
    """Every step of the light, up or down.

    A strobed backlight is divided out, and mains hum is fitted and taken off. A step is where the mean of the next
    STEP_MS differs most from that of the last, by NOISE_TIMES the noise of such a difference and by TYPICAL_SHARE of
    the usual step. Its moment is when the light has come half-way from where it was to where it settles: of a slow
    panel, the middle of its response. If noise makes it cross that level several times, the middle one counts.
    """
    width = max(2, round(STEP_MS * rate_hz / 1000))
    if signal.size < 4 * width:
        return Steps(np.empty(0), np.empty(0), np.empty(0), None, 0.0)
    strobe = strobe_hz(signal, rate_hz)
    every = np.ones(signal.size, dtype=bool)
    light, seen = (signal, every) if strobe is None else _without_strobe(signal, strobe / rate_hz)
    light = light - _hum(light, rate_hz)
    difference = step_heights(light, width)
    noise = 1.4826 * float(np.median(np.abs(difference - np.median(difference))))
    size = np.abs(difference)
    peaks = peaks_of(size, width)
    usual = usual_height(size[peaks])
    steps = peaks[(size[peaks] > NOISE_TIMES * noise) & (size[peaks] > TYPICAL_SHARE * usual) & (usual > 0)]
    steps = apart(difference, steps)
    bright = Bright(light, seen, _averaged(light, SMOOTH_MS * rate_hz / 1000))
    longest = round(SETTLED_MS * rate_hz / 1000)
    before = np.minimum(np.diff(steps, prepend=-longest), longest)
    after = np.minimum(np.diff(steps, append=light.size + longest), longest)
    places = zip(steps.tolist(), before.tolist(), after.tolist(), strict=True)
    at = np.array([_half_way(bright, *place, width) for place in places])
    ratio = size[steps] / noise if noise else np.full(steps.size, np.inf)
    return Steps(at * 1000 / rate_hz, difference[steps], ratio, strobe, noise)


def strobe_hz(signal: Floats, rate_hz: float) -> float | None:
    """How often the backlight is strobed; None if no line stands out."""
    power = np.abs(np.fft.rfft((signal - signal.mean()) * np.hanning(signal.size))) ** 2
    hz = np.fft.rfftfreq(signal.size, 1 / rate_hz)
    wanted = (hz >= STROBE_HZ[0]) & (hz <= min(STROBE_HZ[1], 0.49 * rate_hz))
    if not wanted.any() or not power[wanted].sum():
        return None
    inside = np.where(wanted, power, 0.0)
    peak = int(np.argmax(inside))
    near = np.abs(hz - hz[peak]) <= LINE_HZ  # flashes, on and off, make the line broader
    if inside[near].sum() < STROBE_SHARE * inside.sum():
        return None
    # Pulses have harmonics, and the strongest may be one: the lowest line that holds a good part of it is the strobe.
    for part in (4, 3, 2):
        low = round(peak / part)
        around = inside[max(0, low - 2):low + 3]
        if around.size and around.max() > 0.1 * inside[peak]:
            peak = max(0, low - 2) + int(np.argmax(around))
            break
    weights = inside[max(0, peak - 1):peak + 2]
    return float((hz[max(0, peak - 1):peak + 2] * weights).sum() / weights.sum())


def _averaged(signal: Floats, length: float) -> Floats:
    """The mean over `length` samples around each, which need not be a whole number."""
    if length <= 1:
        return signal
    total = np.concatenate(([0.0], np.cumsum(signal)))
    middle = np.arange(signal.size) + 0.5
    low = np.clip(middle - length / 2, 0, signal.size)
    high = np.clip(middle + length / 2, 0, signal.size)
    edges = np.arange(total.size)
    return np.asarray((np.interp(high, edges, total) - np.interp(low, edges, total)) / (high - low))


def _hum(light: Floats, rate_hz: float) -> Floats:
    """Mains hum: the better of 50 and 60 Hz with its double, fitted to the changes that are not steps; else 0.

    It is looked for in means of about HUM_MEAN_MS: from one sample to the next there is far more noise than hum.
    """
    at = np.arange(light.size) / rate_hz
    together = max(1, round(HUM_MEAN_MS * rate_hz / 1000))
    length = light.size // together * together
    change, middle = np.diff(light[:length].reshape(-1, together).mean(axis=1)), (together - 1) / 2 / rate_hz
    rate_hz /= together
    limit = 4 * 1.4826 * float(np.median(np.abs(change))) + 1e-30
    calm = np.abs(change) <= limit
    time = (np.arange(change.size) + 0.5) / rate_hz + middle
    best, share = np.zeros(light.size), 30 / max(1, int(calm.sum()))
    for base in HUM_HZ:
        if rate_hz < 5 * base or calm.sum() < 50:
            continue
        waves = [wave(2 * np.pi * base * n * time[calm]) for n in (1, 2) for wave in (np.cos, np.sin)]
        fit, *_ = np.linalg.lstsq(np.stack(waves, 1), change[calm], rcond=None)
        explained = float(np.var(np.stack(waves, 1) @ fit) / max(float(np.var(change[calm])), 1e-30))
        if explained > share:
            share, best = explained, np.zeros(light.size)
            for n in (1, 2):
                a, b = fit[2 * n - 2:2 * n]
                turn = 2 * np.pi * base * n
                # A difference of a wave is the wave's slope, this much smaller; so is a mean of it.
                gain = 2 * np.sin(turn / (2 * rate_hz)) * np.sinc(base * n / rate_hz * (together > 1))
                best += (a * np.sin(turn * at) - b * np.cos(turn * at)) / gain
    return best


def step_heights(light: NDArray[np.floating], width: int) -> Floats:
    """The mean of the next `width` samples less that of the last, along the first axis; 0 where there are not enough.

    At index i the samples from i on are the next ones.
    """
    total = np.cumsum(light, axis=0, dtype=np.float64)
    total = np.concatenate((np.zeros_like(total[:1]), total))
    heights = np.zeros_like(total[:-1])
    heights[width:-width + 1 or None] = (total[2 * width:] - 2 * total[width:-width] + total[:-2 * width]) / width
    return heights


def peaks_of(size: Floats, width: int) -> NDArray[np.intp]:
    """Where a step is at its largest, with none larger within `width`."""
    from scipy.ndimage import maximum_filter1d

    top = (size == maximum_filter1d(size, 2 * width + 1)) & (size > 0)
    index = np.flatnonzero(top)
    return index[np.diff(index, prepend=-2 * width) > width] if index.size else index


def usual_height(size: Floats) -> float:
    """How high the highest twentieth of steps is, or the three highest; 0 if there are none."""
    return float(np.median(np.sort(size)[-max(3, size.size // 20):])) if size.size else 0.0


def apart(heights: Floats, peaks: NDArray[np.intp]) -> NDArray[np.intp]:
    """Peaks without those that noise has split off: of two in one direction between which it never falls to half of the
    smaller one, the larger stays."""
    kept: list[int] = []
    for peak in peaks.tolist():
        if kept and (heights[kept[-1]] > 0) == (heights[peak] > 0):
            last = kept[-1]
            smaller = min(abs(heights[last]), abs(heights[peak]))
            if np.abs(heights[last:peak]).min() > SPLIT_SHARE * smaller:
                kept[-1] = max(last, peak, key=lambda place: abs(heights[place]))
                continue
        kept.append(peak)
    return np.array(kept, dtype=np.intp)


@dataclass(frozen=True, eq=False)
class Bright:
    """The light, which of its samples were seen and not drawn between others, and the light smoothed; (samples,)."""

    light: Floats
    seen: NDArray[np.bool_]
    smooth: Floats


def _half_way(bright: Bright, peak: int, before: int, after: int, width: int) -> float:
    """The sample, between two perhaps, at which the light has come half-way from where it was to where it settles.

    `before` and `after` are how far off the steps around it are, or SETTLED_MS: the levels are taken in between.
    """
    light = bright.smooth
    begin, end = max(0, peak - 4 * before // 5), min(light.size, peak + 4 * after // 5)
    was = np.median(light[begin:max(begin + 1, peak - max(width, before // 10))])
    settles = np.median(light[min(end - 1, peak + 2 * after // 5):end])
    first = max(0, peak - 2 * width)
    part = light[first:min(light.size, peak + 3 * width)] - (was + settles) / 2
    slow = int((np.abs(part) < abs(settles - was) / 4).sum())  # samples in the middle half of the way
    part = _averaged(part, slow / 3)
    crossing = np.flatnonzero((part[1:] > 0) != (part[:-1] > 0))
    if not crossing.size:
        return float(peak)
    exact = crossing + part[crossing] / (part[crossing] - part[crossing + 1])
    return _refined(bright, first + float(np.median(exact)), (was + settles) / 2, slow / 2)


def _refined(bright: Bright, at: float, level: float, reach: float) -> float:
    """A crossing of a level made exact: a parabola through what was seen `reach` samples to either side.

    Averages alone date a panel's rise too late, since it bends. A rise of too few samples is left as it was found.
    """
    for _ in range(FITS):
        index = np.arange(max(0, round(at - reach)), min(bright.light.size, round(at + reach) + 1))
        index = index[bright.seen[index]]
        if min((index < at).sum(), (index > at).sum()) < FEWEST:
            return at
        c, b, a = np.polyfit((index - at) / reach, bright.light[index] - level, 2)[::-1]
        roots = np.roots([a, b, c])
        real = roots[np.isreal(roots)].real
        if not real.size or abs(step := real[np.argmin(np.abs(real))]) > 1:
            return at
        at += float(step) * reach
    return at


def _dark_level(signal: Floats, dark: NDArray[np.bool_], block: int, otherwise: Floats) -> Floats:
    """What the sensor gives while the backlight is off, followed as it drifts: the mean of each block's dark samples.

    A low quantile of a block would depend on whether the screen is lit, and so shift the level half-way.
    """
    length = signal.size // block * block
    counts = dark[:length].reshape(-1, block).sum(axis=1)
    sums = np.where(dark[:length], signal[:length], 0.0).reshape(-1, block).sum(axis=1)
    levels = np.flatnonzero(counts)
    if not levels.size:
        return otherwise
    return np.asarray(np.interp(np.arange(signal.size), (levels + 0.5) * block, sums[levels] / counts[levels]))


def _without_strobe(signal: Floats, turns: float) -> tuple[Floats, NDArray[np.bool_]]:
    """The light as it would be without the strobe, and which samples of it were seen.

    The shape is had by folding the signal at the strobe's period (`turns` is that of one sample); where the strobe is
    dark nothing can be known, and the light is drawn straight from the last bright sample to the next. So a screen that
    lights up while the backlight is off is dated to the middle of that time.
    """
    block = max(4, round(3 / turns))
    blocks = signal[:signal.size // block * block].reshape(-1, block)
    middles = (np.arange(len(blocks)) + 0.5) * block
    floor = np.interp(np.arange(signal.size), middles, np.quantile(blocks, 0.1, axis=1))
    light = signal - floor
    bright = light > 0.5 * np.quantile(light, 0.995)
    phase = (np.arange(signal.size) * turns % 1 * PHASES).astype(np.int64)
    count = np.bincount(phase, minlength=PHASES)
    shape = np.bincount(phase[bright], minlength=PHASES) / np.maximum(count, 1)
    dark = (count > 0) & (shape <= 0.5 * shape.max())
    lit = (count > 0) & ~dark & ~np.roll(dark, 1) & ~np.roll(dark, -1)  # the edges of a pulse are neither
    seen = lit[phase]
    index = np.flatnonzero(seen)
    if not index.size:
        return signal, np.ones(signal.size, dtype=bool)
    light = signal - _dark_level(signal, (dark & np.roll(dark, 1) & np.roll(dark, -1))[phase], block, floor)
    return np.asarray(np.interp(np.arange(signal.size), index, light[index])), seen
