"""Evidence as a flat table, a row for each metric of a record, and that table as plain arrays."""

import hashlib
import json
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import KeenLatticeError
from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass
from keenlattice.study.pool.evidence import EvidenceRecord
from keenlattice.study.pool.meta import Index

if TYPE_CHECKING:
    import pyarrow as pa
    from pydantic import TypeAdapter

Hashes = NDArray[np.uint64]
ODD = np.uint64(0x9E3779B97F4A7C15)


@dataclass(frozen=True)
class Texts:
    """A column of texts: `codes` are the rows' places in `names`, which are sorted."""

    codes: NDArray[np.int32]
    names: list[str]

    def hashes(self) -> Hashes:
        """A hash of each of `names`, which depends on nothing else."""
        return np.array([int.from_bytes(hashlib.blake2b(name.encode(), digest_size=8).digest(), "little")
                         for name in self.names], dtype=np.uint64)


def texts(table: "pa.Table", name: str) -> Texts:
    """A column of texts of a table whose dictionaries are unified."""
    column = table[name].combine_chunks()
    names: list[str] = column.dictionary.to_pylist()
    codes = column.indices.to_numpy(zero_copy_only=False).astype(np.int32)
    order = sorted(range(len(names)), key=names.__getitem__)
    rank = np.empty(len(names), dtype=np.int32)
    rank[order] = np.arange(len(names), dtype=np.int32)
    return Texts(rank[codes] if len(names) else codes, [names[version] for version in order])


def digests(table: "pa.Table", name: str) -> Hashes:
    """A column of digests (16 hexadecimal digits) as whole numbers."""
    column = table[name].combine_chunks()
    values = np.array([int(text, 16) for text in column.dictionary.to_pylist()], dtype=np.uint64)
    return np.asarray(values[column.indices.to_numpy(zero_copy_only=False)])


def numbers(table: "pa.Table", name: str) -> Any:
    """A column of numbers; NaN for null."""
    return table[name].to_numpy()


def copies(columns: list[Any]) -> Index:
    """For each row the first one that is like it in all columns: itself, if none before it is."""
    count = len(columns[0])
    mixed = np.zeros(count, dtype=np.uint64)
    for column in columns:
        bits = np.ascontiguousarray(column, dtype=np.float64).view(np.uint64) if column.dtype.kind == "f" else (
            column.astype(np.int64).view(np.uint64))
        mixed = (mixed ^ bits) * ODD
        mixed ^= mixed >> np.uint64(29)
    _, first, which = np.unique(mixed, return_index=True, return_inverse=True)
    first_rows = first[which]
    rows = np.flatnonzero(first_rows != np.arange(count))
    alike = np.ones(rows.size, dtype=bool)  # the hash alone is not proof
    for column in columns:
        mine, theirs = column[rows], column[first_rows[rows]]
        alike &= (mine == theirs) | ((mine != mine) & (theirs != theirs))
    first_rows[rows[~alike]] = rows[~alike]
    return np.asarray(first_rows, dtype=np.intp)


def starts_of(*columns: Any) -> Index:
    """Where each run of rows that are alike in some columns begins; they stand together."""
    if not len(columns[0]):
        return np.empty(0, dtype=np.intp)
    changed = np.zeros(len(columns[0]) - 1, dtype=bool)
    for column in columns:
        changed |= column[1:] != column[:-1]
    return np.flatnonzero(np.r_[True, changed])


def sums(values: Floats, starts: Index) -> Floats:
    """The sum of each run."""
    return np.asarray(np.add.reduceat(values, starts)) if starts.size else np.empty(0)


FORM_KEY, FORM = b"keen-lattice", b"evidence/1"
TEXTS = ("rig", "study", "kind", "state", "game", "change", "metric", "verdict", "software", "day", "facts",
         "limited_by")
OF_METRIC = ("log_ratio", "error", "dof", "blocks", "matters_pct")
OF_PLAY = ("seconds", "warm_up_s", "planned", "repeats")
NUMBERS = (*OF_METRIC, *OF_PLAY)


class EvidenceError(KeenLatticeError):
    """A file holds no evidence, or breaks a bound; the message names file, place and reason."""


def schema() -> "pa.Schema":
    """The columns: texts as a dictionary and their places in it, since most come often."""
    import pyarrow as pa

    text = pa.dictionary(pa.int32(), pa.string())
    return pa.schema([*((name, text) for name in TEXTS), *((name, pa.float64()) for name in NUMBERS),
                      ("seed", pa.int64()), ("decides", pa.bool_()), ("early", pa.bool_())], {FORM_KEY: FORM})


def flattened(records: Iterable[EvidenceRecord]) -> "pa.Table":
    """A table of some records."""
    import pyarrow as pa

    rows = [row for record in records for row in _rows(record)]
    columns = {field.name: pa.array([row[field.name] for row in rows], field.type) for field in schema()}
    return pa.table(columns, schema=schema())


def _rows(record: EvidenceRecord) -> list[dict[str, Any]]:
    content = record.model_dump(mode="json")
    change = sorted(content["change"], key=lambda switch: str(switch["setting"]))
    shared = {**{name: content[name] for name in ("rig", "study", "kind", "state", "game", "software", "day")},
              "change": packed(change), "facts": packed(content["facts"]), "limited_by": packed(content["limited_by"]),
              **content["played"]}
    return [{**shared, **finding} for finding in content["found"]]


def packed(value: Any) -> str:
    """JSON as short as can be, equal for equal values."""
    return json.dumps(value, separators=(",", ":"), ensure_ascii=True, sort_keys=True)


def part(name: str) -> "TypeAdapter[Any]":
    """What reads a packed field of a record, and holds it against its form."""
    from pydantic import TypeAdapter

    return TypeAdapter(EvidenceRecord.model_fields[name].rebuild_annotation())
