"""From evidence to what each rig says of each change: copies found by content, studies of one rig taken together."""

import hashlib
import math
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass
from keenlattice.safejson import parse_json
from keenlattice.study.pool.columns import Hashes, Texts, copies, digests, numbers, starts_of, sums, texts
from keenlattice.study.pool.meta import Index, Rigs, moderated
from keenlattice.study.pool.vetting import odd

if TYPE_CHECKING:
    import pyarrow as pa


Facts = Mapping[str, Any]


@dataclass(frozen=True)
class Moderator:
    """A fact that an effect may depend on.

    Args:
        name: what it is called.
        value: its number, from the facts and from what the frames waited for; NaN where it is not known.
        line: parts the rigs in two.
        above, below: what either side is called, behind "helps".
    """

    name: str
    value: Callable[[Facts, Mapping[str, float]], float]
    line: float
    above: str
    below: str


def _limit(_facts: Facts, limits: Mapping[str, float]) -> float:
    return (limits.get("GPU", 0.0) - limits.get("CPU", 0.0)) / 100 if limits else math.nan


def _log_of(name: str) -> Callable[[Facts, Mapping[str, float]], float]:
    def value(facts: Facts, _limits: Mapping[str, float]) -> float:
        number = _number(facts.get(name))
        return math.log2(number) if number > 0 else math.nan
    return value


def _rated(facts: Facts, _limits: Mapping[str, float]) -> float:
    now, rated = _number(facts.get("memory_speed_mts")), _number(facts.get("memory_rated_mts"))
    return float(np.minimum(2.0, now / rated)) if rated > 0 else math.nan  # Python's own takes what is unknown for 2


def _yes(name: str) -> Callable[[Facts, Mapping[str, float]], float]:
    return lambda facts, _: float(facts[name]) if isinstance(facts.get(name), bool) else math.nan


def _number(value: Any) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else math.nan


MODERATORS: tuple[Moderator, ...] = (
    Moderator("limit", _limit, 0.0, "where the GPU is the limit", "where the GPU is not the limit"),
    Moderator("refresh", _log_of("refresh_hz"), math.log2(110), "on panels that run at 110 Hz or more",
              "on panels that run below 110 Hz"),
    Moderator("ram", _log_of("ram_mib"), math.log2(12_288), "with 12 GiB of memory or more",
              "with less than 12 GiB of memory"),
    Moderator("vram", _log_of("vram_mib"), math.log2(6144), "with a graphics card of 6 GiB or more",
              "with a graphics card of less than 6 GiB"),
    Moderator("cores", _log_of("cores"), math.log2(5), "with more than 5 cores", "with 5 cores or fewer"),
    Moderator("panel_on_integrated", _yes("panel_on_integrated"), 0.5, "where the panel is on the integrated GPU",
              "where the panel is not on the integrated GPU"),
    Moderator("memory_speed", _rated, 0.95, "where memory runs at its rated speed",
              "where memory runs below its rated speed"))


def moderators_of(facts: Facts, limits: Mapping[str, float]) -> Floats:
    """The numbers of a rig; shape (moderators,), NaN for what is not known."""
    values = of_facts(facts)
    values[0] = of_limits(limits)
    return values


def of_facts(facts: Facts) -> Floats:
    """The numbers that follow from a rig's facts; shape (moderators,), NaN for the first and for what is not known."""
    return np.array([moderator.value(facts, {}) for moderator in MODERATORS])


def of_limits(limits: Mapping[str, float]) -> float:
    """The first of them, which follows from what the frames waited for."""
    return MODERATORS[0].value({}, limits)


CONTENT = ("kind", "state", "game", "change", "metric", "limited_by", "log_ratio", "error", "dof", "blocks", "seconds",
           "warm_up_s", "planned", "repeats", "seed", "early")
"""What two rows have in common if one is a copy of the other, no matter who passed it on."""
ONLY_CONTENT = ("state", "game", "seconds", "warm_up_s", "planned", "repeats", "seed", "early")
CODED = ("rig", "kind", "state", "game", "change", "metric", "facts", "limited_by")

Columns = dict[str, Any]


