"""A stand-in rig (Juniper, unless another build is given), and its state in a folder."""

import json
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice._state_folder import make_private
from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Catalog, Setting
from keenlattice.catalog.values import Restart, Value, same
from keenlattice.errors import RefusedByRig, RigError, UsageError
from keenlattice.files import read_bounded, replace_file
from keenlattice.profile.compare import Change
from keenlattice.profile.layers import resolve
from keenlattice.profile.matching import Game
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.base import Chore, Edits, Facts, Outcome, State, game_of, one_by_one
from keenlattice.rig.gamefiles import GameFiles
from keenlattice.rig.places import put_file
from keenlattice.rig.standin.build import JUNIPER, Build
from keenlattice.rig.standin.games import (
    CHORES,
    GAMES,
    emptied,
    for_good,
    listed_games,
    machine,
    settle_for_good,
    with_driver_stock,
)
from keenlattice.rig.standin.mechanisms import Pipeline, crashes_per_s, pipeline
from keenlattice.safejson import parse_json

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture

STATE, RUNNING = "state.json", "running.json"
DEVICES = ("gpu0", "gpu1", "net0", "usb0", "sound0", "disk0")
LINE_ONLY = ("sound0",)
SHARED_LINE = ("usb0", "sound0")
MOST_BYTES = 4_000_000
MOST_KEPT = 16  # states of which it is known what the machine works by
WAITS_FOR: dict[Restart, tuple[Restart, ...]] = {
    "none": (), "game": (), "driver": ("driver",), "machine": ("driver", "machine")}


