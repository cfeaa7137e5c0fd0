"""Trials: planned, piloted, of recordings, and of what a pack claims."""

from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from datetime import datetime
from itertools import pairwise
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice._door import check_methods
from keenlattice.errors import UsageError, counted, way
from keenlattice.logbook.kept import done_of
from keenlattice.profile.compare import changes
from keenlattice.profile.version import Version
from keenlattice.quickly import dataclass
from keenlattice.rig.player.pace import RESTARTS_MINUTES
from keenlattice.study.kind import KeptVersion, game_for
from keenlattice.study.limits import BLOCKS_BY_HAND, DECIDES, DEFAULT_PCT, seed_or_fresh, size_of
from keenlattice.study.record import start
from keenlattice.workspace._pages import finished_study
from keenlattice.workspace._play import StudyPlayer, minutes_a_step, runs_between_switches
from keenlattice.workspace.handed import in_length, read_handed, told_apart
from keenlattice.workspace.kept import unfinished_study, versions_of
from keenlattice.workspace.opened import Matters, Opened, VersionLike
from keenlattice.workspace.packs import Packs
from keenlattice.workspace.played import Pilot, PlanCost, Played, RunsToCome, RunToCome
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows
from keenlattice.workspace.trial_of_files import Files, take_recordings, trial_of_files

if TYPE_CHECKING:
    from keenlattice.logbook.kept import Study
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.profile.offers import OfferedRule
    from keenlattice.profile.pack import Claim
    from keenlattice.study.record import Progress
    from keenlattice.study.trial.plan import TrialPlan
    from keenlattice.study.trial.result import Trial
    from keenlattice.workspace.played import Played

SWITCH_S = {"none": 0.0, "game": 0.0, "driver": 15.0, "machine": 90.0}
"""How long a switch takes by the restart that it needs: a guess, for the time that a plan names."""


