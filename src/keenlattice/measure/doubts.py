"""What speaks against a run: it is too short, the machine was busy or throttled, the game was still loading."""

import numpy as np

from keenlattice.measure.capture import BY_SCREEN, Capture
from keenlattice.measure.metrics import MIN_FRAMES
from keenlattice.measure.telemetry import part_title, throttled

LATE_SHARE = 0.10    # of frames whose word came late: an idle machine has up to half as many
MISSED_SHARE = 0.02  # of a screen's frames that may be missing: two frames taken for one hurt the worst
THROTTLED_PCT = 1.0
AT_RATE = 0.10       # of the screen's interval: a median frame as near to it is the screen's own
MOST_MISSED = 0.10   # beyond it a run does not count
FASTEST_MS = 0.5
MUCH_OF_A_FRAME = 5  # milliseconds: a frame as short is badly known if it is known to one


def held_by_screen(capture: Capture) -> float:
    """Return the screen's refresh rate, in Hz, if a run went as fast as the screen lets see; else 0.

    Of such a run only the frames that were shown are known: whatever the game drew beyond them is not.
    """
    refresh = capture.about.get("refresh_hz")
    if capture.about.get("recorded_by") != BY_SCREEN or not isinstance(refresh, int | float) or not refresh:
        return 0.0
    frames = capture.frame_ms
    at_rate = bool(frames.size) and abs(float(np.median(frames)) * refresh / 1000 - 1) < AT_RATE
    return float(refresh) if at_rate else 0.0


def doubts_of(capture: Capture) -> tuple[str, ...]:
    """Why the numbers of a run are not to be trusted, each in words; empty if nothing speaks against them."""
    doubts, frames = [], capture.frame_ms.size
    if frames < MIN_FRAMES and not (frames == 0 and capture.click_ms.size):  # latency alone may have been recorded
        doubts.append(f"only {frames} frames: numbers take {MIN_FRAMES} at least; record it for longer, with --seconds")
    sensor = capture.about.get("sensor")
    if capture.about.get("unsure") or (isinstance(sensor, dict) and sensor.get("unsure")):
        doubts.append("its film is not sure to show presses and their answers: keen latency FILM says why")
    late = capture.about.get("late_share")
    if isinstance(late, int | float) and late > LATE_SHARE:
        short = frames and float(capture.seconds * 1000 / frames) < MUCH_OF_A_FRAME
        doubts.append(f"the machine was busy: word of {100 * late:.0f} % of the frames came late, and when they were "
                      "drawn is known to 1 ms" + ", which is much for frames as short: do not trust their median and "
                                                "worst" * bool(short))
    missed = capture.about.get("missed_share")
    if isinstance(missed, int | float) and missed > MISSED_SHARE:
        doubts.append(f"the machine was busy: up to {100 * missed:.0f} % of the frames that the screen showed may have "
                      "been missed")
    if capture.about.get("recorded_by") == "damage" and frames and 1000 * capture.seconds / frames < FASTEST_MS:
        doubts.append("beyond two thousand frames a second, frame times recorded on X11 come out 3 to 5 % long")
    if step := capture.clock_ms:
        doubts.append(f"the screen was filmed at {1000 / step:.0f} pictures a second: frame times are multiples of "
                      f"{step:.1f} ms, and what the game draws beyond that rate is not seen")
    if refresh := held_by_screen(capture):
        doubts.append(f"it ran at the screen's {refresh:.0f} Hz, and what it draws beyond that is not seen: let keen "
                      "start the game (keen rig game NAME --command WORDS), and every frame counts")
    if capture.about.get("others_shown") is True:
        doubts.append("other windows were on the screen, and what they drew counts, too: run the game fullscreen")
    doubts += [f"the {part_title(part)} was throttled for {share:.0f} % of the time: it ran too hot, or took "
               "more power than it may" for part, share in throttled(capture).items() if share >= THROTTLED_PCT]
    if capture.about.get("steady") is False:
        doubts.append("its pace had not become steady before it was recorded: it may still have been loading")
    return tuple(doubts)
