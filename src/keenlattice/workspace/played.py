"""A study of the logbook: what was planned, what came out, its runs and its report; and what else studies tell."""

from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import field
from typing import TYPE_CHECKING, Any, ClassVar, Generic, TypeVar

from keenlattice.errors import KeenLatticeError, counted
from keenlattice.notebook import Rows, Shown
from keenlattice.profile.version import Version
from keenlattice.quickly import dataclass
from keenlattice.study.form import Form
from keenlattice.workspace.result import NOT_IN_JSON, Result

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from keenlattice.blocks import Telling
    from keenlattice.measure.capture import Capture
    from keenlattice.study.kind import Spec
    from keenlattice.study.trial.result import Trial
    from keenlattice.workspace.page import Drawing, Page

Found = TypeVar("Found", bound=Form)


@dataclass(frozen=True, repr=False)
class Played(Result, Generic[Found]):
    """A study that is finished.

    Args:
        kind, number: what it is, and its number in the logbook.
        spec: what was planned.
        result: what came out.
        version: the version that was made of it, if one was.
        proof: the trial of that version against where it started, if one was played.
    """

    kind: str
    number: int
    spec: "Spec"
    result: Found
    _captures: "Callable[[], Mapping[int, Capture]]"
    version: Version | None = None
    proof: "Played[Trial] | None" = None
    _page: "Callable[[Played[Any]], Page] | None" = None
    _figure: "Callable[[Played[Any], Axes | None], Drawing] | None" = None
    _telling: "Callable[[Played[Any]], Telling] | None" = None

    def report(self) -> "Page":
        """The page that explains it to somebody who was not there."""
        assert self._page is not None
        return self._page(self)

    def figure(self, ax: "Axes | None" = None) -> "Drawing":
        """Return a picture of the result.

        Args:
            ax: axes of your own, onto which its main part is drawn at once: each change with its interval.

        Raises:
            CaptureError: it takes the runs, and they are gone.
        """
        assert self._figure is not None
        return self._figure(self, ax)

    @property
    def label(self) -> str:
        """What a version that the study made is labelled: `tune-3`."""
        return f"{self.kind}-{self.number}"

    def captures(self) -> "Mapping[int, Capture]":
        """The runs that count, by their place in the plan.

        Raises:
            CaptureError: they are gone.
        """
        return self._captures()

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types; of one that a version was made of, with that and its proof."""
        if not hasattr(self.spec, "proof"):
            return self.result.to_json()
        return {**self.result.to_json(), "version": self.version.reference if self.version else None,
                "trial": self.proof.to_json() if self.proof else None}

    def _rows(self) -> Rows:
        return self.result._rows()  # type: ignore[attr-defined, no-any-return]

    def _in_brief(self) -> Rows:
        return self.result._in_brief()  # type: ignore[attr-defined, no-any-return]

    def _caption(self) -> str:
        answer = self.result._caption()  # type: ignore[attr-defined]
        if self._telling is not None:
            with suppress(KeenLatticeError):  # a logbook that is closed by now: a prompt still shows the result
                answer = " ".join(key.sentence for key in self.telling().keys)
        return f"{self.kind} {self.number}: {answer}"


@dataclass(frozen=True)
class ListedStudy:
    """A study in a list: what it is about, and whether it is finished."""

    number: int
    kind: str
    time: str
    of: str
    finished: bool
    pilot: bool = field(default=False, metadata=NOT_IN_JSON)


@dataclass(frozen=True, repr=False)
class StudyList(Result):
    """The studies on a rig, the newest first."""

    SCHEMA: ClassVar[str] = "studies"
    REVISION: ClassVar[int] = 2

    rig: str
    studies: tuple[ListedStudy, ...]

    def _rows(self) -> Rows:
        return [{"study": study.number, "what": "pilot" if study.pilot else study.kind, "when": study.time,
                 "of": study.of,
                 "finished": study.finished} for study in self.studies]

    def _caption(self) -> str:
        return f"{counted(len(self.studies), 'study', 'studies')} on {self.rig}"


@dataclass(frozen=True)
class StudyRun:
    """One run of a study.

    Args:
        study, kind: the study's number, and what it is.
        place: which of its runs it is, counted from 1.
        block: of a trial, which block it belongs to, counted from 1; else None.
        arm: what was on the rig, in the study's own words.
        version: the reference of the version that was on it; empty if it was a mixture.
        excluded: why it does not count; empty if it does.
        file: its capture's name in the logbook; empty if nothing was recorded.
        metrics: metric name to value; empty if nothing was recorded.
    """

    study: int
    kind: str
    place: int
    block: int | None
    arm: str
    version: str
    excluded: str
    file: str
    metrics: Mapping[str, float]


@dataclass(frozen=True, repr=False)
class StudyRuns(Shown):
    """The runs of one study or of all, in the order in which they were played, the newest study first."""

    runs: tuple[StudyRun, ...]

    def _rows(self) -> Rows:
        return [{"study": run.study, "kind": run.kind, "run": run.place, "block": run.block, "arm": run.arm,
                 "version": run.version, "counts": not run.excluded, "capture": run.file, **run.metrics}
                for run in self.runs]

    def _in_brief(self) -> Rows:
        shown = ("study", "run", "block", "arm", "version", "counts", "frame_ms_mean", "latency_ms_median")
        return [{name: row.get(name) for name in shown} for row in self._rows()]

    def _caption(self) -> str:
        count = len({run.study for run in self.runs})
        return f"{counted(len(self.runs), 'run')} of {counted(count, 'study', 'studies')}"


@dataclass(frozen=True, repr=False)
class Recomputed(Result):
    """A study that was computed again from its captures: every number came out as it was."""

    SCHEMA: ClassVar[str] = "recomputed"

    study: int
    kind: str
    equal: bool
    runs: int

    def _caption(self) -> str:
        kept = f"its {self.runs} captures" if self.kind != "pool" else "its evidence"
        return f"{self.kind.capitalize()} {self.study}: from {kept} every number comes out as it was, to the last bit"


@dataclass(frozen=True)
class PlanCost:
    """What some blocks would take: the chance to settle the trial, and how long they last."""

    blocks: int
    chance: float
    minutes: float


@dataclass(frozen=True, repr=False)
class Pilot(Result):
    """What a version against itself tells: how noisy runs are, how long they warm up, how many blocks would settle a
    trial (None if no number up to 1000 would)."""

    SCHEMA: ClassVar[str] = "pilot"

    decides: str
    matters_pct: float
    noise_sd: float
    noise_dof: int
    warm_up_s: float
    blocks_to_settle: int | None
    plans: tuple[PlanCost, ...]
    trial: "Played[Trial]" = field(metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [plan.__dict__ for plan in self.plans]

    def _caption(self) -> str:
        return f"{self.decides}: two runs vary by {100 * self.noise_sd:.2g} % from block to block"


@dataclass(frozen=True)
class RunToCome:
    """A run that is still to be recorded."""

    place: int
    block: int
    version: str


@dataclass(frozen=True, repr=False)
class RunsToCome(Result):
    """A trial whose runs are recorded elsewhere: what has still to be recorded, in this order."""

    SCHEMA: ClassVar[str] = "trial-runs"

    study: int
    recorded: int
    to_come: tuple[RunToCome, ...]
    seconds: float = field(metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [run.__dict__ for run in self.to_come]

    def _caption(self) -> str:
        return f"trial {self.study}: {counted(self.recorded, 'run')} recorded, {len(self.to_come)} to come"


@dataclass(frozen=True)
class CheaperScreen:
    """Another plan of a screen: how often each row is played, whether it is folded, how long a round takes, and how
    many times as wide its intervals are, if runs are independent."""

    repeats: int
    folded: bool
    minutes_per_round: float
    wider: float


@dataclass(frozen=True, repr=False)
class ScreenCost(Result):
    """What a screen would play, and how long that takes.

    Args:
        restarting: the changes that restart the machine.
        switched_per_round: how many settings are switched in a round.
        cheaper: where a person switches them, plans that take less time.
    """

    SCHEMA: ClassVar[str] = "screen-plan"

    plan: Form
    runs_per_round: int
    minutes_per_round: float
    restarting: tuple[tuple[str, ...], ...]
    switched_per_round: int
    cheaper: tuple[CheaperScreen, ...]
    together: tuple[tuple[str, ...], ...] = field(metadata=NOT_IN_JSON)

    def _caption(self) -> str:
        return f"{counted(self.runs_per_round, 'run')} a round, {self.minutes_per_round:.0f} min"
