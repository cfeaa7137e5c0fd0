"""The processor's share of Windows' power schemes: which scheme is on, and what the one that is on says."""

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.base import FactValue
from keenlattice.rig.stored import StoredSetting, Texts

ACTIVE = "power/active"
PROCESSOR = "54533251-82be-4824-96c1-47b60b740d00"
SCHEMES = {"balanced": "381b4222-f694-41f0-9685-ff5bb260df2e", "high": "8c5e7fda-e8bf-4a96-9a85-a6e23a8c635c",
           "saver": "a1841308-3541-4fab-bc81-f71556f20b4a"}
VALUES = {"cpu.core-parking": "0cc5b647-c1df-4637-891a-dec35c318583",
          "cpu.minimum-state": "893dee8e-2bef-41e0-89c6-b55d0929964c",
          "cpu.maximum-state": "bc5038f7-23e0-4960-96da-33abaf5935ec",
          "cpu.boost": "be337238-0d82-4146-a960-4f3749d470c7",
          "cpu.frequency-scaling": "8baa4a8a-14c6-4451-8e8b-14bdbd197537",
          "cpu.energy-preference": "36687f9e-e3a5-4dbf-b1dc-15eb381c6863"}
"""The setting of the subgroup "processor" that stands for each of the catalog's."""
WORDS = {"cpu.boost": ("off", "on", "eager"), "cpu.frequency-scaling": ("by-system", "by-hardware")}
EVERY_CORE = 100
PARKED_AT = 10
"""The least share of cores in % that stays awake where parking is switched on and the scheme says nothing."""


def value_place(scheme: str, name: str) -> str:
    """What a scheme's value, while the machine is on mains power, is called as a place."""
    return f"power/{scheme}/{VALUES[name]}"


def settings(held: Texts) -> list[StoredSetting]:
    """The settings that the schemes of this machine have.

    Args:
        held: what the schemes say now.
    """
    active = held.get(ACTIVE)
    if active is None:
        return []
    return [_plan(held), *(_stored(name) for name in VALUES if held.get(value_place(active, name)) is not None)]


def facts(texts: Texts) -> dict[str, FactValue]:
    """Which power plan is on."""
    names = {scheme: name for name, scheme in SCHEMES.items()}
    return {"power_plan": names.get(texts[ACTIVE] or "", "another")} if texts.get(ACTIVE) else {}


def _plan(held: Texts) -> StoredSetting:
    there = {place.split("/")[1] for place in held if place.count("/") == 2}
    names = {scheme: name for name, scheme in SCHEMES.items()}

    def texts(value: Value, held: Texts) -> Texts:
        if SCHEMES[str(value)] not in there:
            has = [name for scheme, name in names.items() if scheme in there]
            raise RefusedByRig(f"cpu.power-plan: this machine has no plan {value}, only {', '.join(has) or 'others'}")
        return {ACTIVE: SCHEMES[str(value)]}

    setting = catalog()["cpu.power-plan"]
    return StoredSetting(setting.name, setting, lambda texts: names.get(texts.get(ACTIVE) or ""), texts, step="power")


def _stored(name: str) -> StoredSetting:
    words = WORDS.get(name)

    def value(texts: Texts) -> Value | None:
        text = texts.get(value_place(texts.get(ACTIVE) or "", name))
        if text is None or not text.isdigit():
            return None
        if name == "cpu.core-parking":
            return int(text) < EVERY_CORE
        return int(text) if words is None else words[int(text)] if int(text) < len(words) else None

    def texts(value: Value, held: Texts) -> Texts:
        where = value_place(held.get(ACTIVE) or "", name)
        if held.get(where) is None:
            raise RefusedByRig(f"{name}: the power plan that is on has no such value")
        if name == "cpu.core-parking":
            awake = min(int(held[where] or 0), EVERY_CORE - 1) or PARKED_AT
            return {where: str(awake if value else EVERY_CORE)}
        return {where: str(value if words is None else words.index(str(value)))}

    setting = catalog()[name]
    if name == "cpu.frequency-scaling" and words:
        setting = setting.adapted(choices=words)
    return StoredSetting(name, setting, value, texts, step="power")
