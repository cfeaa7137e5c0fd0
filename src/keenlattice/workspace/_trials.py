"""Trials: two versions against each other, played here or recorded elsewhere; and the pilot that says how long."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any, Unpack

from keenlattice.profile.compare import changes
from keenlattice.profile.version import Version
from keenlattice.workspace._studying import seeded
from keenlattice.workspace.handing import Handing
from keenlattice.workspace.opened import VersionLike
from keenlattice.workspace.options import TrialOptions
from keenlattice.workspace.played import Pilot, PlanCost, Played, RunsToCome, RunToCome

if TYPE_CHECKING:
    from keenlattice.logbook._studies import Study
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.study.record import Progress
    from keenlattice.study.trial.plan import TrialPlan, TrialSpec
    from keenlattice.study.trial.result import Trial

SWITCH_S = {"none": 0.0, "game": 0.0, "driver": 15.0, "machine": 90.0}
"""How long a switch takes by the restart that it needs: a guess, for the time that a plan names."""


class Trials(Handing):
    """What plays trials."""

    def trial(self, before: VersionLike, after: VersionLike, *, game: str | None = None,
              progress: "Progress | None" = None, **options: Unpack[TrialOptions]) -> "Played[Trial]":
        """Plays two versions against each other, in blocks in random order, and says what differs.

        Args:
            before: the version to compare with; `GAME+rig` takes a game's and a rig-wide version together.
            after: the version that is compared with it.
            game: what is played; needed for rig-wide versions.
            progress: is told how many runs are done, of how many.
            options: `blocks`, `seconds`, `decides`, `matters`, ...: see `TrialOptions`.

        Raises:
            UsageError: versions of two profiles, or an invalid plan.
            RigError: the rig refuses, or nothing can be recorded.
        """
        return self.play_trial(before, after, self.trial_plan(before, after, **options), game, progress)

    def trial_plan(self, before: VersionLike, after: VersionLike, **options: Unpack[TrialOptions]) -> "TrialPlan":
        """The plan of a trial.

        Args:
            before: the version to compare with.
            after: the version that is compared with it.
            options: as in `trial`.

        Raises:
            UsageError: it is invalid.
        """
        from keenlattice.study.deciding import DECIDES, DEFAULT_PCT, parsed_matters
        from keenlattice.study.trial.plan import TrialPlan

        settings, first, second = seeded(options), self.find(before, both=True), self.find(after, both=True)
        pct, of = parsed_matters(settings.pop("matters", DEFAULT_PCT), settings.get("decides", DECIDES))
        costly = self.by_hand or SWITCH_S[self._restart_between(first, second)] > 0
        differing = [change.key for change in changes(first.entries, second.entries)]
        settings["repeats"] = self._repeats(options, differing, 1.0, TrialPlan)
        return TrialPlan(**settings, matters_pct=pct, matters_of=of, few_switches=costly)

    def play_trial(self, before: VersionLike, after: VersionLike, plan: "TrialPlan", game: str | None = None,
                   progress: "Progress | None" = None) -> "Played[Trial]":
        """Plays a trial by a plan; the rest is as in `trial`."""
        return self.play("trial", self._trial_spec(before, after, plan, game), progress)

    def _trial_spec(self, before: VersionLike, after: VersionLike, plan: "TrialPlan", game: str | None,
                    files: bool = False) -> "TrialSpec":
        from keenlattice.study.kind import KeptVersion
        from keenlattice.study.trial.plan import TrialSpec

        first, second = self.find(before, both=True), self.find(after, both=True)
        return TrialSpec(KeptVersion.of(first), KeptVersion.of(second), plan, game, files)

    def pilot(self, before: VersionLike, after: VersionLike, plan: "TrialPlan", blocks: int = 8,
              game: str | None = None, progress: "Progress | None" = None) -> Pilot:
        """Plays one version against itself, and says how many blocks would settle a trial of two.

        Args:
            before: the version that is played against itself.
            after: the version that it is to be compared with later.
            game: what is played; needed for rig-wide versions.
            progress: is told how many runs are done, of how many.
            plan: of that trial.
            blocks: of the pilot.

        Raises:
            BadValue: the runs are too short to tell.
        """
        alone = replace(plan, blocks=blocks, early=False, few_switches=False)  # nothing is switched in it
        return self.pilot_of(self.play_trial(before, before, alone, game, progress), after)

    def pilot_of(self, played: "Played[Trial]", after: VersionLike = "") -> Pilot:
        """What a trial of a version against itself tells of one against another.

        Args:
            played: that trial.
            after: the other version, if it is known by now: switching to it takes time, too.

        Raises:
            BadValue: the runs are too short to tell.
        """
        from keenlattice.study.trial._looks import ERROR
        from keenlattice.study.trial.pilot import noise_of, warm_up_of
        from keenlattice.study.trial.power import blocks_to_settle, chance_to_settle

        plan = played.result.plan
        warm_up = warm_up_of(list(played.captures().values()))
        known = [one for one in played.result.decisive if one.low_pct is not None] or [played.result.deciding]
        noises = {one: noise_of(played.result, one.name) for one in known}
        last = max(known, key=lambda one: noises[one].sd / one.matters_pct)  # what decides last
        noise, matters, error = noises[last], last.matters_pct, ERROR / len(known)
        needed = blocks_to_settle(noise, matters, error=error)
        before = self.versions_of(played)[0]
        switch_s = self._switch_s(before, self.find(after, both=True)) if after else 0.0
        beside_s = 0.0 if self.by_hand else _beside_runs_s(played)
        costs = [PlanCost(count, chance_to_settle(noise, count, matters, error=error),
                          replace(plan, blocks=count, few_switches=switch_s > 0).minutes(
                              switch_s, beside_s=beside_s))
                 for count in sorted({4, 8, 16, 32, *([needed] if needed else [])})]
        return Pilot(last.name, matters, noise.sd, noise.dof, warm_up, needed, tuple(costs), played)

    def _switch_s(self, before: Version, after: Version) -> float:
        """How long a switch from one version to the other takes, in seconds."""
        restart = self._restart_between(before, after)
        if not self.by_hand:
            return SWITCH_S[restart]
        from keenlattice.rig.byhand.pace import RESTARTS_MINUTES

        steps = len(changes(before.entries, after.entries))
        return 60 * (steps * self.minutes_a_step({}) + RESTARTS_MINUTES[restart])

    def _restart_between(self, before: Version, after: Version) -> str:
        """The restart that switching from one version to the other takes."""
        from keenlattice.rig._apply import restart_for

        return restart_for(self.rig, [one.key for one in changes(before.entries, after.entries)])

    def trial_from_files(self, before: VersionLike, after: VersionLike, plan: "TrialPlan",
                         game: str | None = None) -> RunsToCome:
        """Plans a trial whose runs the player records, and says which comes first (`take` takes them).

        Of a rig that is changed by hand any study is played like this, without a word: `hand_over`.

        Args:
            before: the version to compare with.
            after: the version that is compared with it.
            plan: of the trial.
            game: what is played; needed for rig-wide versions.
        """
        from keenlattice.study.record import start

        spec = self._trial_spec(before, after, plan, game, files=True)
        self._tell_of_base(spec)
        return _to_come(start(self.book, self.rig, "trial", spec), spec, 0)

    def take(self, files: "Sequence[Path | str]", columns: "ColumnMap | str" = "") -> "Played[Trial] | RunsToCome":
        """Takes recordings as the next runs of the newest trial from files; concludes it with the last one.

        Args:
            files: of each run its frames, and behind them what a sensor recorded of it, if one did.
            columns: the column map for them, or its name; without one, the map that is kept for their header.

        Raises:
            UsageError: no such trial is open, more recordings than it takes, or no map is known.
            CaptureError: a recording cannot be read; none of them is kept then.
        """
        from keenlattice.errors import UsageError
        from keenlattice.logbook._studies import done_of
        from keenlattice.study.kind import game_for
        from keenlattice.study.player import Run, RunMissing
        from keenlattice.study.playing import replay
        from keenlattice.study.record import finish, held_otherwise, keep_run, spec_of, versions_of
        from keenlattice.study.trial.play import KIND
        from keenlattice.workspace._handed import in_length, read_handed, told_apart

        study = self._unfinished("trial")
        spec: Any = spec_of(study)
        if not spec.files:
            raise UsageError(f"trial {study.number} is played, not recorded: keen studies resume goes on with it; one "
                             "by hand takes recordings with keen rig next")
        versions, runs = versions_of(self.book, self.rig_name, spec), spec.plan.runs()
        game_for(versions, spec.game)
        done = done_of(self.book, study)
        handed = told_apart(self, [Path(file) for file in files], columns)
        read = [in_length(read_handed(self, one, warm_up_s=spec.plan.warm_up_s), *spec.pace)
                for one in handed]  # all, before any is kept
        if len(done) + len(read) > len(runs):
            raise UsageError(f"{len(read)} recordings, but only {len(runs) - len(done)} runs are still to come")
        for place, capture in enumerate(read, len(done)):
            block, arm, seed = runs[place]
            keep_run(self.book, study, spec, versions, Run(place, block, arm, seed, capture))
            done[place] = capture
        try:
            result = replay(self.rig, KIND, spec, versions, done, held_otherwise(study, spec))
        except RunMissing:
            return _to_come(study, spec, len(done))
        finish(self.book, self.rig, study, result)
        return self._finished(study.number)


def _beside_runs_s(played: "Played[Trial]") -> float:
    """How long a run took beside its own length, by when those of a trial were kept: the game's start, say. Of a rig
    that is simulated, and is quicker than its runs are long, nothing."""
    from datetime import datetime
    from statistics import median

    plan = played.result.plan
    try:
        times = [datetime.fromisoformat(str(one.about["time"])) for _, one in sorted(played.captures().items())]
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
