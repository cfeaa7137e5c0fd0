"""How long a person takes to change a setting by hand: learnt from steps that were taken, for the plans that follow."""

import json
from pathlib import Path
from statistics import median

from keenlattice.files import read_bounded, replace_file
from keenlattice.safejson import parse_json

FILE, MOST_BYTES, KEPT = "pace.json", 64_000, 60
GUESSED_MINUTES = 0.75
HANDLING_MINUTES = 0.25
"""What a run takes beside its length: starting the game, and handing the recording over. A guess."""
LONGEST_MINUTES = 20.0


RESTARTS_MINUTES = {"none": 0.0, "game": 0.5, "driver": 1.5, "machine": 3.0}
"""What a restart takes beside the steps. A guess."""
BETWEEN_SWITCHES = 0.5
"""Which share of the noise within a switch is taken to come with the switch itself, for planning alone."""
MOST_REPEATS = 4


def cheapest_repeats(switch_minutes: float, run_minutes: float) -> int:
    """How many runs to play between two switches so that the time spent tells most.

    With the variance b that comes with a switch and w within, n switches of r runs know a mean to (b + w / r) / n, and
    take n (s + r t) minutes: least for r = sqrt(s w / (t b)) (W. G. Cochran, "Sampling Techniques", 1977).

    Args:
        switch_minutes: s.
        run_minutes: t.
    """
    best: float = (switch_minutes / run_minutes / BETWEEN_SWITCHES) ** 0.5
    return max(1, min(MOST_REPEATS, round(best)))


def minutes_a_step(home: Path) -> float:
    """How long a step takes: the median of those that were timed; before any were, a guess.

    Args:
        home: of the rig.
    """
    minutes = _known(home)
    return median(minutes) if minutes else GUESSED_MINUTES


def is_learnt(home: Path) -> bool:
    """Whether that is known from steps that were timed."""
    return bool(_known(home))


def learn(home: Path, steps: int, minutes: float) -> None:
    """Keeps how long some steps took; a long break is none of them.

    Args:
        home: of the rig.
        steps: how many, at least one.
    """
    if steps and 0 < minutes / steps <= LONGEST_MINUTES:
        kept = [*_known(home), round(minutes / steps, 3)][-KEPT:]
        replace_file(home / FILE, json.dumps(kept).encode())


def minutes_left(home: Path, runs: int, seconds: float, steps: float) -> float:
    """About how long some runs take, with this many steps before each.

    Args:
        home: of the rig.
        seconds: the length of a run.
    """
    return runs * (seconds / 60 + HANDLING_MINUTES + steps * minutes_a_step(home))


def _known(home: Path) -> list[float]:
    """What was kept; nothing, if that cannot be read: it is no more than an estimate."""
    try:
        minutes = parse_json(read_bounded(home / FILE, MOST_BYTES) or b"[]")
    except (OSError, ValueError):
        return []
    if not isinstance(minutes, list):
        return []
    return [float(value) for value in minutes if isinstance(value, int | float) and 0 < value <= LONGEST_MINUTES]
