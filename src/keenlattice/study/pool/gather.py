"""From evidence to what each rig says of each change: copies found by content, studies of one rig taken together."""

import hashlib
import json
from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.study.pool._meta import Index, Rigs, moderated
from keenlattice.study.pool._odd import odd
from keenlattice.study.pool.moderators import MODERATORS, moderators_of

if TYPE_CHECKING:
    import pandas
    import pyarrow as pa

CONTENT = ("kind", "state", "game", "change", "metric", "played", "limited_by", "log_ratio", "error", "dof", "blocks")
"""What two rows have in common if one is a copy of the other, whoever passed it on."""
TEXTS = ("rig", "study", "kind", "state", "game", "change", "metric", "facts", "limited_by", "played")


@dataclass(frozen=True)
class Group:
    """What is known of a change on one metric, beside the numbers.

    Args:
        change: packed, as in `flat`.
        studies: how many finished studies gave a number.
        silent: how many were begun and gave none.
        matters_pct: the smallest difference that mattered to most who tried it.
        decided: how many of the studies it decided.
        block_noise: how much the log ratio of one block of a trial typically strays (standard deviation); 0 where no
            trial says.
        digest: short for all that goes into its numbers; equal only if these are.
    """

    change: str
    metric: str
    studies: int
    silent: int
    matters_pct: float
    decided: int
    block_noise: float
    digest: str


@dataclass(frozen=True)
class Gathered:
    """All evidence, by change and metric.

    Args:
        groups: in the order of `rigs.starts`.
        silent: changes of which no study gave a number.
        rigs: the effects, a row for each rig of each group.
        rig: which rig each row is of: a place in `names`.
        moderators: of each row; shape (rows, MODERATORS), NaN for what is not known.
        names: the rigs' hashes.
        studies: how many there were, copies counted once.
        records, copies, claimed: rows read; of these, copies of others, and what packs claim.
        odd: how many rigs were left out, as `_odd` says.
    """

    groups: tuple[Group, ...]
    silent: tuple[Group, ...]
    rigs: Rigs
    rig: Index
    moderators: Floats
    names: tuple[str, ...]
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
    rows = _sorted(table)
    claimed = int((rows["state"] == "claimed").sum())
    rows = rows[(rows["state"] != "claimed").to_numpy()]
    copies = rows.duplicated([*CONTENT]).to_numpy() & rows["log_ratio"].notna().to_numpy()
    rows["rig"] = _same_rigs(rows, copies)
    rows = rows[~copies]
    known = rows["log_ratio"].notna().to_numpy()
    numbers = rows[known]
    rest = Counter(zip(rows["change"][~known], rows["metric"][~known], strict=True))
    group_starts = _starts(numbers, ["change", "metric"])
    made, row_rig, _, starts = _by_rig(numbers, group_starts)
    names, which = np.unique(row_rig, return_inverse=True)
    strange = names[odd(Rigs(*made, starts), which, names.size)]
    if strange.size:
        numbers = numbers[~numbers["rig"].isin(strange).to_numpy()]
        group_starts = _starts(numbers, ["change", "metric"])
    made, row_rig, moderators, starts = _by_rig(numbers, group_starts)
    names, which = np.unique(row_rig, return_inverse=True)
    groups = tuple(_group(part, rest) for part in _parts(numbers, group_starts))
    silent = tuple(Group(*key, 0, count, 0.0, 0, 0.0, "") for key, count in sorted(rest.items())
                   if key not in {(one.change, one.metric) for one in groups})
    return Gathered(groups, silent, Rigs(*made, starts), np.asarray(which, dtype=np.intp), moderators,
                    tuple(map(str, names)), int(rows["study"].nunique()), len(table), int(copies.sum()), claimed,
                    int(strange.size))


def _sorted(table: "pa.Table") -> "pandas.DataFrame":
    """The rows as a frame, in an order that does not depend on where they came from; texts as categories."""
    encoded = table
    for name in TEXTS:
        encoded = encoded.set_column(encoded.column_names.index(name), name,
                                     encoded[name].combine_chunks().dictionary_encode())
    frame = encoded.select([*TEXTS, "log_ratio", "error", "dof", "blocks", "matters_pct", "decides"]).to_pandas()
    for name in TEXTS:
        frame[name] = frame[name].cat.reorder_categories(sorted(frame[name].cat.categories), ordered=True)
    found: pandas.DataFrame = frame.sort_values(["change", "metric", "rig", "study", "played", "log_ratio", "error"],
                                                kind="stable", ignore_index=True)
    return found


