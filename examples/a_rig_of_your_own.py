"""A whole rig in one file: its settings are one JSON file, and what it plays is made up.

Run it anywhere: `python examples/a_rig_of_your_own.py [FOLDER]`.
"""

import json
import sys
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np

from keenlattice import Capture, Logbook, Plan, apply, headline, run_trial, undo
from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Catalog, Restart
from keenlattice.errors import RigError
from keenlattice.files import replace_file
from keenlattice.profile.compare import Change, with_changes
from keenlattice.profile.game import Game
from keenlattice.profile.version import Entries
from keenlattice.rig.base import Changes, Facts, State, one_by_one
from keenlattice.rig.chores import Chore, Outcome


class Cupboard:
    """The machine in the cupboard, which keeps everything in `settings.json`."""

    name = "cupboard"

    def __init__(self, home: Path) -> None:
        self.home = home
        self._place = "settings.json"  # relative to its home, so that that can be moved

    def facts(self) -> Facts:
        return {"refresh_hz": 144, "ram_mib": 8192, "threads": 8}

    def devices(self) -> tuple[str, ...]:
        return ()

    def games(self) -> tuple[Game, ...]:
        return (Game("brass-orbit", "Brass Orbit", ("orbit",)),)

    def catalog(self) -> Catalog:
        return catalog()

    def state(self) -> State:
        path = self.home / self._place
        return {self._place: path.read_bytes() if path.exists() else None}

    def values(self, state: State, owner: str) -> Entries:
        entries: Entries = json.loads(state[self._place] or b"{}").get(owner, {})
        return entries

    def steps(self, owner: str, changes: Sequence[Change]) -> Sequence[Sequence[Change]]:
        return one_by_one(self.catalog(), changes)

    def changed(self, state: State, owner: str, changes: Changes) -> State:
        everything = json.loads(state[self._place] or b"{}")
        everything[owner] = with_changes(everything.get(owner, {}), changes)
        return {self._place: json.dumps(everything).encode()}

    def put(self, state: State) -> None:
        for place, content in state.items():
            if content is None:
                (self.home / place).unlink(missing_ok=True)
            else:
                self.home.mkdir(parents=True, exist_ok=True)
                replace_file(self.home / place, content)

    def restart(self, what: Restart) -> None:
        """Everything takes effect at once here."""

    def pending(self) -> Mapping[str, Restart]:
        return {}

    def chores(self) -> Sequence[Chore]:
        return ()

    def after_chore(self, state: State, chore: str) -> Outcome:
        raise RigError("there is nothing to do in the cupboard")

    def play(self, game: str, seconds: float, seed: int) -> Capture:
        random = np.random.default_rng(seed)
        cap = self.values(self.state(), game).get("frame.cap", "off")
        least_ms = 1000 / float(cap) if cap != "off" else 0.0
        frames_ms = np.maximum(random.gamma(40, 0.2, int(seconds * 125)), least_ms)
        return Capture(np.cumsum(frames_ms), about={"rig": self.name, "seed": seed})


folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
rig = Cupboard(folder / "cupboard")
with Logbook(folder / "logbook") as book:
    before = book.commit("brass-orbit", {}, note="as it was")
    after = book.commit("brass-orbit", {"frame.cap": 100}, note="steadier")
    print(headline(run_trial(rig, before, after, Plan(blocks=4, seconds=5, seed=1, decides="frame_ms_p50"))))
    apply(rig, book, after)
    print(f"on it now: {dict(rig.values(rig.state(), 'brass-orbit'))}")
    print(f"undone, exactly as before: {undo(rig, book).exactly}")