@check_methods
class Trials:
    """What is done with trials beside playing one at once."""

    def __init__(self, opened: Opened, player: StudyPlayer) -> None:
        self._opened, self._player = opened, player

    def plan(self, before: VersionLike, after: VersionLike, *, blocks: int | None = None, seconds: float = 30.0,
             decides: str = DECIDES, matters: Matters = DEFAULT_PCT, early: bool = True, repeats: int | None = None,
             warm_up_s: float = 0.0, adjusts_for: str = "", seed: int | None = None,
             switch_minutes: float | None = None) -> "TrialPlan":
        """Return the plan of a trial; its parameters are those of `Studies.trial`.

        Args:
            before: the version to compare with.
            after: the version that is compared with it.
            blocks, seconds, decides, matters, early, repeats: as in `Studies.trial`.
            warm_up_s, adjusts_for, seed, switch_minutes: as in `Studies.trial`.

        Raises:
            UsageError, BadValue, UnknownName: it is invalid.
        """
        from keenlattice.rig.session import asked_between
        from keenlattice.study.deciding import Deciding
        from keenlattice.study.trial.plan import TrialPlan

        first, second = self._opened.find(before, both=True), self._opened.find(after, both=True)
        asked = bool(asked_between(self._opened.rig, [first, second]))
        costly = self._opened.by_hand or asked or SWITCH_S[self._restart_between(first, second)] > 0
        differing = [change.key for change in changes(first.entries, second.entries)]
        repeats = runs_between_switches(self._opened, repeats, differing, 1.0, seconds + warm_up_s, switch_minutes,
                                        asked=asked)
        return TrialPlan(seconds=seconds, seed=seed_or_fresh(seed), decides=Deciding.by(decides, matters),
                         early=early, few_switches=costly,
                         repeats=repeats, warm_up_s=warm_up_s, adjusts_for=adjusts_for,
                         **size_of(blocks, may_size=early and not costly))

    def play(self, before: VersionLike, after: VersionLike, plan: "TrialPlan", game: str | None = None,
             progress: "Progress | None" = None) -> "Played[Trial]":
        """Play a trial by a plan.

        Args:
            before: the version to compare with.
            after: the version that is compared with it.
            plan: of the trial.
            game: what is played; needed for rig-wide versions.
            progress: learns how many runs are done, of how many.
        """
        first, second = self._opened.find(before, both=True), self._opened.find(after, both=True)
        return self._player.trial(first, second, plan, game, progress)

    def pilot(self, before: VersionLike, after: VersionLike, plan: "TrialPlan", blocks: int = 8,
              game: str | None = None, progress: "Progress | None" = None) -> Pilot:
        """Plays one version against itself, and says how many blocks would settle a trial of two.

        Args:
            before: the version that is played against itself.
            after: the version that it is to be compared with later.
            game: what is played; needed for rig-wide versions.
            progress: learns how many runs are done, of how many.
            plan: of that trial.
            blocks: of the pilot.

        Raises:
            BadValue: the runs are too short to tell.
        """
        alone = replace(plan, blocks=blocks, early=False, few_switches=False, sized=False)  # nothing is switched in it
        return self.pilot_of(self.play(before, before, alone, game, progress), after)

    def pilot_of(self, played: "Played[Trial]", after: VersionLike = "") -> Pilot:
        """What a trial of a version against itself says about one against another.

        Args:
            played: that trial.
            after: the other version, if it is known by now: switching to it takes time, too.

        Raises:
            BadValue: the runs are too short to tell.
        """
        from keenlattice.study.trial.looks import ERROR
        from keenlattice.study.trial.power import blocks_to_settle, chance_to_settle, noise_of, warm_up_of

        plan = played.result.plan
        warm_up = warm_up_of(list(played.captures().values()))
        metrics = [metric for metric in played.result.decisive
                   if metric.low_pct is not None] or [played.result.deciding]
        noises = {metric: noise_of(played.result, metric.name) for metric in metrics}
        last = max(metrics, key=lambda metric: noises[metric].sd / metric.matters_pct)  # what decides last
        noise, matters, error = noises[last], last.matters_pct, ERROR / len(metrics)
        needed = blocks_to_settle(noise, matters, error=error)
        before = versions_of(self._opened, played)[0]
        switch_s = self._switch_s(before, self._opened.find(after, both=True)) if after else 0.0
        beside_s = 0.0 if self._opened.by_hand else _beside_runs_s(played)
        costs = [PlanCost(count, chance_to_settle(noise, count, matters, error=error),
                          replace(plan, blocks=count, few_switches=switch_s > 0, sized=False).minutes(
                              switch_s, beside_s=beside_s))
                 for count in sorted({4, 8, 16, 32, *([needed] if needed else [])})]
        return Pilot(last.name, matters, noise.sd, noise.dof, warm_up, needed, tuple(costs), played)

    def _switch_s(self, before: Version, after: Version) -> float:
        """How long a switch from one version to the other takes, in seconds."""
        restart = self._restart_between(before, after)
        if not self._opened.by_hand:
            return SWITCH_S[restart]
        steps = len(changes(before.entries, after.entries))
        return 60 * (steps * minutes_a_step(self._opened, None) + RESTARTS_MINUTES[restart])

    def _restart_between(self, before: Version, after: Version) -> str:
        """The restart that switching from one version to the other takes."""
        from keenlattice.rig.applying import restart_for

        return restart_for(self._opened.rig, [change.key for change in changes(before.entries, after.entries)])

    def from_files(self, before: VersionLike, after: VersionLike, plan: "TrialPlan",
                         game: str | None = None) -> RunsToCome:
        """Plans a trial whose runs the player records, and says which comes first (`take` takes them).

        Of a rig that is changed by hand any study is played like this, without a word: `Studies.by_hand`.

        Args:
            before: the version to compare with.
            after: the version that is compared with it.
            plan: of the trial.
            game: what is played; needed for rig-wide versions.

        Raises:
            UsageError: two profiles, no such game, or a plan without a number of blocks.
        """
        from keenlattice.study.trial.plan import TrialSpec

        if plan.sized:
            raise UsageError("runs that you record yourself are planned with a number of blocks, such as "
                             f"{BLOCKS_BY_HAND}")
        first, second = self._opened.find(before, both=True), self._opened.find(after, both=True)
        spec = TrialSpec(KeptVersion.of(first), KeptVersion.of(second), plan, game, files=True)
        self._player.tell_of_base(spec)
        return _to_come(start(self._opened.book, self._opened.rig, "trial", spec), spec, 0)

    def of_files(self, versions: Mapping[str, Files], columns: "ColumnMap | str" = "", *, order: Files = (),
                 decides: str = DECIDES, matters: Matters = DEFAULT_PCT, game: str | None = None,
                 warm_up_s: float = 0.0) -> "Played[Trial]":
        """Compare two sets of recordings that were made before any plan, and say what differs.

        Args:
            versions: what was set to its files, the one to compare with first: `{"stock": "runs/stock-*.csv", "quick":
                ["runs/quick-1.csv", "runs/quick-2.csv"]}`. As many of either; a label with `@` names a version.
            columns: what their columns mean (`column_map`), or the name of a map; without one, the map that is kept for
                their header, or one that the data propose.
            order: all files in the order in which they were played; without it, by when they were saved.
            decides: the metrics that decide, with commas between; they share the error.
            matters: the smallest difference that matters; see `Matters`.
            game: what was played.
            warm_up_s: what is cut off at the beginning of each.

        Raises:
            UsageError: not two versions, files that are not there, more of one than of the other, or columns whose
                meaning cannot be told.
            CaptureError: a recording cannot be read.
        """
        return trial_of_files(self._opened, versions, columns, order, decides, matters, game, warm_up_s)

    def since(self, number: int, seed: int | None = None, progress: "Progress | None" = None) -> "Played[Trial]":
        """Compare the version of a finished trial that is on the rig as it ran then with as many runs now.

        It answers what an update has done. All runs of then come before those of now, so anything else that has
        changed meanwhile counts for it, too.

        Args:
            number: the trial's.
            seed: of the first run; drawn, if it is not given.
            progress: learns how many runs are done, of how many.

        Raises:
            UsageError: no such trial, it is not finished, neither of its versions is applied, or the rig is played by
                hand.
            RigError: the game does not start, or nothing can be recorded.
        """
        from keenlattice.workspace.since import trial_since

        return trial_since(self._opened, number, seed_or_fresh(seed), progress or (lambda done, total: None))

    def take(self, files: "Sequence[Path | str]", columns: "ColumnMap | str" = "") -> "Played[Trial] | RunsToCome":
        """Takes recordings as the next runs of the newest trial from files; concludes it with the last one.

        Args:
            files: of each run its frames, and behind them what a sensor recorded of it, if one did.
            columns: the column map for them, or its name; without one, the map that is kept for their header.

        Raises:
            UsageError: no such trial is open, more recordings than it takes, or no map is known.
            CaptureError: a recording cannot be read; none of them is kept then.
        """
        from keenlattice.study.record import spec_of, versions_of

        study = unfinished_study(self._opened, "trial")
        spec: Any = spec_of(study)
        if not spec.files:
            raise UsageError(f"trial {study.number} is played, not recorded: "
                             f"{way('keen studies resume', 'ws.studies.resume()')} goes on with it; one by hand takes "
                             f"recordings with {way('keen rig next', 'ws.studies.by_hand.hand_over(FILES)')}")
        game_for(versions_of(self._opened.book, self._opened.rig_name, spec), spec.game)
        done = done_of(self._opened.book, study)
        handed = told_apart(self._opened, [Path(file) for file in files], columns)
        read = [in_length(read_handed(self._opened, run, warm_up_s=spec.plan.warm_up_s),
                          *spec.pace) for run in handed]  # all, before any is kept
        if len(done) + len(read) > spec.runs:
            raise UsageError(f"{counted(len(read), 'recording')}, but only {counted(spec.runs - len(done), 'run')} to "
                             "come: hand over as many")
        if not take_recordings(self._opened, study, spec, read, done):
            return _to_come(study, spec, len(done))
        return finished_study(self._opened, study.number)


