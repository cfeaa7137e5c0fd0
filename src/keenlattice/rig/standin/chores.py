"""The stand-in's chores. But for the driver update, none of them acts on the frame pipeline."""

import json
from collections.abc import Mapping
from pathlib import Path

from keenlattice._files import replace_file
from keenlattice._safejson import parse_json
from keenlattice.catalog.values import Value
from keenlattice.errors import RigError
from keenlattice.rig.base import Chore

MACHINE = "machine"
"""The owner of what belongs to no profile: the driver's number, and what lies about on the disk."""

AT_FIRST: Mapping[str, int] = {"driver": 31, "shader_cache_mib": 1840, "temporary_mib": 3270}
FOR_GOOD = "machine.json"
FOR_GOOD_AT_FIRST = {"standby_mib": 5120, "damaged_files": 2}
DRIVERS_OWN = ("frame.", "sync.", "texture.", "antialias.", "scaling.", "shader.", "driver.", "gpu.")

CHORES = (
    Chore("update-driver", "Installs the next driver, which puts what belongs to the driver back to stock, for the "
                           "whole rig and for every game.", rights=True),
    Chore("clear-shader-cache", "Sets the compiled shaders aside; games compile them anew. For when they are damaged: "
                                "it does not make anything faster."),
    Chore("clear-temporary-files", "Sets the temporary files aside. It makes room, and nothing faster."),
    Chore("purge-standby-memory", "Drops what the system keeps in memory in case it is needed again; it is read anew "
                                  "from the disk then.", rights=True, undoable=False),
    Chore("verify-game-files", "Compares the games' files with what was published, and fetches those that are damaged.",
          undoable=False),
)


def with_driver_stock(held: Mapping[str, Mapping[str, Value]]) -> dict[str, dict[str, Value]]:
    """What is held after a driver update: the next driver, and none of the values that are the driver's own."""
    then = {owner: {key: value for key, value in entries.items() if not key.startswith(DRIVERS_OWN)}
            for owner, entries in held.items()}
    then[MACHINE] = {**then.get(MACHINE, {}), "driver": machine(held, "driver") + 1}
    return then


def machine(held: Mapping[str, Mapping[str, Value]], what: str) -> int:
    """A number of the machine's own."""
    return int(held.get(MACHINE, {}).get(what, AT_FIRST[what]))


def emptied(held: Mapping[str, Mapping[str, Value]], what: str) -> tuple[dict[str, Mapping[str, Value]], str]:
    """What is held once something is cleared, and what is said of it."""
    mib = machine(held, what)
    where = {"shader_cache_mib": "the shader cache", "temporary_mib": "the temporary files"}[what]
    said = f"{mib} MiB of {where} are set aside; undo brings them back" if mib else f"there is nothing in {where}"
    return {**held, MACHINE: {**held.get(MACHINE, {}), what: 0}}, said


def for_good(home: Path) -> dict[str, int]:
    """What no restore point brings back: memory, and the games' own files."""
    path = home / FOR_GOOD
    try:
        told = {**FOR_GOOD_AT_FIRST, **(parse_json(path.read_bytes()) if path.exists() else {})}
        return {name: int(told[name]) for name in FOR_GOOD_AT_FIRST}
    except (OSError, ValueError, TypeError):
        raise RigError(f"{path} is damaged: remove it, and the machine is as it was at first") from None


def settle_for_good(home: Path, what: str) -> None:
    """Makes one of these nothing."""
    replace_file(home / FOR_GOOD, json.dumps({**for_good(home), what: 0}).encode())
