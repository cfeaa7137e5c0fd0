"""The facts that there are, for a rig whose facts are typed in: each has one name, and is of one kind.

Formulas leave the unit out (`refresh` is the fact `refresh_hz`); what is typed in under that name is the same fact.
"""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Literal

from keenlattice.errors import UnknownName, UsageError, way
from keenlattice.profile.formula import formula_names

if TYPE_CHECKING:
    from keenlattice.rig.base import FactValue

Kind = Literal["number", "text", "yes or no"]

FACTS: Mapping[str, tuple[Kind, str]] = {
    "os": ("text", "Operating system"),
    "case_matters": ("yes or no", "Whether file names differ by upper and lower case"),
    "cpu": ("text", "Processor"),
    "cores": ("number", "Its cores"),
    "threads": ("number", "Its threads"),
    "ram_mib": ("number", "Memory in MiB (16 GiB are 16384)"),
    "memory_speed_mts": ("number", "Speed that the memory runs at, in MT/s"),
    "memory_rated_mts": ("number", "Speed that it is rated for, in MT/s"),
    "gpu": ("text", "Graphics card"),
    "other_gpu": ("text", "Another GPU beside it"),
    "gpu1_integrated": ("yes or no", "Whether that one is integrated in the processor"),
    "panel_on_integrated": ("yes or no", "Whether the panel is plugged into the integrated one"),
    "vram_mib": ("number", "Memory of the graphics card in MiB"),
    "driver_version": ("text", "Version of its driver"),
    "hardware_scheduling": ("yes or no", "Whether it can schedule its work itself"),
    "board_power_limit": ("number", "Highest power limit that the board allows, in %"),
    "board_temperature_limit": ("number", "Highest temperature limit that it allows, in degrees Celsius"),
    "panel": ("text", "Panel"),
    "refresh_hz": ("number", "Refresh rate that it runs at, in Hz"),
    "best_refresh_hz": ("number", "Best refresh rate that it can do, in Hz"),
    "timer_finest_ms": ("number", "Finest resolution of the system's timer, in ms"),
    "timer_coarsest_ms": ("number", "Coarsest resolution of the system's timer, in ms")}
TAKES: Mapping[Kind, str] = {"number": "a number, 0 or more", "text": "a text", "yes or no": "yes or no"}
OF_A_DEVICE: Mapping[str, tuple[Kind, str]] = {
    "message": ("yes or no", "Whether the device can send message-signalled interrupts"),
    "shares_line": ("yes or no", "Whether it shares its interrupt line with another")}
"""Facts of one device each, named `DEVICE_...`."""


def named(facts: "Mapping[str, FactValue | None]", devices: Sequence[str], names: Sequence[str] = ()
          ) -> "dict[str, FactValue | None]":
    """What was typed in, each under its one name, and of its kind.

    Args:
        facts: by their names, or by those that formulas have for them; None takes one out.
        devices: the rig's.
        names: names that were told before, which may be taken out whatever they are.

    Raises:
        UnknownName: no such fact; the message offers the nearest.
        UsageError: one of another kind, or given twice.
    """
    kinds = {**FACTS, **{f"{device}_{entry}": fact_kind for device in devices
                         for entry, fact_kind in OF_A_DEVICE.items()}}
    in_formulas = {str(name): fact
                   for fact, name in zip(kinds, formula_names({fact: 0 for fact in kinds}), strict=True)}
    result: dict[str, FactValue | None] = {}
    names_of: dict[str, str] = {}
    for name, value in facts.items():
        fact = name if name in kinds or (value is None and name in names) else in_formulas.get(name)
        if fact is None:
            more = f"{way('keen rig facts --list', 'ws.rig.facts.names()')} shows all there are"
            raise UnknownName("fact", name, [*kinds, *in_formulas], more)
        if (earlier := names_of.setdefault(fact, name)) != name:
            raise UsageError(f"{earlier} and {name} are the same fact: give one of them")
        if value is not None and not _is(value, kinds[fact][0]):
            kind, meaning = kinds[fact]
            raise UsageError(f"{fact}={value}: it takes {TAKES[kind]}. {meaning}")
        result[fact] = value
    return result


def device_names(devices: Sequence[str]) -> tuple[str, ...]:
    """The names of devices, as they can be addressed (`interrupt.mode@gpu0`).

    Raises:
        UsageError: one that is not a name.
    """
    for device in devices:
        if not device.isidentifier() or not device.isascii() or len(device) > 40:
            raise UsageError(f"{device!r} is not the name of a device: letters, digits and _, like gpu0")
    return tuple(dict.fromkeys(devices))


def _is(value: "FactValue", kind: Kind) -> bool:
    if kind == "yes or no":
        return isinstance(value, bool)
    if kind == "number":
        return isinstance(value, int | float) and not isinstance(value, bool) and 0 <= value < 1e9
    return True
