"""From the numbers of runs to verdicts.

Frames are not independent, runs are: one run gives one number per metric. Within a block the two versions were played
one after the other, so what the block's conditions did to both cancels in the ratio of the two. The logarithms of
these ratios are fitted by their mean and, from six blocks on, a term for which version came first, which takes up a
steady drift; and one for what the plan takes into account (see `adjusting`). The mean has Student's t interval (W. S.
Gosset, "The probable error of a mean", Biometrika 1908). Where the versions are switched seldom, the stretches between
two switches stand for the blocks (see `fit_of_stretches`); a count of rare events is never known better than the count
allows (see `interval_of_counts`).

Either end of an interval is wrong in at most 5 % of trials, all looks together (see `looks`). The verdict holds the
interval against the smallest difference that matters, m per cent, either way (as a ratio: from 1 / (1 + m/100) to 1 +
m/100):

    better, worse                  the whole interval is beyond what matters, and zero beyond one of half its error
    no difference that matters     the whole interval is within it
    unclear                        anything else

So the word is a pair of one-sided tests (D. J. Schuirmann, Journal of Pharmacokinetics and Biopharmaceutics 1987). If
several metrics decide, each has its share of the error, and what is left unclear takes over the share of what is
settled (S. Holm, Scandinavian Journal of Statistics 1979). All the others share one error of 5 % (Bonferroni);
frame rate, which is mean frame time the other way round, has the verdict of that.

With fewer than four blocks there is no word. If every block gives the very same ratio, it is not known how much
they vary: a coarse timer hides it, or events are too rare for so few runs. That no difference was seen is then no
proof of none, and there is no interval.
"""

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import METRICS, TRIAL_METRICS, logarithms
from keenlattice.measure.summaries import NO_WIDTH, percent_of
from keenlattice.quickly import dataclass
from keenlattice.report.words import TITLES
from keenlattice.study.deciding import Numbers, sharing
from keenlattice.study.limits import SIZING
from keenlattice.study.trial.adjusting import (
    AT_START,
    EVENTS,
    carried_over,
    drift,
    fit_of_stretches,
    hidden_by_steps,
    interval_of_counts,
    least_squares,
    starts_of,
    usable,
)
from keenlattice.study.trial.looks import (
    ERROR,
    FIRST_LOOK,
    blocks_for,
    degrees,
    errors_at,
    looks,
    looks_of_sized,
)
from keenlattice.study.trial.plan import Arm, TrialPlan
from keenlattice.study.trial.result import MetricResult, Trial, Verdict, turned

LEAST_FOR_ORDER = 6  # blocks
FUTILE = 0.02        # chance that all is settled by the last block, below which it is not worth playing
HOPELESS = 10        # times the blocks that it may have: a trial that asks for more is asked about that at once


@dataclass(frozen=True)
class Fit:
    """An estimate with its standard error and the degrees of freedom of that; whether what the plan adjusts for was
    taken into account; and how far off it may be, however many blocks there are, since a timer is coarse."""

    middle: float
    error: float
    dof: int
    adjusted: bool = False
    hidden: float = 0.0

    def half(self, error: float) -> float:
        """Half the width of the interval of which either end is wrong with that probability."""
        from scipy.special import stdtrit

        return float(stdtrit(self.dof, 1 - error)) * self.error + self.hidden


NO_EVENT = 1e-9  # a count of none comes back from its logarithm as a few 1e-16
CARRIED = 0.01     # chance, below which it is said that the run before matters

AT_SCREEN_RATE = "at the screen's rate"
"""Among a run's numbers, if it went as fast as the screen lets see (`doubts.held_by_screen`)."""


