"""Input latency: presses matched to what the screen did, from events, from sensors, or counted from a camera's frames.

Nothing is dropped unsaid: presses without an answer, answers without a press, several answers to one press and doubtful
ones are counted and listed.
"""

from collections.abc import Mapping, Sequence
from dataclasses import field
from typing import Any

import numpy as np

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import LONGEST_WAIT_MS, STAGES, Capture, Floats
from keenlattice.measure.edges import Steps, light_steps, presses
from keenlattice.measure.summaries import t_interval
from keenlattice.quickly import dataclass

SOONEST_MS, LATEST_MS = 0.5, 500.0
SURE_RATIO = 8.0
RESAMPLES = 2000


@dataclass(frozen=True)
class Doubt:
    """Something about one press, or about one answer, that a player may want to look at."""

    at_ms: float
    what: str


@dataclass(frozen=True, eq=False)
class Latency:
    """Presses and their answers.

    Args:
        press_ms: when each press was; shape (presses,).
        answer_ms: when the screen answered it, NaN where it did not; shape (presses,).
        unasked: answers that no press had asked for.
        doubts: what is to be looked at, in order of time.
        half_width_ms: how far off an answer may be because of how it was taken (a camera's frames, say); 0 if unknown.
        bias_ms: how far off all answers may be together, in one direction; 0 if that is unknown.
        about: how it was taken.
        stage_ms: how long each press spent in each stage that is known (`capture.STAGES`); shape (presses,).
    """

    press_ms: Floats
    answer_ms: Floats
    unasked: int = 0
    doubts: tuple[Doubt, ...] = ()
    half_width_ms: float = 0.0
    bias_ms: float = 0.0
    about: dict[str, Any] = field(default_factory=dict)
    stage_ms: dict[str, Floats] = field(default_factory=dict)

    @property
    def waits_ms(self) -> Floats:
        """From press to answer, of the presses that were answered."""
        waits = self.answer_ms - self.press_ms
        return waits[np.isfinite(waits)]

    @property
    def misses(self) -> int:
        return int(np.isnan(self.answer_ms).sum())

    def to_capture(self) -> Capture:
        """As a capture that has clicks and no frames."""
        return Capture(np.empty(0), self.press_ms, self.answer_ms, about={
            **self.about, "misses": self.misses, "unasked": self.unasked,
            "doubts": [[doubt.at_ms, doubt.what] for doubt in self.doubts]}, stage_ms=self.stage_ms)


def matched(press_ms: Floats, steps: Steps) -> Latency:
    """Presses with the first step of the light after each, in the direction that most answers have.

    A press is answered by a step from SOONEST_MS to LATEST_MS after it, and before the next press.

    Raises:
        CaptureError: no press, or no step at all.
    """
    if not press_ms.size:
        raise CaptureError("no press was found in the button's signal; is it the right channel, and was it pressed?")
    if not steps.at_ms.size:
        raise CaptureError("no step was found in the light's signal; is it the right channel, and did the screen "
                           "change?")
    first = np.searchsorted(steps.at_ms, press_ms + SOONEST_MS)
    answers = [steps.height[index] for index, at in zip(first, press_ms, strict=True)
               if index < steps.at_ms.size and steps.at_ms[index] <= at + LATEST_MS]
    up = np.sum(np.sign(answers)) >= 0
    chosen = steps.height > 0 if up else steps.height < 0
    at_ms, ratio, height = steps.at_ms[chosen], steps.ratio[chosen], np.abs(steps.height[chosen])
    usual = float(np.median(height)) if height.size else 0.0
    ends = np.minimum(press_ms + LATEST_MS, np.append(press_ms[1:], np.inf))
    answer, doubts, used = np.full(press_ms.size, np.nan), [], 0
    for number, (begin, end) in enumerate(zip(press_ms + SOONEST_MS, ends, strict=True)):
        inside = np.flatnonzero((at_ms >= begin) & (at_ms < end))
        used += inside.size
        if not inside.size:
            doubts.append(Doubt(float(press_ms[number]), "no answer"))
            continue
        answer[number] = at_ms[inside[0]]
        if inside.size > 1:
            doubts.append(Doubt(float(press_ms[number]), f"{inside.size} answers; the first one counts"))
        elif ratio[inside[0]] < SURE_RATIO:
            doubts.append(Doubt(float(press_ms[number]), "the answer hardly stands out of the noise"))
        elif height[inside[0]] < 0.6 * usual:
            doubts.append(Doubt(float(press_ms[number]), "the answer is much smaller than the others"))
    return Latency(press_ms, answer, int(at_ms.size - used), tuple(doubts), about={
        "polarity": "lights up" if up else "goes dark", "strobe_hz": steps.strobe_hz,
        "threshold": "half-way between the levels before and after"})


