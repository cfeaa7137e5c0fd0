"""How a pool is shown: all about one change, and the order in which to try them."""

import shlex
from typing import TYPE_CHECKING

from keenlattice.cli.output import hint, minutes, say, table
from keenlattice.report.words import TITLES, counted, signed
from keenlattice.study.pool.evidence import value_said
from keenlattice.study.pool.words import expected_said, interval, range_of, shares, side_said

if TYPE_CHECKING:
    from keenlattice.workspace.pool import ChangeHere, PoolLook, TryFirst

NOT_KNOWN = "not in the pool"


def show_change(found: "PoolLook", one: "ChangeHere") -> None:
    """All about one change."""
    say(one.change.name, "bold")
    for each in one.change.metrics:
        say(f"\n{TITLES[each.metric]}: {each.told}", "bold")
        studies = f"{counted(each.rigs, 'rig')}, {counted(each.studies, 'study', 'studies')}" + (
            f"; {each.silent} more were begun and gave no number" * bool(each.silent))
        table(["", ""], [
            ["in general", f"{interval(each.mean)} %" if each.mean else "-"],
            ["on the next rig", f"{range_of(each.next_rig)} in 95 of 100 cases" if each.next_rig else "-"],
            ["to be expected here", f"{expected_said(one.expected, each.metric)} %" if each.mean else "-"],
            ["on how many", shares(each)], ["from", studies],
            ["if a tenth lie", f"the mean is {range_of(each.bounds)}" if each.bounds else "-"],
            *(["", side_said(side)] for side in each.sides)])
        for why in each.doubts:
            say(f"! {why}")
    say(f"\nThis rig: {_this_rig(found)}. Only a trial here tells.", "dim")


def _this_rig(found: "PoolLook") -> str:
    """What of this rig the expectation rests on."""
    if not found.limited_by:
        return "by its facts; what its frames wait for is not known before a trial or a screen was played"
    most = max(found.limited_by.items(), key=lambda one: one[1])
    return f"by its facts, and that its frames wait for the {most[0]} in {most[1]:.0f} % of the time"


def show_order(found: "TryFirst", game: str) -> None:
    """The changes, that first of which most is to be gained for each hour."""
    say(f"{found.before} to {found.after}: which to try first here, by pool {found.study}", "bold")
    total = 0.0
    rows = []
    for number, one in enumerate(found.order, 1):
        total += one.minutes
        rows.append([f"{number}  {one.change[0].key}", value_said(one.change[0].after), f"{signed(one.gain_pct)} %",
                     str(one.blocks), minutes(one.minutes), minutes(total), one.known or NOT_KNOWN])
    table(["change", "to", "may gain", "blocks", "takes", "in all", "over rigs"], rows, right=(2, 3))
    say("\n\"May gain\" is what all metrics together are to be expected to gain, if it is kept only where it helps. It "
        "plans: a trial's verdict rests on its own runs alone.", "dim")
    first = found.order[0]
    edit = f"{first.change[0].key}={value_said(first.change[0].after)}"
    hint(f"keen edit {found.before} {shlex.quote(edit)}, then keen trial "
         f"{found.before} {found.before.partition('@')[0]} --blocks {first.blocks}" + f" --game {game}" * bool(game))