@dataclass(frozen=True)
class Seen:
    """The runs of a trial so far: `before` and `after` in the order of the blocks, `plan.repeats` in each."""

    plan: TrialPlan
    before: Sequence[Numbers]
    after: Sequence[Numbers]

    @cached_property
    def blocks(self) -> int:
        return min(len(self.before), len(self.after)) // self.plan.repeats

    @property
    def most(self) -> int:
        """How many blocks it takes at most."""
        return min(self.plan.blocks, self.asked or self.plan.blocks)

    @cached_property
    def asked(self) -> int:
        """How many blocks the first ones of a sized trial ask for; 0 before they are played, and of any other trial."""
        plan = self.plan
        if not plan.sized or self.blocks < SIZING:
            return 0
        runs = SIZING * plan.repeats
        first = Seen(replace(plan, sized=False), self.before[:runs], self.after[:runs])
        measured = [name for name in plan.deciders if first.has(name)]
        noise = {name: fit.error * math.sqrt(np.isfinite(first.logs(name)).all(axis=0).sum())
                 for name in measured if (fit := first.fit(name))}
        wanted = [blocks_for(sd, math.log1p(first.matters_pct(name) / 100), ERROR / len(measured))
                  for name, sd in noise.items()]
        return max([SIZING, *wanted])

    @property
    def looks(self) -> tuple[int, ...]:
        """After how many blocks it is looked at."""
        return looks_of_sized(self.most) if self.plan.sized else looks(self.most)

    def error_now(self, error: float) -> float:
        """The one-sided error of an interval at this look, or at the first after it."""
        errors = errors_at(self.most, error, self.plan.early, self.plan.sized)
        return errors[min(look for look in errors if look >= min(self.blocks, self.most))]

    def _degrees(self, dof: int) -> int:
        looked_at = self.plan.early and len(self.looks) > 1
        return degrees(dof, looked_at, self.plan.sized and self.blocks > SIZING)

    def has(self, name: str) -> bool:
        """Whether a metric was measured at all."""
        return any(math.isfinite(run[name]) for run in (*self.before, *self.after))

    def is_hidden(self, name: str) -> bool:
        """Whether a difference of a metric may lie beyond the screen's rate, where it was not seen."""
        return not name.startswith("latency") and any(AT_SCREEN_RATE in run for run in (*self.before, *self.after))

    def logs(self, name: str) -> Floats:
        """Logarithms of both arms, block by block (the mean of its repeats); shape (2, blocks), NaN where one has no
        number."""
        values = [run[name] for run in (*self.before, *self.after)]
        return np.asarray(logarithms(name, values, self.plan.seconds).reshape(2, -1, self.plan.repeats).mean(axis=2))

    def fit(self, name: str) -> Fit | None:
        """The log ratio of after to before; None where too few blocks have a number."""
        if self.plan.few_switches and not self.plan.out_of_turn:
            arms = [arm for _, arm, _ in _runs(self.plan)][:len(self.before) + len(self.after)]
            left = {"before": iter(self.before), "after": iter(self.after)}
            logs = logarithms(name, [next(left[arm])[name] for arm in arms], self.plan.seconds)
            began = self._starts(arms, logs)
            stretches = fit_of_stretches(arms, logs, began)
            _, hidden = self._coarse(name)
            return stretches and Fit(*stretches[:2], self._degrees(stretches[2]), began is not None, hidden)
        logs = self.logs(name)
        ratios, good = logs[1] - logs[0], np.isfinite(logs).all(axis=0)
        fit = _of_blocks(ratios[good], _firsts(self.plan)[:self.blocks][good], self._apart(np.asarray(good)))
        spread, hidden = self._coarse(name)
        return fit and replace(fit, error=math.hypot(fit.error, spread / math.sqrt(good.sum())),
                                 dof=self._degrees(fit.dof), hidden=hidden)

    def _apart(self, good: NDArray[np.bool_]) -> Floats | None:
        """How far apart the versions of each block began, if the plan takes that into account."""
        if not self.plan.adjusts_for:
            return None
        began = np.array([run.get(AT_START, math.nan) for run in (*self.before, *self.after)])
        before, after = began.reshape(2, -1, self.plan.repeats).mean(axis=2)[:, good]
        return after - before if usable(after - before) else None

    def _starts(self, arms: Sequence[Arm], logs: Floats) -> Floats | None:
        """The same of a trial whose versions are switched seldom: what each stretch began at."""
        if not self.plan.adjusts_for:
            return None
        left = {"before": iter(self.before), "after": iter(self.after)}
        began = np.array([next(left[arm]).get(AT_START, math.nan) for arm in arms])
        if not np.isfinite(began[np.isfinite(logs)]).all():
            return None
        starts = starts_of(arms, logs, began)
        return starts if usable(starts) else None

    def _coarse(self, name: str) -> tuple[float, float]:
        """What a coarse timer hides of a block's ratio; see `hidden_by_steps`."""
        sides = [logarithms(name, [run[name] for run in runs], self.plan.seconds) for runs in (self.before, self.after)]
        spread, hidden = hidden_by_steps(sides)
        return spread / math.sqrt(self.plan.repeats), 0.0 if name == EVENTS else hidden

    def is_carried_over(self, name: str) -> bool:
        """Whether what a version leaves behind shows in the run after it."""
        if self.plan.few_switches or self.plan.repeats > 1:
            return False
        chance = carried_over(self.logs(name), _firsts(self.plan)[:self.blocks])
        return chance is not None and chance < CARRIED

    def matters_pct(self, name: str) -> float:
        """The smallest difference of a metric that matters, in per cent."""
        return self.plan.decides.in_pct(name, self.before[:self.plan.repeats])


