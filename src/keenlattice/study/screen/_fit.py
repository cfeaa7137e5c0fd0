"""Screening: which of many settings matter, with far fewer runs than a trial of each.

The settings that differ between two versions are switched by a folded two-level design, round by round. In a round each
is on in half of the runs, and in every run about half of them are, so each run tells of all. The logarithm of a metric
is fitted by least squares with a term for each setting, one for the round and one for the time within it (which takes
up a drift); a setting's effect is what it changes from off to on, with Student's t for as many degrees of freedom as
are left. A row that is played several times is one value, the mean of its runs. Interactions are not fitted: they stay
in what is left, so intervals are rather too wide than too narrow.

It ends with the first round after which no setting is unclear, by the same spending of error as a trial that ends
early, or with the last one.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np

from keenlattice.measure._summary import NO_WIDTH, percent_of
from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import METRICS, TRIAL_METRICS, logarithms
from keenlattice.profile.pack import Claim
from keenlattice.study.screen._design import Signs, mixed_up
from keenlattice.study.screen.plan import ScreenPlan
from keenlattice.study.screen.result import Effect, Factor, Interaction, Screen, Standing
from keenlattice.study.trial._conclude import Numbers, verdict
from keenlattice.study.trial._spending import confidences

ERROR = 0.05
LEAST_DOF = 4


def unclear(plan: ScreenPlan, design: Signs, numbers: Sequence[Numbers]) -> bool:
    """Whether any factor is still unclear, or too few runs are there to tell."""
    return any(factor.judged.standing == "unclear" for factor in _factors(plan, design, numbers))


def screened(plan: ScreenPlan, design: Signs, numbers: Sequence[Numbers], result: Screen) -> Screen:
    """A screen's result from its runs.

    Args:
        design: which factors each run had on; shape (runs, factors).
        numbers: the metrics of each run, in the order in which they were played.
        result: what is known of it besides.
    """
    found = sorted(_factors(plan, design, numbers), key=lambda one: -abs(one.judged.change_pct or 0.0))
    # A trial of b blocks knows an effect to 2 / b of a run's variance, this to 4 / runs: as well with b = runs / 2.
    return replace(result, factors=tuple(found), interactions=_interactions(plan, design, numbers),
                   one_by_one_runs=len(plan.factors) * len(numbers))


def _factors(plan: ScreenPlan, design: Signs, numbers: Sequence[Numbers]) -> list[Factor]:
    rounds = max(1, len(numbers) // plan.runs_a_round)
    error = 1 - confidences(range(1, plan.rounds + 1), ERROR)[rounds]
    fits = {name: _fitted(name, plan, design, [run[name] for run in numbers], 1 - error) for name in plan.metrics()}
    found = []
    for place, group in enumerate(plan.factors):
        claims = plan.claims[place] if plan.claims else ()
        judged = _judged(plan, claims, {name: fit[place] for name, fit in fits.items()})
        others = tuple(_effect(name, plan, fits[name][place], None) for name in TRIAL_METRICS if name != judged.metric)
        found.append(Factor(group, judged, others))
    return found


Fit = tuple[float, float, float] | None


def _fitted(name: str, plan: ScreenPlan, design: Signs, values: Sequence[float], confidence: float) -> list[Fit]:
    """Each factor's effect on the logarithm of a metric, with its interval; None where it cannot be told."""
    from scipy.special import stdtrit

    logs = _of_rows(plan, logarithms(name, values, plan.seconds))
    good = np.isfinite(logs)
    terms = _terms(plan, design[::plan.repeats])[good]
    dof = int(good.sum()) - terms.shape[1]
    if dof < LEAST_DOF:
        return [None] * design.shape[1]
    fit, *_ = np.linalg.lstsq(terms, logs[good], rcond=None)
    left = logs[good] - terms @ fit
    if float(left @ left) < NO_WIDTH:  # nothing varies: a coarse timer, or events too rare, hide by how much
        return [None] * design.shape[1]
    spread = np.sqrt(np.diag(np.linalg.pinv(terms.T @ terms)) * float(left @ left) / dof)
    half = float(stdtrit(dof, 0.5 + confidence / 2)) * spread
    # From off to on is twice the term, which goes from -1 to +1.
    return [(2 * fit[place], 2 * (fit[place] - half[place]), 2 * (fit[place] + half[place]))
            for place in range(design.shape[1])]


