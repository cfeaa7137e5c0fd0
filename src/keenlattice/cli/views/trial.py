"""How a trial is shown."""

from typing import TYPE_CHECKING

from keenlattice.cli.output import GAIN_AT_A_PRICE, VERDICT_STYLES, hint, say, table
from keenlattice.report.words import TITLES, amount, drift_sentence, one_word, percent, price, whole_answer

if TYPE_CHECKING:
    from keenlattice.study.trial.result import Trial
    from keenlattice.workspace.opened import VersionLike
    from keenlattice.workspace.played import Pilot, RunsToCome
    from keenlattice.workspace.trials import ClaimsResult, Repeated
    from keenlattice.workspace.workspace import Workspace

STYLES = {"holds": "bold green", "does not hold": "bold red", "unclear": "yellow"}
ENDED = {"settled": "settled early", "futile": "the rest would hardly have settled it"}
WARM_UP_FROM_S = 1.0
RUNS_SHOWN = 8


def show_trial(result: "Trial") -> None:
    """The answer first, then what it rests on."""
    from keenlattice.report.said import adjusted_sentence
    from keenlattice.study.deciding import told_of

    say(whole_answer(result), style_of(result))
    plan = result.plan
    early = f" (of {plan.blocks} planned: {ENDED[result.ended]})" if result.ended else ""
    say(f"{result.before} against {result.after} on {result.rig}: {result.blocks_played} blocks of "
        f"{plan.seconds:g} s runs{early}, seed {plan.seed}; {told_of(plan)} matters.\n", "dim")
    show_excluded(result.excluded)
    show_doubts(result.doubts)
    show_metrics(result)
    show_prices(result)
    say(drift_sentence(result), "dim")
    if told := adjusted_sentence(result.plan.adjusts_for, result.adjusted):
        say(told, "dim")


def show_prices(result: "Trial") -> None:
    """What it costs in power and heat, and what the frames waited for, where the rig says."""
    from keenlattice.report.said import limits_of_trial

    if result.prices:
        say()
        table(["what the rig said", "before", "after", "change"], [
            [f"{TITLES[one.name]}, {one.unit}", *price(one)] for one in result.prices], right=(1, 2, 3))
        say("Intervals at 95 %; none of these decides anything.", "dim")
    if told := limits_of_trial(result.limited_by):
        say(told, "dim")


def show_metrics(result: "Trial") -> None:
    """The table of a trial's metrics, the one that decides marked."""
    rows = result.metrics
    table(["", "before", "after", "change, %", "verdict"], [
        [f"{'>' if one.name in result.plan.deciders else ' '} {TITLES[one.name]}, {one.unit}", amount(one, one.before),
         amount(one, one.after), percent(one)[1].removesuffix(" %"), one.verdict] for one in rows], right=(1, 2, 3))
    levels = sorted({f"{100 * one.confidence:.3g}" for one in result.decisive if one.n} or {"90"})
    say(f"> {'decides' if len(result.plan.deciders) == 1 else 'decide'}, interval at {' and '.join(levels)} %: either "
        "end is wrong in 1 of 20 trials at most; the others share one such error among them.", "dim")


def hint_after(result: "Trial") -> None:
    """What a player would do next, after this verdict."""
    from keenlattice.report.page.context import applying
    from keenlattice.study.deciding import told_of

    page = "; keen report makes a page of it"
    apply = ", then ".join(f"keen {command}" for command in applying(result.after))
    if {"better", "worse"} <= {one.verdict for one in result.decisive}:
        hint(f"weigh the gain against the price: {apply}, or leave it be{page}")
        return
    hint({"better": f"{apply}, to keep it{page}",
          "worse": f"leave {result.after} be{page}",
          "no difference that matters": f"leave {result.after} be: it gains nothing{page}",
          "unclear": f"keen trial {result.before} {result.after} --decides {result.plan.decides} --matters "
                     f"{told_of(result.plan)} --pilot 8, which says how many blocks would settle it{page}",
          }[result.deciding.verdict])


