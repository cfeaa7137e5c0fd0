"""What a pool says, in plain words, with no more digits than were measured."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from keenlattice.blocks import KeyFigure
from keenlattice.errors import counted
from keenlattice.report.words import (
    TITLES,
    KeyGroup,
    between,
    keys_of_groups,
    listed,
    signed,
    signed_with_ends,
)

if TYPE_CHECKING:
    from keenlattice.study.pool.order import Expected
    from keenlattice.study.pool.result import Pool, PooledChange, PooledMetric, Side, Span

SORTS = {"helps everywhere": ("help everywhere", "helps everywhere", "better"),
         "helps some": ("help on some rigs", "helps on some rigs", "better"),
         "helps some, hurts some": ("help on some rigs and hurt on others", "helps on some rigs and hurts on others",
                                    "unclear"),
         "hurts some": ("hurt on some rigs", "hurts on some rigs", "worse"),
         "hurts everywhere": ("hurt everywhere", "hurts everywhere", "worse"),
         "nothing that matters anywhere": ("do nothing that matters anywhere", "does nothing that matters anywhere",
                                           "no difference that matters"),
         "not known": ("are not known", "is not known", "unclear")}
"""What changes of each standing do, as a verb for several and for one; and the verdict that it looks like."""
QUIET = {"nothing that matters anywhere", "not known"}


def pool_keys(result: "Pool") -> list[KeyFigure]:
    """Return a pool in key figures: how many changes do what over rigs, and which."""
    groups = []
    for standing, words in SORTS.items():
        changes = [change for change in result.changes if change.telling.standing == standing]
        names = [] if standing in QUIET else [change.settings[0] for change in changes]
        groups += [KeyGroup(*words, len(changes), names)] if changes else []
    return keys_of_groups(groups, len(result.changes)) or [KeyFigure("No change was tried on any rig.")]


def change_does(change: "PooledChange") -> str:
    """What a change does over rigs; of which metric, where it is about several."""
    telling = change.telling
    if len(change.metrics) == 1 or telling.standing in ("not known", "nothing that matters anywhere"):
        return telling.told
    prices = [TITLES[measure.metric] for measure in change.metrics
              if measure is not telling and measure.standing.startswith("hurts")]
    return f"{telling.told} ({TITLES[telling.metric]})" + (f"; hurts {listed(prices)}" if prices else "")


def interval(span: "Span | None") -> str:
    """A value with its interval, such as `-4.2 (-6.7 to -1.6)`; `-` if there is none."""
    if span is None:
        return "-"
    middle, low, high = signed_with_ends(span.pct, span.low_pct, span.high_pct)
    return f"{middle} ({low} to {high})"


def range_of(ends: tuple[float, float] | None) -> str:
    """An interval in per cent; `-` if there is none."""
    if ends is None:
        return "-"
    if ends[1] - ends[0] < 20:
        return between(*ends)
    return f"{signed(ends[0], 1.0)} to {signed(ends[1], 1.0)} %"


def shares(metric: "PooledMetric") -> str:
    """On how many rigs it helps, and hurts, by what matters."""
    if metric.mean is None:
        return "one rig says nothing of others" if metric.rigs else "no study gave a number"
    return (f"helps about {metric.helped_pct:.0f} of 100 rigs, hurts about {metric.hurt_pct:.0f}, by "
            f"{metric.matters_pct:g} %")


BRIEF = {"helps everywhere": "helps all", "helps some": "helps some", "helps some, hurts some": "helps and hurts",
         "hurts some": "hurts some", "hurts everywhere": "hurts all", "nothing that matters anywhere": "nothing",
         "not known": "not known"}
"""A standing where there is little room."""


def side_said(side: "Side") -> str:
    """What it does on one side of a fact."""
    return f"{side.where}: {side.word}, {interval(side.mean)} % on {counted(side.rigs, 'rig')}"


def expected_said(expectations: "Sequence[Expected]", metric: str) -> str:
    """What is to be expected here of a metric; `-` if nothing is known."""
    return next((interval(expectation.here) for expectation in expectations if expectation.metric == metric), "-")


def told_beside(change: "PooledChange", expected: "Sequence[Expected]") -> str:
    """What a pool says of a change, to stand beside a setting."""
    telling = change.telling
    here = expected_said(expected, telling.metric)
    does = "what it does is not known" if telling.standing == "not known" else f"it {change_does(change)}"
    rigs = f"by {counted(telling.rigs, 'rig')}, {does.replace('it nothing', 'it does nothing')}"
    return rigs if here == "-" or telling.standing == "not known" else f"{rigs}; to be expected here: {here} %"
