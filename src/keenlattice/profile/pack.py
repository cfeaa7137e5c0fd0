"""Packs: rules that somebody shares, as one TOML file. Untrusted: data only, bounded, and reading changes nothing.

`docs/pack.schema.json` is the form; conditions and values are formulas of `profile/formula.py` or plain values.
"""

import re
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError, field_validator

from keenlattice.errors import BadValue, KeenLatticeError
from keenlattice.files import open_regular
from keenlattice.profile.formula import is_formula, parse

if TYPE_CHECKING:
    from tomlkit import TOMLDocument
    from tomlkit.items import Table

FORMAT = "keen-lattice/pack/1"
MOST_BYTES, MOST_RULES, MOST_SETTINGS = 256 * 1024, 500, 2000

Line = Annotated[str, StringConstraints(max_length=400, pattern=r"^[^\x00-\x1f\x7f-\x9f]*$")]
Key = Annotated[str, StringConstraints(max_length=120, pattern=r"^[a-z][a-z0-9]*\.[a-z0-9][a-z0-9_-]*(@[a-z0-9-]+)?$")]
Name = Annotated[str, StringConstraints(max_length=60, pattern=r"^[a-z0-9][a-z0-9-]*$")]
Bounds = Field(ge=-10**12, le=10**12)  # not a number is refused by it, too
PackValue = bool | Annotated[int, Bounds] | Annotated[float, Bounds] | Line


class PackError(KeenLatticeError):
    """A file is not a pack, or breaks a bound; the message names file, place and reason."""


class _PackPart(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)


class Evidence(_PackPart):
    """What was measured for a claim: the change with its interval, from how many blocks of two runs, where and when."""

    change_pct: float = Bounds
    low_pct: float = Bounds
    high_pct: float = Bounds
    confidence: float = Field(gt=0, lt=1)
    blocks: int = Field(ge=2, le=100_000)
    seconds: float = Field(gt=0, le=100_000)
    seed: int = Field(ge=0, le=2**63)
    rig: Line
    software: Line = ""
    time: Line = ""

    def told(self) -> str:
        """In words."""
        return (f"{self.low_pct:+.1f} to {self.high_pct:+.1f} % ({100 * self.confidence:.3g} % interval, {self.blocks} "
                f"blocks of {self.seconds:g} s runs on {self.rig})")


class Claim(_PackPart):
    """What the author says a rule does: which metric, which way, at least how much; and the evidence for it."""

    metric: Annotated[str, StringConstraints(max_length=60, pattern="^[a-z0-9_]+$")]
    direction: Literal["down", "up"]
    at_least_pct: float = Field(ge=0, le=1000)
    evidence: list[Evidence] = Field(default=[], max_length=20)


class Rule(_PackPart):
    """Values for one game (or `rig`), under a condition over facts, with the reason and what is claimed."""

    game: Name
    when: Line = ""
    reason: Line = ""
    set_: Mapping[Key, PackValue] = Field(default={}, alias="set", max_length=MOST_SETTINGS)
    unset: list[Key] = Field(default=[], max_length=MOST_SETTINGS)
    claim: list[Claim] = Field(default=[], max_length=20)

    @field_validator("when")
    @classmethod
    def _condition_can_be_read(cls, when: str) -> str:
        if when:
            _readable(when)
        return when

    @field_validator("set_")
    @classmethod
    def _formulas_can_be_read(cls, values: Mapping[str, PackValue]) -> Mapping[str, PackValue]:
        for value in values.values():
            if is_formula(value):
                _readable(str(value).removeprefix("="))
        return values


class Pack(_PackPart):
    """A pack: who made it, under which licence, and its rules."""

    format: Literal["keen-lattice/pack/1"]
    title: Line
    author: Line = ""
    licence: Line = ""
    note: Line = ""
    rule: list[Rule] = Field(min_length=1, max_length=MOST_RULES)


def _readable(formula: str) -> None:
    try:
        parse(formula)
    except BadValue as error:
        raise ValueError(str(error)) from None


