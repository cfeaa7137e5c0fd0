"""How a screen, a hunt, a tuning and a ramp are shown."""

from typing import TYPE_CHECKING, Any

from keenlattice.cli.output import hint, minutes, say, table
from keenlattice.cli.views.trial import show_doubts, show_excluded, style_of
from keenlattice.profile.compare import changes
from keenlattice.report.words import (
    NONE_TOGETHER,
    TITLES,
    also_changed,
    between,
    effect_percent,
    factor_does,
    headline,
    screen_headline,
    together,
    tune_headline,
)
from keenlattice.workspace.wording import value_text

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.profile.version import Version
    from keenlattice.study.hunt.plan import Hunt
    from keenlattice.study.ramp.plan import Ramp
    from keenlattice.study.screen.result import Screen
    from keenlattice.study.tune.plan import Combination, Tuning
    from keenlattice.workspace.played import Played, ScreenCost

COMBINATIONS_SHOWN = 12


def show_screen_cost(found: "ScreenCost") -> None:
    """What a screen would play, and how long that takes."""
    plan: Any = found.plan
    by_hand = f", {found.switched_per_round} settings to switch" if plan.few_switches else ""
    count = len(plan.factors)
    say(f"{count} change{'s' * (count > 1)}, {found.runs_per_round} runs of {plan.seconds:g} s a round{by_hand}: "
        f"{minutes(found.minutes_per_round)}, and at most {plan.rounds} round{'s' * (plan.rounds > 1)}.", "bold")
    for group in plan.factors:
        say("  " + " + ".join(group) + " (restarts the machine)" * (group in found.restarting))
    for one in found.cheaper:
        how = " ".join(["--repeats 1"] * (one.repeats < plan.repeats) + ["--short"] * (plan.folded and not one.folded))
        price = "" if one.folded else "; and what two changes do together can pass for the work of a third"
        say(f"cheaper: {how} takes {minutes(one.minutes_per_round)} a round, with intervals {one.wider:.1f} times as "
            f"wide{price}")
    for group in found.together:
        say(f"! {' and '.join(group)}: one decides what the other does; --together {','.join(group)} switches them as "
            "one, or --together checks all such")
    if found.restarting:
        say("Runs that agree in what restarts the machine come one after the other, so that it restarts seldom; what "
            "does it is then told by fewer degrees of freedom, with wider intervals.")


def show_screen(result: "Screen") -> None:
    """Which changes matter, each with its interval and a word."""
    from keenlattice.study.deciding import told_of

    plan = result.plan
    say(screen_headline(result), "bold")
    say(f"{result.game} on {result.rig}: {result.runs} runs of {plan.seconds:g} s in {result.rounds_played} rounds, "
        f"seed {plan.seed}; {told_of(plan)} matters. One by one, {result.one_by_one_runs} runs would tell as "
        "much.\n", "dim")
    _show_factors(result)
    show_excluded(result.excluded)
    show_doubts(result.doubts)
    for one in together(result):
        say(f"! {one}")
    if not result.interactions:
        say(NONE_TOGETHER, "dim")
    if unclear := [" + ".join(one.settings) for one in result.factors
                   if any(effect.standing == "unclear" for effect in one.measured)]:
        hint(f"more rounds or longer runs tell of what is unclear, or a trial of {unclear[0]} alone; keen report makes "
             "a page of it")
    else:
        hint("keep those that help with keen edit, and prove them together: keen trial; keen report makes a page of it")


def _show_factors(result: "Screen") -> None:
    """A row for each change: its interval on each metric that it is judged by, and what it does."""
    names = result.judged_by
    if not names:  # each by what is claimed of it
        table(["change", "metric", "interval, %", "verdict"], [
            [" + ".join(one.settings), TITLES[one.telling.metric], effect_percent(one.telling).removesuffix(" %"),
             one.telling.standing] for one in result.factors], right=(2,))
        return
    table(["change", *(f"{TITLES[name]}, %" for name in names), "what it does"], [
        [" + ".join(one.settings), *(effect_percent(effect).removesuffix(" %") for effect in one.judged),
         factor_does(one)] for one in result.factors], right=tuple(range(1, 1 + len(names))))


