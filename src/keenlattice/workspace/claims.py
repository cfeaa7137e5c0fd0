"""Claims: what a pack's author says a change does, measured here."""

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.errors import UsageError
from keenlattice.profile.version import Version
from keenlattice.workspace._play import StudyPlayer
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.packs import Packs

if TYPE_CHECKING:
    from keenlattice.profile._offer import OfferedRule
    from keenlattice.profile.pack import Claim
    from keenlattice.study.record import Progress
    from keenlattice.study.trial.plan import TrialPlan
    from keenlattice.study.trial.result import Trial
    from keenlattice.workspace.played import Played


@dataclass(frozen=True)

class ClaimResult:
    """A claim, and whether it holds on this rig: "holds", "does not hold" or "unclear"."""

    claim: "Claim"
    here: str


@dataclass(frozen=True)

class Repeated:
    """A rule of a pack whose claims were repeated here, on top of which base; or why they were not.

    Where the latest version has what the rule sets, the base is that version without it.
    """

    rule: int
    not_repeated: str
    claims: tuple[ClaimResult, ...] = ()
    trial: "Played[Trial] | None" = None
    base: str = ""
    offered: "OfferedRule | None" = field(default=None, metadata=NOT_IN_JSON)


@dataclass(frozen=True, repr=False)

class ClaimsResult(Result):
    """What a pack claims, held against what was measured here."""

    SCHEMA: ClassVar[str] = "claims"

    pack: str
    rig: str
    rules: tuple[Repeated, ...]

    def _rows(self) -> Rows:
        return [{"rule": rule.rule, "metric": one.claim.metric, "direction": one.claim.direction,
                 "at_least_pct": one.claim.at_least_pct, "here": one.here}
                for rule in self.rules for one in rule.claims]

    def _caption(self) -> str:
        return f"{self.pack} on {self.rig}: {sum(not one.not_repeated for one in self.rules)} rules repeated"


def repeat_claims(opened: Opened, packs: Packs, player: StudyPlayer, file: Path | str, plan: "TrialPlan",
                  game: str | None, progress: "Progress | None") -> ClaimsResult:
    """Play a trial of every rule that claims something; see `Studies.repeat_claims`."""
    pack = packs.look(file)
    claiming = [rule.offered for rule in pack.rules if rule.offered.rule.claim]
    if not claiming:
        raise UsageError(f"{file} claims nothing: there is nothing to repeat")
    return ClaimsResult(pack.title, opened.rig.name, tuple(
        _repeated(opened, packs, player, rule, plan, game, progress) for rule in claiming))


def _repeated(opened: Opened, packs: Packs, player: StudyPlayer, one: "OfferedRule", plan: "TrialPlan",
              game: str | None, progress: "Progress | None") -> Repeated:
    from keenlattice.measure.metrics import METRICS
    from keenlattice.study.deciding import MOST_DECIDERS, MOST_PCT
    from keenlattice.study.trial.claims import held

    known = [claim for claim in one.rule.claim if claim.metric in METRICS]
    why = one.fails or ("" if known else "it claims metrics that are not known here")
    if not why and one.rule.game == "rig" and not game:
        why = "it is for the whole rig: say which game to play, --game GAME"
    if why:
        return Repeated(one.number, why, offered=one)
    base = opened.find(one.rule.game)
    after = packs.with_rules_of([one], base, f"rule {one.number}")
    ruled = [setting.key for setting in one.settings]
    has_it = after.entries == base.entries
    before = base if not has_it else Version(base.profile, {
        key: value for key, value in base.entries.items() if key not in ruled}, note=f"without rule {one.number}")
    claimed = {claim.metric: min(MOST_PCT, claim.at_least_pct or plan.matters_pct) for claim in known}
    claimed = dict([*claimed.items()][:MOST_DECIDERS])
    plan = replace(plan, decides=",".join(claimed), matters_of=tuple(
        (name, least, "%") for name, least in claimed.items()))
    played = player.trial(before, after, plan, game if one.rule.game == "rig" else None, progress)
    by_name = {metric.name: metric for metric in played.result.metrics}
    return Repeated(one.number, "", tuple(
        ClaimResult(claim, held(claim, by_name[claim.metric])) for claim in one.rule.claim
        if claim.metric in by_name), played, f"{base.reference}{', without the rule' * has_it}", one)