@lru_cache(maxsize=64)
def _runs(plan: TrialPlan) -> list[tuple[int, Arm, int]]:
    return plan.runs()


@lru_cache(maxsize=64)
def _firsts(plan: TrialPlan) -> Floats:
    """Of each block, 1 if the version before comes first, and -1 if not."""
    return np.array([1.0 if arm == "before" else -1.0 for _, arm, _ in _runs(plan)][::2 * plan.repeats])


def left_over(blocks: int) -> int:
    """The degrees of freedom that this many blocks leave."""
    return blocks - (1 if blocks < LEAST_FOR_ORDER else 2)


def _of_blocks(ratios: Floats, firsts: Floats, apart: Floats | None = None) -> Fit | None:
    """The mean of the ratios, with what else is known of the blocks taken out: which version came first, from
    LEAST_FOR_ORDER on, and how far apart they began."""
    n = ratios.size
    if n < 2:
        return None
    terms = [np.ones(n)]
    if n >= LEAST_FOR_ORDER and np.ptp(firsts) > 0:
        terms.append(firsts)
    if apart is not None:
        terms.append(apart)
    return Fit(*least_squares(np.column_stack(terms), ratios, 0), apart is not None)


def conclude(plan: TrialPlan, before: Sequence[Numbers], after: Sequence[Numbers]) -> tuple[MetricResult, ...]:
    """What the runs say, the deciding metrics first.

    Args:
        before, after: the runs of either version, `plan.repeats` per block, in the order of the blocks.
    """
    seen = Seen(plan, before, after)
    decisive = decisive_of(seen)
    results = {**turned(decisive), **decisive}
    rest = [name for name in metrics_in(plan) if name not in results]
    results |= {name: _result(seen, name, ERROR / len(rest)) for name in rest}
    return tuple(results[name] for name in metrics_in(plan))


def conclude_deciding(plan: TrialPlan, runs: Sequence[tuple[Arm, Numbers]]) -> tuple[MetricResult, ...]:
    """What decides, by the runs so far, in the order in which they were played."""
    return tuple(decisive_of(Seen(plan, *arms_of(runs))).values())


def metrics_in(plan: TrialPlan) -> list[str]:
    """The metrics that a trial reports, those that decide first."""
    return [*plan.deciders, *(name for name in TRIAL_METRICS if name not in plan.deciders)]


def decisive_of(seen: Seen) -> dict[str, MetricResult]:
    return sharing(seen.plan.deciders, seen.has, lambda name, error: _result(seen, name, error),
                   lambda metric: metric.verdict == "unclear", ERROR)


def _result(seen: Seen, name: str, error: float) -> MetricResult:
    """One metric, with an interval of which either end is wrong at most with `error`, all looks together."""
    metric, plan, fit = METRICS[name], seen.plan, seen.fit(name)
    logs, matters = seen.logs(name), seen.matters_pct(name)
    logs = logs[:, np.isfinite(logs).all(axis=0)]
    now = seen.error_now(error)
    identity = (metric.name, metric.unit)
    if fit is None or not logs.size:  # with few switches runs may tell what no whole block does
        return MetricResult(*identity, None, None, None, None, None, "unclear", 1 - 2 * now, logs.shape[1], matters)
    means = tuple(0.0 if abs(number) < NO_EVENT else float(number)
                  for number in np.exp(logs.mean(axis=1)) - metric.half_an_event(plan.seconds))
    half = fit.half(now)
    if 2 * half < NO_WIDTH:
        return MetricResult(*identity, means[0], means[1], None, None, None, "unclear", 1 - 2 * now, logs.shape[1],
                            matters)
    low, high = fit.middle - half, fit.middle + half
    if name == EVENTS:
        ends = interval_of_counts([run[name] for run in seen.before], [run[name] for run in seen.after], plan.seconds,
                                  now)
        low, high = min(low, ends[0]), max(high, ends[1])
    word = word_for((low, fit.middle, high), fit.half(seen.error_now(error / 2)), matters,
                    metric.lower_is_better)
    hidden = word == "no difference that matters" and seen.is_hidden(name)
    if plan.out_of_turn or logs.shape[1] < FIRST_LOOK or hidden:
        word = "unclear"
    return MetricResult(*identity, means[0], means[1], percent_of(fit.middle), percent_of(low), percent_of(high), word,
                        1 - 2 * now, logs.shape[1], matters, fit.error, fit.dof)


def ended(plan: TrialPlan, runs: Sequence[tuple[Arm, Numbers]]) -> str:
    """Whether a trial may end here, and why: "settled" if nothing that decides is unclear, "futile" if that will hardly
    come about by its last block; else ""."""
    return "" if len(runs) % (2 * plan.repeats) else _ended(Seen(plan, *arms_of(runs)))