def show_pilot(found: "Pilot", after: str) -> None:
    """How noisy runs are, and how many blocks would settle a trial."""
    from keenlattice.study.deciding import told_of

    result = found.trial.result
    before, plan = result.before, result.plan
    say(f"{TITLES[found.decides].capitalize()} of {before} against itself: from block to block the ratio of two runs "
        f"varies by {100 * found.noise_sd:.2g} % (standard deviation, {plan.blocks} blocks).", "bold")
    if result.deciding.verdict in ("better", "worse"):
        say(f"! a version came out {result.deciding.verdict} than itself: something else changes while you measure")
    table(["blocks", "chance to settle", "about"], [
        [str(one.blocks), f"{100 * one.chance:.0f} %", f"{one.minutes:.0f} min"] for one in found.plans],
        right=(0, 1, 2))
    say(f"Settled: the interval lies wholly within {found.matters_pct:.3g} %, or wholly beyond. The chances are for "
        "two versions that are alike; it ends as soon as it is settled, so these are the most that it takes.", "dim")
    if found.warm_up_s >= max(WARM_UP_FROM_S, plan.warm_up_s):
        say(f"Runs begin otherwise than they go on, for {found.warm_up_s:.1f} s: --warm-up {found.warm_up_s:.1f} "
            "leaves that out.")
    if found.blocks_to_settle is None:
        say("No number of blocks up to 1000 would do with four chances in five: let more matter, or play longer runs.")
        return
    hint(f"keen trial {before} {after} --blocks {found.blocks_to_settle} --decides {plan.decides} --matters "
         f"{told_of(plan)} --seconds {plan.seconds:g}")


def show_runs_to_come(found: "RunsToCome") -> None:
    """What has still to be recorded, in which order."""
    count = found.recorded + len(found.to_come)
    say(f"Trial {found.study}, {found.recorded} of {count} runs recorded. Record these, {found.seconds:g} s each, in "
        "this order:", "bold")
    table(["run", "block", "with this version on the rig"], [
        [str(one.place + 1), str(one.block + 1), one.version] for one in found.to_come[:RUNS_SHOWN]], right=(0, 1))
    if len(found.to_come) > RUNS_SHOWN:
        say(f"and {len(found.to_come) - RUNS_SHOWN} more", "dim")
    hint("keen trial --take FILE, after each or with several at once")


def show_claims(found: "ClaimsResult") -> None:
    """What was claimed, and whether it holds here."""
    for one in found.rules:
        if one.not_repeated:
            say(f"Rule {one.rule} was not repeated: {one.not_repeated}", "dim")
        else:
            _show_rule(one)


def _show_rule(one: "Repeated") -> None:
    from keenlattice.study.trial.result import told

    assert one.offered is not None and one.trial is not None
    result = one.trial.result
    by_name, here = {metric.name: metric for metric in result.metrics}, {id(each.claim): each for each in one.claims}
    say(f"Rule {one.rule}: {one.offered.rule.reason or one.offered.rule.game}", "bold")
    for claim in one.offered.rule.claim:
        if id(claim) not in here:
            say(f"  {told(claim)}: not measured in a trial", "dim")
            continue
        found, word = by_name[claim.metric], here[id(claim)].here
        say(f"  claimed: {told(claim)}")
        for evidence in claim.evidence:
            say(f"  its author measured {evidence.told()}", "dim")
        say(f"  here: {TITLES[found.name]} changed by {percent(found)[1]}, so it "
            + {"holds": "holds on this rig, too", "does not hold": "does not hold on this rig",
               "unclear": "is unclear here: more blocks would tell"}[word], STYLES[word])
    plan = result.plan
    say(f"  on top of {one.base}: {result.blocks_played} blocks of {plan.seconds:g} s runs on {result.rig}, seed "
        f"{plan.seed}", "dim")


DOUBTS_SHOWN = 3


def show_excluded(excluded: tuple[str, ...]) -> None:
    """Names the runs that went wrong: they count in nothing."""
    for one in excluded:
        say(f"! {one}: it does not count, and was played again")


def show_doubts(doubts: tuple[str, ...]) -> None:
    """Names the runs that count and are not to be trusted; of many, the first ones and how many there are."""
    for one in doubts[:DOUBTS_SHOWN]:
        say(f"! {one}")
    if len(doubts) > DOUBTS_SHOWN:
        say(f"! and {len(doubts) - DOUBTS_SHOWN} more such runs")


def style_of(result: "Trial") -> str:
    """The style of a trial's answer: by what tells most, or that it is a gain at a price."""
    return VERDICT_STYLES.get(one_word(result), GAIN_AT_A_PRICE)


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
