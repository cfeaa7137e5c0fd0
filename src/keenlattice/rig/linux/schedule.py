"""How the kernel shares the CPU out: whether it may interrupt itself, how long a turn lasts, whether sessions count."""

from pathlib import Path

from keenlattice.rig.linux.knobs import Knob, choices_in, setting
from keenlattice.rig.linux.sysfs import number_in, text_in

DEBUG, GROUPS = "sys/kernel/debug/sched", "proc/sys/kernel/sched_autogroup_enabled"
TURNS = ("base_slice_ns", "min_granularity_ns")  # as newer and older kernels call it
NANOSECONDS_PER_US = 1000
DISPUTED = {"sure": "disputed", "advice": "Measure it with something else busy beside the game: alone it does nothing."}


def knobs(root: Path) -> list[Knob]:
    """What this kernel has of them; most of it only root may see."""
    found = []
    if (file := root / GROUPS).is_file():
        found.append(Knob(setting(
            "scheduling.session-groups", "Sessions share the CPU evenly", "switch", True,
            trades="Programs of one session count as one: a busy build in a terminal leaves half of the CPU to the "
                   "game, however many processes it has.", **DISPUTED), (file,), {True: "1", False: "0"}))
    if told := choices_in(text_in(root / DEBUG / "preempt")):
        choices, stock = told
        found.append(Knob(setting(
            "scheduling.preemption", "When the kernel lets itself be interrupted", "choice", stock,
            choices=choices, trades="Earlier lets a game's thread run sooner; later gets more work done in all.",
            **DISPUTED), (root / DEBUG / "preempt",)))
    for name in TURNS:
        if (turn := number_in(root / DEBUG / name)) is not None:
            found.append(Knob(setting(
                "scheduling.turn", "Length of a program's turn", "whole", turn // NANOSECONDS_PER_US, unit="us",
                low=100, high=100_000, trades="Shorter turns let a waiting thread run sooner, and switch more often.",
                **DISPUTED), (root / DEBUG / name,), times=NANOSECONDS_PER_US))
            break
    return found
