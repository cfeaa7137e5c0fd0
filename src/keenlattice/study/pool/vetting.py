"""Evidence that strangers have written: held against its form, and without what is unlike all others."""

from collections.abc import Callable
from typing import Any, get_args

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.study.pool.columns import TEXTS, EvidenceError, part, schema
from keenlattice.study.pool.evidence import DAY, DIGEST, FARTHEST, METRIC, State, Word
from keenlattice.study.pool.meta import Index, Rigs

LONGEST_TEXT = 16_000
FORMS = {
    "rig": DIGEST, "study": DIGEST, "kind": "^(trial|screen)$", "state": f"^({'|'.join(get_args(State))})$",
    "game": "^[a-z0-9][a-z0-9-]{0,59}$", "metric": METRIC, "verdict": f"^({'|'.join(get_args(Word))})$", "day": DAY}
BOUNDS = {"log_ratio": (-FARTHEST, FARTHEST), "error": (1e-9, FARTHEST), "dof": (1.0, 1e6)}
NEEDED = {"blocks": (0.0, 1e6), "matters_pct": (0.0, 1000.0), "seconds": (1e-9, 1e5), "warm_up_s": (0.0, 600.0),
          "planned": (1.0, 1e6), "repeats": (1.0, 1000.0), "seed": (0, 2**63 - 1)}
PACKED = ("change", "facts", "limited_by")

Test = Callable[[Any], Any]


def vetted(table: Any, name: str) -> tuple[Any, list[str]]:
    """The rows of an Arrow table that are of the form, and a line for each reason why others are not.

    Args:
        name: says in those lines where the table is from.

    Raises:
        EvidenceError: it has other columns, or of other kinds.
    """
    import pyarrow.compute as pc

    table, refused = _of_schema(table, name), list[str]()

    def keep(good: Any, why: str) -> Any:
        bad = len(table) - (pc.sum(pc.fill_null(good, False)).as_py() or 0)
        refused.extend([f"{name}: {bad} rows left out, whose {why}"] if bad else [])
        return table.filter(pc.fill_null(good, False)) if bad else table

    for column in TEXTS:
        table = keep(_good_texts(table[column], _text_test(column)), f"{column} is not of its form")
    for column, (low, high) in {**BOUNDS, **NEEDED}.items():
        within = pc.and_(pc.greater_equal(table[column], low), pc.less_equal(table[column], high))
        table = keep(pc.or_kleene(within, pc.is_null(table[column])) if column in BOUNDS else within,
                     f"{column} is not of its form")
    for column in ("decides", "early"):
        table = keep(pc.is_valid(table[column]), f"{column} is not of its form")
    table = keep(_told_once(table), "metric is given twice of one study, with other numbers")
    present = [pc.is_valid(table[column]) for column in BOUNDS]
    return keep(pc.and_(pc.equal(present[0], present[1]), pc.equal(present[1], present[2])),
                "effect is given without its error"), refused


def _told_once(table: Any) -> Any:
    """Which rows are the first about a metric of a change in a study, or say the same as that one."""
    import numpy as np
    import pyarrow as pa

    if not len(table):
        return pa.array([], pa.bool_())
    table = table.unify_dictionaries().combine_chunks()
    keys = np.stack([table[name].combine_chunks().indices.to_numpy(zero_copy_only=False).astype(np.int64)
                     for name in ("rig", "study", "change", "metric")], axis=1)
    _, first, which = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    first_of = first[which.reshape(-1)]
    good = np.ones(len(table), dtype=bool)
    for name in ("log_ratio", "error", "dof"):
        values = table[name].to_numpy()
        good &= (values == values[first_of]) | (np.isnan(values) & np.isnan(values[first_of]))
    return pa.array(good)


def _of_schema(table: Any, name: str) -> Any:
    import pyarrow as pa

    wanted = schema()
    odd = {*wanted.names} ^ {*table.column_names}
    if odd or len(table.column_names) != len(wanted.names):
        raise EvidenceError(f"{name}: its columns are not those of evidence ({', '.join(sorted(odd))[:80]}): not read")
    try:
        columns = [table[field.name] if table[field.name].type == field.type else
                   table[field.name].cast(pa.string()).dictionary_encode() if field.name in TEXTS else
                   table[field.name].cast(field.type) for field in wanted]
        return pa.table(columns, schema=wanted)
    except (pa.ArrowException, TypeError, ValueError) as error:
        raise EvidenceError(f"{name}: a column is of another kind: {' '.join(str(error).split())[:120]}") from None


def _good_texts(column: Any, test: Test) -> Any:
    """Which rows of a dictionary column hold a text that passes a test."""
    import pyarrow as pa

    return pa.chunked_array([test(chunk.dictionary).take(chunk.indices) for chunk in column.chunks], pa.bool_())


def _text_test(column: str) -> Test:
    """What holds of the different texts of a column, as a function from them to true or false."""
    import pyarrow as pa
    import pyarrow.compute as pc

    if column in FORMS:
        return lambda texts: pc.match_substring_regex(texts, FORMS[column])

    def readable(texts: Any) -> Any:
        return pa.array([text is not None and len(text) <= LONGEST_TEXT and _reads(text, check)
                         for text in texts.to_pylist()], pa.bool_())

    form = part(column)
    check: Callable[[Any], object] = form.validate_json if column in PACKED else form.validate_python
    return readable


