"""Blind tests: can a hand feel what is measured?"""

from dataclasses import replace
from typing import TYPE_CHECKING

from keenlattice.workspace.claiming import Claiming
from keenlattice.workspace.opened import VersionLike
from keenlattice.workspace.played import Played

if TYPE_CHECKING:
    from keenlattice.study.blind.plan import Question
    from keenlattice.study.blind.play import Judge
    from keenlattice.study.blind.result import Blind, Measured


class Blinding(Claiming):
    """What plays blind tests."""

    def blind(self, before: VersionLike, after: VersionLike, judge: "Judge", *, rounds: int = 20,
              question: "Question" = "which", game: str | None = None) -> "Played[Blind]":
        """Puts one of two versions on by chance, again and again, and finds out whether a player can tell.

        It is kept when it is over; one that is stopped is void, and the rig is put back.

        Args:
            before: version "A".
            after: version "B".
            judge: who plays, and is asked.
            rounds: at most so many.
            question: "which" it was, or which of two felt "better".
            game: what is played; needed for rig-wide versions.

        Raises:
            UsageError: versions of two profiles, or that do not differ here.
            RigError: the rig refuses; or it switches so unevenly that the time would tell.
        """
        from keenlattice.study.blind.plan import BlindPlan, BlindSpec
        from keenlattice.study.blind.play import run_blind
        from keenlattice.study.kind import KeptVersion
        from keenlattice.study.record import finish, start

        one, other, plan = self.find(before), self.find(after), BlindPlan(rounds, question)
        self._tell_of_base(BlindSpec(KeptVersion.of(one), KeptVersion.of(other), plan, game))
        found = run_blind(self.rig, one, other, plan, judge, game)
        measured, trial = self._measured(one.reference, other.reference, found.game)
        study = start(self.book, self.rig, "blind", BlindSpec(KeptVersion.of(one), KeptVersion.of(other), plan, game))
        finish(self.book, self.rig, study, replace(found, measured=measured, trial=trial))
        return self._finished(study.number)

    def _measured(self, before: str, after: str, game: str) -> "tuple[Measured, int | None]":
        """What the newest trial of two versions says of what decides, and its number."""
        for one in self.finished("trial"):
            if {one.result.before, one.result.after} == {before, after} and one.result.game == game and before != after:
                words = {metric.verdict for metric in one.result.decisive if metric.n}
                if words & {"better", "worse"}:
                    return "differs", one.number
                return ("not known" if "unclear" in words else "no difference that matters"), one.number
        return "not known", None
