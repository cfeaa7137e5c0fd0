"""Checks: checks as data, over effective values and facts. What is inert, at odds, out of range, risky or pointless.

A check's condition is a formula (`profile/formula.py`) in which `value("frame.cap")` is what holds for a setting,
`layer("frame.cap")` where that comes from, and `count("interrupt.priority", "high")` how many devices hold a value.
A check per device is asked for each, `*` standing for its name, and `device_X` for the fact `DEVICE_X`. A check per
setting is asked for each setting that is set. A condition over facts that a rig does not tell, or over settings that
are unknown, is not met. What it would find if those were at stock is asked about: a finding of the kind `not known`.
"""

import re
import tomllib
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import asdict, field, fields, replace
from functools import cache
from importlib import resources
from typing import Literal

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import same, written
from keenlattice.errors import BadValue, counted
from keenlattice.notebook import Rows, Shown
from keenlattice.profile.formula import Names, Scope, Term, formula_names, parse
from keenlattice.profile.layers import Effective
from keenlattice.quickly import dataclass

Kind = Literal["wrong", "inert", "at odds", "out of range", "risky", "pointless", "shadowed", "not known"]


@dataclass(frozen=True)
class Check:
    """One check: when it applies, which settings it is about, why that matters, and what to do.

    `example` (also with `facts` and `rig_wide`) is a profile that it finds something in; the tests try it. What it
    finds is shown `instead_of` what another check finds of the same settings, or of any if this one is about the rig.
    """

    name: str
    kind: Kind
    when: str
    settings: tuple[str, ...]
    why: str
    do: str
    example: Mapping[str, bool | int | float | str]
    per: Literal["rig", "device", "setting"] = "rig"
    instead_of: str = ""
    facts: Mapping[str, bool | int | float | str] = field(default_factory=dict)
    rig_wide: Mapping[str, bool | int | float | str] = field(default_factory=dict)


@dataclass(frozen=True)
class Finding:
    """What a check found: which check, of what kind, about which settings, why it matters, and what to do."""

    check: str
    kind: Kind
    settings: tuple[str, ...]
    why: str
    what_to_do: str


class Findings(tuple[Finding, ...], Shown):
    """What the checks found, in the order of their checks."""

    __slots__ = ()

    COLUMNS = tuple(column.name for column in fields(Finding))

    def _rows(self) -> Rows:
        """A row for each."""
        return [{**asdict(finding), "settings": ", ".join(finding.settings)} for finding in self]

    def _caption(self) -> str:
        return counted(len(self), "finding") if self else "Nothing is clearly wrong"


@cache
def checks() -> tuple[Check, ...]:
    """The checks that ship with Keen Lattice; the tests hold their files against the model."""
    folder = resources.files("keenlattice.profile") / "data"
    files = sorted((file for file in folder.iterdir() if file.name.endswith(".toml")), key=lambda file: file.name)
    return tuple(Check(name, **{**table, "settings": tuple(table["settings"])}) for file in files
                 for name, table in tomllib.loads(file.read_text(encoding="utf-8")).items())


def findings(catalog: Catalog, effective: Mapping[str, Effective], facts: Names,
             devices: tuple[str, ...] = (), *, unknown: Collection[str] = ()) -> Findings:
    """What the checks find, in their order; then what formulas come to nothing here; then what is to be looked at.

    Args:
        unknown: the settings that are at an unknown value unless `effective` has one; as given to `resolve`.
    """
    board = _Board(catalog, effective, formula_names(facts), devices, unknown)
    result = _without_what_others_tell([finding for check in checks() for finding in board.ask(check)])
    result += [Finding(check="formula", kind="out of range", settings=(holding.key,), why=holding.problem,
                       what_to_do=f"set it again: keen edit {'rig' if holding.layer == 'rig-wide' else 'GAME'} "
                                 f"{holding.key}=...")
               for holding in effective.values() if holding.problem]
    return Findings([*result, *(_to_look_at(board, result) if unknown else [])])


def _without_what_others_tell(findings: Iterable[Finding]) -> list[Finding]:
    """Findings without those that another one says better: one cause is given once, and with what can be done."""
    findings, by_name = list(findings), {check.name: check for check in checks()}
    better = [(by_name[finding.check].instead_of, finding.settings if by_name[finding.check].per != "rig" else None)
              for finding in findings]
    return [finding for finding in findings if not any(finding.check == name and settings in (None, finding.settings)
                                                       for name, settings in better)]


def _to_look_at(board: "_Board", findings: Iterable[Finding]) -> Iterator[Finding]:
    """What the checks would find if all that is unknown were at stock: nobody knows, so it is asked."""
    settled, supposed, asked = {(finding.check, finding.settings) for finding in findings}, board.at_stock(), []
    for supposition in (finding for check in checks() for finding in supposed.ask(check)):
        unknown = [key for key in supposed.looked_up if board.is_unknown(key)]
        asked.append((supposition, f"{board.if_at_stock(unknown)}, {supposition.why}"))
    kept = _without_what_others_tell(finding for finding, _ in asked)
    for supposition, why in asked:
        if (supposition.check, supposition.settings) not in settled and supposition in kept:
            yield replace(supposition, kind="not known", why=why)


