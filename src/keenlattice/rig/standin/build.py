"""What a stand-in is made of: its hardware, as it reports it, and how far each setting acts on it."""

from collections.abc import Mapping
from dataclasses import field

from keenlattice.quickly import dataclass

FactValue = bool | int | float | str


@dataclass(frozen=True)
class Build:
    """A stand-in's hardware.

    Args:
        name: the rig's.
        hardware: what it says of itself that no setting changes.
        best_refresh_hz: of its panel.
        cpu_share, gpu_share: how long a frame takes on either, as a multiple of Juniper's time.
        warming: by how much the GPU's frames grow longer once the case is warm: 0.02 for 2 %.
        copy_ms: what it takes to hand a frame to the integrated GPU, where the panel is plugged in there; nothing of
            it is left if the output is the other's (`gpu.output`).
        responds: setting to how far it acts: 1 as on Juniper, 0 not at all, less than 0 the other way. It is the power
            that the factor of `mechanisms` is raised to, or a multiple of how often something comes.
    """

    name: str
    hardware: Mapping[str, FactValue]
    best_refresh_hz: int = 165
    cpu_share: float = 1.0
    gpu_share: float = 1.0
    warming: float = 0.02
    copy_ms: float = 0.0
    responds: Mapping[str, float] = field(default_factory=dict)

    def strength(self, setting: str) -> float:
        """How far a setting acts."""
        return self.responds.get(setting, 1.0)


JUNIPER = Build("juniper", {
    "cpu": "Quill 8-core", "cores": 8, "threads": 16, "ram_mib": 16384, "memory_rated_mts": 3600, "gpu": "Basalt 70",
    "other_gpu": "Basalt Mini (integrated)", "vram_mib": 8192, "panel": "Heron 27-inch", "panel_on_integrated": False})
"""The rig of the demo."""