def _reads(text: str, check: Callable[[Any], object]) -> bool:
    try:
        check(text)
    except ValueError:
        return False
    return True


LEAST_TRIED, LEAST_RIGS, FAR = 4, 8, 4.0
NORMAL = 1.4826  # of a normal deviation's standard deviation to its median


def odd(rigs: Rigs, rig: Index, count: int) -> NDArray[np.bool_]:
    """Which rigs are odd; shape (count,).

    Args:
        rig: which of `count` rigs each row is of.
    """
    off = how_far_off(rigs)
    order = np.lexsort((off, rig))
    sorted_rig = rig[order]
    starts = np.flatnonzero(np.r_[True, np.diff(sorted_rig) != 0]) if rig.size else np.empty(0, dtype=np.intp)
    sizes = np.diff(np.append(starts, rig.size))
    result = np.zeros(count, dtype=bool)
    enough = sizes >= LEAST_TRIED
    result[sorted_rig[starts[enough]]] = off[order][(starts + (sizes - 1) // 2)[enough]] > FAR
    return result


def how_far_off(rigs: Rigs) -> Floats:
    """How far each row is off, in robust standard deviations; 0 where too few rigs tried the change."""
    result = np.zeros(rigs.effect.size)
    for start, size in zip(rigs.starts, rigs.sizes, strict=True):
        if size >= LEAST_RIGS:
            own = slice(int(start), int(start + size))
            away = np.abs(rigs.effect[own] - np.median(rigs.effect[own]))
            spread = max(NORMAL * float(np.median(away)), float(np.sqrt(np.median(rigs.variance[own]))))
            result[own] = away / np.sqrt(spread ** 2 + rigs.variance[own])
    return result


TENTH = 10


def without_each(rigs: Rigs, tau2: Floats) -> Floats:
    """The mean of each change without one rig, for each of its rigs; NaN where it has no other. Shape (rows,)."""
    w = 1 / (rigs.variance + rigs.each(tau2))
    total, sums = rigs.each(rigs.total(w)), rigs.each(rigs.total(w * rigs.effect))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray((sums - w * rigs.effect) / np.where(total - w > 1e-12 * total, total - w, np.nan))


def without_a_tenth(rigs: Rigs, tau2: Floats) -> tuple[Floats, Floats]:
    """The least and the greatest mean of each change that is left once a tenth of its rigs (rounded up) is taken out,
    whichever they are: the bounds of what the others say, if a tenth of all is careless or lies. Shape (changes,)."""
    low, high = np.empty(tau2.size), np.empty(tau2.size)
    for place, own in enumerate(rigs.parts()):
        y, w = rigs.effect[own], 1 / (rigs.variance[own] + tau2[place])
        least, out = np.argsort(y), -(-y.size // TENTH)
        low[place], high[place] = _left(y, w, least[::-1], out), _left(y, w, least, out)
    return low, high


def _left(y: Floats, w: Floats, order: Index, out: int) -> float:
    """The mean without those that pull it furthest one way: the `out` largest of w (y - mean), found again as the mean
    moves; `order` is where to begin."""
    if out >= y.size:
        return float("nan")
    gone, mean = order[:out], np.nan
    for _ in range(20):
        kept = np.ones(y.size, dtype=bool)
        kept[gone] = False
        then = float(np.average(y[kept], weights=w[kept]))
        if then == mean:
            break
        mean, pull = then, w * (y - then)
        gone = np.argsort(pull)[-out:] if y[order[0]] >= y[order[-1]] else np.argsort(pull)[:out]
    return float(mean)


def small_studies(rigs: Rigs, tau2: Floats) -> Floats:
    """How likely it is, per change, that rigs with larger errors say so much more (or less) by chance: the p of the
    slope of effects over standard errors (M. Egger et al., British Medical Journal 1997, with tau2 in the weights; S.
    G. Thompson and S. J. Sharp, Statistics in Medicine 1999). 1 with fewer than ten rigs. Shape (changes,)."""
    from scipy.special import stdtr

    x, w = np.sqrt(rigs.variance), 1 / (rigs.variance + rigs.each(tau2))
    total = rigs.total(w)
    x, y = (rig_ - rigs.each(rigs.total(w * rig_) / total) for rig_ in (x, rigs.effect))
    xx, dof = rigs.total(w * x * x), np.maximum(1, rigs.sizes - 2)
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = rigs.total(w * x * y) / xx
        left = rigs.total(w * (y - rigs.each(slope) * x) ** 2) / dof
        t = slope / np.sqrt(np.maximum(left, 1e-300) / xx)
    testable = (rigs.sizes >= TENTH) & np.isfinite(t) & (xx > 1e-9 * rigs.total(w * rigs.variance))
    return np.asarray(np.where(testable, 2 * stdtr(dof, -np.abs(np.where(testable, t, 0.0))), 1.0))
