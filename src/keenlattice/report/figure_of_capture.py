"""Figures of runs: of one, of several over each other, and single pictures by name."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.errors import UnknownName, UsageError, counted
from keenlattice.measure.capture import Capture
from keenlattice.measure.course import periodic_hitches
from keenlattice.measure.telemetry import limited_by
from keenlattice.report import frames
from keenlattice.report.frames import (
    distribution,
    frame_times,
    latency_histogram,
    quantile_curves,
    recurring,
    stage_budget,
    stutters_marked,
)
from keenlattice.report.said import limits_sentence, telemetry_strips
from keenlattice.report.style import AFTER, BEFORE, INK, LINES, headed, nothing, plain

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


def capture_figure(capture: Capture, title: str) -> "Figure":
    """The figure of one run, 1280 x 800 pixels."""
    hitches = periodic_hitches(capture)
    parts = [f"{capture.frame_ms.size} frames in {capture.seconds:.1f} s, {capture.click_ms.size} clicks"
             + ("" if hitches else ", no hitches at a steady period") + ".", limits_sentence(limited_by(capture)),
             "One run describes; it proves nothing."]
    figure = headed(title, " ".join(filter(None, parts)))
    width = 0.57 if hitches else 0.915
    if capture.telemetry:
        course = stutters_marked(figure.add_axes((0.06, 0.70, width, 0.17)), capture)
        course.set_xlabel("")
        course.tick_params(labelbottom=False)
        telemetry_strips(figure.add_axes((0.06, 0.60, width, 0.06)), figure.add_axes((0.06, 0.505, width, 0.06)),
                         capture)
    else:
        stutters_marked(figure.add_axes((0.06, 0.56, width, 0.29)), capture)
    if hitches:
        recurring(figure.add_axes((0.70, 0.56, 0.275, 0.29)), capture)
    top = 0.38 if capture.telemetry else 0.43
    grid = figure.add_gridspec(1, 3, left=0.06, right=0.975, top=top, bottom=0.085, wspace=0.28)
    quantile_curves(figure.add_subplot(grid[0, 0]), {"": capture})
    latency_histogram(figure.add_subplot(grid[0, 1]), capture)
    last = figure.add_subplot(grid[0, 2])
    if capture.stage_ms:
        stage_budget(last, {"": capture})
    else:
        stage_shares(last, capture)
    return figure


def stage_shares(axes: "Axes", capture: Capture) -> "Axes":
    """Mean time of the CPU and the GPU stage beside the frame's own; what is near the frame's is what it waits for."""
    plain(axes, "Frame time and its stages, on average", "ms", "")
    rows = [("frame", capture.frame_ms, INK), ("GPU stage", capture.gpu_ms, AFTER),
            ("CPU stage", capture.cpu_ms, BEFORE)]
    if not capture.gpu_ms.size and not capture.cpu_ms.size:
        return nothing(axes, "stage times not recorded")
    for row, (_, values, colour) in enumerate(rows):
        mean = float(values.mean()) if values.size else 0.0
        axes.barh(row, mean, height=0.55, color=colour, alpha=0.65)
        axes.annotate(f"{mean:.1f}" if values.size else "not recorded", (mean, row), xytext=(4, 0),
                      textcoords="offset points", fontsize=9, color=INK, va="center")
    axes.set_yticks(range(len(rows)), [name for name, *_ in rows], fontsize=9)
    axes.set_xlim(0, 1.2 * max(float(values.mean()) for _, values, _ in rows if values.size))
    return axes


def compare_figure(captures: Mapping[str, Capture], title: str) -> "Figure":
    """The figure of several runs, 1280 x 800 pixels.

    Args:
        captures: name to run, two at least, the one to compare with first.
    """
    figure = headed(title, "One run of each describes; it proves no difference. For that: keen trial.")
    names = list(captures)
    first, last = captures[names[0]], captures[names[-1]]
    top = figure.add_gridspec(2, 2, left=0.06, right=0.88, top=0.85, bottom=0.5, hspace=0.5, wspace=0.16,
                              width_ratios=(1.25, 1))
    low = figure.add_gridspec(1, 2, left=0.06, right=0.975, top=0.39, bottom=0.08, wspace=0.24)
    highest = 1.05 * max(float(np.quantile(capture.frame_ms, 0.999)) for capture in (first, last))
    for row, name in enumerate((names[0], names[-1])):
        axes = frame_times(figure.add_subplot(top[row, 0]), captures[name], LINES[row][0], highest)
        plain(axes, f"Frame times: {name}", "time, s" if row else "", "ms")
    quantile_curves(figure.add_subplot(top[:, 1]), captures)
    distribution(figure.add_subplot(low[0, 0]), first.latency_ms, last.latency_ms, "Input latency, click to answer",
                 "latency, ms", (names[0], names[-1]))
    stage_budget(figure.add_subplot(low[0, 1]), {name: captures[name] for name in (names[0], names[-1])})
    return figure


PICTURES: "Mapping[str, Callable[[Axes, Mapping[str, Capture]], Axes]]" = {
    "course": lambda axes, captures: frames.stutters_marked(axes, _first(captures)),
    "recurring": lambda axes, captures: frames.recurring(axes, _first(captures)),
    "slowest": lambda axes, captures: frames.quantile_curves(axes, captures),
    "latency": lambda axes, captures: frames.latency_histogram(axes, _first(captures)),
    "stages": lambda axes, captures: frames.stage_budget(axes, captures)}
MOST_RUNS = {"slowest": 6, "stages": 2}  # of one picture; of any other, one


def single_figure(captures: Mapping[str, Capture], picture_name: str, title: str) -> "Callable[[], Figure]":
    """What draws that picture.

    Args:
        captures: name to run.
        picture_name: one of PICTURES.

    Raises:
        UnknownName: no such picture.
        UsageError: more runs than the picture can show.
    """
    if picture_name not in PICTURES:
        raise UnknownName("picture", picture_name, PICTURES, f"there are {', '.join(PICTURES)}")
    most = MOST_RUNS.get(picture_name, 1)
    if len(captures) > most:
        raise UsageError(f"the picture {picture_name} is of {counted(most, 'run')}, and {len(captures)} "
                         "were given")

    def draw() -> "Figure":
        figure = headed(title, "One run describes; it proves nothing.")
        PICTURES[picture_name](figure.add_axes((0.09, 0.09, 0.78, 0.77)), captures)
        return figure
    return draw


def _first(captures: Mapping[str, Capture]) -> Capture:
    return next(iter(captures.values()))
