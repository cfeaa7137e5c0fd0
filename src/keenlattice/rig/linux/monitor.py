"""A monitor, and what it can do, no matter who reports it."""

from keenlattice.quickly import dataclass


@dataclass(frozen=True, order=True)
class Mode:
    """A resolution in pixels, and a refresh rate in Hz."""

    width: int
    height: int
    refresh_hz: float

    @property
    def resolution(self) -> str:
        return f"{self.width}x{self.height}"

    @property
    def text(self) -> str:
        """As it is kept: `1280x800@59.81`."""
        return f"{self.resolution}@{self.refresh_hz:.2f}"


@dataclass(frozen=True)
class Monitor:
    """What is known of a monitor.

    Args:
        name: of the output that it is plugged into.
        on: the mode that is on.
        modes: all that it takes.
        preferred: the resolution that it prefers, its own.
        alone: whether it is the only one that is on.
    """

    name: str
    on: Mode
    modes: tuple[Mode, ...]
    preferred: str
    alone: bool

    def rates(self, resolution: str) -> list[float]:
        """The refresh rates of a resolution, rising."""
        return sorted({mode.refresh_hz for mode in self.modes if mode.resolution == resolution})
