"""One picture of a run alone, by its name."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from keenlattice.errors import UnknownName, UsageError
from keenlattice.measure.capture import Capture
from keenlattice.report import _frames as frames
from keenlattice.report import latency
from keenlattice.report.style import headed

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

PICTURES: "Mapping[str, Callable[[Axes, Mapping[str, Capture]], Axes]]" = {
    "course": lambda axes, captures: frames.stutters_marked(axes, _first(captures)),
    "recurring": lambda axes, captures: frames.recurring(axes, _first(captures)),
    "slowest": lambda axes, captures: frames.quantile_curves(axes, captures),
    "latency": lambda axes, captures: latency.latency_histogram(axes, _first(captures)),
    "stages": lambda axes, captures: latency.stage_budget(axes, captures)}
MOST_RUNS = {"slowest": 6, "stages": 2}  # of one picture; of any other, one


def single_figure(captures: Mapping[str, Capture], what: str, title: str) -> "Callable[[], Figure]":
    """What draws that picture.

    Args:
        captures: name to run.
        what: one of PICTURES.

    Raises:
        UnknownName: no such picture.
        UsageError: more runs than the picture can show.
    """
    if what not in PICTURES:
        raise UnknownName("picture", what, PICTURES, f"there are {', '.join(PICTURES)}")
    most = MOST_RUNS.get(what, 1)
    if len(captures) > most:
        raise UsageError(f"the picture {what} is of {most} run{'s' * (most > 1)}, and {len(captures)} were given")

    def draw() -> "Figure":
        figure = headed(title, "One run describes; it proves nothing.")
        PICTURES[what](figure.add_axes((0.09, 0.09, 0.78, 0.77)), captures)
        return figure
    return draw


def _first(captures: Mapping[str, Capture]) -> Capture:
    return next(iter(captures.values()))
