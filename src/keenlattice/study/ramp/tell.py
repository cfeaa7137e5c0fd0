"""A ramp in words: how far it went, and where it settles."""

from typing import TYPE_CHECKING

from keenlattice.blocks import Table, Telling, Text
from keenlattice.catalog.values import written
from keenlattice.measure.metrics import METRICS
from keenlattice.report.words import TITLES
from keenlattice.study.ramp.plan import Ramp
from keenlattice.study.trial.words import what_was_made

if TYPE_CHECKING:
    from keenlattice.study.kind import Beside


def tell_ramp(result: Ramp, beside: "Beside") -> Telling:
    """Tell a ramp: how far it went, and where it settles."""
    unit, (made, advice) = beside.catalog[result.plan.key].unit, what_was_made(result.plan.goal, beside)
    plan, last = result.plan, result.steps[-1]
    stopped = (f"At {last.value:g} a run went wrong: {last.wrong}." if last.wrong else
               "Nothing went wrong up to the end of what the catalog allows.")
    about = ("" if result.highest is None else
             f"The highest step at which all {plan.runs} runs of {plan.seconds:g} s went well is {result.highest:g}; "
             f"what ran may still be a little unstable, so it settles {plan.margin:g} below.")
    rows = [[f"{one.value:g}", "-" if one.goal is None else f"{one.goal:.2f}", one.wrong or "ran"]
            for one in result.steps]
    table = Table([f"{plan.key}, {unit}", f"{TITLES[plan.goal]}, {METRICS[plan.goal].unit}", ""], rows, right=(0, 1))
    return Telling(f"{plan.key}: {written(result.settled, unit)}. {stopped}", about, [table, *(made or [Text(
        "Nothing was changed: no step is far enough above where it started.")])], advice)
