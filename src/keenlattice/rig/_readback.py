"""Reading back: whether a rig holds what it was given."""

from typing import TYPE_CHECKING, NamedTuple

from keenlattice.catalog.values import Value

if TYPE_CHECKING:
    from keenlattice.rig._journal import Wanted
    from keenlattice.rig.base import Rig


class Misread(NamedTuple):
    """A value that reads back otherwise: whose, which, what the rig holds, and what it was given; None for unset."""

    owner: str
    key: str
    held: Value | None
    wanted: Value | None

    @property
    def told(self) -> str:
        """Both values, in words."""
        return f"reads back {_shown(self.held)}, not {_shown(self.wanted)}"


def misread(rig: "Rig", wanted: "Wanted") -> list[Misread]:
    """Every value that the rig, as it stands, holds otherwise than is wanted."""
    state, found = rig.state(), []
    for owner, values in wanted.items():
        held = rig.values(state, owner)
        found += [Misread(owner, key, held.get(key), value) for key, value in values.items() if held.get(key) != value]
    return found


def _shown(value: Value | None) -> str:
    return "unset" if value is None else str(value)
