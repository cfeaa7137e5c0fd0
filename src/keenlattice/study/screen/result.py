"""What a screen found: per change its effects with an interval and a word, and those that act together."""

import math
from collections.abc import Mapping
from dataclasses import field
from typing import ClassVar, Literal

from keenlattice.errors import BadValue, counted
from keenlattice.measure.metrics import METRICS
from keenlattice.notebook import Rows, Shown, study_row
from keenlattice.quickly import dataclass
from keenlattice.study.form import Form
from keenlattice.study.screen.plan import ScreenPlan

Standing = Literal["does what is claimed", "does the opposite", "better", "worse", "does nothing that matters",
                   "unclear"]


@dataclass(frozen=True)
class Effect:
    """What switching a factor on does to a metric, in per cent, with its interval and the word for it, and the smallest
    difference that matters (0 where an older screen did not note it); `error` and `dof` as in a trial's metric."""

    metric: str
    change_pct: float | None
    low_pct: float | None
    high_pct: float | None
    standing: Standing
    matters_pct: float = 0.0
    error: float | None = None
    dof: float | None = None


TELLING: tuple[tuple[Standing, ...], ...] = (
    ("does what is claimed", "does the opposite", "better", "worse"), ("unclear",), ("does nothing that matters",))


@dataclass(frozen=True)
class Factor:
    """A factor of a screen: its settings, its effects on the metrics that it is judged by, and on the others."""

    settings: tuple[str, ...]
    judged: tuple[Effect, ...]
    others: tuple[Effect, ...]

    @property
    def measured(self) -> tuple[Effect, ...]:
        """The effects that it is judged by, without metrics that were not measured."""
        return tuple(effect for effect in self.judged if effect.change_pct is not None) or self.judged

    @property
    def telling(self) -> Effect:
        """The effect that tells most: of those that it is judged by, the first that is better or worse, else the first
        that is unclear, else the first."""
        return next(effect for words in TELLING for effect in self.measured if effect.standing in words)

    @property
    def standings(self) -> tuple[Standing, ...]:
        """What it amounts to: "better" and "worse" where it is a gain and a price, else one word."""
        words = {effect.standing for effect in self.measured}
        gains = tuple(word for word in TELLING[0] if word in words)
        return gains or (self.telling.standing,)


def helping(result: "Screen") -> tuple[Factor, ...]:
    """Return the changes of a screen that surely help with something and hurt nothing that decides."""
    return tuple(factor for factor in result.factors if factor.standings in (("better",), ("does what is claimed",)))


def together_pct(result: "Screen") -> dict[str, float]:
    """Return what the changes that help would do together to each metric that decides, in per cent, if none of them
    changes what another one does: the product of the ratios."""
    factors = helping(result)
    effects = {name: [effect.change_pct for factor in factors for effect in factor.judged if effect.metric == name]
               for name in result.judged_by}
    return {name: 100 * (math.prod(1 + change / 100 for change in finite) - 1) for name, changes in effects.items()
            if len(finite := [change for change in changes if change is not None]) == len(factors) > 1}


@dataclass(frozen=True)
class Interaction:
    """Factors that do together what none does alone, on a metric that decides. Of more than two, it is the strongest
    pair's effect."""

    settings: tuple[str, ...]
    change_pct: float
    metric: str = "frame_ms_mean"


@dataclass(frozen=True, repr=False)
class Screen(Form, Shown):
    """What a screen found; factors in the order of how much they do.

    `limited_by` is what the frames of all its runs waited for, each with its share of the time in per cent.
    """

    SCHEMA: ClassVar[str] = "keen-lattice/screen/2"
    WHAT: ClassVar[str] = "a screen"

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
    doubts: tuple[str, ...] = ()
    limited_by: Mapping[str, float] = field(default_factory=dict)
    asked_rounds: int = 0

    @property
    def judged_by(self) -> tuple[str, ...]:
        """The metrics that all changes are judged by; none where each is judged by what is claimed of it."""
        judged = {tuple(effect.metric for effect in factor.judged) for factor in self.factors}
        return judged.pop() if len(judged) == 1 else ()

    def _rows(self) -> Rows:
        """A row for each change and metric."""
        return [study_row(" + ".join(factor.settings), effect.metric, effect.standing,
                          change=(effect.change_pct, effect.low_pct, effect.high_pct), decides=effect in factor.judged)
                for factor in self.factors for effect in (*factor.judged, *factor.others)]

    def _caption(self) -> str:
        return (f"{self.before} against {self.after}: {counted(len(self.factors), 'change')} in "
                f"{counted(self.runs, 'run')} on {self.rig}")

    def _check(self) -> None:
        if not {effect.metric for factor in self.factors for effect in (*factor.judged, *factor.others)} <= {*METRICS}:
            raise BadValue("it has metrics that there are not")
