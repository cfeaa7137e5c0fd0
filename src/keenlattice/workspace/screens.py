"""Screens: planned, and what they cost."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice._door import check_methods
from keenlattice.errors import UsageError, way
from keenlattice.profile.compare import changes, with_changes
from keenlattice.profile.version import MARK, Version, own_key, owners, parted, split, stock
from keenlattice.rig.player.pace import HANDLING_MINUTES
from keenlattice.study.limits import DECIDES, DEFAULT_PCT, seed_or_fresh
from keenlattice.workspace._play import minutes_a_step, runs_between_switches
from keenlattice.workspace.kept import kept_study, study_numbered, versions_of
from keenlattice.workspace.opened import Matters, Opened, VersionLike
from keenlattice.workspace.packs import Packs
from keenlattice.workspace.played import CheaperScreen, ScreenCost
from keenlattice.workspace.profile_results import EditResult

if TYPE_CHECKING:
    from keenlattice.profile.pack import Claim
    from keenlattice.study.screen.plan import ScreenPlan


@check_methods
class Screens:
    """What is done with screens beside playing one at once."""

    def __init__(self, opened: Opened, packs: Packs) -> None:
        self._opened, self._packs = opened, packs

    def plan(self, before: VersionLike, after: VersionLike | Path, *, together: Sequence[Sequence[str]] = (),
             rounds: int | None = None, seconds: float = 30.0, decides: str = DECIDES, matters: Matters = DEFAULT_PCT,
             repeats: int | None = None, folded: bool = True, warm_up_s: float = 0.0, seed: int | None = None,
             switch_minutes: float | None = None) -> "tuple[Version, Version, ScreenPlan]":
        """Return the two versions and the plan of a screen; its parameters are those of `Studies.screen`.

        Args:
            before, after, together, rounds, seconds, decides, matters: as in `Studies.screen`.
            repeats, folded, warm_up_s, seed, switch_minutes: as in `Studies.screen`.

        Raises:
            UsageError, BadValue, UnknownName: it is invalid.
        """
        from keenlattice.study.deciding import Deciding
        from keenlattice.study.screen.plan import MOST_ROUNDS, USUAL_ROUNDS, ScreenPlan, factors_of

        first = self._opened.find(before, both=True)
        second, claims = self._other(first, after)
        factors = factors_of(first.entries, second.entries, _groups(together, first, second))
        claimed = tuple(_claims_of(group, claims) for group in factors) if claims else ()
        repeats = runs_between_switches(self._opened, repeats, [key for group in factors for key in group], 0.5,
                                        seconds + warm_up_s, switch_minutes)
        sized = rounds is None and not self._opened.by_hand
        if rounds is None:
            rounds = MOST_ROUNDS if sized else USUAL_ROUNDS
        return first, second, ScreenPlan(
            factors, claimed, rounds, seconds, seed_or_fresh(seed), Deciding.by(decides, matters),
            warm_up_s=warm_up_s, repeats=repeats, few_switches=self._opened.by_hand, folded=folded, sized=sized)

    def cost(self, plan: "ScreenPlan", switch_minutes: float | None = None) -> ScreenCost:
        """What a screen would play, and how long that takes.

        Args:
            plan: of the screen.
            switch_minutes: how long a person takes to change one setting; learnt, if it is not said.
        """
        from keenlattice.study.screen.play import costly

        alone = [group[0] for group in plan.factors if len(group) == 1]
        restarting = costly(self._opened.rig, plan)
        step = minutes_a_step(self._opened, switch_minutes) if self._opened.by_hand else 0.0
        return ScreenCost(plan, plan.runs_a_round, self._minutes_a_round(plan, step),
                          tuple(plan.factors[place] for place in restarting), plan.switched(restarting),
                          self._cheaper(plan, step) if self._opened.by_hand else (), tuple(_told_by_checks(alone)))

    def keep(self, number: int, profile: str = "", note: str = "") -> "tuple[EditResult, str]":
        """Make a version of what helps by a screen: its second version without the changes that do not help.

        Args:
            number: the screen's in the logbook.
            profile: whose changes to keep; it must be named where a screen is of a game and the rig together.
            note: why; that it keeps what helps by this screen, if not given.

        Returns:
            The version that was made, and the one that the screen began with, which a trial compares it with.

        Raises:
            UsageError: there is no such screen, it is not finished or of another profile, or no change helps.
        """
        from keenlattice.study.screen.result import helping

        row = study_numbered(self._opened, number, "screen")
        if row.result is None:
            raise UsageError(f"screen {number} is not finished: "
                             f"{way(f'keen studies resume {number}', f'ws.studies.resume({number})')} goes on with it")
        study = kept_study(self._opened, row)
        first, second = versions_of(self._opened, study)
        profiles = owners(first.profile)
        if profile not in profiles and (profile or len(profiles) > 1):
            call = f"ws.studies.screens.keep({number}, {profiles[0]!r})"
            raise UsageError(f"screen {number} is of {' and '.join(profiles)}: "
                             f"{way(f'keen edit {profiles[0]} --from-screen {number}', call)}")
        place = profiles.index(profile) if profile else 0
        helps = {key: second.entries.get(key) for factor in helping(study.result) for key in factor.settings}
        kept = parted(first.profile, helps)[profiles[place]]
        if not kept:
            raise UsageError(f"no change of {profiles[place]} in screen {number} surely helps: there is nothing to "
                             "keep")
        # What a pack sets, or what the rig held, is in no history; the other version may be.
        stored = next((version for version in (second, first) if version.time), None)
        before = self._opened.find(split(stored.reference)[place]) if stored else stock(profiles[place])
        entries = with_changes(parted(first.profile, first.entries)[profiles[place]], kept)
        with self._opened.book.together():
            after = self._opened.commit([before], entries, note or f"what helps by screen {number}")
        held_then = first.entries and not first.time
        began = f"{profiles[place]}@now" if held_then else split(first.reference)[place]
        return EditResult(before, after, changes(before.entries, after.entries)), began

    def _minutes_a_round(self, plan: "ScreenPlan", step: float) -> float:
        """How long a round takes, with this many minutes for each setting that a person switches."""
        from keenlattice.study.screen.play import costly

        runs = plan.runs_a_round * ((plan.seconds + plan.warm_up_s) / 60 + HANDLING_MINUTES * self._opened.by_hand)
        return runs + step * plan.switched(costly(self._opened.rig, plan))

    def _cheaper(self, plan: "ScreenPlan", step: float) -> tuple[CheaperScreen, ...]:
        """Plans that take less time, and by how much their intervals are wider."""
        cheaper = [replace(plan, repeats=1)] if plan.repeats > 1 else []
        cheaper += [replace(plan, folded=False)] if plan.folded else []
        return tuple(CheaperScreen(choice.repeats, choice.folded, self._minutes_a_round(choice, step),
                                   choice.half_width() / plan.half_width()) for choice in cheaper)

    def _other(self, before: Version, after: "VersionLike | Path") -> "tuple[Version, Mapping[str, tuple[Claim, ...]]]":
        """The other version of a screen, and what is claimed of each of its settings if it is a pack."""
        if not str(after).endswith(".toml") or isinstance(after, Version):
            return self._opened.find(after, both=True), {}  # type: ignore[arg-type]
        pack = self._packs.look(Path(str(after)))
        offers = [offer.offered for offer in pack.rules]
        names = owners(before.profile)
        claims = {setting.key + MARK * (offer.rule.game != names[0] and "@" not in setting.key): tuple(offer.rule.claim)
                  for offer in offers if offer.rule.game in names and not offer.fails for setting in offer.settings}
        return self._packs.with_rules_of(offers, before, pack.title), claims


def _groups(grouped: Sequence[Sequence[str]], before: Version, after: Version) -> list[tuple[str, ...]]:
    """The groups that a player has named; `checks` stands for those that the checks know of."""
    named = [tuple(group) for group in grouped if tuple(group) != ("checks",)]
    if ("checks",) in [tuple(group) for group in grouped]:
        taken = {key for group in named for key in group}
        named += _told_by_checks([edit.key for edit in changes(before.entries, after.entries) if edit.key not in taken])
    return named


def _told_by_checks(keys: Sequence[str]) -> list[tuple[str, ...]]:
    """The groups of some settings that the checks name in one breath, whichever part of two profiles has them."""
    from keenlattice.profile.checks import belong_together

    marked: dict[str, list[str]] = {}
    for key in keys:
        marked.setdefault(own_key(key), []).append(key)
    return [tuple(key for name in group for key in marked[name]) for group in belong_together(marked)]


def _claims_of(group: Sequence[str], claims: "Mapping[str, tuple[Claim, ...]]") -> "tuple[Claim, ...]":
    return next((claims[key] for key in group if claims.get(key)), ())
