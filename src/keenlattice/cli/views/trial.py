"""What is shown round a trial: its pilot, the runs to come, the claims of a pack."""

import shlex
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from keenlattice.cli.output import emit, hint, minutes, on_this_rig, say, table
from keenlattice.cli.views.blocks import show_telling
from keenlattice.errors import counted
from keenlattice.report.context import for_game
from keenlattice.report.words import TITLES, signed
from keenlattice.study.blind.plan import BlindPlan
from keenlattice.study.pool.evidence import value_said
from keenlattice.study.pool.words import expected_said, interval, range_of, shares, side_said
from keenlattice.study.trial.words import percent
from keenlattice.workspace.played import RunsToCome

if TYPE_CHECKING:

    from keenlattice.workspace.opened import VersionLike
    from keenlattice.workspace.played import Pilot, Played, RunsToCome, ScreenCost
    from keenlattice.workspace.pool import ChangeHere, PoolLook, TryFirst
    from keenlattice.workspace.trials import ClaimsResult, Repeated
    from keenlattice.workspace.workspace import Workspace


STYLES = {"holds": "bold green", "does not hold": "bold red", "unclear": "yellow"}
WARM_UP_FROM_S = 1.0
RUNS_SHOWN = 8


def show_pilot(pilot: "Pilot", after: str) -> None:
    """How noisy runs are, and how many blocks would settle a trial."""
    
    result = pilot.trial.result
    before, plan = result.before, result.plan
    say(f"{TITLES[pilot.decides].capitalize()} of {before} against itself: from block to block the ratio of two runs "
        f"varies by {100 * pilot.noise_sd:.2g} % (standard deviation, {plan.blocks} blocks).", "bold")
    if result.deciding.verdict in ("better", "worse"):
        say(f"! a version came out {result.deciding.verdict} than itself: something else changes while you measure")
    table(["blocks", "chance to settle", "about"], [
        [str(plan.blocks), f"{100 * plan.chance:.0f} %", f"{plan.minutes:.0f} min"] for plan in pilot.plans],
        right=(0, 1, 2))
    say(f"Settled: the interval lies wholly within {pilot.matters_pct:.3g} %, or wholly beyond. The chances are for "
        "two versions that are alike; it ends as soon as it is settled, so these are the most that it takes.", "dim")
    if pilot.warm_up_s >= max(WARM_UP_FROM_S, plan.warm_up_s):
        say(f"Runs begin differently from how they go on, for {pilot.warm_up_s:.1f} s: --warm-up {pilot.warm_up_s:.1f} "
            "leaves that out.")
    if pilot.blocks_to_settle is None:
        say("No number of blocks up to 1000 would do with four chances in five: let more matter, or play longer runs.")
        return
    hint(f"keen trial {before} {after}{for_game(before, result.game)} --blocks {pilot.blocks_to_settle} "
         f"--decides {plan.decides.metrics} --matters {plan.decides.told} --seconds {plan.seconds:g}")


def show_runs_to_come(come: "RunsToCome") -> None:
    """What has still to be recorded, in which order."""
    count = come.recorded + len(come.to_come)
    say(f"Trial {come.study}, {come.recorded} of {counted(count, 'run')} recorded. Record these, {come.seconds:g} s "
        "each, in this order:", "bold")
    table(["run", "block", "with this version on the rig"], [
        [str(run.place + 1), str(run.block + 1), run.version] for run in come.to_come[:RUNS_SHOWN]], right=(0, 1))
    if len(come.to_come) > RUNS_SHOWN:
        say(f"and {len(come.to_come) - RUNS_SHOWN} more", "dim")
    hint("keen trial --take FILE, after each or with several at once")


def show_claims(result: "ClaimsResult") -> None:
    """What was claimed, and whether it holds here."""
    for rule in result.rules:
        if rule.not_repeated:
            say(f"Rule {rule.rule} was not repeated: {rule.not_repeated}", "dim")
        else:
            _show_rule(rule)


