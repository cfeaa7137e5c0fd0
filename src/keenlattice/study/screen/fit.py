"""Screening: which of many settings matter, with far fewer runs than a trial of each.

The settings that differ between two versions are switched by a folded two-level design, round by round, its columns
redrawn each time. In a round each is on in half of the runs, and in every run about half of them are, so each run
says something about all. The logarithm of a metric is fitted by least squares with a term for each setting, one for the
round and one for the time within it (which takes up a drift), and one for each pair of settings that was found to act
together (see `_pairs`); a setting's effect is what it changes from off to on, with Student's t for as many degrees of
freedom as are left. A row that is played several times is one value, the mean of its runs.

Where some settings restart the machine, rows that agree in those are played in stretches, and what a restart brings
with it all rows of a stretch share. So that is a split plot (F. Yates, JRSS Supplement 1935): the others are fitted
within the stretches, and those settings by the means of the stretches, with the few degrees of freedom that these
have.

What is settled after a round stays off in those that come, which are the smaller for it; the rest goes on until
nothing that decides is unclear, or with the last round. Its rounds are looks: the error of 5 % at either end of an
interval is spent on them as in a trial, and shared likewise by the metrics that decide.

A sized screen takes its rounds from the noise of its first, as a sized trial does (`trial.looks`): enough to tell what
does nothing in nine of ten screens. The noise says nothing of any effect, and has more degrees of freedom than a
trial's.
"""

import math
from collections.abc import Mapping, Sequence
from functools import partial
from itertools import combinations

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import METRICS, TRIAL_METRICS, logarithms
from keenlattice.measure.summaries import NO_WIDTH, percent_of
from keenlattice.profile.pack import Claim
from keenlattice.quickly import dataclass
from keenlattice.study.deciding import Numbers, sharing
from keenlattice.study.screen.plan import LEAST_DOF, USUAL_ROUNDS, ScreenPlan, Signs
from keenlattice.study.screen.result import Effect, Factor, Interaction, Standing
from keenlattice.study.trial.concluding import word_for
from keenlattice.study.trial.looks import ERROR, blocks_for, errors_of, errors_of_sized

# One after the other, the pair joins the fit whose product explains most of what is left over, as long as that is
# beyond chance among all pairs (Bonferroni). What three settings do only together shows as pairs of them; so pairs
# that share a setting are given as one group that acts together.

MOST_PAIRS = 10
ALIKE = 0.999  # of two products, once the fit has taken its part: nothing can tell these apart


def pairs_in(rows: Floats, terms: Floats, logs: Floats, error: float, least: float) -> list[tuple[int, int, float]]:
    """The pairs, with what both do beyond what each does alone: from one of them on to both or neither.

    Args:
        rows: +1 or -1 for each factor; shape (rows, factors).
        terms: what else is fitted; shape (rows, terms).
        error: of naming any that is not there.
        least: effect, as log ratio, below which none is named.
    """
    from scipy.special import stdtrit

    places = list(combinations(range(rows.shape[1]), 2))
    result: list[tuple[int, int, float]] = []
    if not places or not logs.size:
        return result
    products = np.column_stack([rows[:, place] * rows[:, second] for place, second in places])
    while len(result) < MOST_PAIRS:
        basis, kept = _basis(terms)
        dof = logs.size - kept - 1
        if dof < LEAST_DOF:
            break
        left, alone = logs - basis @ (basis.T @ logs), products - basis @ (basis.T @ products)
        squares = (alone ** 2).sum(axis=0)
        open_ = squares > 1e-6 * logs.size
        effects = np.where(open_, alone.T @ left / np.where(open_, squares, 1.0), 0.0)
        rest = np.maximum(float(left @ left) - effects ** 2 * squares, 1e-300)
        scores = np.abs(effects) * np.sqrt(squares * dof / rest)
        best = int(np.argmax(scores))
        if scores[best] <= float(stdtrit(dof, 1 - error / 2 / len(places))) or 4 * abs(effects[best]) < least:
            break
        rivals = np.abs(alone.T @ alone[:, best]) > ALIKE * np.sqrt(squares * squares[best])
        if rivals[open_].sum() > 1:  # it cannot be told which of these it is
            break
        result.append((*places[best], 4 * float(effects[best])))
        terms = np.column_stack([terms, products[:, best]])
    return result


def _basis(terms: Floats) -> tuple[Floats, int]:
    left, sizes, _ = np.linalg.svd(terms, full_matrices=False)
    kept = int((sizes > 1e-9 * sizes[0]).sum())
    return np.asarray(left[:, :kept]), kept