@dataclass(frozen=True)
class Group:
    """What is known of a change on one metric, beside the numbers.

    Args:
        change: packed, as in `flat`.
        studies: how many finished studies gave a number.
        silent: how many were begun and gave none.
        matters_pct: the smallest difference that mattered to most who tried it.
        block_noise: how much the log ratio of one block of a trial typically strays (standard deviation); 0 where no
            trial says.
        digest: short for all that goes into its numbers; equal only if these are.
    """

    change: str
    metric: str
    studies: int
    silent: int
    matters_pct: float
    block_noise: float
    digest: str


@dataclass(frozen=True)
class Gathered:
    """All evidence, by change and metric.

    Args:
        groups: in the order of `rigs.starts`.
        silent: changes of which no study gave a number.
        rigs: the effects, a row for each rig of each group.
        moderators: of each row; shape (rows, MODERATORS), NaN for what is not known.
        rig_count, studies: how many there were, copies counted once.
        records, copies, claimed: rows read; of these, copies of others, and what packs claim.
        odd: how many rigs were left out, as `vetting.odd` says.
    """

    groups: tuple[Group, ...]
    silent: tuple[Group, ...]
    rigs: Rigs
    moderators: Floats
    rig_count: int
    studies: int
    records: int
    copies: int
    claimed: int
    odd: int


def gathered(table: "pa.Table") -> Gathered:
    """What the rigs of a flat table say of each change.

    Args:
        table: its rows, vetted.
    """
    records, (rows, names) = len(table), _sorted(table)
    claimed = rows["state"] == _place(names["state"], "claimed")
    rows = _kept(rows, ~claimed)
    first = copies([rows[name] for name in CONTENT])
    rows = {name: row for name, row in rows.items() if name not in ONLY_CONTENT}
    copied = (first != np.arange(first.size)) & np.isfinite(rows["log_ratio"])
    rows["rig"] = _same_rigs(rows["rig"], first, copied, len(names["rig"].names))
    rows = _kept(rows, ~copied)
    studies, finite = np.unique(rows["study"]).size, np.isfinite(rows["log_ratio"])
    kept = _kept(rows, finite)
    effect, variance, rig, starts = _by_rig(kept)
    strange = np.flatnonzero(odd(Rigs(effect, variance, starts), rig, len(names["rig"].names)))
    if strange.size:
        kept = _kept(kept, ~np.isin(kept["rig"], strange))
        effect, variance, rig, starts = _by_rig(kept)
    silent = _counts(_kept(rows, ~finite), names)
    groups = _groups(kept, names, silent)
    seen = {(group.change, group.metric) for group in groups}
    return Gathered(groups, tuple(Group(*key, 0, count, 0.0, 0.0, "") for key, count in silent.items()
                                  if key not in seen),
                    Rigs(effect, variance, starts), _moderators(kept, names), np.unique(rig).size, int(studies),
                    records, int(copied.sum()), int(claimed.sum()), int(strange.size))


def _sorted(table: "pa.Table") -> tuple[Columns, dict[str, Texts]]:
    """The columns, in an order of rows that does not depend on where they came from."""
    table = table.unify_dictionaries()
    names = {name: texts(table, name) for name in CODED}

    def column(name: str) -> Any:
        return (names[name].codes if name in names else digests(table, name) if name == "study" else
                numbers(table, name))

    order = np.lexsort([column(name) for name in ("error", "log_ratio", "seed", "study", "rig", "metric", "change")])
    return {name: column(name)[order] for name in ("study", *CODED, *CONTENT, "matters_pct")}, names


def _kept(rows: Columns, which: NDArray[np.bool_]) -> Columns:
    return rows if which.all() else {name: row[which] for name, row in rows.items()}


def _place(column: Texts, name: str) -> int:
    return column.names.index(name) if name in column.names else -1


def _same_rigs(rig: NDArray[np.int32], first: Index, copied: NDArray[np.bool_], count: int) -> NDArray[np.int32]:
    """The rig of each row. Rigs that report one and the same study are one: a copied logbook is known by another name,
    and what is played in it later is of the same machine."""
    if not copied.any():
        return rig
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    edges = rig[copied], rig[first[copied]]
    _, of_rig = connected_components(coo_matrix((np.ones(edges[0].size), edges), shape=(count, count)))
    least = np.full(of_rig.max() + 1, count, dtype=np.int32)
    np.minimum.at(least, of_rig, np.arange(count, dtype=np.int32))
    return np.asarray(least[of_rig][rig])