def from_sensor(button: Floats, light: Floats, rate_hz: float) -> Latency:
    """From a button's signal and a light sensor's, sampled together.

    Args:
        button, light: in any unit, either polarity; shape (samples,).
        rate_hz: samples a second.

    Raises:
        CaptureError: nothing is found in one of them.
    """
    return matched(presses(button, rate_hz), light_steps(light, rate_hz))


def from_events(press_ms: Floats, answer_ms: Floats, stage_ms: Mapping[str, Floats] | None = None) -> Latency:
    """From events: when presses were, and when the screen answered; each answer goes to the last press before it.

    Args:
        press_ms: shape (presses,), in any order.
        answer_ms: shape (answers,), in any order.
        stage_ms: how long each press spent in each stage that is known; shape (presses,).
    """
    answer = np.full(press_ms.size, np.nan)
    in_order = np.argsort(press_ms, kind="stable")
    pressed, doubts, unasked = press_ms[in_order], [], 0
    order = np.searchsorted(pressed, answer_ms, side="right") - 1
    for at, number in sorted(zip(answer_ms, order, strict=True)):
        if number < 0 or at - pressed[number] > LATEST_MS:
            unasked += 1
        elif np.isnan(answer[number]):
            answer[number] = at
        else:
            doubts.append(Doubt(float(pressed[number]), "several answers; the first one counts"))
    doubts += [Doubt(float(press), "no answer") for press in pressed[np.isnan(answer)]]
    return Latency(pressed, answer, unasked, tuple(sorted(doubts, key=lambda press: press.at_ms)),
                   stage_ms={name: times[in_order] for name, times in (stage_ms or {}).items()})


def of_capture(capture: Capture) -> Latency:
    """The clicks of a capture, however they were taken: from the live probe, say."""
    return Latency(capture.click_ms, capture.answer_ms, doubts=_doubtful(capture.click_ms, capture.answer_ms),
                   stage_ms=dict(capture.stage_ms))


def _doubtful(press_ms: Floats, answer_ms: Floats) -> tuple[Doubt, ...]:
    """Presses without an answer, and answers that come late for one."""
    doubts = [Doubt(float(press), "no answer") for press in press_ms[np.isnan(answer_ms)]]
    late = answer_ms - press_ms > LATEST_MS
    doubts += [Doubt(float(at), f"an answer only {wait:.0f} ms later: is it one?")
               for at, wait in zip(press_ms[late], (answer_ms - press_ms)[late], strict=True)]
    return tuple(sorted(doubts, key=lambda press: press.at_ms))


def stage_means(latency: Latency) -> dict[str, tuple[float, float, float]]:
    """Stage to (mean, low, high) in ms over the presses where it is known, with a Student t interval at 95 %.

    Where all of STAGES are known they add up to the mean latency.
    """
    known = {name: latency.stage_ms[name][np.isfinite(latency.stage_ms[name])]
             for name in STAGES if name in latency.stage_ms}
    return {name: t_interval(times, 0.95) for name, times in known.items() if times.size >= 2}


