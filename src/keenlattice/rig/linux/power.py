"""How the kernel lets CPU and memory work: clocks and idle states, the scheduler, writing out and page sizes."""

from pathlib import Path

from keenlattice.catalog.values import Value
from keenlattice.rig.linux.knobs import Knob, choices_in, from_catalog, number_in, setting, text_in

CPU = "sys/devices/system/cpu"
KHZ_PER_MHZ = 1000
PREFERENCE = "energy_performance_preference"
LEANS = {0: "performance", 50: "balance_performance", 75: "balance_power", 100: "power"}
"""What the kernel's words stand for, of its 0 to 255, in per cent."""
PROFILE = "sys/firmware/acpi/platform_profile"
PLANS = {"saver": "low-power", "balanced": "balanced", "high": "performance"}
TIMER = "sys/devices/system/clocksource/clocksource0/current_clocksource"
TIMERS = {"cpu-counter": ("tsc", "arch_sys_counter"), "platform": ("hpet", "acpi_pm")}
CLOCK = "clock"  # both of its limits: one alone may be beyond the other, until that has moved, too


def knobs(root: Path) -> list[Knob]:
    """What this kernel has of them; a virtual machine often has none."""
    policies = sorted((root / CPU / "cpufreq").glob("policy*"))
    available = [*_governor(policies), *_limits(policies), *_preference(policies), *_states(root),
                 *_who_scales(root), *_plan(root), *_timer(root), *_boost(root), *_cores(root), *_idle(root)]
    return [knob for knob in available if knob.files]


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


def _preference(policies: list[Path]) -> list[Knob]:
    """Where the processor chooses its clock by itself: what it leans towards, of the kernel's four words."""
    offered = _words(policies[0] / "energy_performance_available_preferences") if policies else []
    texts: dict[Value, str] = {share: word for share, word in LEANS.items() if word in offered}
    if not texts:
        return []
    held = text_in(policies[0] / PREFERENCE)
    stock = next((share for share, word in texts.items() if word == held), next(iter(texts)))
    files = tuple(policy / PREFERENCE for policy in policies)
    return [Knob(from_catalog("cpu.energy-preference", stock=stock), files, texts)]


def _states(root: Path) -> list[Knob]:
    """The share of its best speed that the processor keeps to, where its driver counts so."""
    return [Knob(from_catalog(f"cpu.{end}imum-state", stock=held), (file,), together="states") for end in ("min", "max")
            for file in sorted((root / CPU).glob(f"*_pstate/{end}_perf_pct")) if (held := number_in(file)) is not None]


def _who_scales(root: Path) -> list[Knob]:
    modes: dict[Value, str] = {"by-hardware": "active", "by-system": "passive"}
    return [knob for file in (root / CPU).glob("*_pstate/status")
            for knob in _chosen("cpu.frequency-scaling", file, modes)]


def _cores(root: Path) -> list[Knob]:
    """How many cores are on; the first is never switched off."""
    files = sorted((root / CPU).glob("cpu[0-9]*/online"), key=lambda file: int(file.parts[-2][3:]))
    files = [file for file in files if file.parts[-2] != "cpu0"]
    count = len(files)
    patterns: dict[Value, tuple[str, ...]] = {
        "all": ("1",) * count, **{on + 1: ("1",) * on + ("0",) * (count - on) for on in range(count)}}
    setting_here = from_catalog("cpu.boot-cores", high=float(count + 1))
    return [Knob(setting_here, tuple(files), patterns=patterns)] if files else []


def _plan(root: Path) -> list[Knob]:
    """The firmware's profile, which shifts power between the parts of a machine."""
    file = root / PROFILE
    offered = _words(file.with_name("platform_profile_choices"))
    return _chosen("cpu.power-plan", file, {plan: word for plan, word in PLANS.items() if word in offered})


def _timer(root: Path) -> list[Knob]:
    file = root / TIMER
    offered = _words(file.with_name("available_clocksource"))
    return _chosen("timer.source", file, {value: names[0] for value, listed in TIMERS.items()
                                          if (names := [name for name in listed if name in offered])})


def _chosen(name: str, file: Path, texts: dict[Value, str]) -> list[Knob]:
    """A choice among some words, where there are several and one of them holds."""
    held = next((value for value, text in texts.items() if text == text_in(file)), None)
    if held is None or len(texts) < 2:
        return []
    return [Knob(from_catalog(name, choices=tuple(texts), stock=held), (file,), texts)]


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
    steps = {tuple(sorted(int(word) // KHZ_PER_MHZ for name in ("available", "boost")
                          for word in _words(policy / f"scaling_{name}_frequencies") if word.isdigit()))
             for policy in policies}
    return steps.pop() if len(steps) == 1 else ()


def _mhz(file: Path) -> int:
    words = _words(file)
    return int(words[0]) // KHZ_PER_MHZ if words and words[0].isdigit() else 0


def _boost(root: Path) -> list[Knob]:
    file = root / CPU / "cpufreq" / "boost"
    setting_here = from_catalog("cpu.boost", choices=("off", "on"))
    return [Knob(setting_here, (file,), {"off": "0", "on": "1"})] if file.is_file() else []


