"""Runs a trial on a rig: puts one version on, plays, puts the other on, plays; and everything back at the end."""

from collections.abc import Mapping

from keenlattice.errors import UsageError
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import TRIAL_METRICS, metrics_of
from keenlattice.profile.compare import changes
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.rig.base import Rig, game_of
from keenlattice.rig.change import changing
from keenlattice.trial.conclude import Numbers, concluded, settled
from keenlattice.trial.plan import Arm, Plan
from keenlattice.trial.player import Each, Player, entries_on, ignore, put_back
from keenlattice.trial.result import TrialResult


def run_trial(rig: Rig, before: Version, after: Version, plan: Plan, game: str | None = None,
              each: Each = ignore, done: Mapping[int, Capture] | None = None) -> TrialResult:
    """Plays two versions against each other and says what differs.

    Args:
        before, after: two versions of one profile.
        plan: how many blocks of which runs, what decides, and what matters.
        game: what is played; may be left out if the profile is a game's.
        each: is called with every run once it is done, for progress and for keeping captures; with one that went
            wrong, too, which is then played again.
        done: the runs that were played earlier, by their place in the plan: they are not played again.

    Raises:
        UsageError: versions of two profiles, or of the rig-wide one without a game.
        RigError: the rig refuses, or nothing can be recorded; it is put back to what it was.

    >>> import tempfile
    >>> from pathlib import Path
    >>> from keenlattice import open_rig, stock
    >>> rig = open_rig("standin", Path(tempfile.mkdtemp()))
    >>> shorter = Version("brass-orbit", {"frame.queue-depth": 1})
    >>> plan = Plan(blocks=4, seconds=20, seed=1, decides="latency_ms_median", matters_pct=3)
    >>> run_trial(rig, stock("brass-orbit"), shorter, plan).deciding.verdict
    'better'
    """
    played = game_of(rig, game_for(before, after, game)).name
    arms = {"before": entries_on(rig, before), "after": entries_on(rig, after)}
    done = done or {}
    runs: list[tuple[Arm, Numbers]] = []

    with changing(rig, f"trial of {before.reference} against {after.reference}") as change:
        player = Player(change, before.profile, played, plan.seconds, plan.warm_up_s, each)
        for place, (block, arm, seed) in enumerate(plan.runs()):
            capture = done[place] if place in done else player.play(place, block, arm, arms[arm], seed)
            runs.append((arm, metrics_of(capture, TRIAL_METRICS)))
            if settled(plan, runs):
                break
        put_back(change, [one.key for one in changes(arms["before"], arms["after"])])
    return concluded(plan, runs, TrialResult(played, before.reference, after.reference, plan, (), rig.name,
                                             excluded=tuple(player.excluded)))


def game_for(before: Version, after: Version, game: str | None) -> str:
    """What is played in a trial of two versions.

    Raises:
        UsageError: they are of two profiles, or of the rig-wide one without a game.
    """
    if before.profile != after.profile:
        raise UsageError(f"{before.reference} and {after.reference} are of two profiles; a trial compares two "
                         "versions of one")
    if game is None and before.profile == WHOLE_RIG:
        raise UsageError("a trial of rig-wide versions has to be told which game to play: --game GAME")
    return game or before.profile
