"""Reads what the kernel says of this machine while a game runs, every so often, until it is ended.

Run as a separate program, so that the one that takes down frames is not kept waiting; it imports nothing of ours, so
that it starts in no time. It writes JSON lines to standard output: the names of the series, then for each sample its
time (`time.perf_counter`) and their values, null for what was not said; at the end, after SIGTERM, what it has cost.

    python -I -S sampler.py ROOT EVERY_S PID...
"""

import json
import os
import re
import signal
import sys
import time
from collections.abc import Callable
from pathlib import Path

CPU_SENSORS = ("coretemp", "k10temp", "zenpower", "cpu_thermal", "cpu-thermal")
CPU_ZONES = ("x86_pkg_temp", "cpu-thermal", "cpu_thermal")
DISPLAY_CLASS = "0x03"
MOST_COST = 0.005   # of a core: samples are taken further apart, rather than cost more
MOST_THREADS = 200  # of the game, that are looked at

Values = dict[str, float]
Source = Callable[[], Values]
"""What one source says now; a share of the time since the last is left out the first time."""


def sources(root: Path, pids: list[int]) -> list[Source]:
    """All that there are on this machine; what a device says of itself comes after what the game has of it."""
    readers = [clocks(root), sensors(root), zones(root), held_back(root), gpus(root), processors(root), memory(root),
               pressure(root), energy(root)]
    return [*([game(root, pids)] if pids else []), *(reader for reader in readers if reader is not None)]


def clocks(root: Path) -> Source | None:
    files = sorted((root / "sys/devices/system/cpu/cpufreq").glob("policy*/scaling_cur_freq"))

    def read() -> Values:
        now = [khz / 1000 for file in files if (khz := number(file)) is not None]
        return {"cpu.clock": sum(now) / len(now), "cpu-fastest.clock": max(now)} if now else {}
    return read if files else None


def sensors(root: Path) -> Source | None:
    """Hardware monitors: of each part the highest temperature and fan, the sum of its power, its first clock."""
    kinds = {"temp": ("temperature", 1e-3), "fan": ("fan", 1.0), "power": ("power", 1e-6), "freq": ("clock", 1e-6)}
    files: list[tuple[str, Path, float]] = []
    seen: dict[str, int] = {}
    for monitor in sorted((root / "sys/class/hwmon").glob("hwmon*"), key=lambda path: len(path.name)):
        name = text(monitor / "name")
        part = gpu_name(root, (monitor / "device").resolve()) or ("cpu" if name in CPU_SENSORS else plain(name))
        number_of = seen[part] = seen.get(part, -1) + 1
        part = part if not number_of or part == "cpu" else f"{part}{number_of}"
        for kind, (called, times) in kinds.items():
            for file in sorted(monitor.glob(f"{kind}[0-9]*_input")) or sorted(monitor.glob(f"{kind}[0-9]*_average")):
                files.append((f"{part}.{called}", file, times))

    def read() -> Values:
        result: dict[str, list[float]] = {}
        for name, file, times in files:
            if (value := number(file)) is not None:
                result.setdefault(name, []).append(value * times)
        return {name: sum(values) if name.endswith(".power") else values[0] if name.endswith(".clock") else max(values)
                for name, values in result.items()}
    return read if files else None


def zones(root: Path) -> Source | None:
    """Thermal zones that are not hardware monitors, too."""
    monitors = {text(path / "name") for path in (root / "sys/class/hwmon").glob("hwmon*")}
    files: dict[str, Path] = {}
    for zone in sorted((root / "sys/class/thermal").glob("thermal_zone*")):
        kind = text(zone / "type")
        part = "cpu" if kind in CPU_ZONES else plain(kind)
        if kind not in monitors and not (part == "cpu" and monitors & set(CPU_SENSORS)):
            files.setdefault(f"{part}.temperature", zone / "temp")

    def read() -> Values:
        return {name: value / 1000 for name, file in files.items() if (value := number(file)) is not None}
    return read if files else None


def held_back(root: Path) -> Source | None:
    """For how much of the time a CPU was throttled: its package's counter, or the worst of its cores'."""
    folder = root / "sys/devices/system/cpu"
    files = sorted(folder.glob("cpu[0-9]*/thermal_throttle/*_throttle_total_time_ms"))
    shares = {file: share_of_time(1000.0) for file in files}

    def read() -> Values:
        now = [share for file in files if (ms := number(file)) is not None and (share := shares[file](ms)) is not None]
        return {"cpu.throttled": max(now)} if now else {}
    return read if files else None