def show_hunt(catalog: "Catalog", result: "Hunt", line: "list[Version]") -> None:
    """The version at which it changed, and the settings that did it."""
    say(headline(result.trial), style_of(result.trial))
    say(f"{len(line)} versions from {line[0].reference} to {line[-1].reference}, {result.runs} runs of "
        f"{result.trial.plan.seconds:g} s, seed {result.trial.plan.seed}.\n", "dim")
    show_excluded(result.excluded)
    show_doubts(result.doubts)
    for key in sorted({key for version in line for key in version.entries if key not in catalog}):
        say(f"! {key} was left out of all versions: the rig {result.trial.rig} does not have it")
    if not result.first:
        say("Between the oldest and the newest no change beyond what matters was told: there is nothing to hunt for.")
        hint("more blocks, longer runs, or another metric (--decides)")
        return
    by_reference = {version.reference: version for version in line}
    first, before = by_reference[result.first], by_reference[result.before]
    say(f"{TITLES[result.metric].capitalize()} changed with {result.first}{f', {first.note!r}' if first.note else ''} "
        f"({result.how_sure} sure); before that came {result.before}.", "bold")
    if also := also_changed(result).strip():
        say(f"! {also}")
    differing = changes(before.entries, first.entries)
    say(f"Of the {len(differing)} settings that differ between them, "
        f"{'this one does' if len(result.settings) == 1 else 'these do'} it:" if len(differing) > 1 else
        "They differ in one setting:")
    table(["setting", "before", "since"], [
        [one.key, value_text(catalog, one.key, one.before), value_text(catalog, one.key, one.after)]
        for one in differing if one.key in result.settings])
    if not result.sure:
        say("! not every question could be settled by its looks: there may be a setting too many here")
    hint(f"keen trial {result.before} {result.first} --decides {result.metric}, to see how much of it "
         "that is; keen report makes a page of this")


def show_tuning(catalog: "Catalog", played: "Played[Tuning]", latest: "Version") -> None:
    """The combinations, the best first; the version that was made of it, and what proves it."""
    from keenlattice.measure.metrics import METRICS

    result, plan = played.result, played.result.plan
    say(tune_headline(result), "bold" if result.best else "bold red")
    say(f"{len(result.combinations)} combinations on top of {result.base} on {result.rig}: {result.runs} runs of "
        f"{plan.seconds:g} s in {result.rounds_played} rounds, seed {plan.seed}.\n", "dim")
    table([*(key for key, _ in plan.choices), *(f"{TITLES[goal]}, {METRICS[goal].unit}" for goal in plan.goals),
           "against the best" if len(plan.goals) == 1 else "worse than the best", "runs", ""],
          [_combination(catalog, one) for one in result.combinations[:COMBINATIONS_SHOWN]],
          right=tuple(range(len(plan.choices), len(plan.choices) + len(plan.goals) + 2)))
    if len(result.combinations) > COMBINATIONS_SHOWN:
        say(f"and {len(result.combinations) - COMBINATIONS_SHOWN} more (--json lists all)", "dim")
    show_excluded(result.excluded)
    show_doubts(result.doubts)
    if played.version is None:
        return
    _tell_of_branch(played, result.base, latest)
    if played.proof is None:
        hint(f"keen trial {result.base} {played.version.reference} --decides {plan.goal}, which alone proves it")
        return
    _show_proof(played)
    hint(f"keen apply {_label(played)}; or into your profile: keen merge {played.version.profile} {_label(played)}; "
         "keen report makes a page of it")


def _tell_of_branch(played: "Played[Any]", base: str, latest: "Version") -> None:
    """Which version was made, from which, and what the player's latest sets that it does not have."""
    assert played.version is not None
    say(f"\n{_label(played)} ({played.version.reference}) was made of the best, from {base}. Your latest version stays "
        f"{latest.reference}, and the rig is as it was.")
    lacks = [key for key in latest.entries if key not in played.version.entries]
    if lacks:
        say(f"! it does not have what {latest.reference} sets: {', '.join(lacks)}")


def _label(played: "Played[Any]") -> str:
    assert played.version is not None
    return f"{played.version.profile}@{played.label}"


def _combination(catalog: "Catalog", one: "Combination") -> list[str]:
    return [*(value_text(catalog, key, value) for key, value in one.values.items()),
            *("-" if goal is None else f"{goal:.1f}" for goal in one.goals),
            between(one.low_pct, one.high_pct), str(one.rounds), one.standing]


def show_ramp(catalog: "Catalog", played: "Played[Ramp]", latest: "Version") -> None:
    """How far it went, and where it settles."""
    from keenlattice.measure.metrics import METRICS

    result, plan = played.result, played.result.plan
    unit, last = catalog[plan.key].unit, result.steps[-1]
    say(f"{plan.key}: {result.settled:g} {unit}." + (
        f" At {last.value:g} a run went wrong: {last.wrong}." if last.wrong else
        " Nothing went wrong up to the end of what the catalog allows."), "bold")
    if result.highest is not None:
        say(f"The highest step at which all {plan.runs} runs of {plan.seconds:g} s went well is {result.highest:g}; "
            f"what ran may still be a little unstable, so it settles {plan.margin:g} below.\n", "dim")
    table([f"{plan.key}, {unit}", f"{TITLES[plan.goal]}, {METRICS[plan.goal].unit}", ""], [
        [f"{one.value:g}", "-" if one.goal is None else f"{one.goal:.2f}", one.wrong or "ran"] for one in result.steps],
        right=(0, 1))
    if played.version is None:
        say("\nNothing was changed: no step is far enough above where it started.")
        return
    _tell_of_branch(played, played.spec.versions[0].reference, latest)
    if played.proof is not None:
        _show_proof(played)


def _show_proof(played: "Played[Any]") -> None:
    assert played.proof is not None
    trial = played.proof.result
    say(f"Against where it started, in {trial.blocks_played} blocks of runs of their own:")
    say(headline(trial), style_of(trial))
