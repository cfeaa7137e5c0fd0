"""How a study of any kind is played: kept run by run, put back in the end, and followed by what it makes."""

from collections.abc import Sequence
from contextlib import nullcontext
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from keenlattice.errors import UsageError, way
from keenlattice.rig.player.pace import HANDLING_MINUTES, RESTARTS_MINUTES, cheapest_repeats
from keenlattice.study.kind import KeptVersion, kind_named
from keenlattice.study.record import play_on, spec_of, start
from keenlattice.workspace._pages import finished_study
from keenlattice.workspace.handed import FilesHand
from keenlattice.workspace.kept import unfinished_study, versions_of
from keenlattice.workspace.next_run import Waiting, what_is_next
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.standing import Standing

if TYPE_CHECKING:
    from keenlattice.logbook.kept import Study
    from keenlattice.profile.version import Version
    from keenlattice.study.kind import Spec
    from keenlattice.study.record import Progress
    from keenlattice.study.trial.plan import TrialPlan
    from keenlattice.workspace.played import Played


class StudyPlayer:
    """Plays studies. The rig is put back to what it was, whatever happens."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened

    def play(self, kind: str, spec: "Spec", progress: "Progress | None" = None) -> "Played[Any]":
        """Play a study of any kind; see `Studies.play`."""
        study = start(self._opened.book, self._opened.rig, kind, spec)
        self.tell_of_base(spec)
        return self._play(study, progress, begun=True)

    def resume(self, number: int | None, progress: "Progress | None") -> "Played[Any]":
        """Go on with a study that was stopped; see `Studies.resume`."""
        study = unfinished_study(self._opened, number=number)
        if spec_of(study).files:
            raise UsageError(f"{study.kind} {study.number} waits for your recordings: "
                             f"{way('keen trial --take FILE', 'ws.studies.trials.take(FILES)')}")
        return self._play(study, progress)

    def tell_of_base(self, spec: "Spec") -> None:
        """Say so, before a study of a game's versions plays, where the rig does not hold what is planned rig-wide."""
        if spec.on_rig_wide and (planned := Standing(self._opened).planned_in_words()):
            self._opened.notice(f"{planned}. The runs are played on what the rig holds; to have it on first: "
                                f"{way('keen apply rig', 'ws.apply(RIG)')}")

    def trial(self, before: "Version", after: "Version", plan: "TrialPlan", game: str | None,
              progress: "Progress | None") -> "Played[Any]":
        """Play a trial of two versions by a plan."""
        from keenlattice.study.trial.plan import TrialSpec

        return self.play("trial", TrialSpec(KeptVersion.of(before), KeptVersion.of(after), plan, game), progress)

    def _play(self, study: "Study", progress: "Progress | None", *, begun: bool = False) -> "Played[Any]":
        """Play what is left of a study; one by hand may wait for its player, and then says for what."""
        from keenlattice.rig.session import hand_where_nobody_is

        try:
            hand = FilesHand(self._opened)
            with hand_where_nobody_is(self._opened.rig, hand) if self._opened.by_hand else nullcontext():
                play_on(self._opened.book, self._opened.rig, study, progress, begun=begun)
        except Waiting as waiting:
            waiting.next = what_is_next(self._opened, study, waiting)
            raise
        return self._with_version(finished_study(self._opened, study.number), progress)

    def _with_version(self, study: "Played[Any]", progress: "Progress | None") -> "Played[Any]":
        """Return a tuning or a ramp with the version that is made of it, and the trial that proves that, if wanted."""
        makes, plan = kind_named(study.kind).makes, study.spec.proof_plan
        base = versions_of(self._opened, study)[0] if makes else None
        made = makes(study.result, base, self._opened.rig.catalog()) if makes and base else None
        if made is None or base is None:
            return study
        entries, note = made
        version = self._opened.book.branch(base, entries, study.label, note=note, author=self._opened.author)
        try:
            proof = self.trial(base, version, plan, study.spec.game, progress) if plan else None
        except Waiting as waiting:
            if waiting.next is not None:
                waiting.next = replace(waiting.next, finished=replace(study, version=version))
            raise
        return replace(study, version=version, proof=proof)


def minutes_a_step(opened: Opened, minutes: float | None) -> float:
    """Return how long a person takes to change one setting, in minutes: as they say, or as their steps have taught."""
    from keenlattice.rig.player.pace import minutes_a_step

    return float(minutes) if minutes is not None else minutes_a_step(opened.rig.home)


def runs_between_switches(opened: Opened, runs: int | None, keys: Sequence[str], share: float, run_s: float,
                          switch_minutes: float | None, *, asked: bool = False) -> int:
    """Return how many runs to play between two switches: as many as pay, where a person switches; else one.

    Args:
        runs: what the player said.
        keys: the settings that differ.
        share: of them, how many each switch changes.
        run_s: the length of a run with its warm-up.
        switch_minutes: how long a person takes to change one setting, if they said so.
        asked: whether a person is asked to switch, on a rig that programs play.
    """
    from keenlattice.rig.applying import restart_for

    if runs is not None or not (asked or opened.by_hand):
        return runs or 1
    restart = RESTARTS_MINUTES[restart_for(opened.rig, list(keys))]
    switch = share * len(keys) * minutes_a_step(opened, switch_minutes) + restart
    return cheapest_repeats(switch, run_s / 60 + HANDLING_MINUTES)