def gpus(root: Path) -> Source | None:
    """Of each GPU: how busy it is, its memory in use, its clock, and whether it is held back; where its driver says."""
    files: list[tuple[str, Path, float]] = []
    for card in sorted((root / "sys/class/drm").glob("card[0-9]*")):
        part = gpu_name(root, (card / "device").resolve()) if card.name[4:].isdigit() else ""
        if part:
            for called, file, times in (
                    ("load", "device/gpu_busy_percent", 1.0), ("memory", "device/mem_info_vram_used", 2.0**-20),
                    ("clock", "gt_act_freq_mhz", 1.0), ("throttled", "gt/gt0/throttle_reason_status", 100.0)):
                if (card / file).exists():
                    files.append((f"{part}.{called}", card / file, times))

    def read() -> Values:
        return {name: value * times for name, file, times in files if (value := number(file)) is not None}
    return read if files else None


def processors(root: Path) -> Source | None:
    """How busy all cores are together, how busy the busiest is, and what another system took from this one."""
    file = root / "proc/stat"
    before: dict[str, tuple[int, int, int]] = {}

    def read() -> Values:
        busy, taken = {}, None
        for line in text(file).splitlines():
            name, *words = line.split()
            if not name.startswith("cpu"):
                break
            ticks = [int(word) for word in words]
            now = sum(ticks[:8]), ticks[3] + ticks[4], ticks[7] if len(ticks) > 7 else 0
            was, before[name] = before.get(name), now
            if was and now[0] > was[0]:
                passed = now[0] - was[0]
                busy[name] = 100 * (1 - (now[1] - was[1]) / passed)
                taken = 100 * (now[2] - was[2]) / passed if name == "cpu" else taken
        if "cpu" not in busy:
            return {}
        cores = [share for name, share in busy.items() if name != "cpu"]
        return {"cpu.load": busy["cpu"], **({"cpu-busiest.load": max(cores)} if cores else {}),
                **({"cpu-taken.load": taken} if taken is not None else {})}
    return read if file.exists() else None


def memory(root: Path) -> Source | None:
    file = root / "proc/meminfo"

    def read() -> Values:
        held = {name: int(rest.split()[0]) / 1024 for name, _, rest in (line.partition(":") for line in
                                                                       text(file).splitlines()) if rest.strip()}
        if not {"MemTotal", "MemAvailable"} <= held.keys():
            return {}
        return {"system.memory": held["MemTotal"] - held["MemAvailable"],
                "swap.memory": held.get("SwapTotal", 0.0) - held.get("SwapFree", 0.0)}
    return read if file.exists() else None


def pressure(root: Path) -> Source | None:
    """For how much of the time some task waited for a core, for memory, for a disk."""
    files = {name: root / "proc/pressure" / name for name in ("cpu", "memory", "io")}
    shares = {name: share_of_time(1e6) for name in files}

    def read() -> Values:
        values = {}
        for name, file in files.items():
            match = re.search(r"^some .*total=(\d+)", text(file), re.MULTILINE)
            if match and (share := shares[name](float(match[1]))) is not None:
                values[f"{name}.pressure"] = share
        return values
    return read if files["cpu"].exists() else None


def energy(root: Path) -> Source | None:
    """The power of CPU packages, by their energy counters (root may read them), and of a battery that is drained."""
    counters = [path / "energy_uj" for path in sorted((root / "sys/class/powercap").glob("*:[0-9]"))
                if text(path / "name").startswith("package")]
    rates = {file: rate(1e6) for file in counters}
    batteries = [path / "power_now" for path in (root / "sys/class/power_supply").glob("*")
                 if text(path / "status") == "Discharging"]

    def read() -> Values:
        watts = [now for file in counters if (uj := number(file)) is not None
                 and (now := rates[file](uj)) is not None]
        drained = [uw / 1e6 for file in batteries if (uw := number(file)) is not None]
        return {**({"cpu.power": sum(watts)} if watts else {}), **({"battery.power": sum(drained)} if drained else {})}
    return read if counters or batteries else None


