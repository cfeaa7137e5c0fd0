"""How fast the kernel lets the CPU run: governor, limits and boost (cpufreq), and idle states (cpuidle)."""

from dataclasses import dataclass
from pathlib import Path

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting

CPU = "sys/devices/system/cpu"
KHZ_PER_MHZ = 1000


@dataclass(frozen=True)
class Knob:
    """A setting of the kernel's and the files that it is written to, all alike.

    Args:
        setting: as the catalog has it.
        files: what it is written to.
        texts: how a choice or a switch is written, where that is not its own name.
        times: what a number is multiplied by to be written.
    """

    setting: Setting
    files: tuple[Path, ...]
    texts: dict[str | bool, str] | None = None
    times: int = 1


def knobs(root: Path) -> list[Knob]:
    """What this kernel has of them; a virtual machine often has none."""
    policies = sorted((root / CPU / "cpufreq").glob("policy*"))
    found = [*_governor(policies), *_limits(policies), *_boost(root), *_idle(root)]
    return [knob for knob in found if knob.files]


def _governor(policies: list[Path]) -> list[Knob]:
    choices = _words(policies[0] / "scaling_available_governors") if policies else []
    if not choices:
        return []
    stock = _words(policies[0] / "scaling_governor")
    return [Knob(_setting("governor", "Governor of the CPU clock", "choice", stock[0] if stock else choices[0],
                          choices=tuple(dict.fromkeys([*choices, *stock])),
                          trades="Who decides the clock: one that follows the load saves power and lags behind a "
                                 "burst; one that holds it high does neither."),
                 tuple(policy / "scaling_governor" for policy in policies))]


def _limits(policies: list[Path]) -> list[Knob]:
    bounds = [_words(policies[0] / f"cpuinfo_{end}_freq") for end in ("min", "max")] if policies else [[], []]
    if not all(bounds):
        return []
    low, high = (int(one[0]) // KHZ_PER_MHZ for one in bounds)
    return [Knob(_setting(f"clock-{end}", f"{end.capitalize()} clock of the CPU", "whole", stock, unit="MHz", low=low,
                          high=high, trades="Between these two the governor is free."),
                 tuple(policy / f"scaling_{file}_freq" for policy in policies), times=KHZ_PER_MHZ)
            for end, file, stock in (("least", "min", low), ("highest", "max", high))]


def _boost(root: Path) -> list[Knob]:
    file = root / CPU / "cpufreq" / "boost"
    setting = catalog()["cpu.boost"].model_copy(update={"choices": ("off", "on"), "rights": True})
    return [Knob(setting, (file,), {"off": "0", "on": "1"})] if file.is_file() else []


def _idle(root: Path) -> list[Knob]:
    states = sorted((root / CPU / "cpu0" / "cpuidle").glob("state*"))
    found = []
    for state in states:
        files = tuple(sorted((root / CPU).glob(f"cpu[0-9]*/cpuidle/{state.name}/disable")))
        name, latency = _words(state / "name") or [state.name], _words(state / "latency") or ["?"]
        found.append(Knob(_setting(
            f"idle-{state.name.removeprefix('state')}", f"Idle state {name[0]} (wakes in {latency[0]} us)", "switch",
            True, trades="A deep idle state saves power, and takes time to wake from: at the start of every burst."),
            files, {True: "0", False: "1"}))
    return found


def _setting(name: str, title: str, kind: str, stock: object, **more: object) -> Setting:
    return Setting.model_validate({
        "name": f"cpu.{name}", "title": title, "kind": kind, "scope": "rig", "stock": stock, "rights": True,
        "moves": {"frame-tail": "either"}, **more})


def _words(path: Path) -> list[str]:
    try:
        return path.read_text().split()
    except OSError:
        return []