def together(pairs: Sequence[tuple[int, int, float]]) -> list[tuple[tuple[int, ...], float]]:
    """Groups of pairs that share a factor, each with the strongest effect in it, the strongest first."""
    groups: list[tuple[set[int], float]] = []
    for first, second, effect in pairs:
        met = [group for group in groups if {first, second} & group[0]]
        merged = {first, second}.union(*(places for places, _ in met))
        groups = [group for group in groups if group not in met]
        groups.append((merged, max([effect, *(size for _, size in met)], key=abs)))
    return [(tuple(sorted(places)), effect) for places, effect in sorted(groups, key=lambda pair: -abs(pair[1]))]


MORE_THAN_SEEN = 1.8  # times the variance that the first round shows: with what settles, later rounds shrink
LEAST_OF_STRETCHES = 2  # degrees of freedom among them


@dataclass(frozen=True)
class ScreenRuns:
    """What was played of a screen so far.

    Args:
        design: which factors each run had on; shape (runs, factors).
        numbers: the metrics of each run, in the order in which they were played.
        sizes: how many rows each round had.
        most: how many rounds it takes at most, as far as that is known.
        costly: the factors that were switched by stretches.
    """

    plan: ScreenPlan
    design: Signs
    numbers: Sequence[Numbers]
    sizes: Sequence[int]
    most: int
    costly: Sequence[int] = ()

    @property
    def rows(self) -> Floats:
        """The design of the rows, each once; shape (rows, factors)."""
        return np.asarray(self.design[::self.plan.repeats], dtype=np.float64)

    def logs(self, name: str) -> Floats:
        """A metric's logarithm of each row, the mean of its runs: what they share, its switch has brought."""
        runs = logarithms(name, [run[name] for run in self.numbers], self.plan.seconds).reshape(-1, self.plan.repeats)
        finite = np.isfinite(runs)
        return np.asarray(np.where(finite, runs, 0).sum(axis=1) / np.where(finite.any(axis=1), finite.sum(axis=1),
                                                                           np.nan))

    def has(self, name: str) -> bool:
        """Whether a metric was measured at all."""
        return any(math.isfinite(run[name]) for run in self.numbers)

    def rounds(self) -> Floats:
        """A column for each round, 1 in its rows; shape (rows, rounds)."""
        number = np.repeat(np.arange(len(self.sizes)), self.sizes)
        return np.asarray(number[:, None] == np.arange(len(self.sizes)), dtype=np.float64)

    def time(self) -> Floats:
        """When in its round each row was played, from -0.5 to 0.5."""
        return np.concatenate([np.arange(size) / size - 0.5 for size in self.sizes])

    def stretches(self) -> Floats:
        """A column for each stretch between two restarts, 1 in its rows; the rounds if nothing restarts."""
        if not self.costly:
            return self.rounds()
        costly = self.rows[:, list(self.costly)]
        new = np.any(np.diff(costly, axis=0) != 0, axis=1) | (np.diff(self.rounds().argmax(axis=1)) > 0)
        number = np.concatenate([[0], np.cumsum(new)])
        return np.asarray(number[:, None] == np.arange(number[-1] + 1), dtype=np.float64)

    def matters_pct(self, name: str) -> float:
        """The smallest difference of a metric that matters, in per cent."""
        first = self.numbers[:self.sizes[0] * self.plan.repeats]
        return self.plan.decides.in_pct(name, first)


Fit = tuple[float, float, int] | None
"""An effect from off to on, its standard error and degrees of freedom; None where it cannot be told."""


def factors(played: ScreenRuns) -> list[Factor]:
    """What is known of each factor, in the order of the plan."""
    plan, names = played.plan, played.plan.metrics()
    fits = {name: _fitted(played, name) for name in names}
    result = []
    for place, group in enumerate(plan.factors):
        of_it = {name: fits[name][place] for name in names}
        claims = plan.claims[place] if plan.claims else ()
        judged = (_effect(played, of_it, claims[0].metric, ERROR, claims[0]),) if claims else tuple(
            sharing(plan.deciders, played.has, partial(_effect, played, of_it), _open, ERROR).values())
        rest = tuple(_effect(played, of_it, name, ERROR) for name in TRIAL_METRICS
                     if name not in {effect.metric for effect in judged})
        result.append(Factor(group, judged, rest))
    return result


def _fitted(played: ScreenRuns, name: str) -> list[Fit]:
    """What each factor does to the logarithm of a metric."""
    logs, rows = played.logs(name), played.rows
    good = np.isfinite(logs)
    cheap = [place for place in range(rows.shape[1]) if place not in played.costly]
    if not good.any():
        return [None] * rows.shape[1]
    pairs = [rows[:, entry] * rows[:, second] for entry, second, *_ in _pairs(played, name)]
    terms = np.column_stack([rows[:, cheap], *pairs, played.stretches(), played.time()])
    fits = dict(zip(cheap, _least_squares(terms[good], logs[good], len(cheap)), strict=True))
    if played.costly:
        fit, *_ = np.linalg.lstsq(terms[good], logs[good], rcond=None)
        inside = len(cheap) + len(pairs)
        fits |= dict(zip(played.costly, _of_stretches(played, logs - terms[:, :inside] @ fit[:inside]), strict=True))
    return [fits[place] for place in range(rows.shape[1])]


