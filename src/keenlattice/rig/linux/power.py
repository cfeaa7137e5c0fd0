"""How the kernel lets CPU and memory work: clocks and idle states, the scheduler, writing out and page sizes."""

from pathlib import Path

from keenlattice.catalog.load import catalog
from keenlattice.rig.linux.knobs import Knob, choices_in, number_in, setting, text_in

CPU = "sys/devices/system/cpu"
KHZ_PER_MHZ = 1000
PREFERENCE = "energy_performance_preference"
CLOCK = "clock"  # both of its limits: one alone may be beyond the other, until that has moved, too


def knobs(root: Path) -> list[Knob]:
    """What this kernel has of them; a virtual machine often has none."""
    policies = sorted((root / CPU / "cpufreq").glob("policy*"))
    available = [*_governor(policies), *_limits(policies), *_preference(policies), *_boost(root), *_idle(root)]
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
    """Where the processor chooses its clock by itself: what it leans towards, in the kernel's words."""
    choices = _words(policies[0] / "energy_performance_available_preferences") if policies else []
    if not choices:
        return []
    held = (_words(policies[0] / PREFERENCE) or choices)[0]
    return [Knob(setting("cpu.energy-lean", "What the processor leans towards as it chooses its clock", "choice", held,
                         choices=tuple(dict.fromkeys([*choices, held])),
                         trades="Leaning to performance raises the clock at once; leaning to power saves some."),
                 tuple(policy / PREFERENCE for policy in policies))]


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
    setting = catalog()["cpu.boost"].model_copy(update={"choices": ("off", "on"), "rights": True})
    return [Knob(setting, (file,), {"off": "0", "on": "1"})] if file.is_file() else []


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
