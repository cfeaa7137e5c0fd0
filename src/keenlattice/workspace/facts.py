"""The facts of a rig: what it says of itself, and what a player says of one that is changed by hand."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from keenlattice._door import check_methods
from keenlattice.errors import UsageError, counted
from keenlattice.quickly import dataclass
from keenlattice.rig.factnames import FACTS, OF_A_DEVICE, device_names, named
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.result import Result, Rows

if TYPE_CHECKING:
    from keenlattice.rig.base import FactValue


@dataclass(frozen=True, repr=False)
class FactsResult(Result):
    """What the rig says of itself."""

    SCHEMA: ClassVar[str] = "facts"

    rig: str
    facts: "Mapping[str, FactValue]"
    devices: tuple[str, ...]

    def _rows(self) -> Rows:
        return [{"fact": name, "value": value} for name, value in self.facts.items()]

    def _caption(self) -> str:
        return f"{self.rig}: {counted(len(self.facts), 'fact')}"


@dataclass(frozen=True, repr=False)
class FactNames(Result):
    """The facts that there are, and what each is."""

    SCHEMA: ClassVar[str] = "fact-names"

    names: Mapping[str, str]

    def _rows(self) -> Rows:
        return [{"fact": name, "what it is": meaning} for name, meaning in self.names.items()]

    def _caption(self) -> str:
        return counted(len(self.names), "fact")


@check_methods
class Facts:
    """What a rig says of itself."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened

    def list(self) -> FactsResult:
        """What the rig says of itself; units are in the names."""
        return FactsResult(self._opened.rig_name, dict(self._opened.rig.facts()), self._opened.rig.devices())

    def names(self) -> FactNames:
        """The facts that there are, and what each is; those of a device are named after it."""
        of_devices = [(f"{device}_{name}", entry) for device in self._opened.rig.devices()
                      for name, entry in OF_A_DEVICE.items()]
        return FactNames({name: f"{entry} ({kind})" for name, (kind, entry) in [*FACTS.items(), *of_devices]})

    def here(self) -> "dict[str, FactValue]":
        """What this machine says of itself: system, cores, threads, memory. For `tell_facts`, if this is the rig.

        Raises:
            UsageError: the rig tells its facts itself.
            NeedsInstalling: the package that asks the system is missing.
        """
        from keenlattice.rig.player.machine import facts_here

        self.questions()
        return facts_here()

    def questions(self) -> Mapping[str, str]:
        """The facts that are asked for, of a rig whose facts are typed in, and how.

        Raises:
            UsageError: the rig tells its facts itself.
        """
        from keenlattice.rig.base import TakesFacts

        if not isinstance(self._opened.rig, TakesFacts):
            raise UsageError("this rig tells its facts itself; only those of --rig byhand are typed in")
        return self._opened.rig.questions()

    def tell(self, facts: "Mapping[str, FactValue | None]", file: Path | str | None = None,
                   devices: Sequence[str] | None = None) -> FactsResult:
        """Keeps what a player knows of a rig whose facts are typed in.

        Args:
            facts: by name, as in `fact_names`; None takes one out.
            file: a TOML file with a table `facts`, and a list `devices`, instead of what was kept before.
            devices: all devices that settings can be addressed to; those that are known, if not given.

        Raises:
            UnknownName: no such fact.
            UsageError: the rig tells its facts itself; or what is not such a fact or device, or no such file.
            RigError: the file cannot be read.
        """
        from keenlattice.rig.base import TakesFacts
        from keenlattice.rig.player.machine import read_about

        self.questions()
        assert isinstance(self._opened.rig, TakesFacts)
        if file and not Path(file).is_file():
            raise UsageError(f"there is no file {file}")
        facts_before, before = read_about(Path(file)) if file else self._opened.rig.told_facts()
        has = device_names(before if devices is None else devices)
        facts_now = {**(named(facts_before, has) if file else facts_before), **named(facts, has, list(facts_before))}
        self._opened.rig.keep_facts({name: value for name, value in facts_now.items() if value is not None}, has)
        return self.list()