def _same_rigs(rows: "pandas.DataFrame", copies: NDArray[np.bool_]) -> Any:
    """The rig of each row. Rigs that tell of one and the same study are one: a copied logbook is known by another name,
    and what is played in it later is of the same machine."""
    import pandas
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    codes, names = rows["rig"].cat.codes.to_numpy(), np.asarray(rows["rig"].cat.categories, dtype=object)
    if not copies.any():
        return rows["rig"]
    keys = rows.groupby([*CONTENT], sort=False, observed=True, dropna=False).ngroup().to_numpy()
    first = np.full(int(keys.max()) + 1, -1)
    first[keys[~copies]] = codes[~copies]
    edges = codes[copies], first[keys[copies]]
    _, of_rig = connected_components(coo_matrix((np.ones(edges[0].size), edges), shape=(names.size, names.size)))
    least = np.full(of_rig.max() + 1, names.size)
    np.minimum.at(least, of_rig, np.arange(names.size))
    return pandas.Categorical.from_codes(least[of_rig][codes], dtype=rows["rig"].dtype)


def _starts(rows: "pandas.DataFrame", by: list[str]) -> Index:
    """Where each run of rows that are alike in some columns begins; they stand together."""
    if not len(rows):
        return np.empty(0, dtype=np.intp)
    codes = np.column_stack([rows[name].cat.codes for name in by])
    return np.flatnonzero(np.r_[True, (np.diff(codes, axis=0) != 0).any(axis=1)])


def _by_rig(rows: "pandas.DataFrame", groups: Index) -> "tuple[tuple[Floats, Floats], Any, Floats, Index]":
    """Effect and variance of each rig in each group, its name and its moderators, and where the groups begin."""
    rows = rows.sort_values(["change", "metric", "rig"], kind="stable")
    starts = _starts(rows, ["change", "metric", "rig"])
    if not starts.size:
        return (np.empty(0), np.empty(0)), np.empty(0, dtype=object), np.empty((0, len(MODERATORS))), starts
    group = np.searchsorted(groups, starts, side="right") - 1
    y, dof = rows["log_ratio"].to_numpy(float), rows["dof"].to_numpy(float)
    v = moderated(rows["error"].to_numpy(float) ** 2, dof, np.searchsorted(groups, np.arange(len(rows)), side="right"))
    sizes = np.diff(np.append(starts, len(rows)))
    w = 1 / v
    total = np.add.reduceat(w, starts)
    mean = np.add.reduceat(w * y, starts) / total
    q = np.add.reduceat(w * (y - np.repeat(mean, sizes)) ** 2, starts)
    apart = np.maximum(1.0, q / np.maximum(1, sizes - 1))  # its studies disagree by more than their errors
    return ((mean, apart / total), np.asarray(rows["rig"].astype(object))[starts], _moderators(rows, starts, sizes),
            np.flatnonzero(np.r_[True, np.diff(group) != 0]))


def _moderators(rows: "pandas.DataFrame", starts: Index, sizes: Index) -> Floats:
    """Of each rig in each group, the mean over its studies of what is known."""
    pairs = rows["facts"].cat.codes.to_numpy().astype(np.int64) * (
        len(rows["limited_by"].cat.categories) + 1) + rows["limited_by"].cat.codes.to_numpy()
    _, one_of, which = np.unique(pairs, return_index=True, return_inverse=True)
    facts, limits = rows["facts"].to_numpy(object)[one_of], rows["limited_by"].to_numpy(object)[one_of]
    each = np.array([moderators_of(json.loads(fact), json.loads(limit))
                     for fact, limit in zip(facts, limits, strict=True)])[which]
    known = np.isfinite(each)
    counts = np.add.reduceat(known, starts, axis=0)
    with np.errstate(invalid="ignore"):
        return np.asarray(np.add.reduceat(np.where(known, each, 0.0), starts, axis=0)
                          / np.where(counts, counts, np.nan))


def _parts(rows: "pandas.DataFrame", starts: Index) -> "list[pandas.DataFrame]":
    ends = [*starts[1:], len(rows)]
    return [rows.iloc[start:end] for start, end in zip(starts, ends, strict=True)]


def _group(part: "pandas.DataFrame", rest: "Counter[tuple[str, str]]") -> Group:
    key = str(part["change"].iloc[0]), str(part["metric"].iloc[0])
    numbers = part[["log_ratio", "error", "dof", "matters_pct"]].to_numpy(float)
    told = hashlib.sha256(numbers.tobytes())
    for name in ("rig", "facts", "limited_by"):
        told.update("\0".join(part[name].astype(str)).encode())
    trials = part[(part["kind"] == "trial").to_numpy()]
    noise = trials["error"].to_numpy(float) * np.sqrt(trials["blocks"].to_numpy(float))
    return Group(*key, len(part), rest[key], float(np.median(part["matters_pct"])), int(part["decides"].sum()),
                 float(np.median(noise)) if noise.size else 0.0, told.hexdigest()[:16])
