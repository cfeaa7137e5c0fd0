"""A whole rig in one file: the machine in the cupboard. Its settings are one JSON file, and what it plays is made up.

Installed (`pip install examples/a_rig_of_your_own`), it is a rig like any other:

    keen edit brass-orbit frame.cap=100 --rig cupboard
    keen trial brass-orbit@stock brass-orbit --decides frame_ms_p50 --rig cupboard

It can be looked at, written and played. It cannot be restarted and does no chores: so it has no methods for that.
"""

import json
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from keenlattice.catalog import Catalog, catalog
from keenlattice.measure import Capture
from keenlattice.profile import Change, Entries, Game, with_changes
from keenlattice.rig import Edits, Facts, State, one_by_one, put_file

PLACE = "settings.json"  # relative to its home, so that that can be moved


class Cupboard:
    """The machine in the cupboard.

    Args:
        home: its folder, which Keen Lattice gives it.
    """

    name = "cupboard"

    def __init__(self, home: Path) -> None:
        self.home = home

    def facts(self) -> Facts:
        return {"refresh_hz": 144, "ram_mib": 8192, "threads": 8}

    def devices(self) -> tuple[str, ...]:
        return ()

    def games(self) -> tuple[Game, ...]:
        return (Game("brass-orbit", "Brass Orbit", ("orbit",)),)

    def catalog(self) -> Catalog:
        return catalog()

    def state(self) -> State:
        path = self.home / PLACE
        return {PLACE: path.read_bytes() if path.exists() else None}

    def values(self, state: State, owner: str) -> Entries:
        entries: Entries = json.loads(state[PLACE] or b"{}").get(owner, {})
        return entries

    def steps(self, owner: str, changes: Sequence[Change]) -> Sequence[Sequence[Change]]:
        return one_by_one(self.catalog(), changes)

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        everything = json.loads(state[PLACE] or b"{}")
        everything[owner] = with_changes(everything.get(owner, {}), changes)
        return {PLACE: json.dumps(everything).encode()}

    def put(self, state: State) -> None:
        for place, content in state.items():
            put_file(self.home / place, content)

    def play(self, game: str, seconds: float, seed: int) -> Capture:
        random = np.random.default_rng(seed)
        cap = self.values(self.state(), game).get("frame.cap", "off")
        least_ms = 1000 / float(cap) if cap != "off" else 0.0
        frames_ms = np.maximum(random.gamma(40, 0.2, int(seconds * 125)), least_ms)
        return Capture(np.cumsum(frames_ms), about={"rig": self.name, "seed": seed})
