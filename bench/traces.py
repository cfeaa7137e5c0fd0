"""Simulated signals of a button and a light sensor whose truth is known: finding flashes is scored against it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Trace:
    """Signals sampled together, and the truth: when each press was, and when the light had come half-way, in ms."""

    button: Floats
    light: Floats
    rate_hz: float
    press_ms: Floats
    half_way_ms: Floats


def trace(rate_hz: float, snr: float, *, strobe_hz: float = 0.0, panel_ms: float = 0.3, drift: float = 0.0,
          hum: float = 0.0, seed: int = 1, presses: int = 60, inverted: bool = False, fading_s: float = 0.0) -> Trace:
    """A press every 0.7 s or so, answered by a flash of 250 ms.

    Args:
        snr: height of a flash over the noise of a sample (standard deviation).
        strobe_hz: of the backlight, lit for 40 % of the time; 0 for none.
        panel_ms: time constant of the panel, which rises and falls exponentially.
        drift, hum: amplitudes of a slow wave and of 50 Hz, in heights of a flash.
        inverted: whether the sensor gives less for more light.
        fading_s: time constant with which the sensor forgets a level, as behind a capacitor or automatic gain; 0 for
            never.
    """
    random = np.random.default_rng(seed)
    at = np.arange(int((presses * 0.7 + 1) * rate_hz)) / rate_hz
    press = 0.5 + 0.7 * np.arange(presses) + random.uniform(0, 0.1, presses)
    lit = press + random.uniform(0.012, 0.06, presses)
    light, button = np.zeros(at.size), np.zeros(at.size)
    for begin, end in zip(lit, lit + 0.25, strict=True):
        near = slice(int((begin - 0.01) * rate_hz), int((end + 0.2) * rate_hz))
        light[near] += _risen(at[near] - begin, panel_ms) - _risen(at[near] - end, panel_ms)
    if strobe_hz:
        light *= ((at * strobe_hz + random.uniform()) % 1 < 0.4) / 0.4
    if fading_s:
        light = _faded(light, np.exp(-1 / (fading_s * rate_hz)))
    light += drift * np.sin(2 * np.pi * at / 17) + hum * np.sin(2 * np.pi * 50 * at + 1)
    light += random.normal(0, 1 / snr, at.size)
    for one in press:  # the contact bounces for some ms
        for begin, end in ((0.0, 0.0015), (0.003, 0.08)):
            button[int(np.ceil((one + begin) * rate_hz)):int((one + end) * rate_hz) + 1] = 1
    return Trace(button, -light if inverted else light, rate_hz, press * 1000,
                 (lit + np.log(2) * panel_ms / 1000) * 1000)


def _risen(since_s: Floats, panel_ms: float) -> Floats:
    return np.where(since_s > 0, 1 - np.exp(-np.maximum(since_s, 0) * 1000 / panel_ms), 0.0)


def _faded(light: Floats, keep: float) -> Floats:
    from scipy.signal import lfilter

    return np.asarray(lfilter([1, -1], [1, -keep], light))
