"""Searching: which of many changes matter, since when it is so, which combination is best, how far an offset goes."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Unpack

from keenlattice.profile.together import MARK, own_key, split, together
from keenlattice.profile.version import Version, owners, stock
from keenlattice.workspace._studying import seeded
from keenlattice.workspace._trials import Trials
from keenlattice.workspace.next_run import Waiting
from keenlattice.workspace.opened import VersionLike
from keenlattice.workspace.options import HuntOptions, RampOptions, ScreenOptions, TuneOptions
from keenlattice.workspace.packing import Packing
from keenlattice.workspace.played import CheaperScreen, Played, ScreenCost

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.profile.pack import Claim
    from keenlattice.study.hunt.result import Hunt
    from keenlattice.study.ramp.result import Ramp
    from keenlattice.study.record import Progress
    from keenlattice.study.screen.plan import ScreenPlan
    from keenlattice.study.screen.result import Screen
    from keenlattice.study.tune.result import Tuning


class Searching(Trials, Packing):
    """What plays screens, hunts, tunings and ramps."""

    def screen(self, before: VersionLike, after: VersionLike | Path, *, game: str | None = None,
               progress: "Progress | None" = None, **options: Unpack[ScreenOptions]) -> "Played[Screen]":
        """Finds out which of the changes between two versions matter, all at once.

        Args:
            after: the version whose changes are told apart; or a pack (a TOML file), on top of the first one.
            game, progress: as in `trial`.
            options: `rounds`, `seconds`, `decides`, `matters`, ...: see `ScreenOptions`.

        Raises:
            UsageError, RigError: as `trial`.
        """
        from keenlattice.study.kind import KeptVersion
        from keenlattice.study.screen.plan import ScreenSpec

        one, other, plan = self.screen_plan(before, after, **options)
        return self.play("screen", ScreenSpec(KeptVersion.of(one), KeptVersion.of(other), plan, game), progress)

    def screen_plan(self, before: VersionLike, after: VersionLike | Path,
                    **options: Unpack[ScreenOptions]) -> "tuple[Version, Version, ScreenPlan]":
        """The two versions and the plan of a screen.

        Args:
            before: as in `screen`.
            after: as in `screen`.
            options: as in `screen`.

        Raises:
            UsageError: it is invalid.
        """
        from keenlattice.study.deciding import DECIDES, DEFAULT_PCT, parsed_matters
        from keenlattice.study.screen.plan import ScreenPlan, factors_of

        settings, first = seeded(options), self.find(before, both=True)
        second, claims = self._other(first, after)
        factors = factors_of(first.entries, second.entries, _groups(settings.pop("together", ()), first, second))
        pct, of = parsed_matters(settings.pop("matters", DEFAULT_PCT), settings.get("decides", DECIDES))
        claimed = tuple(_claims_of(group, claims) for group in factors) if claims else ()
        settings["repeats"] = self._repeats(options, [key for group in factors for key in group], 0.5, ScreenPlan)
        return first, second, ScreenPlan(factors, claimed, **settings, matters_pct=pct, matters_of=of,
                                      few_switches=self.by_hand)

    def screen_cost(self, plan: "ScreenPlan", switch_minutes: float | None = None) -> ScreenCost:
        """What a screen would play, and how long that takes.

        Args:
            plan: of the screen.
            switch_minutes: how long a person takes to change one setting; learnt, if it is not said.
        """
        from keenlattice.study.screen.play import costly

        alone = [group[0] for group in plan.factors if len(group) == 1]
        restarting = costly(self.rig, plan)
        step = self.minutes_a_step({"switch_minutes": switch_minutes}) if self.by_hand else 0.0
        return ScreenCost(plan, plan.runs_a_round, self._minutes_a_round(plan, step),
                          tuple(plan.factors[place] for place in restarting), plan.switched(restarting),
                          self._cheaper(plan, step) if self.by_hand else (), tuple(_told_by_checks(alone)))

    def _minutes_a_round(self, plan: "ScreenPlan", step: float) -> float:
        """How long a round takes, with so many minutes for each setting that a person switches."""
        from keenlattice.rig.byhand.pace import HANDLING_MINUTES
        from keenlattice.study.screen.play import costly

        runs = plan.runs_a_round * ((plan.seconds + plan.warm_up_s) / 60 + HANDLING_MINUTES * self.by_hand)
        return runs + step * plan.switched(costly(self.rig, plan))

    def _cheaper(self, plan: "ScreenPlan", step: float) -> tuple[CheaperScreen, ...]:
        """Plans that take less time, and by how much their intervals are wider."""
        others = [replace(plan, repeats=1)] if plan.repeats > 1 else []
        others += [replace(plan, folded=False)] if plan.folded else []
        return tuple(CheaperScreen(one.repeats, one.folded, self._minutes_a_round(one, step),
                                   one.half_width() / plan.half_width()) for one in others)

    def _other(self, before: Version, after: "VersionLike | Path") -> "tuple[Version, Mapping[str, tuple[Claim, ...]]]":
        """The other version of a screen, and what is claimed of each of its settings if it is a pack."""
        if not str(after).endswith(".toml") or isinstance(after, Version):
            return self.find(after, both=True), {}  # type: ignore[arg-type]
        pack = self.pack(Path(str(after)))
        offers = [offer.offered for offer in pack.rules]
        names = owners(before.profile)
        claims = {setting.key + MARK * (offer.rule.game != names[0] and "@" not in setting.key): tuple(offer.rule.claim)
                  for offer in offers if offer.rule.game in names and not offer.fails for setting in offer.settings}
        return self.with_rules_of(offers, before, pack.title), claims

    def hunt(self, profile: str, *, since: VersionLike = "", until: VersionLike = "", game: str | None = None,
             progress: "Progress | None" = None, **options: Unpack[HuntOptions]) -> "Played[Hunt]":
        """Finds the version at which a metric changed, and the least set of settings in it that did it.

        Args:
            profile: whose history is gone through; `GAME+rig` goes through both, in the order of time.
            since: where it was still otherwise; stock, if it is not given.
            until: where it is as it is now; the latest, if it is not given.
            game, progress: as in `trial`.
            options: `blocks`, `seconds`, `decides`, `matters`, ...: see `HuntOptions`.

        Raises:
            UsageError, RigError: as `trial`.
        """
        from keenlattice.study.deciding import DECIDES, DEFAULT_PCT, parsed_matters
        from keenlattice.study.hunt.plan import HuntPlan, HuntSpec
        from keenlattice.study.trial.plan import TrialPlan

        settings, line = seeded(options), self.line(since or stock(profile).reference, until or profile)
        error = {"error": settings.pop("error")} if "error" in settings else {}
        pct, of = parsed_matters(settings.pop("matters", DEFAULT_PCT), settings.get("decides", DECIDES))
        plan = HuntPlan(TrialPlan(**settings, matters_pct=pct, matters_of=of), **error)
        return self.play("hunt", HuntSpec(tuple(version.reference for version in line), plan, game), progress)

    def line(self, since: VersionLike, until: VersionLike) -> list[Version]:
        """Return the versions from one to another, the oldest first, each behind the one that it was made from.

        Of a game and the rig together, the two lines are one, in the order in which the versions were made.

        Args:
            since: the oldest.
            until: the newest.

        Raises:
            UsageError: the oldest is not an ancestor of the newest.
        """
        from keenlattice.errors import UsageError

        first, last = self.find(since, both=True), self.find(until, both=True)
        if first.profile != last.profile:
            raise UsageError(f"{first.reference} and {last.reference} are of two profiles: a hunt goes through the "
                             "history of one, or of GAME+rig")
        if len(ends := [*zip(split(first.reference), split(last.reference), strict=True)]) > 1:
            game, whole_rig = (self._line(*map(self.find, pair)) for pair in ends)
            line = interleaved(game, whole_rig, self.book.made())
        else:
            line = self._line(first, last)
        if len(line) < 2:
            raise UsageError(f"{first.reference} and {last.reference} are the same version: there is nothing "
                             "between them")
        return line

    def _line(self, first: Version, version: Version) -> list[Version]:
        from keenlattice.errors import UsageError

        line = [version]
        while line[0].id != first.id and line[0].parents:
            line.insert(0, self.book.version(version.profile, line[0].parents[0]))
        if line[0].id != first.id:
            if first.entries or first.time:
                raise UsageError(f"{version.reference} was not made from {first.reference}: keen history "
                                 f"{version.profile} shows the lines")
            line.insert(0, first)  # stock comes before every history
        return line

    def tune(self, base: VersionLike, choices: "Mapping[str, Sequence[Value]]", *, game: str | None = None,
             progress: "Progress | None" = None, **options: Unpack[TuneOptions]) -> "Played[Tuning]":
        """Finds the best combination of some values for this rig, and makes a version of it.

        Args:
            base: where to start from.
            choices: setting to the values that are tried; a text may be what a player types.
            game, progress: as in `trial`.
            options: `goal`, `limits`, `rounds`, `proof`, ...: see `TuneOptions`.

        Raises:
            UsageError, RigError: as `trial`.
        """
        from keenlattice.study.deciding import DECIDES, DEFAULT_PCT, parsed_matters
        from keenlattice.study.kind import KeptVersion
        from keenlattice.study.tune.plan import TunePlan, TuneSpec, checked

        told, start, catalog = seeded(options), self.find(base), self.rig.catalog()
        proof, limits = told.pop("proof", TuneSpec.proof), tuple(told.pop("limits", ()))
        values = tuple((key, tuple(catalog[key].parsed(one) if isinstance(one, str) else one for one in some))
                       for key, some in choices.items())
        goal = told.pop("goal", DECIDES)
        pct, of = parsed_matters(told.pop("matters", DEFAULT_PCT), goal)
        plan = checked(catalog, TunePlan(values, goal, limits, **told, matters_pct=pct, matters_of=of,
                                         few_switches=self.by_hand))
        return self.play("tune", TuneSpec(KeptVersion.of(start), plan, game, proof), progress)

    def ramp(self, base: VersionLike, setting: str, by: float, *, game: str | None = None,
             progress: "Progress | None" = None, **options: Unpack[RampOptions]) -> "Played[Ramp]":
        """Steps a clock offset up until the rig is not stable, settles below, and makes a version of that.

        Args:
            base: where to start from.
            setting: the one that is stepped up, such as `gpu.core-offset@gpu0`.
            by: how much a step adds.
            game, progress: as in `trial`.
            options: `margin`, `goal`, `proof`, ...: see `RampOptions`.

        Raises:
            UsageError, RigError: as `trial`.
        """
        from keenlattice.study.deciding import DECIDES, DEFAULT_PCT, named, parsed_matters
        from keenlattice.study.kind import KeptVersion
        from keenlattice.study.ramp.plan import RampPlan, RampSpec, steps_of
        from keenlattice.study.trial.plan import TrialPlan

        told, start = seeded(options), self.find(base)
        proof, margin = told.pop("proof", 8), told.pop("margin", 2 * by)
        goal = told.pop("goal", DECIDES)
        pct, of = parsed_matters(told.pop("matters", DEFAULT_PCT), goal)
        plan = RampPlan(setting, by, margin, **told, goal=named(goal)[0])
        trial = TrialPlan(max(2, proof), plan.seconds, plan.seed, goal, pct, matters_of=of)
        steps_of(self.rig.catalog(), start, plan)  # says so if there are none, before anything is started
        return self.play("ramp", RampSpec(KeptVersion.of(start), plan, game, trial if proof else None), progress)

    def _with_version(self, found: "Played[Any]", progress: "Progress | None") -> "Played[Any]":
        """A tuning or a ramp with the version that is made of it, and the trial that proves that, if one is wanted."""
        from keenlattice.study.trial.plan import TrialPlan
        from keenlattice.workspace._made import entries_made

        made = entries_made(self, found)
        if made is None:
            return found
        base, entries, note = made
        version = self.book.branch(base, entries, found.label, note=note, author=self.author)
        spec = found.spec
        plan = spec.proof  # type: ignore[attr-defined]
        if isinstance(plan, int) and plan:
            tuned = found.result.plan
            plan = TrialPlan(plan, tuned.seconds, tuned.seed, tuned.goal, tuned.matters_pct,
                             warm_up_s=tuned.warm_up_s, matters_of=tuned.matters_of)
        try:
            proof = self.play_trial(base, version, plan, spec.game, progress) if plan else None
        except Waiting as waiting:
            if waiting.next is not None:
                waiting.next = replace(waiting.next, finished=replace(found, version=version))
            raise
        return replace(found, version=version, proof=proof)


def interleaved(game: Sequence[Version], whole_rig: Sequence[Version], made: Sequence[str]) -> list[Version]:
    """Return the line of a game's versions and that of rig-wide ones as one: of both together, one step after another
    as they were made.

    Args:
        made: the ids of all versions, as they were made.
    """
    order = {version: number for number, version in enumerate(made)}
    at, line = [0, 0], [together(game[0], whole_rig[0])]
    lines = (game, whole_rig)
    while left := [place for place in (0, 1) if at[place] + 1 < len(lines[place])]:
        place = min(left, key=lambda which: order[lines[which][at[which] + 1].id])
        at[place] += 1
        line.append(together(game[at[0]], whole_rig[at[1]]))
    return line


def _groups(grouped: Sequence[Sequence[str]], before: Version, after: Version) -> list[tuple[str, ...]]:
    """The groups that a player has named; `checks` stands for those that the checks know of."""
    from keenlattice.profile.compare import changes

    named = [tuple(group) for group in grouped if tuple(group) != ("checks",)]
    if ("checks",) in [tuple(group) for group in grouped]:
        taken = {key for group in named for key in group}
        named += _told_by_checks([one.key for one in changes(before.entries, after.entries) if one.key not in taken])
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
