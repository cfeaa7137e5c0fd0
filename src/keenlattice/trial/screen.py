"""Screening: which of many settings matter, with far fewer runs than a trial of each.

The settings that differ between two versions are switched by a folded two-level design, round by round. In a round each
is on in half of the runs, and in every run about half of them are, so each run tells of all. The logarithm of a metric
is fitted by least squares with a term for each setting, one for the round and one for the time within it (which takes
up a drift); a setting's effect is what it changes from off to on, with Student's t for as many degrees of freedom as
are left. Interactions are not fitted: they stay in what is left, so intervals are rather too wide than too narrow.

It ends with the first round after which no setting is unclear, by the same spending of error as a trial that ends
early, or with the last one.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from itertools import combinations
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from keenlattice.errors import BadValue, BookError, UsageError
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.metrics import METRICS, TRIAL_METRICS, logarithms, metric, metrics_of
from keenlattice.notebook import Shown
from keenlattice.profile.compare import changes, with_changes
from keenlattice.profile.pack import Claim
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.apply import restart_for
from keenlattice.rig.base import Rig, game_of
from keenlattice.rig.change import changing
from keenlattice.trial.conclude import Numbers, verdict
from keenlattice.trial.design import Signs, in_order, mixed_up, screening_design
from keenlattice.trial.plan import check_matters, check_seconds, check_seed
from keenlattice.trial.player import Each, Player, entries_on, ignore, put_back
from keenlattice.trial.reading import read_as
from keenlattice.trial.run import game_for
from keenlattice.trial.spending import confidences

if TYPE_CHECKING:
    import pandas

SCHEMA = "keen-lattice/screen/1"
ERROR = 0.05
LEAST_DOF = 4

Standing = Literal["does what is claimed", "does the opposite", "better", "worse", "does nothing that matters",
                   "unclear"]


@dataclass(frozen=True)
class ScreenPlan:
    """How a screen is run and judged.

    Args:
        factors: the settings that are switched, those that belong together in one group.
        claims: what is claimed of each factor, by its place; may be empty.
        rounds: how many at most; each is a whole design.
        seconds, seed, decides, matters_pct, warm_up_s: as in a trial.
    """

    factors: tuple[tuple[str, ...], ...]
    claims: tuple[tuple[Claim, ...], ...] = ()
    rounds: int = 3
    seconds: float = 30.0
    seed: int = 0
    decides: str = "frame_ms_mean"
    matters_pct: float = 1.0
    warm_up_s: float = 0.0

    def __post_init__(self) -> None:
        for name in {self.decides, *(one.metric for claims in self.claims for one in claims)}:
            metric(name)
        if not self.factors:
            raise BadValue("a screen needs settings that differ")
        if not 1 <= self.rounds <= 20:
            raise BadValue(f"{self.rounds} rounds: a screen takes 1 to 20")
        check_matters(self.matters_pct)
        check_seconds(self.seconds)
        check_seed(self.seed)

    def design(self) -> Signs:
        """Which factors each run of a round switches on; shape (runs, factors)."""
        return screening_design(len(self.factors))

    def runs(self, costly: Sequence[int] = ()) -> list[tuple[int, int, int]]:
        """Round, row of the design and seed of every run, in the order in which they are played."""
        random, design = np.random.default_rng([self.seed, 11]), self.design()
        return [(number, row, int(random.integers(2**31))) for number in range(self.rounds)
                for row in in_order(design, costly, random)]

    def to_json(self) -> dict[str, Any]:
        """As `kept.screen_plan` takes it; JSON types only."""
        return {**asdict(replace(self, claims=())), "factors": [list(group) for group in self.factors],
                "claims": [[one.model_dump() for one in claims] for claims in self.claims]}


@dataclass(frozen=True)
class Effect:
    """What switching a factor on does to a metric, in per cent, with its interval and the word for it."""

    metric: str
    change_pct: float | None
    low_pct: float | None
    high_pct: float | None
    standing: Standing


@dataclass(frozen=True)
class Factor:
    """A factor of a screen: its settings, its effect on the metric that it is judged by, and on the others."""

    settings: tuple[str, ...]
    judged: Effect
    others: tuple[Effect, ...]


@dataclass(frozen=True)
class Interaction:
    """Two factors that do together what neither does alone; `or_of` are pairs that the design cannot tell from them."""

    settings: tuple[str, str]
    change_pct: float
    or_of: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class ScreenResult(Shown):
    """What a screen found; factors in the order of how much they do."""

    game: str
    before: str
    after: str
    rig: str
    plan: ScreenPlan
    factors: tuple[Factor, ...]
    interactions: tuple[Interaction, ...]
    runs: int
    rounds_played: int
    one_by_one_runs: int
    excluded: tuple[str, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """As documented in `docs/formats.md`; JSON types only."""
        told = asdict(replace(self, plan=replace(self.plan, claims=())))
        return {"schema": SCHEMA, **told, "plan": self.plan.to_json()}

    def table(self) -> "pandas.DataFrame":
        """A row for each change and metric; `judged` marks the metric that the change is judged by."""
        import pandas

        return pandas.DataFrame([
            {"change": " + ".join(one.settings), **asdict(effect), "judged": effect is one.judged}
            for one in self.factors for effect in (one.judged, *one.others)])

    def _caption(self) -> str:
        return (f"{self.before} against {self.after}: {len(self.factors)} changes in {self.runs} runs on {self.rig}")

    @classmethod
    def of_json(cls, content: Mapping[str, Any]) -> "ScreenResult":
        """A result as `to_json` has it.

        Raises:
            BookError: it is not of that form.
        """
        found = read_as(cls, content, "a screen")
        if not {effect.metric for one in found.factors for effect in (one.judged, *one.others)} <= {*METRICS}:
            raise BookError("a screen in the logbook has metrics that there are not: it is damaged, or was tampered "
                            "with")
        return found


def factors_of(before: Entries, after: Entries, together: Sequence[Sequence[str]] = ()) -> tuple[tuple[str, ...], ...]:
    """The settings in which `before` and `after` differ, those that belong together in one group.

    >>> factors_of({}, {"frame.cap": 120, "sync.vertical": "off", "frame.queue-depth": 1},
    ...            together=[["frame.cap", "sync.vertical"]])
    (('frame.cap', 'sync.vertical'), ('frame.queue-depth',))

    Raises:
        UsageError: a group names one that does not differ, or one twice.
    """
    keys = [one.key for one in changes(before, after)]
    grouped = [key for group in together for key in group]
    unknown = [key for key in grouped if key not in keys]
    if unknown:
        raise UsageError(f"{', '.join(unknown)} cannot be grouped: the two versions set the same there")
    if len(set(grouped)) < len(grouped):
        raise UsageError("a setting is in two groups")
    return (*(tuple(group) for group in together), *((key,) for key in keys if key not in grouped))


def run_screen(rig: Rig, before: Version, after: Version, plan: ScreenPlan, game: str | None = None,
               each: Each = ignore, done: Mapping[int, Capture] | None = None) -> ScreenResult:
    """Screens the settings that differ between two versions.

    Args:
        plan: which settings, how often, and what is judged.
        before, after, game, each, done: as in `run_trial`; a run's arm is the row of the design.

    Raises:
        UsageError: as `run_trial`.
        RigError: the rig refuses a combination, or nothing can be recorded; it is put back to what it was.
    """
    played = game_of(rig, game_for(before, after, game)).name
    design, done = plan.design(), done or {}
    rows: list[int] = []
    numbers: list[Numbers] = []

    order = plan.runs(costly(rig, plan))
    with changing(rig, f"screen of {before.reference} against {after.reference}") as change:
        player = Player(change, before.profile, played, plan.seconds, plan.warm_up_s, each, lambda _: "")
        for place, (number, row, seed) in enumerate(order):
            if place not in done:
                entries = entries_on(rig, mixed(before, after, plan, design[row]))
            capture = done[place] if place in done else player.play(place, number, str(row), entries, seed)
            rows.append(row)
            numbers.append(metrics_of(capture, _metrics(plan)))
            if len(rows) % len(design) == 0 and not unclear(plan, design[rows], numbers):
                break
        put_back(change, [key for group in plan.factors for key in group])
    return screened(plan, design[rows], numbers, ScreenResult(
        played, before.reference, after.reference, rig.name, plan, (), (), len(rows), len(rows) // len(design), 0,
        tuple(player.excluded)))


def costly(rig: Rig, plan: ScreenPlan) -> list[int]:
    """The factors whose switching restarts the machine or the driver."""
    return [place for place, group in enumerate(plan.factors)
            if restart_for(rig, list(group)) in ("driver", "machine")]


def mixed(before: Version, after: Version, plan: ScreenPlan, row: "Signs") -> Version:
    """The version of one run: `before`, with the factors that its row switches on as in `after`."""
    on = {key: after.entries.get(key) for group, sign in zip(plan.factors, row, strict=True) if sign > 0
          for key in group}
    return Version(before.profile, with_changes(before.entries, on))


def _metrics(plan: ScreenPlan) -> list[str]:
    claimed = [one.metric for claims in plan.claims for one in claims]
    return list(dict.fromkeys([plan.decides, *claimed, *TRIAL_METRICS]))


def unclear(plan: ScreenPlan, design: Signs, numbers: Sequence[Numbers]) -> bool:
    """Whether any factor is still unclear, or too few runs are there to tell."""
    return any(factor.judged.standing == "unclear" for factor in _factors(plan, design, numbers))


def screened(plan: ScreenPlan, design: Signs, numbers: Sequence[Numbers], result: ScreenResult) -> ScreenResult:
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
    rounds = max(1, len(numbers) // len(plan.design()))
    error = 1 - confidences(range(1, plan.rounds + 1), ERROR)[rounds]
    fits = {name: _fitted(name, plan, design, [run[name] for run in numbers], 1 - error) for name in _metrics(plan)}
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

    logs = logarithms(name, values, plan.seconds)
    good = np.isfinite(logs)
    terms = _terms(plan, design)[good]
    dof = int(good.sum()) - terms.shape[1]
    if dof < LEAST_DOF:
        return [None] * design.shape[1]
    fit, *_ = np.linalg.lstsq(terms, logs[good], rcond=None)
    left = logs[good] - terms @ fit
    spread = np.sqrt(np.diag(np.linalg.pinv(terms.T @ terms)) * float(left @ left) / dof)
    half = float(stdtrit(dof, 0.5 + confidence / 2)) * spread
    # From off to on is twice the term, which goes from -1 to +1.
    return [(2 * fit[place], 2 * (fit[place] - half[place]), 2 * (fit[place] + half[place]))
            for place in range(design.shape[1])]


def _terms(plan: ScreenPlan, design: Signs) -> Floats:
    """What the runs are fitted by: the factors, the rounds, the time within a round; shape (runs, terms)."""
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
    pct = [100 * math.expm1(one) for one in (middle, low, high)]
    return Effect(name, pct[0], pct[1], pct[2], standing)


def _interactions(plan: ScreenPlan, design: Signs, numbers: Sequence[Numbers]) -> tuple[Interaction, ...]:
    """Pairs whose product explains what the factors leave over, beyond chance among all pairs; the strongest of those
    that cannot be told apart stands for them."""
    from scipy.special import stdtrit

    pairs = list(combinations(range(design.shape[1]), 2))
    logs = logarithms(plan.decides, [run[plan.decides] for run in numbers], plan.seconds)
    good = np.isfinite(logs)
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
        if score <= bound or pair in told or abs(math.expm1(2 * effect)) * 100 < plan.matters_pct:
            continue
        others = alike.get(pair, [])
        told |= {pair, *others}
        found.append(Interaction(_names(plan, pair), 100 * math.expm1(2 * effect),
                                 tuple(_names(plan, one) for one in others)))
    return tuple(found)


def _names(plan: ScreenPlan, pair: tuple[int, int]) -> tuple[str, str]:
    first, second = (" + ".join(plan.factors[place]) for place in pair)
    return first, second
