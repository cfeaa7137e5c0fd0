"""Evidence records as a flat table, a row for each metric of a record: how many of them are kept, read and pooled."""

import json
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from keenlattice.errors import KeenLatticeError
from keenlattice.study.pool.evidence import EvidenceRecord

if TYPE_CHECKING:
    import pyarrow as pa
    from pydantic import TypeAdapter

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

    rows = [row for one in records for row in _rows(one)]
    columns = {field.name: pa.array([row[field.name] for row in rows], field.type) for field in schema()}
    return pa.table(columns, schema=schema())


def _rows(one: EvidenceRecord) -> list[dict[str, Any]]:
    whole = one.model_dump(mode="json")
    change = sorted(whole["change"], key=lambda switch: str(switch["setting"]))
    shared = {**{name: whole[name] for name in ("rig", "study", "kind", "state", "game", "software", "day")},
              "change": packed(change), "facts": packed(whole["facts"]), "limited_by": packed(whole["limited_by"]),
              **whole["played"]}
    return [{**shared, **found} for found in whole["found"]]


def packed(value: Any) -> str:
    """JSON as short as can be, equal for equal values."""
    return json.dumps(value, separators=(",", ":"), ensure_ascii=True, sort_keys=True)


def part(name: str) -> "TypeAdapter[Any]":
    """What reads a packed field of a record, and holds it against its form."""
    from pydantic import TypeAdapter

    return TypeAdapter(EvidenceRecord.model_fields[name].rebuild_annotation())