def read_pack(path: Path) -> Pack:
    """The pack in a file.

    Raises:
        PackError: it cannot be read, is too large, is not TOML, or is not a pack.
    """
    try:
        with open_regular(path) as file:
            content = file.read(MOST_BYTES + 1)
    except OSError as error:
        raise PackError(f"cannot read the pack {path}: {error.strerror}") from None
    if len(content) > MOST_BYTES:
        raise PackError(f"{path}: larger than {MOST_BYTES // 1024} kB, which no pack is: not read")
    return parse_pack(content, str(path))


def parse_pack(content: bytes, name: str) -> Pack:
    """The pack in some bytes; `name` says in errors where they are from.

    Raises:
        PackError: as `read_pack`.
    """
    try:
        _refuse_depth(content, name)
        tables = tomllib.loads(content.decode("utf-8-sig"))
        return Pack.model_validate(tables)
    except UnicodeDecodeError:
        raise PackError(f"{name}: not text in UTF-8: not read") from None
    except (tomllib.TOMLDecodeError, RecursionError, ValueError) as error:
        if isinstance(error, ValidationError):
            first = error.errors(include_url=False, include_input=False)[0]
            where = ".".join(str(part)[:60] for part in first["loc"]) or "(whole)"
            raise PackError(f"{name}: {where}: {first['msg']}") from None
        raise PackError(f"{name}: not TOML: {str(error)[:200] or 'nested too deep'}") from None


def _refuse_depth(content: bytes, name: str) -> None:
    """A parser works down into every bracket and dot; no pack nests more than a few."""
    for line in content.splitlines():
        if line.count(b"[") + line.count(b"{") + line.count(b".") > 200:
            raise PackError(f"{name}: a line with hundreds of brackets or dots, which no pack has: not read")


def pack_text(title: str, author: str, licence: str, rules: list[Rule], note: str = "") -> str:
    """A new pack, as TOML."""
    import tomlkit

    document = tomlkit.document()
    document["format"] = FORMAT
    for key, value in (("title", title), ("author", author), ("licence", licence), ("note", note)):
        if value or key == "title":
            document[key] = value
    return with_rules(tomlkit.dumps(document).encode(), rules, title).decode()


def with_rules(content: bytes, rules: list[Rule], name: str) -> bytes:
    """Return a pack with more rules at its end: every byte that was there stays, and the new lines end as the old do.

    Raises:
        PackError: its rules are one inline list, to which nothing can be added so.
    """
    import tomlkit

    if re.search(rb"^\s*rule\s*=", content, re.MULTILINE):
        raise PackError(f"{name}: its rules are an inline list, to which none can be added: write each as [[rule]], or "
                        "name another file")
    document = tomlkit.document()
    for rule in rules:
        _append(document, rule)
    line_end = b"\r\n" if b"\r\n" in content else b"\n"
    begin = content if not content or content.endswith(b"\n") else content + line_end
    return begin + line_end + tomlkit.dumps(document).replace("\n", line_end.decode()).encode()


def _claim_table(claim: Claim) -> "Table":
    import tomlkit

    table = tomlkit.table()
    for key, value in claim.model_dump(exclude={"evidence"}).items():
        table[key] = value
    if claim.evidence:
        evidence = tomlkit.aot()
        for record in claim.evidence:
            evidence.append(tomlkit.item(record.model_dump()))
        table["evidence"] = evidence
    return table


def _append(document: "TOMLDocument", rule: Rule) -> None:
    import tomlkit

    table = tomlkit.table()
    for key, value in (("game", rule.game), ("when", rule.when), ("reason", rule.reason)):
        if value:
            table[key] = value
    if rule.unset:
        table["unset"] = list(rule.unset)
    values = tomlkit.table()
    for key, setting_value in sorted(rule.set_.items()):
        values[key] = setting_value
    table["set"] = values
    if rule.claim:
        claims = tomlkit.aot()
        for claim in rule.claim:
            claims.append(_claim_table(claim))
        table["claim"] = claims
    if "rule" not in document:
        document["rule"] = tomlkit.aot()
    document["rule"].append(table)
