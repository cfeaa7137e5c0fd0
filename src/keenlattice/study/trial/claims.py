"""Claims held against what was measured, and what was measured as the evidence for a claim."""

import math
from typing import Literal

from keenlattice.measure.metrics import METRICS
from keenlattice.profile.pack import Claim, Evidence
from keenlattice.study.trial.result import MetricResult, Trial

MODESTY = 0.8

Holds = Literal["holds", "does not hold", "unclear"]


def held(claim: Claim, one: MetricResult) -> Holds:
    """Whether a claim holds by a trial's metric: its whole interval goes as far as is claimed, or none of it does."""
    if one.low_pct is None or one.high_pct is None:
        return "unclear"
    low, high = (one.low_pct, one.high_pct) if claim.direction == "up" else (-one.high_pct, -one.low_pct)
    if low >= claim.at_least_pct and low > 0:
        return "holds"
    return "does not hold" if high < claim.at_least_pct or high <= 0 else "unclear"


def claims_of(result: Trial, software: str, time: str) -> list[Claim]:
    """What a trial lets its author claim, with the evidence: every metric that is better or worse, by MODESTY of what
    the end of its interval that is nearer to nothing says, so that others have a chance to find the claim holding."""
    found = []
    for one in result.metrics:
        if one.verdict not in ("better", "worse") or one.low_pct is None or one.high_pct is None:
            continue
        least = math.floor(10 * MODESTY * min(abs(one.low_pct), abs(one.high_pct))) / 10
        found.append(Claim(
            metric=one.name, direction="up" if one.low_pct > 0 else "down", at_least_pct=least,
            evidence=[evidence_of(result, one, software, time)]))
    return found


def evidence_of(result: Trial, one: MetricResult, software: str, time: str) -> Evidence:
    """One metric of a trial as evidence."""
    assert one.change_pct is not None and one.low_pct is not None and one.high_pct is not None
    return Evidence(change_pct=round(one.change_pct, 2), low_pct=round(one.low_pct, 2), high_pct=round(one.high_pct, 2),
                    confidence=round(one.confidence, 4), blocks=one.n, seconds=float(result.plan.seconds),
                    seed=result.plan.seed, rig=result.rig, software=software, time=time)


def told(claim: Claim) -> str:
    """A claim in words, such as `latency_ms_median down by 10 % at least`."""
    by = f" by {claim.at_least_pct:g} % at least" if claim.at_least_pct else ""
    return f"{claim.metric if claim.metric in METRICS else f'{claim.metric} (unknown here)'} {claim.direction}{by}"
