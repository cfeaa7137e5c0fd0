"""The frames of a run and what a sensor recorded of it, as one capture."""

from dataclasses import replace

import numpy as np

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Capture
from keenlattice.measure.latency import Latency


def with_latency(run: Capture, found: Latency, warm_up_ms: float = 0.0) -> Capture:
    """A run with the presses and answers of a sensor beside its frames.

    The two were recorded on clocks of their own, begun by hand: presses count from the sensor's first sample, or of
    events and tallies from the first press. So a press and a frame are on one scale to a second or so, which is enough
    to cut a warm-up off; how long an answer took is on the sensor's clock alone. A camera's tally has no times: its
    presses are spread over what comes after the warm-up.

    Args:
        warm_up_ms: what is cut off later.

    Raises:
        CaptureError: the run has clicks of its own; or no press was answered.
    """
    if run.click_ms.size:
        raise CaptureError("the recording of frames holds clicks of its own already: hand it over without the sensor's")
    if not found.waits_ms.size:
        raise CaptureError("the sensor saw no press answered: is it where the screen answers, and was it pressed?")
    waits, press = found.answer_ms - found.press_ms, found.press_ms
    if found.half_width_ms:
        press = np.linspace(warm_up_ms, max(warm_up_ms, 1000 * run.seconds), press.size + 2)[1:-1]
    elif not found.about.get("rate_hz"):
        press = press - press.min()
    return replace(run, click_ms=press, answer_ms=press + waits, stage_ms=found.stage_ms,
                   about={**run.about, "sensor": dict(found.to_capture().about)})
