"""The rig Juniper: what it is made of, and its state in a folder."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Catalog, Restart, Setting
from keenlattice.catalog.values import Value, same
from keenlattice.errors import RefusedByRig, RigError, UnknownName
from keenlattice.files import replace_file
from keenlattice.measure.capture import Capture
from keenlattice.profile.game import Game
from keenlattice.profile.layers import resolve
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.base import Changes, Facts, State, game_of
from keenlattice.rig.standin.games import GAMES
from keenlattice.rig.standin.mechanisms import pipeline
from keenlattice.rig.standin.pipeline import simulate

STATE, RUNNING = "state.json", "running.json"
DEVICES = ("gpu0", "gpu1", "net0", "usb0", "sound0", "disk0")
LINE_ONLY = ("sound0",)
SHARED_LINE = ("usb0", "sound0")
BEST_REFRESH_HZ = 165
MACHINE, FIRST_DRIVER = "machine", 31  # what of the state belongs to no profile
DRIVERS_OWN = ("frame.", "sync.", "texture.", "antialias.", "scaling.", "shader.", "driver.", "gpu.")
WAITS_FOR: dict[Restart, tuple[Restart, ...]] = {
    "none": (), "game": (), "driver": ("driver",), "machine": ("driver", "machine")}


class Standin:
    """The rig Juniper, kept in a folder.

    Args:
        home: the folder; made where it is not there yet.
        rights: whether settings that need rights can be written.
        more: settings beside the catalog's; they are kept, and act on nothing.

    Raises:
        RigError: the folder cannot be made.
    """

    name = "juniper"

    def __init__(self, home: Path, *, rights: bool = True, more: Sequence[Setting] = ()) -> None:
        self.home = home
        self._rights = rights
        self._catalog = catalog().with_more(more) if more else catalog()
        try:
            home.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise RigError(f"cannot make the stand-in rig in {home}: {error.strerror}") from None

    def facts(self) -> Facts:
        rig = self._in_effect(WHOLE_RIG)
        return {
            "os": "Marl 4", "case_matters": False, "cpu": "Quill 8-core", "cores": 8, "threads": 16, "ram_mib": 16384,
            "memory_speed_mts": 3600 if rig["memory.rated-speed"] is True else 2666, "memory_rated_mts": 3600,
            "gpu": "Basalt 70", "other_gpu": "Basalt Mini (integrated)", "vram_mib": 8192,
            "driver_version": f"{self._driver(self.state())}.4",
            "panel": "Heron 27-inch", "refresh_hz": int(rig["display.refresh"]), "best_refresh_hz": BEST_REFRESH_HZ,
            "hardware_scheduling": True, "panel_on_integrated": False, "gpu1_integrated": True,
            "board_power_limit": 110, "board_temperature_limit": 88, "timer_finest_ms": 0.5, "timer_coarsest_ms": 15.6,
            **{f"{device}_message": device not in LINE_ONLY for device in DEVICES},
            **{f"{device}_shares_line": device in SHARED_LINE for device in DEVICES},
        }

    def devices(self) -> tuple[str, ...]:
        return DEVICES

    def games(self) -> tuple[Game, ...]:
        return tuple(game for game, _ in GAMES.values())

    def catalog(self) -> Catalog:
        return self._catalog

    def state(self) -> State:
        path = self.home / STATE
        try:
            return {STATE: path.read_bytes() if path.exists() else None}
        except OSError as error:
            raise RigError(f"cannot read the rig's state {path}: {error.strerror}") from None

    def values(self, state: State, owner: str) -> Entries:
        return self._parsed(state).get(owner, {})

    def changed(self, state: State, owner: str, changes: Changes) -> State:
        held = self._parsed(state)
        for key, value in changes.items():
            if value is not None:
                self._refuse(key, value)
        entries = {**held.get(owner, {}), **changes}
        held[owner] = {key: value for key, value in entries.items() if value is not None}
        return {STATE: _as_text(held)}

    def put(self, state: State) -> None:
        self._check_rights(state)
        content = state[STATE]
        try:
            if content is None:
                (self.home / STATE).unlink(missing_ok=True)
            else:
                replace_file(self.home / STATE, content)
        except OSError as error:
            raise RigError(f"cannot write the rig's state {self.home / STATE}: {error.strerror}; it is as before"
                           ) from None

    def restart(self, what: Restart) -> None:
        waiting = {setting.name for setting in self.catalog() if setting.restart in WAITS_FOR[what]}
        wanted = self._parsed(self.state()).get(WHOLE_RIG, {})
        running = {key: value for key, value in self._running().items() if key.partition("@")[0] not in waiting}
        running |= {key: value for key, value in wanted.items() if key.partition("@")[0] in waiting}
        replace_file(self.home / RUNNING, json.dumps(running).encode())

    def pending(self) -> Mapping[str, Restart]:
        wanted, running, waiting = self._parsed(self.state()).get(WHOLE_RIG, {}), self._running(), self._waiting()
        keys = sorted(key for key in {*wanted, *running} if key.partition("@")[0] in waiting)
        now = {key: running.get(key, self._catalog[key].stock) for key in keys}
        return {key: self._catalog[key].restart for key in keys
                if not same(now[key], wanted.get(key, self._catalog[key].stock))}

    def chores(self) -> Mapping[str, str]:
        return {"update-driver": "Installs the next driver, which puts what belongs to the driver back to stock, "
                                 "for the whole rig and for every game."}

    def after_chore(self, state: State, chore: str) -> State:
        if chore not in self.chores():
            raise UnknownName("chore", chore, self.chores())
        held = {owner: {key: value for key, value in entries.items() if not key.startswith(DRIVERS_OWN)}
                for owner, entries in self._parsed(state).items()}
        held[MACHINE] = {"driver": self._driver(state) + 1}
        return {STATE: _as_text(held)}

    def _driver(self, state: State) -> int:
        return int(self._parsed(state).get(MACHINE, {}).get("driver", FIRST_DRIVER))

    def _waiting(self) -> set[str]:
        return {setting.name for setting in self._catalog if setting.restart in ("driver", "machine")}

    def play(self, game: str, seconds: float, seed: int) -> Capture:
        load = GAMES[game_of(self, game).name][1]
        capture = simulate(pipeline(load, self._in_effect(game)), seconds, seed)
        return replace(capture, about={"seed": seed, "seconds": seconds, "facts": dict(self.facts())})

    def _in_effect(self, owner: str) -> Mapping[str, Value]:
        """What the running machine works by: settings that wait for a restart still hold their old values."""
        held = self._parsed(self.state())
        waiting = self._waiting()
        wanted = held.get(WHOLE_RIG, {})
        rig_wide = {key: value for key, value in wanted.items() if key.partition("@")[0] not in waiting}
        rig_wide |= self._running()
        game = {} if owner == WHOLE_RIG else held.get(owner, {})
        resolved = resolve(self.catalog(), rig_wide, game)
        return {key: one.value for key, one in resolved.items() if one.value is not None}

    def _running(self) -> dict[str, Value]:
        path = self.home / RUNNING
        held: dict[str, Value] = json.loads(path.read_bytes()) if path.exists() else {}
        return held

    def _parsed(self, state: State) -> dict[str, dict[str, Value]]:
        try:
            held = json.loads(state[STATE] or b"{}")
            return {str(owner): dict(entries) for owner, entries in held.items()}
        except (ValueError, AttributeError, TypeError):
            raise RigError(f"the rig's state {self.home / STATE} is damaged: put it back from a copy, or remove it "
                           "to start at stock") from None

    def _refuse(self, key: str, value: Value) -> None:
        device = key.partition("@")[2]
        if key.startswith("interrupt.mode@") and value == "message" and device in LINE_ONLY:
            raise RefusedByRig(f"{key}: this device has no message-signalled interrupts; leave it at line")
        if key == "display.refresh" and isinstance(value, int | float) and value > BEST_REFRESH_HZ:
            raise RefusedByRig(f"{key}: the panel goes up to {BEST_REFRESH_HZ} Hz, not {value}")

    def _check_rights(self, state: State) -> None:
        if self._rights:
            return
        now, then = self._parsed(self.state()).get(WHOLE_RIG, {}), self._parsed(state).get(WHOLE_RIG, {})
        closed = [key for key in sorted({*now, *then}) if now.get(key) != then.get(key) and self.catalog()[key].rights]
        if closed:
            raise RefusedByRig(f"writing {', '.join(closed)} needs an administrator's rights; nothing was written")


def _as_text(held: Mapping[str, Mapping[str, Value]]) -> bytes:
    kept = {owner: dict(sorted(entries.items())) for owner, entries in sorted(held.items()) if entries}
    return (json.dumps(kept, indent=1) + "\n").encode()
