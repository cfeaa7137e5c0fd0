"""Runs a trial on a rig: puts one version on, plays, puts the other on, plays; and everything back at the end."""

from collections.abc import Callable
from dataclasses import dataclass

from keenlattice.errors import RigError, UsageError
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import TRIAL_METRICS, metrics_of
from keenlattice.profile.compare import changes
from keenlattice.profile.concrete import concrete
from keenlattice.profile.version import WHOLE_RIG, Entries, Version
from keenlattice.rig.apply import restart_for
from keenlattice.rig.base import Rig, game_of
from keenlattice.rig.change import Change, changing
from keenlattice.trial.conclude import conclude
from keenlattice.trial.plan import Arm, Plan
from keenlattice.trial.result import TrialResult


@dataclass(frozen=True)
class Run:
    """One run of a trial."""

    block: int
    arm: Arm
    capture: Capture


def run_trial(rig: Rig, before: Version, after: Version, plan: Plan, game: str | None = None,
              each: Callable[[Run], None] = lambda run: None) -> TrialResult:
    """Plays two versions against each other and says what differs.

    Args:
        before, after: two versions of one profile.
        game: what is played; may be left out if the profile is a game's.
        each: is called with every run once it is done, for progress and for keeping captures.

    Raises:
        UsageError: versions of two profiles, or of the rig-wide one without a game.
        RigError: the rig refuses, or nothing can be recorded; it is put back to what it was.
    """
    if before.profile != after.profile:
        raise UsageError(f"{before.reference} and {after.reference} are of two profiles; a trial compares two "
                         "versions of one")
    if game is None and before.profile == WHOLE_RIG:
        raise UsageError("a trial of rig-wide versions has to be told which game to play: --game GAME")
    played = game_of(rig, game or before.profile).name
    arms = {"before": _known(rig, before), "after": _known(rig, after)}
    numbers: dict[Arm, list[dict[str, float]]] = {"before": [], "after": []}
    with changing(rig, f"trial of {before.reference} against {after.reference}") as change:
        for block, arm, seed in plan.runs():
            _put_on(change, before.profile, arms[arm])
            capture = rig.play(played, plan.seconds, seed)
            numbers[arm].append(metrics_of(capture, TRIAL_METRICS))
            each(Run(block, arm, capture))
        differing = [one.key for one in changes(arms["before"], arms["after"])]
        _put_back(change, before.profile, differing)
    return TrialResult(played, before.reference, after.reference, plan,
                       conclude(plan, numbers["before"], numbers["after"]), rig.name)


def _known(rig: Rig, version: Version) -> Entries:
    catalog = rig.catalog()
    unknown = [key for key in version.entries if key not in catalog]
    if unknown:
        raise UsageError(f"{version.reference} sets {', '.join(unknown)}, which the rig {rig.name} does not have")
    return concrete(catalog, version.entries, rig.facts())


def _put_on(change: Change, owner: str, entries: Entries) -> None:
    """Makes the rig hold exactly these entries for the owner, restarts what has to, and reads them back."""
    rig, state = change.rig, change.rig.state()
    found = changes(rig.values(state, owner), entries)
    if not found:
        return
    change.put(rig.changed(state, owner, {one.key: one.after for one in found}))
    needed = restart_for(rig, [one.key for one in found])
    if needed in ("driver", "machine"):  # the game itself is started anew for every run
        rig.restart(needed)
    wrong = changes(rig.values(rig.state(), owner), entries)
    if wrong:
        raise RigError(f"the rig {rig.name} did not take {', '.join(one.key for one in wrong)}; the trial was ended")


def _put_back(change: Change, owner: str, differing: list[str]) -> None:
    change.take_back()
    needed = restart_for(change.rig, differing)
    if needed in ("driver", "machine"):
        change.rig.restart(needed)
