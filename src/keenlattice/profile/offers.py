"""What a pack would do on one rig: per rule and setting, held against what is set, the facts and the checks."""

from collections.abc import Callable, Collection, Mapping
from typing import Literal

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import Value, same
from keenlattice.errors import BadValue, KeenLatticeError
from keenlattice.profile.checks import findings
from keenlattice.profile.compare import with_changes
from keenlattice.profile.concrete import concrete_value
from keenlattice.profile.formula import Names, Scope, formula_names, parse
from keenlattice.profile.layers import resolve
from keenlattice.profile.pack import Pack, Rule
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.quickly import dataclass

Status = Literal["changes", "holds already", "inert here", "refused here", "unknown here"]


@dataclass(frozen=True)
class OfferedSetting:
    """One setting of a rule: what is stored now, what the pack says, what that gives here, and what that means."""

    key: str
    now: Value | None
    offered: Value | None
    comes_to: Value | None
    status: Status
    why: str = ""


@dataclass(frozen=True)
class OfferedRule:
    """One rule on this rig. `fails` says why its condition is not met; then nothing of it is offered."""

    number: int
    rule: Rule
    fails: str
    settings: tuple[OfferedSetting, ...]


@dataclass(frozen=True)
class Here:
    """The rig that a pack is compared with.

    Args:
        stored: what the latest version of a profile sets.
        refuses: why the rig would not take a value (key, value), or "".
        devices: the rig's devices.
        unknown: the settings that are at an unknown value on the rig where no profile sets them.
        knows: whether there is a game of that name, or a profile.
    """

    catalog: Catalog
    facts: Names
    stored: Callable[[str], Entries]
    refuses: Callable[[str, str, Value], str]
    devices: tuple[str, ...] = ()
    unknown: Collection[str] = ()
    knows: Callable[[str], bool] = lambda _: True


def offer(pack: Pack, here: Here) -> tuple[OfferedRule, ...]:
    """What each rule of a pack would do here; nothing is changed."""
    return tuple(_offered(number, rule, here) for number, rule in enumerate(pack.rule, 1))


def adopted(offers: tuple[OfferedRule, ...], stored: Callable[[str], Entries]) -> Mapping[str, dict[str, Value]]:
    """The entries of each profile once these rules are taken over: those whose condition is met, without what is
    refused here. What this catalog does not know is kept, and does nothing until a catalog does."""
    profiles: dict[str, dict[str, Value]] = {}
    for offer in offers:
        if not offer.fails:
            taken = {setting.key: setting.offered for setting in offer.settings if setting.status != "refused here"}
            profiles[offer.rule.game] = with_changes(profiles.get(offer.rule.game, dict(stored(offer.rule.game))),
                                                     taken)
    return profiles


def _offered(number: int, rule: Rule, here: Here) -> OfferedRule:
    fails = _condition(rule.when, here.facts) if here.knows(rule.game) else f"no game named {rule.game} here"
    values: dict[str, Value | None] = {**dict.fromkeys(rule.unset), **rule.set_}
    then = with_changes(here.stored(rule.game), {key: value for key, value in values.items() if key in here.catalog})
    inert = {} if fails else _inert(rule.game, then, here)
    settings = tuple(_setting(rule.game, key, value, here, inert) for key, value in sorted(values.items()))
    return OfferedRule(number, rule, fails, settings)


def _condition(when: str, facts: Names) -> str:
    if not when:
        return ""
    try:
        return "" if parse(when)(Scope(formula_names(facts))) is True else f"{when} does not hold here"
    except BadValue as error:
        return f"cannot be told here: {error}"


def _inert(game: str, then: Entries, here: Here) -> dict[str, str]:
    """Setting to the reason why it would do nothing."""
    rig_wide, own = (then, {}) if game == WHOLE_RIG else (here.stored(WHOLE_RIG), then)
    effective = resolve(here.catalog, rig_wide, own, facts=here.facts, unknown=here.unknown)
    result = findings(here.catalog, effective, here.facts, here.devices, unknown=here.unknown)
    return {finding.settings[0]: finding.why for finding in result if finding.kind == "inert"}


def _setting(game: str, key: str, offered: Value | None, here: Here, inert: Mapping[str, str]) -> OfferedSetting:
    now, why = here.stored(game).get(key), ""
    comes_to: Value | None = None
    status: Status = "changes"
    if key not in here.catalog:
        return OfferedSetting(key, now, offered, None, "unknown here", "kept, and does nothing on this rig")
    if offered is not None:
        try:
            setting = here.catalog.check_key(key, whole_rig=game == WHOLE_RIG, devices=here.devices)
            comes_to = concrete_value(setting, setting.checked(offered), here.facts)
            why = here.refuses(game, key, comes_to)
        except KeenLatticeError as error:
            why = str(error)
    if why:
        return OfferedSetting(key, now, offered, comes_to, "refused here", why)
    if same(now, offered):
        status = "holds already"
    elif key in inert:
        status, why = "inert here", inert[key]
    return OfferedSetting(key, now, offered, comes_to, status, why)
