"""This PC under Windows: its parts, and the player for what no documented function sets."""

import os
import sys
from collections.abc import Iterable, Sequence
from functools import partial
from pathlib import Path

from keenlattice.catalog.model import Setting
from keenlattice.rig.held import HeldPart
from keenlattice.rig.noted import Noted
from keenlattice.rig.parts import Part
from keenlattice.rig.player.machine import ByHandRig, facts_here
from keenlattice.rig.stored import StoredPart, notes_in
from keenlattice.rig.windows import background, input, interrupts, memory, monitor, network, process, processor
from keenlattice.rig.windows.values import place

assert sys.platform == "win32"

from keenlattice.rig.windows.system.devices import devices
from keenlattice.rig.windows.system.display import DisplayStore
from keenlattice.rig.windows.system.games import GameStarter
from keenlattice.rig.windows.system.network import NetworkStore
from keenlattice.rig.windows.system.parameters import ParameterStore
from keenlattice.rig.windows.system.power import PowerStore
from keenlattice.rig.windows.system.registry import RegistryStore, value_names
from keenlattice.rig.windows.system.services import ServiceStore

ABSENT = {"background.services": "each service is a setting here: keen catalog service",
          "background.startup-programs": "each program is a setting here: keen catalog startup"}


def this_pc(home: Path, more: Sequence[Setting] = ()) -> ByHandRig:
    """Return the rig that this PC is.

    Args:
        home: the rig's folder.
        more: settings beside the catalog's.
    """
    pci_devices, cores = devices(), os.cpu_count() or 1
    starter = GameStarter(HeldPart(home, process.settings(), partial(process.check_for, cores)))
    return ByHandRig(home, more, name="here", parts=parts(home, pci_devices),
                     devices=[device.name for device in pci_devices],
                     own_facts=lambda: {**facts_here(), **interrupts.facts(pci_devices)}, absent=ABSENT,
                     starter=starter)


def parts(home: Path, pci_devices: Sequence[interrupts.PciDevice]) -> list[Part]:
    """What is written from here, in the order in which it is written: what takes effect at once comes first.

    Args:
        home: the rig's folder, where each part notes down what was there before.
        pci_devices: the devices on the PCI bus.
    """
    def noted(name: str) -> Noted:
        return Noted(home, f"{name}-before.json")

    started, of_services = noted("startup"), noted("services")
    display, services = DisplayStore(), ServiceStore(lambda: [
        changed.partition("/")[2] for changed in notes_in(of_services, of_services.state()).users])

    return [
        StoredPart(display, lambda held: monitor.settings(held, display.modes), noted("monitor"),
                   lambda held: monitor.facts(held, display.modes)),
        StoredPart(ParameterStore(), input.settings, noted("input")),
        StoredPart(PowerStore(), processor.settings, noted("power"), processor.facts),
        StoredPart(NetworkStore(), network.settings, noted("network")),
        StoredPart(RegistryStore(background.RUN_KEYS, lambda: _started(started)),
                   lambda held: background.startup(held, held), started),
        StoredPart(services, lambda held: background.services(services.titles), of_services),
        StoredPart(RegistryStore([("HKLM", background.POLICIES)], background.telemetry_places),
                   lambda held: [background.telemetry()], noted("telemetry")),
        StoredPart(RegistryStore([("HKLM", memory.KEY)], lambda: [memory.FILES]),
                   lambda held: memory.page_file(), noted("memory")),
        StoredPart(RegistryStore([("HKLM", device.key) for device in pci_devices],
                                 lambda: interrupts.places(pci_devices)),
                   lambda held: interrupts.settings(pci_devices, os.cpu_count() or 1), noted("interrupts"))]


def _started(noted: Noted) -> Iterable[str]:
    """The places of all that starts with the player, and of what we keep from starting."""
    now = [place(hive, key, name) for hive, key in background.RUN_KEYS for name in value_names(hive, key) if name]
    return dict.fromkeys([*now, *notes_in(noted, noted.state()).users])