def _beside_runs_s(played: "Played[Trial]") -> float:
    """How long a run took beside its own length, by when those of a trial were kept: the game's start, say. Of a rig
    that is simulated, and is quicker than its runs are long, nothing."""
    plan = played.result.plan
    try:
        times = [datetime.fromisoformat(str(capture.about["time"])) for _, capture in sorted(played.captures().items())]
    except (KeyError, ValueError):
        return 0.0
    apart = [(later - earlier).total_seconds() for earlier, later in pairwise(times)]
    return max(0.0, median(apart) - plan.seconds - plan.warm_up_s) if apart else 0.0


def _to_come(study: "Study", spec: Any, recorded: int) -> RunsToCome:
    """The runs of a trial from files that are still to come."""
    versions = {"before": spec.before.reference, "after": spec.after.reference}
    return RunsToCome(study.number, recorded, tuple(
        RunToCome(place, block, versions[arm]) for place, (block, arm, _) in enumerate(spec.plan.runs())
        if place >= recorded), spec.plan.seconds)


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
        return [{"rule": rule.rule, "metric": result.claim.metric, "direction": result.claim.direction,
                 "at_least_pct": result.claim.at_least_pct, "here": result.here}
                for rule in self.rules for result in rule.claims]

    def _caption(self) -> str:
        return f"{self.pack} on {self.rig}: {sum(not rule.not_repeated for rule in self.rules)} rules repeated"


