"""The values that a setting can hold, and their one written form."""

from typing import Final, Literal

Value = bool | int | float | str
"""What a setting holds. On the stand-in, in a version and in JSON alike."""

Restart = Literal["none", "game", "driver", "machine"]
RESTARTS: tuple[Restart, ...] = ("none", "game", "driver", "machine")
"""What has to restart before a value takes effect, the furthest-reaching last."""

GAME_DECIDES: Final = "game decides"
"""The explicit value that tells the driver to leave a setting to the game; not the same as unset."""

WRITTEN_UNITS: Final = {"hz": "Hz", "mib": "MiB", "mhz": "MHz", "mv": "mV", "c": "°C"}


def written(value: Value | None, unit: str = "") -> str:
    """One value as a player reads it: `on`, `1.5 ms`, `game decides`; an unset one is a dash."""
    if value is None:
        return "-"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, str):
        return value
    unit = "frame" if unit == "frames" and value == 1 else WRITTEN_UNITS.get(unit, unit)
    number = f"{value:g}" if abs(value) < 1e6 else f"{value:.0f}" if value % 1 == 0 else str(value)
    return f"{number} {unit}".rstrip()


def same(first: Value | None, second: Value | None) -> bool:
    """Whether two values are the same to a rig: `1` and `1.0` are, `1` and `on` are not."""
    return first == second and isinstance(first, bool) == isinstance(second, bool)
