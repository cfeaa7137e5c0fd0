"""How fast the kernel lets the CPU run: governor, limits and boost (cpufreq), and idle states (cpuidle)."""

from pathlib import Path

from keenlattice.catalog.load import catalog
from keenlattice.rig.linux.knobs import Knob, setting
from keenlattice.rig.linux.sysfs import text_in

CPU = "sys/devices/system/cpu"
KHZ_PER_MHZ = 1000
CLOCK = "clock"  # both of its limits: one alone may be beyond the other, until that has moved, too


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
    return [Knob(setting("cpu.governor", "Governor of the CPU clock", "choice", stock[0] if stock else choices[0],
                          choices=tuple(dict.fromkeys([*choices, *stock])),
                          trades="Who decides the clock: one that follows the load saves power and lags behind a "
                                 "burst; one that holds it high does neither."),
                 tuple(policy / "scaling_governor" for policy in policies))]


def _limits(policies: list[Path]) -> list[Knob]:
    bounds = {policy: (low, high) for policy in policies
              if (low := _mhz(policy / "cpuinfo_min_freq")) and (high := _mhz(policy / "cpuinfo_max_freq"))}
    if not bounds:
        return []
    least, highest = min(low for low, _ in bounds.values()), max(high for _, high in bounds.values())
    steps = _steps(policies)
    these = f"; there are {', '.join(map(str, steps))}" if steps else ""
    return [Knob(setting(f"cpu.clock-{end}", f"{end.capitalize()} clock of the CPU{these}", "whole", stock, unit="MHz",
                          low=least, high=highest, trades="Between these two the governor is free."),
                 tuple(policy / f"scaling_{file}_freq" for policy in bounds), times=KHZ_PER_MHZ, steps=steps,
                 bounds={policy / f"scaling_{file}_freq": both for policy, both in bounds.items()}, together=CLOCK)
            for end, file, stock in (("least", "min", least), ("highest", "max", highest))]


def _steps(policies: list[Path]) -> tuple[int, ...]:
    """The clocks that there are, in MHz; empty where the CPU has no steps, or not the same for all cores."""
    found = {tuple(sorted(int(word) // KHZ_PER_MHZ for name in ("available", "boost")
                          for word in _words(policy / f"scaling_{name}_frequencies") if word.isdigit()))
             for policy in policies}
    return found.pop() if len(found) == 1 else ()


def _mhz(file: Path) -> int:
    words = _words(file)
    return int(words[0]) // KHZ_PER_MHZ if words and words[0].isdigit() else 0


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
        found.append(Knob(setting(
            f"cpu.idle-{state.name.removeprefix('state')}", f"Idle state {name[0]} (wakes in {latency[0]} us)",
            "switch", True,
            trades="A deep idle state saves power, and takes time to wake from: at the start of every burst."), files,
            {True: "0", False: "1"}))
    return found


def _words(path: Path) -> list[str]:
    return (text_in(path) or "").split()
