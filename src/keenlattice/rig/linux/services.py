"""The player's own services, through systemd's manager of the user: which run; one is stopped, or started again.

The manager forgets it when the session ends, as the kernel does at a restart. What keeps a desktop going, sound and
input among it, is not offered.
"""

import subprocess
from fnmatch import fnmatch
from functools import cached_property

from keenlattice._safejson import parse_json
from keenlattice.catalog.model import Setting
from keenlattice.errors import RefusedByRig, RigError
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.base import Edits, FactValue, State
from keenlattice.rig.noted import Noted, as_setting
from keenlattice.rig.parts import Part

RUNNING, STOPPED = "running", "stopped"
# The desktop itself, its sound, input, keys and doors: without them nothing is played.
NEEDED = ("*session*", "*wayland*", "*x11*", "at-spi*", "compositor*", "dbus*", "gamemode*", "gcr-*", "gnome-shell*",
          "gpg-agent*", "gvfs*", "ibus*", "init.scope", "kwin*", "pipewire*", "plasma-*", "pulseaudio*", "ssh-agent*",
          "sway*", "systemd-*", "user-*", "wireplumber*", "xdg-*", "xsettings*")
ANSWERS_WITHIN_S = 20.0
MOST = 200


class Services(Part):
    """Services that run for the player.

    Args:
        noted: where is noted down which ran.
        live: whether this machine is asked; a recorded tree has none.
    """

    def __init__(self, noted: Noted, live: bool) -> None:
        self._noted, self._live = noted, live

    @cached_property
    def _units(self) -> dict[str, str]:
        """The services that can be told to stop or start, by setting: what runs now, and what we have stopped."""
        units = {as_setting("service", unit.removesuffix(".service")): unit for unit in self._running()}
        noted_units = {unit for unit in self._noted.read(self._noted.state()).values() if unit}
        return {**units, **{as_setting("service", unit.removesuffix(".service")): unit for unit in noted_units}}

    def _running(self) -> list[str]:
        if not self._live:
            return []
        code, output = _manager("list-units", "--type=service", "--state=active", "--output=json")
        try:
            units = [str(unit["unit"]) for unit in parse_json(output)] if not code else []
        except (ValueError, TypeError, KeyError):
            return []
        return [unit for unit in units if unit.endswith(".service") and
                not any(fnmatch(unit, pattern) for pattern in NEEDED)][:MOST]

    def settings(self) -> list[Setting]:
        return [Setting(
            name=name, title=f"Service {unit.removesuffix('.service')}", kind="switch", scope="rig",
            stock=True, restart="none", moves={"frame-tail": "down"}, sure="disputed",
            trades="Stopped, it does nothing in mid-game, and what it is there for is not done either.",
            where="systemctl --user lists what runs for you.",
            check=f"systemctl --user status {unit} says whether it is active.",
            advice="Most services sleep: measure it, and look which of them take time while you play.")
            for name, unit in sorted(self._units.items())]

    def facts(self) -> dict[str, FactValue]:
        return {"own_services": len(self._running())} if self._units else {}

    def in_words(self, place: str) -> str:
        return f"the service {place.partition('/')[2]}" if place.startswith("service/") else ""

    def covers(self, owner: str, key: str) -> bool:
        return owner == WHOLE_RIG and key in self._units

    def step_of(self, key: str) -> str:
        return key

    def state(self) -> State:
        running = set(self._running()) if self._units else set()
        return {**self._noted.state(), **{
            _place(unit): (RUNNING if unit in running else STOPPED).encode() for unit in self._units.values()}}

    def values(self, state: State, owner: str) -> Entries:
        if owner != WHOLE_RIG:
            return {}
        return {key: state.get(_place(unit)) == RUNNING.encode() for key, unit in self._noted.read(state).items()
                if unit and key in self._units}

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        noted, then = self._noted.read(state), dict[str, bytes | None]()
        for key, value in changes.items():
            unit = self._units[key]
            if value is None:
                noted.pop(key, None)
            else:
                noted[key] = unit
            then[_place(unit)] = (STOPPED if value is False else RUNNING).encode()
        return {**then, **self._noted.content(noted)}

    def put(self, state: State) -> None:
        self._noted.put(state)
        for unit in self._units.values():
            wanted = state.get(_place(unit))
            if wanted is None:
                continue
            code, output = _manager("start" if wanted == RUNNING.encode() else "stop", "--", unit)
            if code:
                raise RefusedByRig(f"{unit} cannot be made {wanted.decode()}: {' '.join(output.split())[:200]}")


def _place(unit: str) -> str:
    return f"service/{unit}"


def _manager(*words: str) -> tuple[int, str]:
    """What the manager of the player's services says; an error code where there is none."""
    try:
        done = subprocess.run(["systemctl", "--user", "--no-pager", *words], capture_output=True, text=True,
                              stdin=subprocess.DEVNULL, timeout=ANSWERS_WITHIN_S, errors="replace")
    except FileNotFoundError:
        return 127, "this machine has no systemctl"
    except subprocess.TimeoutExpired:
        raise RigError(f"systemctl --user {words[0]} gave no answer in {ANSWERS_WITHIN_S:.0f} s") from None
    return done.returncode, done.stdout if not done.returncode else done.stderr