def repeat_claims(opened: Opened, packs: Packs, player: StudyPlayer, file: Path | str, plan: "TrialPlan",
                  game: str | None, progress: "Progress | None") -> ClaimsResult:
    """Play a trial of every rule that claims something; see `Studies.repeat_claims`."""
    pack = packs.look(file)
    claiming = [rule.offered for rule in pack.rules if rule.offered.rule.claim]
    if not claiming:
        raise UsageError(f"{file} claims nothing: there is nothing to repeat")
    return ClaimsResult(pack.title, opened.rig.name, tuple(
        _repeated(opened, packs, player, rule, plan, game, progress) for rule in claiming))


def _repeated(opened: Opened, packs: Packs, player: StudyPlayer, offered: "OfferedRule", plan: "TrialPlan",
              game: str | None, progress: "Progress | None") -> Repeated:
    from keenlattice.measure.metrics import METRICS
    from keenlattice.study.deciding import MOST_DECIDERS, MOST_PCT, Deciding
    from keenlattice.study.trial.result import held

    claims = [claim for claim in offered.rule.claim if claim.metric in METRICS]
    why = offered.fails or ("" if claims else "it claims metrics that are not known here")
    if not why and offered.rule.game == "rig" and not game:
        why = "it is for the whole rig: say which game to play, --game GAME"
    if why:
        return Repeated(offered.number, why, offered=offered)
    base = opened.find(offered.rule.game)
    after = packs.with_rules_of([offered], base, f"rule {offered.number}")
    ruled = [setting.key for setting in offered.settings]
    has_it = after.entries == base.entries
    before = base if not has_it else Version(base.profile, {
        key: value for key, value in base.entries.items() if key not in ruled}, note=f"without rule {offered.number}")
    claimed = {claim.metric: min(MOST_PCT, claim.at_least_pct or plan.decides.matters_pct) for claim in claims}
    claimed = dict([*claimed.items()][:MOST_DECIDERS])
    plan = replace(plan, decides=Deciding(",".join(claimed), matters_of=tuple(
        (name, least, "%") for name, least in claimed.items())))
    played = player.trial(before, after, plan, game if offered.rule.game == "rig" else None, progress)
    by_name = {metric.name: metric for metric in played.result.metrics}
    return Repeated(offered.number, "", tuple(
        ClaimResult(claim, held(claim, by_name[claim.metric])) for claim in offered.rule.claim
        if claim.metric in by_name), played, f"{base.reference}{', without the rule' * has_it}", offered)
