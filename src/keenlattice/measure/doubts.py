"""What speaks against a run: it is too short, the machine was busy or throttled, the game was still loading."""

from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import MIN_FRAMES
from keenlattice.measure.telemetry import part_title, throttled

LATE_SHARE = 0.10    # of frames whose word came late: an idle machine has up to half as many
MISSED_SHARE = 0.02  # of frames of a screen after which one may be missing: two frames taken for one hurt the worst
THROTTLED_PCT = 1.0
MUCH_OF_A_FRAME = 5  # milliseconds: a frame as short is badly known if it is known to one


def doubts_of(capture: Capture) -> tuple[str, ...]:
    """Why the numbers of a run are not to be trusted, each in words; empty if nothing speaks against them."""
    found, frames = [], capture.frame_ms.size
    if frames < MIN_FRAMES:
        found.append(f"only {frames} frames: numbers take {MIN_FRAMES} at least; record it for longer, with --seconds")
    late = capture.about.get("late_share")
    if isinstance(late, int | float) and late > LATE_SHARE:
        short = frames and float(capture.seconds * 1000 / frames) < MUCH_OF_A_FRAME
        found.append(f"the machine was busy: word of {100 * late:.0f} % of the frames came late, and when they were "
                     "drawn is known to 1 ms" + ", which is much for frames as short: do not trust their median and "
                                                "worst" * bool(short))
    missed = capture.about.get("missed_share")
    if isinstance(missed, int | float) and missed > MISSED_SHARE:
        found.append(f"the machine was busy: word of {100 * missed:.0f} % of the frames came so late that the next may "
                     "have been missed")
    if capture.about.get("others_shown") is True:
        found.append("other windows were on the screen, and what they drew counts, too: run the game fullscreen")
    found += [f"the {part_title(part)} was throttled for {share:.0f} % of the time: it ran too hot, or took more power "
              "than it may" for part, share in throttled(capture).items() if share >= THROTTLED_PCT]
    if capture.about.get("steady") is False:
        found.append("its pace had not become steady before it was recorded: it may still have been loading")
    return tuple(found)
