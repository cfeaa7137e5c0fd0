"""Studies: played, gone on with, listed, computed again, and told on a page."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice._door import check_methods
from keenlattice.catalog.values import Value
from keenlattice.errors import UsageError, counted
from keenlattice.logbook.kept import runs_of, studies
from keenlattice.profile.version import stock
from keenlattice.study.kind import KeptVersion, Spec, kind_named
from keenlattice.study.limits import DECIDES, DEFAULT_PCT, MOST_RUNS_OF_A_HUNT, seed_or_fresh, size_of
from keenlattice.study.record import finish, recompute, spec_of, start
from keenlattice.workspace._pages import PlanBeside, finished_study, history_page, newest_with_page
from keenlattice.workspace._play import StudyPlayer
from keenlattice.workspace.by_hand import ByHandStudies
from keenlattice.workspace.kept import finished, line_between, listed, study_numbered, unfinished_study
from keenlattice.workspace.opened import Matters, Opened, VersionLike
from keenlattice.workspace.packs import Packs
from keenlattice.workspace.page import Page
from keenlattice.workspace.played import ListedStudy, Played, Recomputed, StudyList, StudyRun, StudyRuns
from keenlattice.workspace.screens import Screens
from keenlattice.workspace.trials import Trials, repeat_claims

if TYPE_CHECKING:
    from keenlattice.logbook.kept import Study
    from keenlattice.study.blind.plan import Blind, Measured, Question
    from keenlattice.study.blind.play import Judge
    from keenlattice.study.hunt.plan import Hunt
    from keenlattice.study.ramp.plan import Ramp
    from keenlattice.study.record import Progress
    from keenlattice.study.screen.result import Screen
    from keenlattice.study.trial.result import Trial
    from keenlattice.study.tune.plan import Limit, Tuning
    from keenlattice.workspace.trials import ClaimsResult


@check_methods
class Studies:
    """What plays runs to find something out. The rig is put back to what it was, whatever happens.

    `trials` and `screens` plan them, `by_hand` takes the runs of a rig that is changed by hand one by one.
    """

    def __init__(self, opened: Opened, packs: Packs) -> None:
        self._opened, self._packs, self._player = opened, packs, StudyPlayer(opened)
        self.trials, self.screens = Trials(opened, self._player), Screens(opened, packs)
        self.by_hand = ByHandStudies(opened, self._player)

    def trial(self, before: VersionLike, after: VersionLike, *, blocks: int | None = None, seconds: float = 30.0,
              decides: str = DECIDES, matters: Matters = DEFAULT_PCT, early: bool = True, repeats: int | None = None,
              warm_up_s: float = 0.0, adjusts_for: str = "", seed: int | None = None,
              switch_minutes: float | None = None, game: str | None = None,
              progress: "Progress | None" = None) -> "Played[Trial]":
        """Play two versions against each other, in blocks in random order, and say what differs.

        Args:
            before: the version to compare with; `GAME+rig` takes a game's and a rig-wide version together.
            after: the version that is compared with it.
            blocks: at most this many pairs of runs, each with one run of either version. If not given, the noise of its
                own first 8 says how many, 40 at most; where a switch is dear, 12.
            seconds: the length of a run.
            decides: the metrics that decide, named in advance, with commas between; they share the error.
            matters: the smallest difference that matters; see `Matters`.
            early: whether it ends as soon as it is settled, or hardly can be any more.
            repeats: runs of either in a block, one after the other; 1, and by hand as many as pay.
            warm_up_s: what is played before a run counts.
            adjusts_for: a series whose value at the start of each run is taken into account, such as
                gpu0.temperature.
            seed: draws the order, and the seeds of the runs; drawn itself, if not given.
            switch_minutes: how long a person takes to change one setting, on a rig that is changed by hand; learnt from
                their steps, if not given.
            game: what is played; needed for rig-wide versions.
            progress: learns how many runs are done, of how many.

        Raises:
            UsageError: versions of two profiles, or an invalid plan.
            RigError: the rig refuses, or nothing can be recorded.
        """
        plan = self.trials.plan(
            before, after, blocks=blocks, seconds=seconds, decides=decides, matters=matters, early=early,
            repeats=repeats, warm_up_s=warm_up_s, adjusts_for=adjusts_for, seed=seed,
            switch_minutes=switch_minutes)
        return self.trials.play(before, after, plan, game, progress)

    def screen(self, before: VersionLike, after: VersionLike | Path, *, together: Sequence[Sequence[str]] = (),
               rounds: int | None = None, seconds: float = 30.0, decides: str = DECIDES, matters: Matters = DEFAULT_PCT,
               repeats: int | None = None, folded: bool = True, warm_up_s: float = 0.0, seed: int | None = None,
               switch_minutes: float | None = None, game: str | None = None,
               progress: "Progress | None" = None) -> "Played[Screen]":
        """Find out which of the changes between two versions matter, all at once.

        Args:
            before: the version to compare with.
            after: the version whose changes are distinguished; or a pack (a TOML file), on top of the first one.
            together: settings that are switched as one, group by group; `("checks",)` stands for those of which the
                checks know that one decides what another does.
            rounds: at most this many; if not given, how much runs vary in the first says how many, 12 at most, and by
                hand 4. What is settled is switched no more, and it ends when nothing is unclear.
            decides: as in a trial, where nothing is claimed.
            repeats: runs of each row of the design, one after the other; 1, and by hand as many as pay.
            folded: whether what two settings do together can pass for no single one, which takes twice the runs.
            seconds, matters, warm_up_s, seed, switch_minutes, game, progress: as in `trial`.

        Raises:
            UsageError, RigError: as `trial`.
        """
        from keenlattice.study.screen.plan import ScreenSpec

        first, second, plan = self.screens.plan(
            before, after, together=together, rounds=rounds, seconds=seconds, decides=decides, matters=matters,
            repeats=repeats, folded=folded, warm_up_s=warm_up_s, seed=seed, switch_minutes=switch_minutes)
        if not plan.can_tell:
            self._opened.notice(f"{len(plan.factors)} changes in {counted(plan.rounds, 'round')} leave "
                                "too few runs to tell how much runs vary: all will be unclear; one round more can tell")
        spec = ScreenSpec(KeptVersion.of(first), KeptVersion.of(second), plan, game)
        return self._player.play("screen", spec, progress)

    def hunt(self, profile: str, *, since: VersionLike = "", until: VersionLike = "", blocks: int | None = None,
             seconds: float = 30.0, decides: str = DECIDES, matters: Matters = DEFAULT_PCT, error: float = 0.05,
             most_runs: int = MOST_RUNS_OF_A_HUNT, seed: int | None = None, game: str | None = None,
             progress: "Progress | None" = None) -> "Played[Hunt]":
        """Find the version at which a metric changed, and the least set of settings in it that did it.

        Args:
            profile: whose history is gone through; `GAME+rig` goes through both, in the order of time.
            since: where it was still otherwise; stock, if it is not given.
            until: where it is as it is now; the latest, if it is not given.
            blocks: of the trial of the oldest against the newest, at most; if not given, as in `trial`.
            decides: as in `trial`; of several that changed the surest is hunted.
            error: how likely it may name the wrong version.
            most_runs: how many runs it plays at most; what is not told by then is said to be unsure. 0 for as many as
                it takes. A change four times as large as runs vary takes about 100 in all, one twice as large 270.
            seconds, matters, seed, game, progress: as in `trial`.

        Raises:
            UsageError, RigError: as `trial`.
        """
        from keenlattice.study.deciding import Deciding
        from keenlattice.study.hunt.plan import HuntPlan, HuntSpec
        from keenlattice.study.trial.plan import TrialPlan

        line = line_between(self._opened, since or stock(profile).reference, until or profile)
        size = size_of(blocks, may_size=not self._opened.by_hand, most_runs=most_runs)
        trial = TrialPlan(seconds=seconds, seed=seed_or_fresh(seed), decides=Deciding.by(decides, matters),
                          **size)
        plan = HuntPlan(trial, error, most_runs)
        return self._player.play("hunt", HuntSpec(tuple(version.reference for version in line), plan, game), progress)

    def tune(self, base: VersionLike, choices: "Mapping[str, Sequence[Value]]", *, goal: str = DECIDES,
             limits: "Sequence[Limit]" = (), rounds: int = 30, seconds: float = 20.0, matters: Matters = DEFAULT_PCT,
             proof: int = 8, warm_up_s: float = 0.0, seed: int | None = None, game: str | None = None,
             progress: "Progress | None" = None) -> "Played[Tuning]":
        """Find the best combination of some values for this rig, and make a version of it.

        Args:
            base: where to start from.
            choices: setting to the values that are tried; a text may be what a player types.
            goal: what is to be as good as can be: a metric, or several with commas between, of which one per cent of
                either is worth the same.
            limits: what has to be kept.
            rounds: at most this many, each with every combination that is still in the race.
            proof: blocks of the trial of the best against where it started; 0 for none.
            seconds, matters, warm_up_s, seed, game, progress: as in `trial`.

        Raises:
            UsageError, RigError: as `trial`.
        """
        from keenlattice.study.deciding import Deciding
        from keenlattice.study.tune.plan import TunePlan, TuneSpec, checked

        start, catalog = self._opened.find(base), self._opened.rig.catalog()
        values = tuple((key, tuple(catalog[key].parsed(value) if isinstance(value, str) else value for value in entry))
                       for key, entry in choices.items())
        plan = checked(catalog, TunePlan(values, Deciding.by(goal, matters), tuple(limits), rounds, seconds,
                                         seed_or_fresh(seed), warm_up_s=warm_up_s, few_switches=self._opened.by_hand))
        return self._player.play("tune", TuneSpec(KeptVersion.of(start), plan, game, proof), progress)

    def ramp(self, base: VersionLike, setting: str, by: float, *, margin: float | None = None, goal: str = DECIDES,
             proof: int = 8, seconds: float = 30.0, matters: Matters = DEFAULT_PCT, seed: int | None = None,
             game: str | None = None, progress: "Progress | None" = None) -> "Played[Ramp]":
        """Step a clock offset up until the rig is not stable, settle below, and make a version of that.

        Args:
            base: where to start from.
            setting: the one that is stepped up, such as `gpu.core-offset@gpu0`.
            by: how much a step adds.
            margin: how far below the highest step that ran it settles; two steps, if not given.
            goal: as in `tune`; the first is given beside each step.
            proof: as in `tune`.
            seconds, matters, seed, game, progress: as in `trial`.

        Raises:
            UsageError, RigError: as `trial`.
        """
        from keenlattice.study.deciding import Deciding, named
        from keenlattice.study.ramp.plan import RampPlan, RampSpec, steps_of
        from keenlattice.study.trial.plan import TrialPlan

        start = self._opened.find(base)
        plan = RampPlan(setting, by, 2 * by if margin is None else margin, goal=named(goal)[0], seconds=seconds,
                        seed=seed_or_fresh(seed))
        trial = TrialPlan(max(2, proof), plan.seconds, plan.seed, Deciding.by(goal, matters))
        steps_of(self._opened.rig.catalog(), start, plan)  # says so if there are none, before anything is started
        spec = RampSpec(KeptVersion.of(start), plan, game, trial if proof else None)
        return self._player.play("ramp", spec, progress)

    def blind(self, before: VersionLike, after: VersionLike, judge: "Judge", *, rounds: int = 20,
              question: "Question" = "which", game: str | None = None) -> "Played[Blind]":
        """Puts one of two versions on by chance, again and again, and finds out whether a player can tell.

        It is kept when it is over; one that is stopped is void, and the rig is put back.

        Args:
            before: version "A".
            after: version "B".
            judge: who plays, and is asked.
            rounds: at most this many.
            question: "which" it was, or which of two felt "better".
            game: what is played; needed for rig-wide versions.

        Raises:
            UsageError: versions of two profiles, or that do not differ here.
            RigError: the rig refuses; or it switches so unevenly that the time would tell.
        """
        from keenlattice.study.blind.plan import BlindPlan, BlindSpec
        from keenlattice.study.blind.play import run_blind

        book, rig, plan = self._opened.book, self._opened.rig, BlindPlan(rounds, question)
        if not plan.can_tell:
            raise UsageError(f"{rounds} rounds cannot tell which feels better, even if all answers are alike: more can")
        first, second = self._opened.find(before), self._opened.find(after)
        spec = BlindSpec(KeptVersion.of(first), KeptVersion.of(second), plan, game)
        self._player.tell_of_base(spec)
        result = run_blind(rig, first, second, plan, judge, game)
        measured, trial = self._measured(first.reference, second.reference, result.game)
        study = start(book, rig, "blind", spec)
        finish(book, rig, study, replace(result, measured=measured, trial=trial))
        return finished_study(self._opened, study.number)

    def _measured(self, before: str, after: str, game: str) -> "tuple[Measured, int | None]":
        """What the newest trial of two versions says of what decides, and its number."""
        for study in finished(self._opened, "trial"):
            if {study.result.before,
                study.result.after} == {before, after} and study.result.game == game and before != after:
                words = {metric.verdict for metric in study.result.decisive if metric.n}
                if words & {"better", "worse"}:
                    return "differs", study.number
                return ("not known" if "unclear" in words else "no difference that matters"), study.number
        return "not known", None

    def repeat_claims(self, file: Path | str, *, blocks: int | None = None, seconds: float = 30.0, early: bool = True,
                      repeats: int | None = None, warm_up_s: float = 0.0, seed: int | None = None,
                      game: str | None = None, progress: "Progress | None" = None) -> "ClaimsResult":
        """Play a trial of every rule of a pack that fits here and claims something: does it hold here, too?

        What decides, and what matters, are what is claimed.

        Args:
            file: the pack's.
            game: what is played for rules of the whole rig.
            blocks, seconds, early, repeats, warm_up_s, seed, progress: as in `trial`.

        Raises:
            UsageError: the pack claims nothing.
            RigError: the rig refuses, or nothing can be recorded.
        """
        from keenlattice.study.trial.plan import TrialPlan

        plan = TrialPlan(seconds=seconds, seed=seed_or_fresh(seed), early=early, repeats=repeats or 1,
                         warm_up_s=warm_up_s, **size_of(blocks, may_size=early and not self._opened.by_hand))
        return repeat_claims(self._opened, self._packs, self._player, file, plan, game, progress)

    def play(self, kind: str, *planned: Any, progress: "Progress | None" = None, **options: Any) -> "Played[Any]":
        """Play a study of any kind, and keep it run by run.

        Args:
            kind: its name, one of `study.KINDS`.
            planned: the versions, the plan and the game, as one `Spec` of that kind; or, of a kind that has no method
                of its own here, what its `plan` takes.
            progress: learns how many runs are done, of how many.
            options: what its `plan` takes by name.

        Raises:
            UsageError: it could not be played at all; then nothing of it is kept.
            RigError: the rig refuses, or nothing can be recorded.
        """
        plan = kind_named(kind).plan
        if len(planned) == 1 and isinstance(planned[0], Spec):
            return self._player.play(kind, planned[0], progress)
        if plan is None:
            raise UsageError(f"a {kind} is planned by the method {kind}; here it takes one Spec")
        return self._player.play(kind, plan(PlanBeside(self._opened), *planned, **options), progress)

    def resume(self, number: int | None = None, *, progress: "Progress | None" = None) -> "Played[Any]":
        """Go on with a study that was stopped.

        Args:
            number: which; the newest, if it is not given.
            progress: learns how many runs are done, of how many.

        Raises:
            UsageError: none was, or not this one; or it waits for recordings.
            RigError: the rig refuses, or nothing can be recorded.
            Waiting: of a rig that is changed by hand: it says for what.
        """
        return self._player.resume(number, progress)

    def unfinished(self, number: int | None = None) -> ListedStudy:
        """Return the study that `resume` goes on with.

        Args:
            number: which; the newest that was stopped, if it is not given.

        Raises:
            UsageError: none was, or not this one.
        """
        return listed(unfinished_study(self._opened, number=number))

    def list(self) -> StudyList:
        """Return all studies on the rig, the newest first."""
        return StudyList(self._opened.rig_name, tuple(
            listed(study) for study in studies(self._opened.book, self._opened.rig_name)))

    def get(self, number: int) -> "Played[Any]":
        """Return a finished study.

        Args:
            number: as `list` has it.

        Raises:
            UsageError: there is none, or it is not finished.
        """
        return finished_study(self._opened, number)

    def runs(self, number: int | None = None) -> StudyRuns:
        """Return the runs of one study or of all on the rig; `.table()` has a row for each, with all its metrics.

        Args:
            number: the study's; all studies, if it is not given.

        Raises:
            UsageError: there is no such study.
            CaptureError: a run's capture is gone, or damaged.
        """
        chosen = (studies(self._opened.book, self._opened.rig_name) if number is None else
                  [study_numbered(self._opened, number)])
        return StudyRuns(tuple(run for study in chosen for run in self._runs_of_study(study)))

    def _runs_of_study(self, study: "Study") -> Iterator[StudyRun]:
        from keenlattice.measure.metrics import metrics_of

        spec: Any = spec_of(study)
        blocks = [block for block, *_ in spec.plan.runs()] if study.kind == "trial" else []
        for run in runs_of(self._opened.book, study):
            version = spec.version_of(run.arm)
            yield StudyRun(
                study.number, study.kind, run.place + 1, blocks[run.place] + 1 if run.place < len(blocks) else None,
                run.arm, "" if version is None else spec.versions[version].reference, run.excluded, run.file,
                metrics_of(self._opened.book.capture(run.file)) if run.file else {})

    def recompute(self, number: int) -> Recomputed:
        """Compute a study again from its captures.

        Args:
            number: which.

        Raises:
            UsageError: there is no such study, or it is not finished.
            KeenLatticeError: a number comes out otherwise.
        """
        study = study_numbered(self._opened, number)
        return Recomputed(number, study.kind, True, recompute(self._opened.book, self._opened.rig, study))

    def report(self, game: str = "", study: int | None = None) -> Page:
        """Return the page about a game's whole history, or about a study: the newest, if nothing is said.

        Of a tuning and the trial that it ended in it is the tuning's, which holds both.

        Args:
            game: whose history.
            study: the number of a study.

        Raises:
            UnknownName: no such game.
            UsageError: no such study, or it is not finished; or both were asked for.
        """
        if game and study is not None:
            raise UsageError("a report is of a game's history or of one study: give one of them")
        if game:
            return history_page(self._opened, game)
        return finished_study(self._opened, newest_with_page(self._opened) if study is None else study).report()
