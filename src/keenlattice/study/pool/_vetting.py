"""Flat evidence that strangers have written: every column is held against its form before anything is computed, and a
row that breaks it is left out and told of."""

from collections.abc import Callable
from typing import Any, get_args

from keenlattice.study.pool.evidence import FARTHEST, Word
from keenlattice.study.pool.flat import TEXTS, EvidenceError, part, schema

LONGEST_TEXT = 16_000
FORMS = {
    "rig": "^[0-9a-f]{16}$", "study": "^[0-9a-f]{16}$", "kind": "^(trial|screen)$",
    "state": "^(finished|not finished|claimed)$", "game": "^[a-z0-9][a-z0-9-]{0,59}$",
    "metric": "^[a-z0-9_]{1,60}$", "verdict": f"^({'|'.join(get_args(Word))})$", "day": r"^(\d{4}-\d\d-\d\d)?$"}
BOUNDS = {"log_ratio": (-FARTHEST, FARTHEST), "error": (1e-9, FARTHEST), "dof": (1.0, 1e6)}
NEEDED = {"blocks": (0.0, 1e6), "matters_pct": (0.0, 1000.0)}
PACKED = ("change", "facts", "limited_by", "played")

Test = Callable[[Any], Any]


def vetted(table: Any, name: str) -> tuple[Any, list[str]]:
    """The rows of an Arrow table that are of the form, and a line for each reason why others are not.

    Args:
        name: says in those lines where the table is from.

    Raises:
        EvidenceError: it has other columns, or of other kinds.
    """
    import pyarrow as pa
    import pyarrow.compute as pc

    wanted, refused = schema(), list[str]()
    odd = {*wanted.names} ^ {*table.column_names}
    if odd or len(table.column_names) != len(wanted.names):
        raise EvidenceError(f"{name}: its columns are not those of evidence ({', '.join(sorted(odd))[:80]}): not read")
    try:
        table = table.select(wanted.names).cast(wanted)
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError, pa.ArrowTypeError) as error:
        raise EvidenceError(f"{name}: a column is of another kind: {' '.join(str(error).split())[:120]}") from None

    def keep(good: Any, what: str) -> Any:
        bad = len(table) - (pc.sum(pc.fill_null(good, False)).as_py() or 0)
        refused.extend([f"{name}: {bad} rows left out, whose {what}"] if bad else [])
        return table.filter(pc.fill_null(good, False)) if bad else table

    for column, test in _tests():
        table = keep(test(table[column]), f"{column} is not of its form")
    known = [pc.is_valid(table[column]) for column in BOUNDS]
    return keep(pc.and_(pc.equal(known[0], known[1]), pc.equal(known[1], known[2])),
                "effect is told without its error"), refused


def _tests() -> list[tuple[str, Test]]:
    """What holds of each column, as a function to true, false or null."""
    import pyarrow.compute as pc

    return [*((name, lambda column: pc.less_equal(pc.binary_length(column), LONGEST_TEXT)) for name in TEXTS),
            *((name, _matches(form)) for name, form in FORMS.items()),
            *((name, _within(*bounds)) for name, bounds in BOUNDS.items()),
            *((name, _within(*bounds, needed=True)) for name, bounds in NEEDED.items()),
            *((name, _reads(part(name).validate_json)) for name in PACKED),
            ("software", _reads(part("software").validate_python)), ("decides", pc.is_valid)]


def _matches(form: str) -> Test:
    import pyarrow.compute as pc

    return lambda column: pc.match_substring_regex(column, form)


def _within(low: float, high: float, needed: bool = False) -> Test:
    import pyarrow.compute as pc

    def test(column: Any) -> Any:
        good = pc.and_(pc.greater_equal(column, low), pc.less_equal(column, high))
        return good if needed else pc.or_kleene(good, pc.is_null(column))
    return test


def _reads(check: Callable[[Any], object]) -> Test:
    """Whether a text can be read; asked once for each different one."""
    import pyarrow as pa
    import pyarrow.compute as pc

    def readable(text: str) -> bool:
        try:
            check(text)
        except ValueError:
            return False
        return True

    def test(column: Any) -> Any:
        known = [one for one in pc.unique(column).to_pylist() if one is not None and readable(one)]
        return pc.is_in(column, value_set=pa.array(known, pa.string()))
    return test