def game(root: Path, pids: list[int]) -> Source:
    """The game's share of a core, that of its busiest thread, its memory, and its time on each GPU's engines."""
    ticks_a_second, page_mib = os.sysconf("SC_CLK_TCK"), os.sysconf("SC_PAGE_SIZE") / 2**20
    threads: dict[tuple[int, str], Callable[[float], float | None]] = {}
    engines: dict[str, Callable[[float], float | None]] = {}
    parts: dict[str, str] = {}

    def read() -> Values:
        now, held = [], 0.0
        for pid in pids:
            folder = root / "proc" / str(pid)
            for thread in entries(folder / "task")[:MOST_THREADS]:
                words = text(folder / "task" / thread / "stat").rpartition(")")[2].split()
                if len(words) > 12:
                    share = threads.setdefault((pid, thread), share_of_time(float(ticks_a_second)))
                    if (used := share(float(words[11]) + float(words[12]))) is not None:
                        now.append(used)
            words = text(folder / "statm").split()
            held += int(words[1]) * page_mib if len(words) > 1 else 0.0
        drawing: dict[str, float] = {}
        for client, ns in engine_times(root, pids).items():
            if client not in parts:  # which GPU that is takes reading the class of every device
                parts[client] = gpu_name(root, root / "sys/bus/pci/devices" / client.split()[0]) or "gpu"
            part = parts[client]
            drew = engines.setdefault(client, share_of_time(1e9))(ns)
            if drew is not None:
                drawing[f"{part}.load"] = drawing.get(f"{part}.load", 0.0) + drew
        return {**({"game.load": sum(now), "game-thread.load": max(now)} if now else {}),
                **({"game.memory": held} if held else {}), **{name: min(100.0, load) for name, load in drawing.items()}}
    return read


def engine_times(root: Path, pids: list[int]) -> dict[str, float]:
    """For how long processes have kept the drawing engine of each GPU busy, in ns, by address and client."""
    result: dict[str, float] = {}
    for pid in pids:
        folder = root / "proc" / str(pid)
        for name in entries(folder / "fd"):
            try:
                if not os.readlink(folder / "fd" / name).startswith("/dev/dri/"):
                    continue
            except OSError:
                continue
            fields = dict(line.split(":", 1) for line in text(folder / "fdinfo" / name).splitlines() if ":" in line)
            ns = [float(value.split()[0]) for key, value in fields.items()
                  if re.match(r"drm-engine-(render|gfx|3d)", key)]
            if ns and "drm-client-id" in fields:
                client = f"{fields.get('drm-pdev', '').strip()} {fields['drm-client-id'].strip()}"
                result[client] = max(result.get(client, 0.0), max(ns))
    return result


def share_of_time(a_second: float) -> Callable[[float], float | None]:
    """From a counter of time to the share of time that passed on it since it was last asked, in %."""
    rising = rate(a_second)

    def share(count: float) -> float | None:
        now = rising(count)
        return None if now is None else 100 * now
    return share


def rate(unit: float) -> Callable[[float], float | None]:
    """From a counter to how fast it rises, in this many of it a second; None at first, and when it has started
    again."""
    last: list[float] = []

    def now(count: float) -> float | None:
        at = time.perf_counter()
        was, last[:] = last[:], [count, at]
        return (count - was[0]) / unit / (at - was[1]) if was and count >= was[0] and at > was[1] else None
    return now


def gpu_name(root: Path, device: Path) -> str:
    """gpu0, gpu1 and so on, in the order of addresses, as the devices of interrupts are named; empty for no GPU."""
    folder = root / "sys/bus/pci/devices"
    cards = [name for name in entries(folder) if text(folder / name / "class").startswith(DISPLAY_CLASS)]
    return f"gpu{cards.index(device.name)}" if device.name in cards else ""


def entries(folder: Path) -> list[str]:
    try:
        return sorted(os.listdir(folder))
    except OSError:
        return []


def plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:30].lstrip("0123456789-") or "sensor"


def text(file: Path) -> str:
    try:
        return file.read_text(errors="replace").strip()
    except OSError:
        return ""


def number(file: Path) -> float | None:
    try:
        return float(text(file))
    except ValueError:
        return None


def main() -> None:
    root, every_s, pids = Path(sys.argv[1]), float(sys.argv[2]), [int(word) for word in sys.argv[3:]]
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGTERM})  # waited for below, so that the end is at once
    read, names, began = sources(root, pids), list[str](), time.perf_counter()
    spent, seen = time.process_time(), False
    while True:
        at, cost = time.perf_counter(), time.process_time()
        values = {name: value for read_values in read for name, value in read_values().items()}
        fresh = [name for name in values if name not in names]
        if fresh:  # shares of time come with the second sample
            names += fresh
            print(json.dumps({"names": names}), flush=True)
        print(json.dumps([at, *(round(values[name], 3) if name in values else None for name in names)]), flush=True)
        cost = time.process_time() - cost
        pause = max(every_s, cost / MOST_COST if seen else 0.0)  # what rises is given only once it is seen twice
        if signal.sigtimedwait({signal.SIGTERM}, pause):
            break
        seen = True
    passed = time.perf_counter() - began
    print(json.dumps({"cost": round((time.process_time() - spent) / passed, 5) if passed else None}), flush=True)


if __name__ == "__main__":
    main()
