"""What the catalog knows and a Linux rig does not write: why, setting by setting. Any system can read it."""

import tomllib
from collections.abc import Mapping
from functools import cache
from importlib import resources
from typing import Any

ASKED = ("asked", "in the game's file")
"""The ways of those that the player is asked to set, the latter where a game has no file that is known."""


@cache
def _groups() -> list[dict[str, Any]]:
    text = (resources.files("keenlattice.rig.linux") / "absent.toml").read_text(encoding="utf-8")
    return list(tomllib.loads(text).values())


@cache
def reasons() -> Mapping[str, str]:
    """Setting to why it is not there; of some, why it may not be on this machine."""
    return {name: str(group["why"]) for group in _groups() for name in group["settings"]}


@cache
def asked() -> frozenset[str]:
    """The settings that the player is asked to set: in a game's menu, a monitor's, the desktop's, the firmware's."""
    return frozenset(name for group in _groups() if group.get("how") in ASKED for name in group["settings"])
