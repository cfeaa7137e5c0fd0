"""`keen trial --claims PACK`: what a pack's author claims, measured here."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.profile.offer import OfferedRule
    from keenlattice.trial.plan import Plan
    from keenlattice.trial.result import TrialResult

STYLES = {"holds": "bold green", "does not hold": "bold red", "unclear": "yellow"}


def repeat_claims(session: "Session", file: Path, plan: "Plan", game: str | None, json: bool) -> None:
    """Plays a trial of every rule that fits here and claims something, and says whether that holds on this rig, too.

    Args:
        plan: how long and how often; what decides, and what matters, are the claim's.
    """
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.pack import here
    from keenlattice.errors import UsageError
    from keenlattice.measure.metrics import METRICS
    from keenlattice.profile.offer import offer
    from keenlattice.profile.pack import read_pack

    pack = read_pack(file)
    claiming = [one for one in offer(pack, here(session)) if one.rule.claim]
    if not claiming:
        raise UsageError(f"{file} claims nothing: there is nothing to repeat")
    rows: list[dict[str, Any]] = []
    for one in claiming:
        known = [claim for claim in one.rule.claim if claim.metric in METRICS]
        why = one.fails or ("" if known else "it claims metrics that are not known here")
        if not why and one.rule.game == "rig" and not game:
            why = "it is for the whole rig: say which game to play, --game GAME"
        if why:
            rows.append({"rule": one.number, "not_repeated": why, "claims": []})
            if not json:
                say(f"Rule {one.number} was not repeated: {why}", "dim")
            continue
        result = _trial_of(session, one, plan, game, quiet=json)
        rows.append({"rule": one.number, "not_repeated": "", **_row(one, result)})
        if not json:
            _say(one, result)
    if json:
        emit_json("claims", {"pack": pack.title, "rig": session.rig.name, "rules": rows})


def _trial_of(session: "Session", one: "OfferedRule", plan: "Plan", game: str | None, quiet: bool) -> "TrialResult":
    from dataclasses import replace

    from keenlattice.cli.pack import with_rules_of
    from keenlattice.cli.trial import run_and_keep
    from keenlattice.measure.metrics import METRICS

    before = session.find(one.rule.game)
    after = with_rules_of(session, [one], before, f"rule {one.number}")
    claim = next(claim for claim in one.rule.claim if claim.metric in METRICS)
    plan = replace(plan, decides=claim.metric, matters_pct=min(50.0, claim.at_least_pct or plan.matters_pct))
    return run_and_keep(session, before, after, plan, game if one.rule.game == "rig" else None, quiet)[0]


def _row(one: "OfferedRule", result: "TrialResult") -> dict[str, Any]:
    from keenlattice.trial.claims import held

    by_name = {metric.name: metric for metric in result.metrics}
    return {"trial": result.to_json(), "claims": [
        {"claim": claim.model_dump(), "here": held(claim, by_name[claim.metric])}
        for claim in one.rule.claim if claim.metric in by_name]}


def _say(one: "OfferedRule", result: "TrialResult") -> None:
    from keenlattice.cli.output import say
    from keenlattice.report.words import TITLES, percent
    from keenlattice.trial.claims import held, told

    by_name = {metric.name: metric for metric in result.metrics}
    say(f"Rule {one.number}: {one.rule.reason or one.rule.game}", "bold")
    for claim in one.rule.claim:
        if claim.metric not in by_name:
            say(f"  {told(claim)}: not measured in a trial", "dim")
            continue
        found = by_name[claim.metric]
        word = held(claim, found)
        say(f"  claimed: {told(claim)}")
        for evidence in claim.evidence:
            say(f"  its author measured {evidence.told()}", "dim")
        say(f"  here: {TITLES[found.name]} changed by {percent(found)[1]}, so it "
            + {"holds": "holds on this rig, too", "does not hold": "does not hold on this rig",
               "unclear": "is unclear here: more blocks would tell"}[word], STYLES[word])
    plan = result.plan
    say(f"  {result.blocks_played} blocks of {plan.seconds:g} s runs on {result.rig}, seed {plan.seed}", "dim")