def _least_squares(terms: Floats, values: Floats, wanted: int, least: int = LEAST_DOF) -> list[Fit]:
    """The first terms, twice each: from off to on is from -1 to +1."""
    dof = int(values.size - np.linalg.matrix_rank(terms))
    if dof < least:
        return [None] * wanted
    fit, *_ = np.linalg.lstsq(terms, values, rcond=None)
    left = values - terms @ fit
    if float(left @ left) < NO_WIDTH:  # nothing varies: a coarse timer, or events too rare, hide by how much
        return [None] * wanted
    spread = np.sqrt(np.diag(np.linalg.pinv(terms.T @ terms)) * float(left @ left) / dof)
    return [(2 * float(fit[place]), 2 * float(spread[place]), dof) for place in range(wanted)]


def _of_stretches(played: ScreenRuns, logs: Floats) -> list[Fit]:
    """The costly factors, by the means of the stretches without what the others did."""
    members = played.stretches() * np.isfinite(logs)[:, None]
    members = members[:, members.any(axis=0)]
    means = (members / members.sum(axis=0)).T
    every = np.column_stack([played.rows[:, list(played.costly)], played.rounds(), played.time()])
    return _least_squares(means @ every, means @ np.nan_to_num(logs), len(played.costly), LEAST_OF_STRETCHES)


def _open(effect: Effect) -> bool:
    return effect.standing == "unclear"


def _effect(played: ScreenRuns, fits: Mapping[str, Fit], name: str, error: float, claim: Claim | None = None) -> Effect:
    fit, matters = fits[name], played.matters_pct(name)
    if fit is None:
        return Effect(name, None, None, None, "unclear", matters)
    middle, spread, dof = fit
    half, more = (spread * _quantile(dof, _error_now(played, part)) for part in (error, error / 2))
    word = word_for((middle - half, middle, middle + half), more, matters, METRICS[name].lower_is_better)
    standing: Standing = "does nothing that matters" if word == "no difference that matters" else word
    if claim is not None and word in ("better", "worse"):
        standing = "does what is claimed" if (middle < 0) == (claim.direction == "down") else "does the opposite"
    pct = [percent_of(log) for log in (middle, middle - half, middle + half)]
    return Effect(name, pct[0], pct[1], pct[2], standing, matters, spread, dof)


def _error_now(played: ScreenRuns, error: float) -> float:
    rounds = tuple(range(1, played.most + 1))
    errors = errors_of_sized(rounds, error, 1, USUAL_ROUNDS) if played.plan.sized else errors_of(rounds, error)
    return errors[len(played.sizes)]


def rounds_asked(played: ScreenRuns) -> int:
    """Return how many times the runs so far tell nine of ten factors that do nothing; 0 if that is not known."""
    claimed = {claim.metric for claims in played.plan.claims for claim in claims[:1]}
    measured = [name for name in claimed or played.plan.deciders if played.has(name)]
    error, wanted = ERROR / (1 if claimed else max(1, len(measured))), [0]
    for name in measured:
        spreads = [fit[1] for fit in _fitted(played, name) if fit is not None]
        margin = math.log1p(played.matters_pct(name) / 100)
        wanted += [blocks_for(float(np.median(spreads)), margin, error, MORE_THAN_SEEN)] if spreads else []
    return max(wanted)


def _quantile(dof: int, error: float) -> float:
    from scipy.special import stdtrit

    return float(stdtrit(dof, 1 - error))


def _pairs(played: ScreenRuns, name: str) -> list[tuple[int, int, float]]:
    logs = played.logs(name)
    good = np.isfinite(logs)
    always = np.column_stack([played.rows, played.stretches(), played.time()])
    error = _error_now(played, ERROR / len(played.plan.deciders))
    return pairs_in(played.rows[good], always[good], logs[good], error, math.log1p(played.matters_pct(name) / 100))


def interactions(played: ScreenRuns) -> tuple[Interaction, ...]:
    """The factors that act together on a metric that decides; those that share one are given as one group."""
    called = [" + ".join(group) for group in played.plan.factors]
    return tuple(Interaction(tuple(called[place] for place in places), percent_of(effect), name)
                 for name in played.plan.deciders for places, effect in together(_pairs(played, name)))
