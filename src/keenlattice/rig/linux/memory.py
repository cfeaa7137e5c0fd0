"""How the kernel treats memory: what it writes out, and in how large pages it is handed over."""

from pathlib import Path

from keenlattice.rig.linux.knobs import Knob, choices_in, setting
from keenlattice.rig.linux.sysfs import text_in

SWAPPINESS, HUGE = "proc/sys/vm/swappiness", "sys/kernel/mm/transparent_hugepage"
SWAPS = "proc/swaps"
DISPUTED = {"sure": "disputed", "advice": "Measure it with the game that is short of memory, or stutters."}


def knobs(root: Path) -> list[Knob]:
    """What this kernel has of them."""
    found = []
    if (file := root / SWAPPINESS).is_file():
        found.append(Knob(setting(
            "memory.swappiness", "How readily memory is written out", "whole", 60, low=0, high=200,
            trades="Lower keeps a game's memory in place and drops cached files sooner; it does nothing while memory "
                   "is not short.", **DISPUTED), (file,)))
    for name, title in (("enabled", "Memory in huge pages"), ("defrag", "Waiting until a huge page is free")):
        file = root / HUGE / name
        if told := choices_in(text_in(file)):
            choices, stock = told
            found.append(Knob(setting(
                f"memory.huge-pages-{name}", title, "choice", stock, choices=choices,
                trades="Huge pages save the CPU look-ups; making one may keep a thread waiting in mid-frame.",
                **DISPUTED), (file,)))
    return found


def page_files(root: Path) -> int:
    """How large all page files are together, in MiB."""
    lines = (text_in(root / SWAPS) or "").splitlines()[1:]
    sizes = [line.split()[2] for line in lines if len(line.split()) > 2]
    return sum(int(size) for size in sizes if size.isdigit()) // 1024
