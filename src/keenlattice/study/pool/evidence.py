"""An evidence record: what one study said of one change, with all that pooling it takes, and nothing that names a
person. It is written for every trial and screen that was begun, so that none is left out because it found nothing.

`docs/evidence.schema.json` is the form. A file of them is JSON, one record a line (`.jsonl`); a large set is flat, as
Parquet, with a row for each metric of a record (`flat.py`). Both may come from strangers: data only, and bounded.
"""

import hashlib
import json
from collections.abc import Mapping
from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from keenlattice.catalog.values import written
from keenlattice.profile.pack import Key, Name, PackValue

FORMAT: Literal["keen-lattice/evidence/1"] = "keen-lattice/evidence/1"
MOST_SWITCHED, MOST_METRICS, MOST_FACTS = 40, 30, 60
FARTHEST = 5.0  # log ratio: 148 times as long

DIGEST, METRIC, DAY = "^[0-9a-f]{16}$", "^[a-z0-9_]{1,60}$", r"^(20\d\d-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01]))?$"
Digest = Annotated[str, StringConstraints(pattern=DIGEST)]
Metric = Annotated[str, StringConstraints(pattern=METRIC)]
Short = Annotated[str, StringConstraints(max_length=60, pattern=r"^[^\x00-\x1f\x7f-\x9f]*$")]
Word = Literal["better", "worse", "no difference that matters", "unclear"]
State = Literal["finished", "not finished", "claimed"]
FactValue = bool | Annotated[float, Field(ge=-1e12, le=1e12)] | Short


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)


class Switch(_Part):
    """One setting of a change: what it was, and what it is with it; null for what is not known."""

    setting: Key
    before: PackValue | None
    after: PackValue | None


    @model_validator(mode="after")
    def _changes(self) -> "Switch":
        if self.before is not None and self.before == self.after:
            raise ValueError(f"{self.setting} is {value_said(self.before)} before and after: nothing was changed")
        return self


class Found(_Part):
    """What was found of one metric.

    Args:
        decides: whether the study was decided by it.
        log_ratio: logarithm of after over before; null where nothing could be told.
        error, dof: its standard error, and the degrees of freedom of that.
        blocks: how many pairs of runs, or runs of a screen, it rests on.
        matters_pct: the smallest difference that mattered to the player, in per cent.
    """

    metric: Metric
    decides: bool
    log_ratio: float | None = Field(ge=-FARTHEST, le=FARTHEST)
    error: float | None = Field(gt=0, le=FARTHEST)
    dof: float | None = Field(ge=1, le=1e6)
    blocks: int = Field(ge=0, le=1_000_000)
    matters_pct: float = Field(ge=0, le=1000)
    verdict: Word


class EvidencePlan(_Part):
    """How it was played: as the plan of a trial or of a screen has it."""

    seconds: float = Field(gt=0, le=100_000)
    warm_up_s: float = Field(ge=0, le=600)
    planned: int = Field(ge=1, le=1_000_000)
    repeats: int = Field(ge=1, le=1000)
    early: bool
    seed: int = Field(ge=0, lt=2**63)


class EvidenceRecord(_Part):
    """What one study said of one change.

    Args:
        rig, study: which rig, and which study on it: hashes that say nothing else.
        kind: what it was a part of.
        state: "claimed" is what a pack tells: picked for what it found.
        facts: the rig's numbers, yes and no, and its system: none that could name a person.
        limited_by: what the frames waited for without the change, in per cent of the time.
        day: on which it was begun.
    """

    format: Literal["keen-lattice/evidence/1"] = FORMAT
    rig: Digest
    study: Digest
    kind: Literal["trial", "screen"]
    state: State
    game: Name
    change: tuple[Switch, ...] = Field(min_length=1, max_length=MOST_SWITCHED)
    found: tuple[Found, ...] = Field(min_length=1, max_length=MOST_METRICS)
    played: EvidencePlan
    software: Short
    day: Annotated[str, StringConstraints(pattern=DAY)]
    facts: Mapping[Metric, FactValue] = Field(max_length=MOST_FACTS)
    limited_by: Mapping[Short, Annotated[float, Field(ge=0, le=100)]] = Field(max_length=10)

    @model_validator(mode="after")
    def _once_each(self) -> "EvidenceRecord":
        metrics, settings = [item.metric for item in self.found], [item.setting for item in self.change]
        if len({*metrics}) < len(metrics) or len({*settings}) < len(settings):
            raise ValueError("a metric or a setting is given twice")
        if self.day:
            date.fromisoformat(self.day)
        return self

    def line(self) -> str:
        """The record as one line of JSON."""
        return json.dumps(self.model_dump(mode="json"), separators=(",", ":"), ensure_ascii=False)


def digest(*parts: object) -> str:
    """A hash of some texts and numbers, which says nothing else."""
    return hashlib.sha256("\0".join(map(str, parts)).encode()).hexdigest()[:16]


def schema() -> dict[str, Any]:
    """The form of a record, as a JSON Schema."""
    return EvidenceRecord.model_json_schema()


def change_text(change: tuple[Switch, ...]) -> str:
    """A change as one text, equal whenever it is the same: `frame.queue-depth: game decides -> 1`."""
    return "; ".join(f"{item.setting}: {value_said(item.before)} -> {value_said(item.after)}"
                     for item in sorted(change, key=lambda item: item.setting))


def value_said(value: PackValue | None) -> str:
    """A value in words; `unset` for none."""
    return "unset" if value is None else written(value)
