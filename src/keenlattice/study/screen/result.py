"""What a screen found: per change an effect with an interval and a word, and pairs that act together."""

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, ClassVar, Literal

from keenlattice._notebook import Shown
from keenlattice.errors import BadValue
from keenlattice.measure.metrics import METRICS
from keenlattice.study._form import Form
from keenlattice.study.screen.plan import ScreenPlan

if TYPE_CHECKING:
    import pandas

Standing = Literal["does what is claimed", "does the opposite", "better", "worse", "does nothing that matters",
                   "unclear"]


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


@dataclass(frozen=True, repr=False)
class Screen(Form, Shown):
    """What a screen found; factors in the order of how much they do."""

    SCHEMA: ClassVar[str] = "keen-lattice/screen/1"
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

    def table(self) -> "pandas.DataFrame":
        """A row for each change and metric; `judged` marks the metric that the change is judged by."""
        import pandas

        return pandas.DataFrame([
            {"change": " + ".join(one.settings), **asdict(effect), "judged": effect is one.judged}
            for one in self.factors for effect in (one.judged, *one.others)])

    def _caption(self) -> str:
        return (f"{self.before} against {self.after}: {len(self.factors)} changes in {self.runs} runs on {self.rig}")

    def _check(self) -> None:
        if not {effect.metric for one in self.factors for effect in (one.judged, *one.others)} <= {*METRICS}:
            raise BadValue("it has metrics that there are not")
