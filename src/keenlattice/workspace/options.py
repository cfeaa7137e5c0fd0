"""How the studies are played: what may be said of each, by name. What is not said is as the plans have it."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, TypedDict

if TYPE_CHECKING:
    from keenlattice.study.tune.plan import Limit

Matters = float | str
"""The smallest difference that matters: in per cent, or as a player writes it (`"3%"`, `"0.5ms"`, or for one metric
`"latency_ms_median=1ms"`, several with commas between)."""


class StudyOptions(TypedDict, total=False):
    """What all studies take.

    seconds: the length of a run. matters: the smallest difference that matters; 1 %. seed: draws the order, and the
    seeds of the runs; drawn itself. switch_minutes: how long a person takes to change one setting, on a rig that is
    changed by hand; learnt from the steps that they took.
    """

    switch_minutes: float | None
    seconds: float
    matters: Matters
    seed: int | None


class TrialOptions(StudyOptions, total=False):
    """What a trial takes besides.

    blocks: at most so many pairs of runs, each with one run of either version; 12. decides: the metrics that decide,
    named in advance, with commas between; they share the error; mean frame time and median latency. early: whether it
    ends as soon as it is settled, or hardly can be any more; it does. repeats: runs of either in a block, one after
    the other; 1, and by hand as many as pay. warm_up_s: what is played before a run counts; 0. adjusts_for: a series
    whose value at the start of each run is taken into account, such as gpu0.temperature; none.
    """

    blocks: int
    decides: str
    early: bool
    repeats: int | None
    warm_up_s: float
    adjusts_for: str


class ScreenOptions(StudyOptions, total=False):
    """What a screen takes besides.

    together: settings that are switched as one, group by group; `("checks",)` stands for those of which the checks know
    that one decides what another does. rounds: at most so many; what is settled is switched no more, and it ends
    when nothing is unclear; 4. decides: as in a trial, where nothing is claimed. warm_up_s: as in a trial. repeats:
    runs of each row of the design, one after the other; 1, and by hand as many as pay. folded: whether what two
    settings do together can pass for no single one, which takes twice the runs; it is.
    """

    together: Sequence[Sequence[str]]
    rounds: int
    decides: str
    warm_up_s: float
    repeats: int | None
    folded: bool


class HuntOptions(StudyOptions, total=False):
    """What a hunt takes besides.

    blocks: of the trial of the oldest against the newest, at most; 12. decides: as in a trial; of several that changed
    the surest is hunted. error: how likely it may name the wrong version; 0.05.
    """

    blocks: int
    decides: str
    error: float


class TuneOptions(StudyOptions, total=False):
    """What a tuning takes besides.

    goal: what is to be as good as can be: a metric, or several with commas between, of which one per cent of either is
    worth the same; mean frame time and median latency. limits: what has to be kept. rounds: at most so
    many, each with every combination that is still in the race; 30. proof: blocks of the trial of the best against
    where it started; 8, and 0 for none. warm_up_s: as in a trial.
    """

    goal: str
    limits: "Sequence[Limit]"
    rounds: int
    proof: int
    warm_up_s: float


class RampOptions(StudyOptions, total=False):
    """What a ramp takes besides.

    margin: how far below the highest step that ran it settles; two steps. goal: as in a tuning; the first is told
    beside each step. proof: as in a tuning.
    """

    margin: float | None
    goal: str
    proof: int