def _show_rule(repeated: "Repeated") -> None:
    from keenlattice.study.trial.result import claim_in_words

    assert repeated.offered is not None and repeated.trial is not None
    result = repeated.trial.result
    by_name, here = {metric.name: metric for metric in result.metrics}, {id(claim.claim): claim
                                                                         for claim in repeated.claims}
    say(f"Rule {repeated.rule}: {repeated.offered.rule.reason or repeated.offered.rule.game}", "bold")
    for claim in repeated.offered.rule.claim:
        if id(claim) not in here:
            say(f"  {claim_in_words(claim)}: not measured in a trial", "dim")
            continue
        measured, word = by_name[claim.metric], here[id(claim)].here
        say(f"  claimed: {claim_in_words(claim)}")
        for evidence in claim.evidence:
            say(f"  its author measured {evidence.told()}", "dim")
        say(f"  here: {TITLES[measured.name]} changed by {percent(measured)[1]}, so it "
            + {"holds": "holds on this rig, too", "does not hold": "does not hold on this rig",
               "unclear": "is unclear here: more blocks would tell"}[word], STYLES[word])
    plan = result.plan
    say(f"  on top of {repeated.base}: {result.blocks_played} blocks of {plan.seconds:g} s runs on {result.rig}, seed "
        f"{plan.seed}", "dim")


def tell_amounts(ws: "Workspace", matters: str, decides: str, before: "VersionLike") -> None:
    """What an amount is in per cent, as far as that is known; the first block of the study settles it."""
    from keenlattice.study.deciding import parsed_matters

    for name, least, unit in parsed_matters(matters, decides)[1]:
        value = ws.recordings.newest_value(name, before) if unit != "%" else 0.0
        if value > 0:
            say(f"{least:g} {unit} of the {value:.1f} {unit} of {TITLES[name]} in its newest run are "
                f"{100 * least / value:.2g} %; the first block tells.", "dim")
        elif unit != "%":
            say(f"How many per cent {least:g} {unit} of {TITLES[name]} are, the first block tells.", "dim")


def show_screen_cost(cost: "ScreenCost") -> None:
    """What a screen would play, and how long that takes."""
    plan: Any = cost.plan
    by_hand = f", {counted(cost.switched_per_round, 'setting')} to switch" if plan.few_switches else ""
    count = len(plan.factors)
    say(f"{counted(count, 'change')}, {counted(cost.runs_per_round, 'run')} of {plan.seconds:g} s a round{by_hand}: "
        f"{minutes(cost.minutes_per_round)}, and at most {counted(plan.rounds, 'round')}"
        f"{': how much runs vary in the first says how many' * plan.sized}.", "bold")
    for group in plan.factors:
        say("  " + " + ".join(group) + " (restarts the machine)" * (group in cost.restarting))
    for cheaper in cost.cheaper:
        options = {"--repeats 1": cheaper.repeats < plan.repeats, "--short": plan.folded and not cheaper.folded}
        how = " ".join(option for option, cheapens in options.items() if cheapens)
        price = "" if cheaper.folded else "; and what two changes do together can pass for the work of a third"
        say(f"cheaper: {how} takes {minutes(cheaper.minutes_per_round)} a round, with intervals {cheaper.wider:.1f} "
            f"times as wide{price}")
    for group in cost.together:
        say(f"! {' and '.join(group)}: one decides what the other does; --together {','.join(group)} switches them as "
            "one, or --together checks all such")
    if cost.restarting:
        say("Runs that agree in what restarts the machine come one after the other, so that it restarts seldom; what "
            "does it is then told by fewer degrees of freedom, with wider intervals.")


NOT_KNOWN = "not in the pool"


