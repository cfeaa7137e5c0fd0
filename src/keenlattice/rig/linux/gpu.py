"""How fast and how hungry the kernel's DRM drivers let a GPU run: limits of its clock, its power cap, its policy.

Each driver has its own files for it. They are found through the device's address on the bus, and so are its places
called, for the numbers of cards and sensors are given again at every start.
"""

from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from keenlattice.catalog.values import Value
from keenlattice.rig.linux.interrupts import PCI
from keenlattice.rig.linux.knobs import Knob, from_catalog, number_in, setting

MICROWATTS = 1_000_000
POLICY = "power_dpm_force_performance_level"
POLICIES: Mapping[Value, str] = {"with-load": "auto", "hold-high": "high", "save-power": "low"}
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
    yield from _power(device, place)
    if (policy := device / POLICY).is_file():
        yield Knob(from_catalog("gpu.clock-policy", scope="device"), (policy,), POLICIES,
                   places={policy: f"{place}/clock-policy"})


def _power(device: Path, place: str) -> Iterator[Knob]:
    """The limit of its power, in per cent of what the driver begins with; in watts where the driver does not say."""
    for cap in sorted(device.glob("hwmon/hwmon*/power1_cap"))[:1]:
        low, high, stock = (_watts(cap.with_name(f"power1_cap_{which}")) for which in ("min", "max", "default"))
        if high and stock:
            least, most = (float(round(100 * watts / stock)) for watts in (max(low, 1), high))
            yield Knob(from_catalog("gpu.power-limit", low=least, high=most), (cap,), _shares(max(low, 1), high, stock),
                       places={cap: f"{place}/power-limit"})
        elif high and (held := _watts(cap)):
            yield Knob(setting("gpu.power-cap", "Power cap of the GPU", "whole", held, unit="W", low=low, high=high,
                               **DISPUTED, trades="A lower cap is cooler and quieter, and slower under load; a higher "
                                                  "one the reverse."),
                       (cap,), times=MICROWATTS, places={cap: f"{place}/power-cap"})


def _shares(low: int, high: int, stock: int) -> dict[Value, str]:
    """The whole watts from `low` to `high` by their share of `stock`, in per cent; of several the nearest to it.

    >>> _shares(9, 12, 15)
    {60: '9000000', 67: '10000000', 73: '11000000', 80: '12000000'}
    """
    shares = {watts: 100 * watts / stock for watts in range(low, high + 1)}
    nearest = sorted(shares, key=lambda watts: abs(shares[watts] - round(shares[watts])), reverse=True)
    by_share = {round(shares[watts]): str(watts * MICROWATTS) for watts in nearest}  # the last one stays
    return {share: by_share[share] for share in sorted(by_share)}


def _watts(file: Path) -> int:
    return (number_in(file) or 0) // MICROWATTS


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
