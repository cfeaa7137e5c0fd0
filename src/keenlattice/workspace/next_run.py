"""What a study by hand waits for."""

from collections.abc import Mapping, Sequence
from dataclasses import field
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice.catalog.values import Value
from keenlattice.errors import counted, way
from keenlattice.logbook.kept import runs_of
from keenlattice.quickly import dataclass
from keenlattice.rig.hand import ComingRun, Paused
from keenlattice.rig.player.pace import minutes_left
from keenlattice.study.record import spec_of
from keenlattice.workspace.opened import Opened, by_hand_rig
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows

if TYPE_CHECKING:
    from keenlattice.logbook.kept import Study
    from keenlattice.profile.sheet import SheetStep
    from keenlattice.study.kind import Spec
    from keenlattice.workspace.played import Played


@dataclass(frozen=True, repr=False)
class NextRun(Result):
    """What a study by hand waits for: steps to take, and a run to play and hand over.

    Args:
        study, kind, of: which study, and what it is about.
        run: the number of the run, from 1.
        runs: how many there are at most; None where a search goes on until it is sure.
        arm: what the run is of, in the study's own words.
        game, seconds: what to play, and how long.
        steps: what to change first.
        wrong: how often this run has gone wrong before.
        holds: owner to what the rig holds now, by all that was said.
        minutes_left: for all that is left, at most and about; None where `runs` is.
        finished: the study that was finished just before, where this one proves what it found.
        start: the command that the game has to be started by, so that it holds what no file does; empty for any way.
        latency_alone: whether latency alone decides, so that a film or a sensor's file is enough.
    """

    SCHEMA: ClassVar[str] = "next-run"

    study: int
    kind: str
    of: str
    run: int
    runs: int | None
    arm: str
    game: str
    seconds: float
    steps: "tuple[SheetStep, ...]"
    wrong: int
    holds: Mapping[str, Mapping[str, Value]]
    minutes_left: float | None
    finished: "Played[Any] | None" = field(default=None, metadata=NOT_IN_JSON)
    start: str = ""
    latency_alone: bool = False

    def _rows(self) -> Rows:
        return [{"step": step.number, "setting": step.title, "before": step.before, "after": step.after}
                for step in self.steps]

    def _caption(self) -> str:
        count = f"{counted(len(self.steps), 'step')}, then " if self.steps else ""
        of = "" if self.runs is None else f" of at most {self.runs}"
        return f"{self.kind} {self.study}, run {self.run}{of}: {count}{self.seconds:g} s of {self.game}"


class Waiting(Paused):
    """A study by hand waits for its player: `next` says for what."""

    def __init__(self, run: ComingRun, steps: "Sequence[SheetStep]") -> None:
        more = way("keen rig next", "ws.studies.by_hand.next_run()")
        super().__init__(f"run {run.place + 1} is waited for: {counted(len(steps), 'step')} to take, "
                         f"then {run.seconds:g} s of {run.game} to play; {more} says more, and takes the recording")
        self.run, self.steps = run, tuple(steps)
        self.next: NextRun | None = None


def decided_by_latency(spec: "Spec | None") -> bool:
    """Whether latency alone decides a study, so that a run needs no frames."""
    return spec is not None and bool(spec.judged_by) and all(name.startswith("latency") for name in spec.judged_by)


def what_is_next(opened: Opened, study: "Study", waiting: Waiting) -> NextRun:
    """Return what a study by hand waits for, in words."""
    from keenlattice.rig.player.session import holding
    from keenlattice.rig.session import start_by_hand

    spec, run = spec_of(study), waiting.run
    done = sum(not run.excluded for run in runs_of(opened.book, study))
    total = None if spec.most_runs is None else max(spec.most_runs, done + 1)
    return NextRun(study.number, study.kind, spec.about, run.place + 1, total, run.arm, run.game, run.seconds,
                   waiting.steps, run.again, holding(by_hand_rig(opened)), None if total is None else
                   minutes_left(opened.rig.home, total - done, run.seconds, spec.steps_a_run),
                   start=start_by_hand(opened.rig, run), latency_alone=decided_by_latency(spec))
