"""What can be learnt of a recording's columns from the data alone; proposed to the player, never used unasked."""

import re
from collections.abc import Sequence

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.measure.columns import IN_MS, ColumnMap, Unit
from keenlattice.quickly import dataclass

PLAUSIBLE_MS = (0.4, 250.0)
"""A typical time between two frames lies between these: 4 to 2500 frames a second."""

RATE = re.compile(r"(?:\b|_)(?:fps|hz|rate|percent|pct|%)(?:\b|_|$)|%")
"""What a column is called that holds no times, however plausible its numbers are: a rate or a share."""

UNIT_WORDS: dict[Unit, str] = {
    "s": r"(?:\b|_)(?:s|sec|secs|seconds?)\b", "ms": r"(?:\b|_)(?:ms|msec|milliseconds?)\b",
    "us": r"(?:\b|_)(?:us|\N{MICRO SIGN}s|usec|microseconds?)\b", "ns": r"(?:\b|_)(?:ns|nsec|nanoseconds?)\b"}


@dataclass(frozen=True)
class Proposal:
    """A column map that fits what is there, and the reasons, a line each; None, if nothing fits or too much does."""

    found: ColumnMap | None
    why: tuple[str, ...]


def propose(header: Sequence[str], rows: Sequence[Sequence[str]], decimal: str = ".") -> Proposal:
    """Looks for the column of times, and for its unit.

    Stamps rise from row to row; intervals do not, and are all about alike. A unit that the header names is taken if the
    numbers agree with it; else there has to be just one that gives a plausible frame rate.
    """
    candidates = []
    for number, name in enumerate(header):
        values = _numbers([row[number] for row in rows if len(row) > number], decimal)
        if values is None or RATE.search(name.lower()):
            continue
        rises = bool((np.diff(values) > 0).mean() > 0.95)
        steps = np.diff(values) if rises else values
        typical = float(np.median(steps))
        if rises and (steps == 1).all():  # a row number
            continue
        if typical <= 0 or (not rises and (values <= 0).any()):
            continue
        for unit in _units(name, typical):
            candidates.append((name, "stamps" if rises else "intervals", unit, typical * IN_MS[unit], _named(name)))
    # A unit in the name is worth more than none; times of a frame are worth more than times of one of its stages.
    ranked = sorted(candidates, key=
                    lambda candidate: (_is_stage(candidate[0]), candidate[4] is None, candidate[1] == "intervals"))
    best = [candidate for candidate in ranked
            if (candidate[4] is None, _is_stage(candidate[0])) == (ranked[0][4] is None,
                                                                            _is_stage(ranked[0][0]))]
    if not best or len({(candidate[0], candidate[2]) for candidate in best if candidate[1] == best[0][1]}) > 1:
        return Proposal(None, tuple(f"{name} could be {means} in {unit} ({1000 / ms:.0f} frames a second)"
                                    for name, means, unit, ms, _ in best))
    name, means, unit, ms, named = best[0]
    course = "rises from row to row" if means == "stamps" else "is about alike from row to row"
    reason = (f"{name!r} {course}; in {unit}{', as its name says,' if named else ','} that is about "
              f"{1000 / ms:.0f} frames a second")
    stages = {stage: column for stage in ("cpu", "gpu") for column in header
              if re.search(rf"(?:\b|_){stage}(?:\b|_)", column.lower()) and column != name and _named(column)}
    units = {_named(value) for value in stages.values()}
    if len(units) != 1:
        stages = {}
    return Proposal(ColumnMap.model_validate({
        "name": "proposed", "time": name, "means": means, "unit": unit, **stages,
        **({"stage_unit": units.pop()} if stages else {})}),
        (reason, *(f"{entry!r} is the {stage.upper()} time, by its name" for stage, entry in stages.items())))


def _numbers(cells: Sequence[str], decimal: str) -> Floats | None:
    try:
        values = np.array([float(cell.replace(",", ".") if decimal == "," else cell) for cell in cells if cell != ""])
    except ValueError:
        return None
    return values if values.size >= 3 and np.isfinite(values).all() else None


def _units(name: str, typical: float) -> list[Unit]:
    named = _named(name)
    fitting: list[Unit] = [unit for unit in ("s", "ms", "us", "ns")
                           if PLAUSIBLE_MS[0] <= typical * IN_MS[unit] <= PLAUSIBLE_MS[1]]
    return ([named] if named in fitting else []) if named else fitting


def _named(name: str) -> Unit | None:
    result: list[Unit] = [unit for unit, words in UNIT_WORDS.items() if re.search(words, name.lower())]
    return result[0] if len(result) == 1 else None


def _is_stage(name: str) -> bool:
    return bool(re.search(r"(?:\b|_)(?:cpu|gpu|render|present|queue|wait)", name.lower()))
