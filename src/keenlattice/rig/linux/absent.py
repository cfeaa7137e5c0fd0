"""What the catalog knows and a Linux rig does not have: why, setting by setting. Any system can read it."""

import tomllib
from collections.abc import Mapping
from functools import cache
from importlib import resources


@cache
def reasons() -> Mapping[str, str]:
    """Setting to why it is not there; of some, why it may not be on this machine."""
    text = (resources.files("keenlattice.rig.linux") / "absent.toml").read_text(encoding="utf-8")
    return {name: str(group["why"]) for group in tomllib.loads(text).values() for name in group["settings"]}