def _of_rows(plan: ScreenPlan, logs: Floats) -> Floats:
    """The mean of the runs of each row: what they share, its switch has brought, so the row is the unit."""
    rows = logs.reshape(-1, plan.repeats)
    known = np.isfinite(rows)
    return np.asarray(np.where(known, rows, 0.0).sum(axis=1) / np.where(known.any(axis=1), known.sum(axis=1), np.nan))


def _terms(plan: ScreenPlan, design: Signs) -> Floats:
    """What the rows are fitted by: the factors, the rounds, the time within a round; shape (rows, terms)."""
    in_round = len(plan.design())
    runs = np.arange(len(design))
    rounds = (runs // in_round)[:, None] == np.arange(runs[-1] // in_round + 1)
    return np.column_stack([design, rounds, runs % in_round / in_round - 0.5])


def _judged(plan: ScreenPlan, claims: Sequence[Claim], fits: Mapping[str, Fit]) -> Effect:
    """The effect that a factor is judged by: on the metric that is claimed, if one is, else on the one that decides."""
    if not claims:
        return _effect(plan.decides, plan, fits[plan.decides], None)
    return _effect(claims[0].metric, plan, fits[claims[0].metric], claims[0])


def _effect(name: str, plan: ScreenPlan, fit: Fit, claim: Claim | None) -> Effect:
    if fit is None:
        return Effect(name, None, None, None, "unclear")
    middle, low, high = fit
    word = verdict(low, high, plan.matters_pct, METRICS[name].lower_is_better)
    standing: Standing = "does nothing that matters" if word == "no difference that matters" else word
    if claim is not None and word in ("better", "worse"):
        standing = "does what is claimed" if (middle < 0) == (claim.direction == "down") else "does the opposite"
    pct = [percent_of(one) for one in (middle, low, high)]
    return Effect(name, pct[0], pct[1], pct[2], standing)


def _interactions(plan: ScreenPlan, design: Signs, numbers: Sequence[Numbers]) -> tuple[Interaction, ...]:
    """Pairs whose product explains what the factors leave over, beyond chance among all pairs; the strongest of those
    that cannot be told apart stands for them."""
    from scipy.special import stdtrit

    pairs = list(combinations(range(design.shape[1]), 2))
    logs = _of_rows(plan, logarithms(plan.decides, [run[plan.decides] for run in numbers], plan.seconds))
    good, design = np.isfinite(logs), design[::plan.repeats]
    terms = _terms(plan, design)
    dof = int(good.sum()) - terms.shape[1] - 1
    if not pairs or dof < LEAST_DOF:
        return ()
    fit, *_ = np.linalg.lstsq(terms[good], logs[good], rcond=None)
    left = logs[good] - terms[good] @ fit
    found, told = [], set[tuple[int, int]]()
    alike = mixed_up(plan.design())
    scores = []
    for one, other in pairs:
        product = (design[:, one] * design[:, other])[good].astype(np.float64)
        effect = float(product @ left / (product @ product))
        rest = left - effect * product
        error = math.sqrt(float(rest @ rest) / dof / float(product @ product))
        scores.append((abs(effect) / error if error else 0.0, effect, (one, other)))
    bound = float(stdtrit(dof, 1 - ERROR / 2 / len(pairs)))
    for score, effect, pair in sorted(scores, reverse=True):
        if score <= bound or pair in told or abs(percent_of(4 * effect)) < plan.matters_pct:
            continue
        others = alike.get(pair, [])
        told |= {pair, *others}
        # Both on, against what each does alone: from +1 +1 and -1 -1 to +1 -1 and -1 +1, four times the term.
        found.append(Interaction(_names(plan, pair), percent_of(4 * effect),
                                 tuple(_names(plan, one) for one in others)))
    return tuple(found)


def _names(plan: ScreenPlan, pair: tuple[int, int]) -> tuple[str, str]:
    first, second = (" + ".join(plan.factors[place]) for place in pair)
    return first, second