class Standin:
    """A fictional rig, kept in a folder.

    Args:
        home: the folder; made where it is not there yet.
        rights: whether settings that need rights can be written.
        more: settings beside the catalog's; they are kept, and act on nothing.
        build: what it is made of.

    Raises:
        RigError: the folder cannot be made.
    """

    def __init__(self, home: Path, *, rights: bool = True, more: Sequence[Setting] = (),
                 build: Build = JUNIPER) -> None:
        self.home = home
        self.build = build
        self.name = build.name
        self.place = STATE
        self._rights = rights
        self._works_by: dict[tuple[object, ...], tuple[Mapping[str, Value], Facts]] = {}
        try:
            make_private(home)
            self._files = GameFiles(listed_games(home), home)
        except OSError as error:
            raise RigError(f"cannot make the stand-in rig in {home}: {error.strerror}") from None
        self._catalog = catalog().with_more([*self._files.settings(), *more])
        self._waiting = {setting.name for setting in self._catalog if setting.restart in ("driver", "machine")}

    def facts(self) -> Facts:
        return dict(self._in_effect(WHOLE_RIG, self.state(), self._running())[1])

    def _facts(self, state: State, rig: Mapping[str, Value]) -> Facts:
        return {
            "os": "Marl 4", "case_matters": False, **self.build.hardware,
            "memory_speed_mts": self.build.hardware["memory_rated_mts"] if rig["memory.rated-speed"] is True else 2666,
            "driver_version": f"{machine(self._parsed(state), 'driver')}.4",
            "refresh_hz": int(rig["display.refresh"]), "best_refresh_hz": self.build.best_refresh_hz,
            "hardware_scheduling": True, "gpu1_integrated": True,
            "board_power_limit": 110, "board_temperature_limit": 88, "timer_finest_ms": 0.5, "timer_coarsest_ms": 16.0,
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
            return {self.place: read_bounded(path, MOST_BYTES), **self._files.state()}
        except OSError as error:
            raise RigError(f"cannot read the rig's state {path}: {error.strerror}") from None

    def values(self, state: State, owner: str) -> Entries:
        return {**self._parsed(state).get(owner, {}), **self._files.values(state, owner)}

    def steps(self, owner: str, changes: Sequence[Change]) -> Sequence[Sequence[Change]]:
        return one_by_one(self._catalog, changes)

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        held = self._parsed(state)
        for key, value in changes.items():
            self._refuse(key, value)
        in_file = {key: value for key, value in changes.items() if self._files.covers(owner, key)}
        entries = {**held.get(owner, {}), **{key: value for key, value in changes.items() if key not in in_file}}
        held[owner] = {key: value for key, value in entries.items() if value is not None}
        then = {**state, self.place: as_text(held)} if len(in_file) < len(changes) else state
        return {**then, **self._files.changed(state, owner, in_file)} if in_file else then

    def put(self, state: State) -> None:
        self._files.put(state)
        if self.place not in state or state[self.place] == self.state()[self.place]:
            return
        self._check_rights(state)
        try:
            self._write(state[self.place])
        except OSError as error:
            raise RigError(f"cannot write the rig's state {self.home / STATE}: {error.strerror}") from None

    def _write(self, content: bytes | None) -> None:
        put_file(self.home / STATE, content)

    def restart(self, part: Restart) -> None:
        waiting = {setting.name for setting in self.catalog() if setting.restart in WAITS_FOR[part]}
        wanted = self._parsed(self.state()).get(WHOLE_RIG, {})
        running = {key: value for key, value in self._running().items() if key.partition("@")[0] not in waiting}
        running |= {key: value for key, value in wanted.items() if key.partition("@")[0] in waiting}
        replace_file(self.home / RUNNING, json.dumps(running).encode())

    def pending(self) -> Mapping[str, Restart]:
        wanted, running, waiting = self._parsed(self.state()).get(WHOLE_RIG, {}), self._running(), self._waiting
        keys = sorted(key for key in {*wanted, *running} if key.partition("@")[0] in waiting)
        now = {key: running.get(key, self._catalog[key].stock) for key in keys}
        return {key: self._catalog[key].restart for key in keys
                if not same(now[key], wanted.get(key, self._catalog[key].stock))}

    def chores(self) -> Sequence[Chore]:
        return CHORES

    def after_chore(self, state: State, chore: str) -> Outcome:
        held = self._parsed(state)
        if chore == "update-driver":
            updated = with_driver_stock(held)
            return Outcome({**state, self.place: as_text(updated)}, (f"driver {machine(held, 'driver')}.4 becomes "
                                                             f"{machine(updated, 'driver')}.4",))
        if chore in ("clear-shader-cache", "clear-temporary-files"):
            then, message = emptied(held, "shader_cache_mib" if chore == "clear-shader-cache" else "temporary_mib")
            return Outcome({**state, self.place: as_text(then)}, (message,))
        counter = "standby_mib" if chore == "purge-standby-memory" else "damaged_files"
        count = for_good(self.home)[counter]
        message = f"{count} MiB are dropped" if counter == "standby_mib" else f"{count} damaged files are fetched again"
        act: Callable[[], None] = lambda: settle_for_good(self.home, counter)  # noqa: E731
        return Outcome(state, (message if count else "there is nothing to do",), act)

    def play(self, game: str, seconds: float, seed: int) -> "Capture":
        from keenlattice.rig.standin.pipeline import crash_after_s, simulate  # what only looks at a rig needs no NumPy

        values, facts = self._in_effect(game, self.state(), self._running())
        if (lasts := crash_after_s(crashes_per_s(values), seed)) < seconds:
            raise RigError(f"the game crashed after {lasts:.0f} s, and the graphics driver was reset")
        return simulate(self._pipeline(game, values), seconds, seed,
                        {"seed": seed, "seconds": seconds, "facts": dict(facts)})

    def pipeline(self, game: str) -> Pipeline:
        """The frame pipeline of a game, as the settings in effect leave it: what a run is simulated with."""
        return self._pipeline(game, self._in_effect(game, self.state(), self._running())[0])

    def _pipeline(self, game: str, values: Mapping[str, Value]) -> Pipeline:
        return pipeline(GAMES[game_of(self, game).name][1], values, self.build)

    def _in_effect(self, owner: str, state: State, running: Mapping[str, Value]
                   ) -> tuple[Mapping[str, Value], Facts]:
        """What the running machine works by (settings that wait for a restart still hold their old values), and its
        facts. Runs in a row find the same few states, so what was made of these is kept."""
        seen = owner, *state.items(), *running.items()
        if seen not in self._works_by:
            values = self._resolved(owner, state, running)
            facts = self._facts(state, values) if owner == WHOLE_RIG else self._in_effect(WHOLE_RIG, state, running)[1]
            if len(self._works_by) >= MOST_KEPT:
                self._works_by.clear()
            self._works_by[seen] = values, facts
        return self._works_by[seen]

    def _resolved(self, owner: str, state: State, running: Mapping[str, Value]) -> Mapping[str, Value]:
        wanted = self.values(state, WHOLE_RIG)
        rig_wide = {key: value for key, value in wanted.items() if key.partition("@")[0] not in self._waiting}
        game = {} if owner == WHOLE_RIG else self.values(state, owner)
        resolved = resolve(self.catalog(), {**rig_wide, **running}, game)
        return {key: entry.value for key, entry in resolved.items() if entry.value is not None}

    def _running(self) -> dict[str, Value]:
        path = self.home / RUNNING
        try:
            held: dict[str, Value] = dict(parse_json(read_bounded(path, MOST_BYTES) or b"{}"))
            return {key: self._catalog[key].checked(value) for key, value in held.items()}
        except (OSError, ValueError, TypeError, AttributeError, UsageError):
            raise RigError(f"{path} is damaged, which says what the running machine works by: remove it, and the "
                           "machine has been restarted") from None

    def _parsed(self, state: State) -> dict[str, dict[str, Value]]:
        try:
            held = parse_json(state[self.place] or b"{}")
            return {str(owner): dict(entries) for owner, entries in held.items()}
        except (ValueError, AttributeError, TypeError):
            raise RigError(f"the rig's state {self.home / STATE} is damaged: put it back from a copy, or remove it "
                           "to start at stock") from None

    def _refuse(self, key: str, value: Value | None) -> None:
        if self._catalog[key].rights and not self._may_write():
            raise RefusedByRig(f"writing {key} needs an administrator's rights, which are missing")
        _, _, device = key.partition("@")
        if device and device not in self.devices() and value is not None:
            raise RefusedByRig(f"{key}: the device {device} is gone")
        if key.startswith("interrupt.mode@") and value == "message" and device in LINE_ONLY:
            raise RefusedByRig(f"{key}: this device has no message-signalled interrupts; leave it at line")
        if key == "display.refresh" and isinstance(value, int | float) and value > self.build.best_refresh_hz:
            raise RefusedByRig(f"{key}: the panel goes up to {self.build.best_refresh_hz} Hz, not {value}")

    def _may_write(self) -> bool:
        return self._rights

    def _check_rights(self, state: State) -> None:
        if self._rights:
            return
        now, then = self._parsed(self.state()).get(WHOLE_RIG, {}), self._parsed(state).get(WHOLE_RIG, {})
        closed = [key for key in sorted({*now, *then}) if now.get(key) != then.get(key) and self.catalog()[key].rights]
        if closed:
            raise RefusedByRig(f"writing {', '.join(closed)} needs an administrator's rights; nothing was written")


def as_text(held: Mapping[str, Mapping[str, Value]]) -> bytes:
    kept = {owner: dict(sorted(entries.items())) for owner, entries in sorted(held.items()) if entries}
    return (json.dumps(kept, indent=1) + "\n").encode()