def belong_together(keys: Iterable[str]) -> tuple[tuple[str, ...], ...]:
    """Groups of those settings that some check names in one breath, since one decides what another does.

    >>> belong_together(["frame.cap", "sync.vertical", "texture.lod-bias", "sync.triple-buffering"])
    (('sync.triple-buffering', 'sync.vertical'),)
    """
    names, groups = set(keys), list[set[str]]()
    for check in checks():
        named = names & set(check.settings)
        if len(named) > 1:
            touched = [group for group in groups if group & named]
            groups = [group for group in groups if group not in touched] + [named.union(*touched)]
    return tuple(sorted(tuple(sorted(group)) for group in groups))


def _all_cores(facts: Names) -> dict[str, str]:
    """All cores as a list, where it is known how many threads there are: typed in, it may be anything."""
    threads = facts.get("threads")
    if isinstance(threads, int | float) and not isinstance(threads, bool) and 1 <= threads <= 4096:
        return {"all_cores": f"0-{int(threads) - 1}"}
    return {}


class _Board:
    """The effective values and facts that checks are compared with."""

    def __init__(self, catalog: Catalog, effective: Mapping[str, Effective], facts: Names,
                 devices: tuple[str, ...], unknown: Collection[str]) -> None:
        self._catalog, self._effective, self._devices = catalog, effective, devices
        self._unknown, self._given = unknown, facts
        self.looked_up: dict[str, None] = {}  # the settings whose values the latest question was about, in their order
        self._facts = {"on": True, "off": False, "device_count": len(devices), **_all_cores(facts), **facts}

    def at_stock(self) -> "_Board":
        """The same, were all that is unknown at stock."""
        supposed = {key: Effective(key, self._catalog[key].stock, "stock") if self.is_unknown(key) else holding
                    for key, holding in self._effective.items()}
        return _Board(self._catalog, supposed, self._given, self._devices, ())

    def is_unknown(self, key: str) -> bool:
        """Whether nobody has said what a setting is at."""
        return (self._effective[key].layer == "unknown" if key in self._effective
                else key.partition("@")[0] in self._unknown)

    def if_at_stock(self, keys: Iterable[str]) -> str:
        """The supposition that some settings are at stock, in words."""
        assumptions = [f"{key} is {written(self._catalog[key].stock, self._catalog[key].unit)}" for key in keys]
        return f"if {' and '.join(assumptions)}"

    def ask(self, check: Check) -> Iterator[Finding]:
        if check.per == "device":
            for device in self._devices:
                begin = f"{device}_"
                own = {f"device_{name.removeprefix(begin)}": value for name, value in self._facts.items()
                       if name.startswith(begin)}
                yield from self._one(check, device, own)
        elif check.per == "setting":
            for key, effective in self._effective.items():
                if effective.is_set and effective.shadows:
                    layer, below = effective.shadows[0]
                    yield from self._one(check, key, {
                        "setting_layer": effective.layer, "setting_below": layer,
                        "setting_differs": not same(effective.stored, below), "below": below})
        else:
            yield from self._one(check, "", {})

    def _one(self, check: Check, star: str, more: Mapping[str, object]) -> Iterator[Finding]:
        names = {**self._facts, **more}
        self.looked_up = {}
        scope = Scope(names, {"value": lambda key: self._look_up(self._key(key, star)),
                              "layer": lambda key: self._layer(self._key(key, star)), "count": self._count})
        try:
            met = parse(check.when)(scope) is True
        except BadValue:  # it asks for a fact that this rig does not tell
            met = False
        if met:
            settings = tuple(self._key(key, star) for key in check.settings)
            why, do = (self._filled(text, star, names) for text in (check.why, check.do))
            yield Finding(check=check.name, kind=check.kind, settings=settings, why=why, what_to_do=do)

    def _key(self, key: Term, star: str) -> str:
        return str(key).replace("*", star)

    def _look_up(self, key: str) -> Term:
        self.looked_up[key] = None
        return self._value(key)

    def _value(self, key: str) -> Term:
        if key in self._effective:
            return self._effective[key].value
        name, at, _ = key.partition("@")
        return self._catalog[key].stock if at and name not in self._unknown and key in self._catalog else None

    def _layer(self, key: str) -> Term:
        return self._effective[key].layer if key in self._effective and self._effective[key].is_set else "stock"

    def _count(self, name: Term, value: Term) -> Term:
        return sum(self._look_up(f"{name}@{device}") == value for device in self._devices)

    def _filled(self, text: str, star: str, names: Names) -> str:
        def fill(match: re.Match[str]) -> str:
            key = self._key(match[1], star)
            if key in self._catalog:
                return written(self._value(key), self._catalog[key].unit)
            value = names.get(key)
            return written(value) if isinstance(value, bool | int | float | str) else "unknown"
        return re.sub(r"\{([^}]+)\}", fill, text).replace("*", star)
