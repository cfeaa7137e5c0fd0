"""How a pool is shown: the table of all changes, all about one, and the order in which to try them."""

import shlex
from typing import TYPE_CHECKING

from keenlattice.cli.output import hint, minutes, say, table, width
from keenlattice.report.pool_words import (
    BRIEF,
    change_does,
    expected_said,
    interval,
    pool_headline,
    range_of,
    shares,
    side_said,
)
from keenlattice.report.words import TITLES, counted, signed
from keenlattice.study.pool.evidence import value_said

if TYPE_CHECKING:
    from keenlattice.workspace.pool import ChangeHere, PoolLook, TryFirst

MOST_REFUSED, WIDE = 5, 110  # columns
NOT_KNOWN = "not in the pool"


def show_pool(found: "PoolLook") -> None:
    """All changes, the most helpful first."""
    pool = found.pool
    say(pool_headline(pool), "bold")
    say(f"From {pool.studies} studies; pool {found.study}. In %, with 95 % intervals.\n", "dim")
    names, wide = pool.plan.metrics, width() >= WIDE
    table(["setting", "to", *(TITLES[name] for name in names), *(["here"] * wide), "rigs", "over rigs"], [
        [_settings(one), _becomes(one), *(_mean(one, name) for name in names),
         *([expected_said(one.expected, one.change.telling.metric)] * wide),
         str(one.change.telling.rigs), change_does(one.change) if wide else BRIEF[one.change.telling.standing]]
        for one in found.changes],
        right=(len(names) + 2 + wide,))
    _told_of_evidence(found)
    if wide:
        say("\n\"Here\" is what the facts of this rig let expect of the metric that tells most. Only a trial here "
            "tells.", "dim")
    hint(f"keen pool look {found.changes[0].change.settings[0]}   or keen pool order BEFORE AFTER"
         if found.changes else "keen pool read --add FILE OR FOLDER")


def _settings(one: "ChangeHere") -> str:
    """What a change switches: the setting, or the first of several."""
    first, *more = one.change.settings
    return f"{first} + {len(more)}" if more else first


def _becomes(one: "ChangeHere") -> str:
    return ", ".join(value_said(switch.after) for switch in one.change.change)


def _mean(one: "ChangeHere", name: str) -> str:
    return next((interval(each.mean) for each in one.change.metrics if each.metric == name), "-")


def _told_of_evidence(found: "PoolLook") -> None:
    pool = found.pool
    for line in pool.refused[:MOST_REFUSED]:
        say(f"! left out: {line}")
    if len(pool.refused) > MOST_REFUSED:
        say(f"! left out: {len(pool.refused) - MOST_REFUSED} more; --json lists all")
    if pool.copies:
        told = counted(pool.copies, "record is a copy of another", "records are copies of others")
        say(f"! {told}, and counted once")
    if pool.odd:
        say(f"! {counted(pool.odd, 'rig is', 'rigs are')} left out: unlike all others on most of what was tried there, "
            "as if made up, or measured of something else")
    if pool.claimed:
        say(f"! {pool.claimed} claims of packs are not counted: a pack tells only of what found something")


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
