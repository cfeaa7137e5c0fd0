"""Which cores a game may use: a list as the kernel writes it, or a class of cores that the kernel tells apart."""

import os
from pathlib import Path

from keenlattice.errors import RefusedByRig
from keenlattice.rig.linux.interrupts import as_list, cores_in
from keenlattice.rig.linux.knobs import number_in, text_in

DEVICES = Path("/sys/devices")
ALL, ONE_THREAD, FAST, SLOW = "all", "one-thread-a-core", "fast-cores", "slow-cores"
SAME_SPEED = 0.9  # of the quickest core's capacity: cores of one make differ by a few per cent


def cores_of(text: str) -> frozenset[int] | None:
    """The cores that a value of `process.affinity` means here; None for all.

    Args:
        text: `all`, a list such as 0-3,6, or a class: one thread of each core, the fast cores, the slow ones.

    Raises:
        RefusedByRig: the list names other cores than this machine's, or the machine lacks the class.
    """
    if text == ALL:
        return None
    if text == ONE_THREAD:
        return _first_threads()
    if text in (FAST, SLOW):
        return _by_speed(text)
    cores, here = cores_in(text), frozenset(range(os.cpu_count() or 1))
    if not cores or not cores <= here:
        raise RefusedByRig(f"process.affinity: {text} is not a list of this machine's cores ({as_list(here)}); write "
                           f"0-3,6, or all, {ONE_THREAD}, {FAST} or {SLOW}")
    return cores


def _first_threads() -> frozenset[int]:
    """Return the first thread of each core that runs several at once."""
    siblings = {_listed(folder / "topology/thread_siblings_list") for folder in _processors()} - {frozenset()}
    if not any(len(threads) > 1 for threads in siblings):
        raise RefusedByRig(f"process.affinity: {ONE_THREAD}: each of this machine's cores has one thread anyway")
    return frozenset(min(threads) for threads in siblings)


def _by_speed(which: str) -> frozenset[int]:
    """Return the fast cores, or the slow ones, of a processor that has both."""
    fast, slow = _listed(DEVICES / "cpu_core/cpus"), _listed(DEVICES / "cpu_atom/cpus")
    if not (fast and slow):
        capacity = {int(folder.name.removeprefix("cpu")): number_in(folder / "cpu_capacity") or 0
                    for folder in _processors()}
        most = max(capacity.values(), default=0)
        fast = frozenset(core for core, amount in capacity.items() if amount >= SAME_SPEED * most)
        slow = frozenset(capacity) - fast
    if not (fast and slow):
        raise RefusedByRig(f"process.affinity: {which}: the kernel tells no fast cores from slow ones here")
    return fast if which == FAST else slow


def _processors() -> list[Path]:
    return [folder for folder in (DEVICES / "system/cpu").glob("cpu[0-9]*")
            if folder.name.removeprefix("cpu").isdigit()]


def _listed(file: Path) -> frozenset[int]:
    return cores_in(text_in(file) or "") or frozenset()