def _idle(root: Path) -> list[Knob]:
    states = sorted((root / CPU / "cpu0" / "cpuidle").glob("state*"))
    knobs = []
    for state in states:
        files = tuple(sorted((root / CPU).glob(f"cpu[0-9]*/cpuidle/{state.name}/disable")))
        name, latency = _words(state / "name") or [state.name], _words(state / "latency") or ["?"]
        knobs.append(Knob(setting(
            f"cpu.idle-{state.name.removeprefix('state')}", f"Idle state {name[0]} (wakes in {latency[0]} us)",
            "switch", True,
            trades="A deep idle state saves power, and takes time to wake from: at the start of every burst."), files,
            {True: "0", False: "1"}))
    return knobs


def _words(path: Path) -> list[str]:
    return (text_in(path) or "").split()


DEBUG, GROUPS = "sys/kernel/debug/sched", "proc/sys/kernel/sched_autogroup_enabled"
TURNS = ("base_slice_ns", "min_granularity_ns")  # as newer and older kernels call it
NANOSECONDS_PER_US = 1000
BESIDE_A_LOAD = {"sure": "disputed",
                 "advice": "Measure it with something else busy beside the game: alone it does nothing."}


def scheduler_knobs(root: Path) -> list[Knob]:
    """What this kernel has of them; most of it only root may see."""
    knobs = []
    if (file := root / GROUPS).is_file():
        knobs.append(Knob(setting(
            "scheduling.session-groups", "Sessions share the CPU evenly", "switch", True,
            trades="Programs of one session count as one: a busy build in a terminal leaves half of the CPU to the "
                   "game, however many processes it has.", **BESIDE_A_LOAD), (file,), {True: "1", False: "0"}))
    if choices_here := choices_in(text_in(root / DEBUG / "preempt")):
        choices, stock = choices_here
        knobs.append(Knob(setting(
            "scheduling.preemption", "When the kernel lets itself be interrupted", "choice", stock,
            choices=choices, trades="Earlier lets a game's thread run sooner; later gets more work done in all.",
            **BESIDE_A_LOAD), (root / DEBUG / "preempt",)))
    for name in TURNS:
        if (turn := number_in(root / DEBUG / name)) is not None:
            knobs.append(Knob(setting(
                "scheduling.turn", "Length of a program's turn", "whole", turn // NANOSECONDS_PER_US, unit="us",
                low=100, high=100_000, trades="Shorter turns let a waiting thread run sooner, and switch more often.",
                **BESIDE_A_LOAD), (root / DEBUG / name,), times=NANOSECONDS_PER_US))
            break
    return knobs


SWAPPINESS, HUGE = "proc/sys/vm/swappiness", "sys/kernel/mm/transparent_hugepage"
COMPACTION = "proc/sys/vm/compaction_proactiveness"
COMPRESSED = "sys/module/zswap/parameters/enabled"
SWAPS = "proc/swaps"
SHORT_OF_MEMORY = {"sure": "disputed", "advice": "Measure it with the game that is short of memory, or stutters."}


def memory_knobs(root: Path) -> list[Knob]:
    """What this kernel has of them."""
    knobs = []
    if (file := root / SWAPPINESS).is_file():
        knobs.append(Knob(setting(
            "memory.swappiness", "How readily memory is written out", "whole", 60, low=0, high=200,
            trades="Lower keeps a game's memory in place and drops cached files sooner; it does nothing while memory "
                   "is not short.", **SHORT_OF_MEMORY), (file,)))
    if (file := root / COMPACTION).is_file():
        knobs.append(Knob(setting(
            "memory.compaction", "How eagerly memory is moved together", "whole", 20, low=0, high=100,
            trades="Eager, huge pages are there when they are asked for; moving them costs bursts of CPU time.",
            **SHORT_OF_MEMORY), (file,)))
    if (file := root / COMPRESSED).is_file():
        knobs.append(Knob(setting(
            "memory.compressed-swap", "Swap is compressed in memory first", "switch", text_in(file) == "Y",
            trades="Spares the disk when memory is short, for CPU time.", **SHORT_OF_MEMORY), (file,),
            {True: "Y", False: "N"}))
    for name, title in (("enabled", "Memory in huge pages"), ("defrag", "Waiting until a huge page is free")):
        file = root / HUGE / name
        if choices_here := choices_in(text_in(file)):
            choices, stock = choices_here
            knobs.append(Knob(setting(
                f"memory.huge-pages-{name}", title, "choice", stock, choices=choices,
                trades="Huge pages save the CPU look-ups; making one may keep a thread waiting in mid-frame.",
                **SHORT_OF_MEMORY), (file,)))
    return knobs


def page_files(root: Path) -> int:
    """How large all page files are together, in MiB."""
    lines = (text_in(root / SWAPS) or "").splitlines()[1:]
    sizes = [line.split()[2] for line in lines if len(line.split()) > 2]
    return sum(int(size) for size in sizes if size.isdigit()) // 1024
