"""How fast and how hungry the kernel's DRM drivers let a GPU run: limits of its clock, its power cap, its policy.

Each driver has its own files for it. They are found through the device's address on the bus, and so are its places
called, for the numbers of cards and sensors are given again at every start.
"""

from collections.abc import Iterable, Iterator
from pathlib import Path

from keenlattice.rig.linux.interrupts import PCI
from keenlattice.rig.linux.knobs import Knob, number_in, setting, text_in

MICROWATTS = 1_000_000
POLICY = "power_dpm_force_performance_level"
POLICIES = ("auto", "low", "high")
# Where a driver keeps the limits of a clock, and what it can go between: least, highest, lowest there is, top there is.
CLOCKS = (
    ("drm/card*/gt/gt0", "rps_min_freq_mhz", "rps_max_freq_mhz", "rps_RPn_freq_mhz", "rps_RP0_freq_mhz"),
    ("drm/card*", "gt_min_freq_mhz", "gt_max_freq_mhz", "gt_RPn_freq_mhz", "gt_RP0_freq_mhz"),
    ("tile0/gt0/freq0", "min_freq", "max_freq", "rpn_freq", "rp0_freq"),
)
DISPUTED = {"scope": "device", "sure": "disputed", "advice": "Measure it, and watch clock and power beside the frames."}


def knobs(root: Path, gpus: Iterable[tuple[str, str]]) -> dict[str, Knob]:
    """What the drivers of these GPUs have of them, by setting and device.

    Args:
        gpus: the name and address of each.
    """
    return {f"{knob.setting.name}@{name}": knob for name, address in gpus
            for knob in _of(root / PCI / address, f"pci/{address}")}


def _of(device: Path, place: str) -> Iterator[Knob]:
    yield from _clocks(device, place)
    for cap in sorted(device.glob("hwmon/hwmon*/power1_cap"))[:1]:
        low, high = number_in(cap.with_name("power1_cap_min")), number_in(cap.with_name("power1_cap_max"))
        stock = number_in(cap.with_name("power1_cap_default")) or number_in(cap)
        if stock and high:
            yield Knob(setting("gpu.power-cap", "Power cap of the GPU", "whole", stock // MICROWATTS, unit="W",
                               low=(low or 0) // MICROWATTS, high=high // MICROWATTS, **DISPUTED,
                               trades="A lower cap is cooler and quieter, and slower under load; a higher one the "
                                      "reverse."),
                       (cap,), times=MICROWATTS, places={cap: f"{place}/power-cap"})
    if (policy := device / POLICY).is_file():
        yield Knob(setting("gpu.clock-level", "Clock level of the GPU", "choice", "auto",
                           choices=tuple(dict.fromkeys([*POLICIES, text_in(policy) or "auto"])), **DISPUTED,
                           trades="Holding the clock high removes slow frames after quiet moments, and costs power "
                                  "and heat."), (policy,), places={policy: f"{place}/clock-level"})


def _clocks(device: Path, place: str) -> Iterator[Knob]:
    for folder, least, highest, lowest, top in CLOCKS:
        for result in sorted(device.glob(folder))[:1]:
            low, high = number_in(result / lowest), number_in(result / top)
            if not low or not high or not (result / least).is_file() or not (result / highest).is_file():
                continue
            for end, file, stock in (("least", result / least, low), ("highest", result / highest, high)):
                yield Knob(setting(f"gpu.clock-{end}", f"{end.capitalize()} clock of the GPU", "whole", stock,
                                   unit="MHz", low=low, high=high, **DISPUTED,
                                   trades="Between these two the driver chooses the clock by the load."),
                           (file,), together="gpu clock", places={file: f"{place}/clock-{end}"})
            return
