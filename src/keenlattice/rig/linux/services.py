"""The player's own services, through systemd's manager of the user: which run; one is stopped, or started again.

The manager forgets it when the session ends, as the kernel does at a restart. What keeps a desktop going, sound and
input among it, is not offered.
"""

import subprocess
from collections.abc import Callable, Iterable
from fnmatch import fnmatch

from keenlattice.catalog.model import Setting
from keenlattice.errors import RefusedByRig, RigError
from keenlattice.rig.base import FactValue
from keenlattice.rig.noted import as_setting
from keenlattice.rig.stored import StoredSetting, Texts
from keenlattice.safejson import parse_json

PREFIX, RUNNING, STOPPED = "service/", "running", "stopped"
# The desktop itself, its sound, input, keys and doors: without them nothing is played.
NEEDED = ("*session*", "*wayland*", "*x11*", "at-spi*", "compositor*", "dbus*", "gamemode*", "gcr-*", "gnome-shell*",
          "gpg-agent*", "gvfs*", "ibus*", "init.scope", "kwin*", "pipewire*", "plasma-*", "pulseaudio*", "ssh-agent*",
          "sway*", "systemd-*", "user-*", "wireplumber*", "xdg-*", "xsettings*")
ANSWERS_WITHIN_S = 20.0
MOST = 200


class OwnServices:
    """Services that run for the player.

    Args:
        live: whether this machine is asked; a recorded tree has none.
        changed: names those that we have stopped or started: they stay, whatever they do now.
    """

    def __init__(self, live: bool, changed: Callable[[], Iterable[str]]) -> None:
        self._live, self._changed = live, changed
        self._known: list[str] | None = None  # from the first look on: a state has the same places as long as we run

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

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(PREFIX)

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        return f"the service {place.removeprefix(PREFIX)}" if self.owns(place) else ""

    def read(self) -> Texts:
        """Return whether each service runs."""
        if self._known == []:
            return {}
        running = set(self._running())
        if self._known is None:
            self._known = sorted({*running, *self._changed()})
        return {PREFIX + unit: RUNNING if unit in running else STOPPED for unit in self._known}

    def check(self, texts: Texts) -> None:
        """Everybody may stop their own."""

    def write(self, texts: Texts) -> None:
        """Stop or start some services.

        Raises:
            RefusedByRig: the manager does not.
        """
        for place, text in texts.items():
            if text is None:
                continue
            unit = place.removeprefix(PREFIX)
            code, output = _manager("start" if text == RUNNING else "stop", "--", unit)
            if code:
                raise RefusedByRig(f"{unit} cannot be made {text}: {' '.join(output.split())[:200]}")


def services(held: Texts) -> list[StoredSetting]:
    """A switch for each service that can be told to stop or start."""
    return [_switch(as_setting("service", place.removeprefix(PREFIX).removesuffix(".service")), place)
            for place in sorted(held)]


def _switch(key: str, place: str) -> StoredSetting:
    unit = place.removeprefix(PREFIX)
    return StoredSetting(key, Setting(
        name=key, title=f"Service {unit.removesuffix('.service')}", kind="switch", scope="rig",
        stock=True, restart="none", moves={"frame-tail": "down"}, sure="disputed",
        trades="Stopped, it does nothing in mid-game, and what it is there for is not done either.",
        where="systemctl --user lists what runs for you.",
        check=f"systemctl --user status {unit} says whether it is active.",
        advice="Most services sleep: measure it, and look which of them take time while you play."),
        lambda held: None if place not in held else held[place] == RUNNING,
        lambda value, held: {place: RUNNING if value else STOPPED})


def facts(held: Texts) -> dict[str, FactValue]:
    """How many of them run."""
    return {"own_services": sum(text == RUNNING for text in held.values())} if held else {}


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