def _ended(seen: Seen) -> str:
    blocks = seen.blocks
    if not seen.plan.early or blocks < FIRST_LOOK or blocks >= seen.most or blocks not in seen.looks:
        return ""
    judged = [metric for metric in decisive_of(seen).values() if metric.before is not None]
    if judged and all(metric.verdict != "unclear" for metric in judged):
        return "settled"
    open_ = [metric for metric in judged if metric.verdict == "unclear"]
    late = 2 * blocks >= seen.most or seen.asked > HOPELESS * seen.most
    return "futile" if late and blocks >= 2 * FIRST_LOOK and any(
        chance_at_the_end(seen, metric.name, len(open_)) < FUTILE for metric in open_) else ""


def over(plan: TrialPlan, runs: Sequence[tuple[Arm, Numbers]]) -> bool:
    """Whether nothing is left to be played: it may end, or has had the blocks that it takes at most."""
    if len(runs) % (2 * plan.repeats):
        return False
    seen = Seen(plan, *arms_of(runs))
    return seen.blocks >= seen.most or bool(_ended(seen))


def runs_asked_for(plan: TrialPlan, runs: Sequence[tuple[Arm, Numbers]]) -> int:
    """How many runs a sized trial takes at most, once those are played that say so; 0 after any others."""
    if not plan.sized or len(runs) != 2 * plan.repeats * SIZING:
        return 0
    return 2 * plan.repeats * Seen(plan, *arms_of(runs)).most


def chance_at_the_end(seen: Seen, name: str, share: int) -> float:
    """The chance that a metric is settled by the last block if the rest goes on like what was seen: its mean then is
    normal around that of now."""
    from scipy.special import stdtr

    fit = seen.fit(name)
    if fit is None or fit.error == 0:
        return 1.0  # not known
    last = fit.error * math.sqrt(seen.blocks / seen.most)
    more = math.sqrt(fit.error ** 2 - last ** 2)
    half = Fit(0.0, last, max(1, fit.dof + seen.most - seen.blocks), hidden=fit.hidden).half(
        errors_at(seen.most, ERROR / share, True, seen.plan.sized)[seen.most])
    margin = math.log1p(seen.matters_pct(name) / 100)
    under, over = ((sign * margin - sign * half - fit.middle) / more for sign in (-1, 1))
    within = max(0.0, float(stdtr(fit.dof, over) - stdtr(fit.dof, under)))
    beyond = stdtr(fit.dof, (fit.middle - margin - half) / more) + stdtr(fit.dof, (-margin - half - fit.middle) / more)
    return within + float(beyond)


def concluded(plan: TrialPlan, runs: Sequence[tuple[Arm, Numbers]], result: Trial) -> Trial:
    """A trial's result from its runs, in the order in which they were played: all, or all up to an early end.

    Args:
        result: what else is known of it.
    """
    before, after = arms_of(runs)
    seen = Seen(plan, before, after)
    doubts = [f"{TITLES[name]}: the version of the run before says something of a run, so what a version leaves behind "
              "(caches, heat, files) may be missing from what it does: play longer runs, or with --warm-up"
              for name in plan.deciders if seen.is_carried_over(name)]
    return replace(
        result, doubts=(*result.doubts, *doubts), metrics=conclude(plan, before, after), blocks_played=seen.blocks,
        ended=ended(plan, runs), asked_blocks=seen.asked,
        drift_pct=drift(seen.logs(plan.deciders[0]).mean(axis=0)),
        adjusted=all(fit.adjusted for name in plan.deciders if (fit := seen.fit(name))))


def arms_of(runs: Sequence[tuple[Arm, Numbers]]) -> tuple[list[Numbers], list[Numbers]]:
    return [numbers for arm, numbers in runs if arm == "before"], [numbers for arm, numbers in runs if arm == "after"]


def word_for(interval: tuple[float, float, float], wider: float, matters_pct: float, lower_is_better: bool) -> Verdict:
    """The word for an interval of log ratios; better or worse only where zero lies outside a wider one, too.

    Args:
        interval: its low end, its middle, its high end.
        wider: half the width of the interval of half the error.
    """
    low, middle, high = interval
    word = verdict(low, high, matters_pct, lower_is_better)
    return "unclear" if word in ("better", "worse") and abs(middle) <= wider else word


def verdict(low: float, high: float, matters_pct: float, lower_is_better: bool) -> Verdict:
    """The word for an interval of log ratios (after over before)."""
    margin = math.log1p(matters_pct / 100)
    if -margin <= low and high <= margin:
        return "no difference that matters"
    if low > margin or high < -margin:
        return "better" if (high < -margin) == lower_is_better else "worse"
    return "unclear"