def show_change(look: "PoolLook", here: "ChangeHere") -> None:
    """All about one change."""
    say(here.change.name, "bold")
    for metric in here.change.metrics:
        say(f"\n{TITLES[metric.metric]}: {metric.told}", "bold")
        studies = f"{counted(metric.rigs, 'rig')}, {counted(metric.studies, 'study', 'studies')}" + (
            f"; {metric.silent} more were begun and gave no number" * bool(metric.silent))
        table(["", ""], [
            ["in general", f"{interval(metric.mean)} %" if metric.mean else "-"],
            ["on the next rig", f"{range_of(metric.next_rig)} in 95 of 100 cases" if metric.next_rig else "-"],
            ["to be expected here", f"{expected_said(here.expected, metric.metric)} %" if metric.mean else "-"],
            ["on how many", shares(metric)], ["from", studies],
            ["if a tenth lie", f"the mean is {range_of(metric.bounds)}" if metric.bounds else "-"],
            *(["", side_said(side)] for side in metric.sides)])
        for why in metric.doubts:
            say(f"! {why}")
    say(f"\nThis rig: {_this_rig(look)}. Only a trial here tells.", "dim")


def _this_rig(look: "PoolLook") -> str:
    """What of this rig the expectation rests on."""
    if not look.limited_by:
        return "by its facts; what its frames wait for is not known before a trial or a screen was played"
    most = max(look.limited_by.items(), key=lambda share: share[1])
    return f"by its facts, and that its frames wait for the {most[0]} in {most[1]:.0f} % of the time"


def show_order(ranking: "TryFirst", game: str) -> None:
    """The changes, that first of which most is to be gained for each hour."""
    say(f"{ranking.before} to {ranking.after}: which to try first here, by pool {ranking.study}", "bold")
    total = 0.0
    rows = []
    for number, change in enumerate(ranking.order, 1):
        total += change.minutes
        rows.append([f"{number}  {change.change[0].key}", value_said(change.change[0].after),
                     f"{signed(change.gain_pct)} %",
                     str(change.blocks), minutes(change.minutes), minutes(total), change.known or NOT_KNOWN])
    table(["change", "to", "may gain", "blocks", "takes", "in all", "over rigs"], rows, right=(2, 3))
    say("\n\"May gain\" is what all metrics together are to be expected to gain, if it is kept only where it helps. It "
        "plans: a trial's verdict rests on its own runs alone.", "dim")
    first = ranking.order[0]
    edit = f"{first.change[0].key}={value_said(first.change[0].after)}"
    hint(f"keen edit {ranking.before} {shlex.quote(edit)}, then keen trial "
         f"{ranking.before} {ranking.before.partition('@')[0]} --blocks {first.blocks}"
         + f" --game {game}" * bool(game))


def show_played(ws: "Workspace", played: "Played[Any]", json: bool = False, figure: Path | None = None) -> None:
    """A finished study: as JSON, or in words, with what could be done next."""
    if figure:
        played.figure().save(figure)
    if json:
        emit(ws.studies.trials.pilot_of(played) if _is_pilot(played) else played)
        return
    if _is_pilot(played):
        show_pilot(ws.studies.trials.pilot_of(played), played.spec.owner)
    else:
        show_telling(played.telling())
    if figure:
        say(f"\nfigure: {figure}")
    show_left_over(ws)


def _is_pilot(played: "Played[Any]") -> bool:
    return getattr(played.spec, "is_pilot", False)


def show_left_over(ws: "Workspace") -> None:
    """What a study by hand has left changed on the rig, if anything."""
    if left := ws.studies.by_hand.left_over():
        subject = "one setting is" if len(left) == 1 else f"{len(left)} settings are"
        say(f"! {subject} not back at what was there before the study: {', '.join(left)}. keen "
            f"undo{on_this_rig()} writes "
            "the sheet for the way back")


def show_what_it_takes(rounds: int, question: Literal["which", "better"]) -> None:
    """What this many rounds can tell, before the first; beside the result, which may be JSON."""
    from keenlattice.study.blind.plan import chance_to_be_found, needed

    plan = BlindPlan(rounds, question)
    if not plan.can_tell:
        return
    least, chance = needed(rounds, plan.error_of_a_side)[-1], chance_to_be_found(rounds, plan.error_of_a_side, 0.8)
    more = "; more rounds find more" if chance < 0.8 else ""
    print(f"At most {rounds} rounds: {least} right answers of {rounds} settle it, or a larger share of fewer. Anyone "
          f"who "
          f"is right in four of five rounds is found in {100 * chance:.0f} of 100 such tests{more}.", file=sys.stderr)
