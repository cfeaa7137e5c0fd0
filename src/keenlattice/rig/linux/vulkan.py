"""Vulkan on this machine: which driver draws, and what of the driver stack's options only Vulkan drivers know.

The stack has no query for those, as it has one for OpenGL. So they are taken from its own configuration files: what
these set for a Vulkan driver is an option of one.
"""

import json
from collections.abc import Iterable
from pathlib import Path

from keenlattice.catalog.model import Kind, Setting
from keenlattice.catalog.values import Value
from keenlattice.quickly import dataclass
from keenlattice.rig.linux.children import Asked
from keenlattice.rig.linux.entries import Entry

QUERY = Path(__file__).with_name("_vulkan_query.py")
CONFIGURED_AS = {3: "radv", 5: "anv", 18: "turnip", 19: "v3dv", 20: "panvk", 22: "venus", 24: "nvk"}
"""What a driver is called in the stack's configuration files, by its number in the open standard's list."""
BOTH = {"adaptive_sync"}
"""Options of the window-system loaders that either API has."""


@dataclass(frozen=True)
class VulkanDevice:
    """A device, and its driver as the configuration files call it; empty for one that reads none."""

    name: str
    driver: str


def ask() -> Asked:
    """Asks the loader, and does not wait for its answer."""
    return Asked(QUERY)


def devices(asked: Asked) -> list[VulkanDevice]:
    """The devices of this machine, the first being what most programs take; none where there is no Vulkan."""
    try:
        return [VulkanDevice(str(name), CONFIGURED_AS.get(number, "")) for name, number, _ in json.loads(
            asked.answer()[1])]
    except (TimeoutError, ValueError, TypeError):
        return []


def options(entries: Iterable[Entry]) -> dict[str, str]:
    """Options that configuration files set for a Vulkan driver, each with a value that it takes."""
    return {option: value for entry in entries if entry.device.get("driver") in CONFIGURED_AS.values()
            for option, value in entry.options.items()}


def settings(options: dict[str, str], declared: Iterable[str]) -> list[Setting]:
    """The options that only Vulkan drivers have, as settings of the domain `mesa`.

    Args:
        options: as `options` has them.
        declared: the options that the OpenGL driver declares.
    """
    others_declared = set(declared)
    return [_setting(option, value) for option, value in sorted(options.items()) if option not in others_declared]


def _setting(option: str, value: str) -> Setting:
    number = value.lstrip("-").isdigit()
    kind: Kind
    stock: Value
    kind, stock = ("switch", False) if value in ("true", "false") else ("whole", 0) if number else ("text", "")
    return Setting(
        name=f"mesa.{option.lower()}", title=f"Option of the Vulkan driver: {option}", kind=kind,
        stock=stock, scope="game", restart="game", sure="disputed", moves={"frame-time": "either"},
        trades="An option of the driver's own; its files set it for some games, and do not say what it trades.",
        inert="The program draws by OpenGL.", advice="Nobody has collected what it does: measure it.")


def draws_by(pids: Iterable[int]) -> str:
    """By which API some processes draw, from the libraries that they have loaded: "vulkan", "opengl", or "" if that
    cannot be told."""
    loaded = ""
    for pid in pids:
        try:
            loaded += (Path("/proc") / str(pid) / "maps").read_text(errors="replace")
        except OSError:
            continue
    if "/libvulkan.so" in loaded:
        return "vulkan"
    return "opengl" if any(name in loaded for name in ("/libGL.so", "/libGLX.so", "/libEGL.so")) else ""
