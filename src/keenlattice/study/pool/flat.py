"""Evidence records as a flat table, a row for each metric of a record: how many of them are kept, read and pooled."""

import json
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

from keenlattice.errors import KeenLatticeError
from keenlattice.study.pool.evidence import EvidenceRecord, change_text

if TYPE_CHECKING:
    import pyarrow as pa
    from pydantic import TypeAdapter

FORM_KEY, FORM = b"keen-lattice", b"evidence/1"
TEXTS = ("rig", "study", "kind", "state", "game", "change", "metric", "verdict", "software", "day", "facts",
         "limited_by", "played")
NUMBERS = ("log_ratio", "error", "dof", "blocks", "matters_pct")


class EvidenceError(KeenLatticeError):
    """A file holds no evidence, or breaks a bound; the message names file, place and reason."""


def schema() -> "pa.Schema":
    """The columns."""
    import pyarrow as pa

    return pa.schema([*((name, pa.string()) for name in TEXTS), *((name, pa.float64()) for name in NUMBERS),
                      ("decides", pa.bool_())], {FORM_KEY: FORM})


def flattened(records: Iterable[EvidenceRecord]) -> "pa.Table":
    """A table of some records."""
    import pyarrow as pa

    rows = [row for one in records for row in _rows(one)]
    return pa.Table.from_pylist(rows, schema())


def _rows(one: EvidenceRecord) -> list[dict[str, Any]]:
    whole = one.model_dump(mode="json")
    change = sorted(whole["change"], key=lambda switch: str(switch["setting"]))
    shared = {**{name: whole[name] for name in ("rig", "study", "kind", "state", "game", "software", "day")},
              "change": packed(change), "facts": packed(whole["facts"]), "limited_by": packed(whole["limited_by"]),
              "played": packed(whole["played"])}
    return [{**shared, **{name: found[name] for name in ("metric", "verdict", "decides", *NUMBERS)}}
            for found in whole["found"]]


def packed(value: Any) -> str:
    """JSON as short as can be, equal for equal values."""
    return json.dumps(value, separators=(",", ":"), ensure_ascii=True, sort_keys=True)


def part(name: str) -> "TypeAdapter[Any]":
    """What reads a packed field of a record, and holds it against its form."""
    from pydantic import TypeAdapter

    return TypeAdapter(EvidenceRecord.model_fields[name].rebuild_annotation())


def told_changes(texts: Sequence[str]) -> list[str]:
    """Packed changes in words."""
    form = part("change")
    return [change_text(form.validate_json(text)) for text in texts]