def from_camera(frames: Sequence[float], rate_hz: float) -> Latency:
    """From a high-speed camera: frames counted from the first that shows the press to the first that shows the answer.

    Either happened some time in the frame's interval before it was seen, so a count of n stands for anything from n - 1
    to n + 1 frames, n being as likely too long as too short. NaN stands for a press that was not answered.

    Raises:
        CaptureError: a count that cannot be, or a rate that cannot.
    """
    counts: Floats = np.asarray(frames, dtype=np.float64)
    if not 10 <= rate_hz <= 100_000:
        raise CaptureError(f"a camera of {rate_hz:g} frames a second: 10 to 100000 are read")
    if not counts.size or np.isinf(counts).any() or (counts[np.isfinite(counts)] < 0).any():
        raise CaptureError("a camera's tally holds counts of frames, none of them below zero")
    if np.nanmax(counts, initial=0.0) * 1000 / rate_hz > LONGEST_WAIT_MS:
        raise CaptureError(f"{np.nanmax(counts):g} frames at {rate_hz:g} a second are "
                           f"{np.nanmax(counts) / rate_hz:.0f} s: "
                           f"an answer takes at most {LONGEST_WAIT_MS / 1000:.0f} s; is the rate right?")
    at: Floats = np.arange(counts.size, dtype=np.float64) * 1000.0
    answer: Floats = np.asarray(at + counts * 1000 / rate_hz, dtype=np.float64)
    return Latency(at, answer, half_width_ms=1000 / rate_hz, doubts=_doubtful(at, answer),
                   about={"camera_hz": rate_hz})


@dataclass(frozen=True)
class Described:
    """A distribution of latency. Each interval describes this one recording: other recordings may differ by more.

    Args:
        answered: how many presses were.
        mean, mean_low, mean_high: in ms, with a Student t interval, and what may be off in all answers beyond it.
        spread: standard deviation in ms, without what the camera's frames add.
        percentiles: share in % to (value, low, high) in ms; low and high by resampling the presses.
        grid_ms: the steps that the values come in (a polling rate, a refresh), where they do; else None.
    """

    answered: int
    mean: float
    mean_low: float
    mean_high: float
    spread: float
    percentiles: dict[int, tuple[float, float, float]]
    grid_ms: float | None


def described(latency: Latency, seed: int = 1) -> Described:
    """The distribution of the waits.

    Raises:
        CaptureError: fewer than five presses were answered.
    """
    waits = latency.waits_ms
    if waits.size < 5:
        raise CaptureError(f"too few presses were answered ({waits.size}): five are needed for any number")
    mean, low, high = t_interval(waits, 0.95)
    # Counted in frames, a wait is off by the difference of two uniform parts of a frame: a variance of 1/6 of a frame.
    variance = max(0.0, float(waits.var(ddof=1)) - latency.half_width_ms ** 2 / 6)
    random = np.random.default_rng(seed)
    shares = (5, 50, 95)
    parts = [share / 100 for share in shares]
    again = np.quantile(waits[random.integers(0, waits.size, (RESAMPLES, waits.size))], parts, axis=1)
    lows, highs = np.quantile(again, 0.025, axis=1), np.quantile(again, 0.975, axis=1)
    wide = latency.half_width_ms + latency.bias_ms
    values = np.quantile(waits, parts)
    return Described(int(waits.size), mean, low - latency.bias_ms, high + latency.bias_ms, variance ** 0.5, {
        share: (float(value), float(lower) - wide, float(upper) + wide)
        for share, value, lower, upper in zip(shares, values, lows, highs, strict=True)},
        None if wide else grid_of(waits))


def grid_of(waits: Floats) -> float | None:
    """The steps in ms that values come in; None if they come in none.

    With many values on a few steps, nearly all differences are multiples of one step: looked for from 1 to 40 ms, and
    believed if chance would put the values so near to a grid in fewer than one of a thousand recordings.
    """
    if waits.size < 20:
        return None
    steps = np.geomspace(1.0, 40.0, 1500)
    turns = np.exp(2j * np.pi * waits[None, :] / steps[:, None])
    strength = np.abs(turns.mean(axis=1)) ** 2 * waits.size  # exponential with mean 1, if there is no grid
    usable = steps < 0.75 * float(np.ptp(waits))  # within less than a step or two everything looks like one
    if not usable.any():
        return None
    best = int(np.argmax(np.where(usable, strength, 0)))
    sure = strength[best] > np.log(1000 * steps.size) and strength[best] > 0.5 * waits.size
    return float(steps[best]) if sure else None