def _rig_runs(rows: Columns) -> Index:
    """The rows in the order of change, metric and rig, where copies have made rigs one."""
    return np.lexsort([rows["rig"], rows["metric"], rows["change"]])


def _by_rig(rows: Columns) -> tuple[Floats, Floats, Index, Index]:
    """Effect and variance of each rig in each group, which rig it is, and where the groups begin."""
    order = _rig_runs(rows)
    rows = {name: rows[name][order] for name in ("change", "metric", "rig", "log_ratio", "error", "dof")}
    starts = starts_of(rows["change"], rows["metric"], rows["rig"])
    if not starts.size:
        return np.empty(0), np.empty(0), starts, starts
    group = np.cumsum(np.isin(np.arange(rows["rig"].size), starts_of(rows["change"], rows["metric"]))) - 1
    y = rows["log_ratio"]
    v = moderated(rows["error"] ** 2, rows["dof"], group)
    sizes = np.diff(np.append(starts, y.size))
    w = 1 / v
    total = sums(w, starts)
    mean = sums(w * y, starts) / total
    q = sums(w * (y - np.repeat(mean, sizes)) ** 2, starts)
    apart = np.maximum(1.0, q / np.maximum(1, sizes - 1))  # its studies disagree by more than their errors
    return mean, apart / total, rows["rig"][starts].astype(np.intp), starts_of(group[starts])


def _moderators(rows: Columns, names: dict[str, Texts]) -> Floats:
    """Of each rig in each group, the mean over its studies of what is known."""
    if not rows["rig"].size:
        return np.empty((0, len(MODERATORS)))
    facts = np.array([of_facts(parse_json(name)) for name in names["facts"].names])
    limits = np.array([of_limits(parse_json(name)) for name in names["limited_by"].names])
    order = _rig_runs(rows)
    values = facts[rows["facts"][order]]
    values[:, 0] = limits[rows["limited_by"][order]]
    starts = starts_of(*(rows[name][order] for name in ("change", "metric", "rig")))
    finite = np.isfinite(values)
    counts = np.add.reduceat(finite, starts, axis=0, dtype=np.int64)
    with np.errstate(invalid="ignore"):
        return np.asarray(np.add.reduceat(np.where(finite, values, 0.0), starts, axis=0)
                          / np.where(counts, counts, np.nan))


def _counts(rows: Columns, names: dict[str, Texts]) -> dict[tuple[str, str], int]:
    """How many rows there are of each change and metric."""
    starts = starts_of(rows["change"], rows["metric"])
    sizes = np.diff(np.append(starts, rows["change"].size))
    return {(names["change"].names[rows["change"][start]], names["metric"].names[rows["metric"][start]]): int(size)
            for start, size in zip(starts, sizes, strict=True)}


def _groups(rows: Columns, names: dict[str, Texts], silent: dict[tuple[str, str], int]) -> tuple[Group, ...]:
    starts = starts_of(rows["change"], rows["metric"])
    ends = [*starts[1:], rows["change"].size][:starts.size]
    hashes = {name: names[name].hashes() for name in ("rig", "facts", "limited_by")}
    trial, noise = rows["kind"] == _place(names["kind"], "trial"), rows["error"] * np.sqrt(rows["blocks"])
    groups = []
    for start, end in zip(starts, ends, strict=True):
        own = slice(int(start), int(end))
        key = names["change"].names[rows["change"][start]], names["metric"].names[rows["metric"][start]]
        of_trials = noise[own][trial[own]]
        groups.append(Group(*key, int(end - start), silent.get(key, 0), float(np.median(rows["matters_pct"][own])),
                            float(np.median(of_trials)) if of_trials.size else 0.0,
                            _digest(rows, own, hashes)))
    return tuple(groups)


def _digest(rows: Columns, own: slice, hashes: Mapping[str, Hashes]) -> str:
    digest = hashlib.sha256()
    for name in ("log_ratio", "error", "dof", "matters_pct"):
        digest.update(rows[name][own].tobytes())
    for name, hash_of in hashes.items():
        digest.update(hash_of[rows[name][own]].tobytes())
    return digest.hexdigest()[:16]
