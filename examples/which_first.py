"""Changes from a list, and a rig that nobody has seen: which to try first? Asked of what two dozen others found.

Run it anywhere: `python examples/which_first.py [FOLDER]`. The others are made up, and so are their rigs. It leaves
their evidence, a logbook, a figure and a page in FOLDER.
"""

import sys
import tempfile
from pathlib import Path

from league import LIST, FleetPlan, play_fleet, rig_of  # beside this file

import keenlattice as keen
from keenlattice.rig import Standin

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
mine = rig_of(seed=99, number=0)  # of another population than theirs
with keen.open(folder / "logbook", Standin(folder / "rig", build=mine.build)) as ws:
    play_fleet(FleetPlan(players=16, tries=14, seconds=3, screens=True), folder / "league")
    pool = ws.pool.read(folder / "league")
    print(pool)

    listed = ws.edit(mine.game, {
        key: value for key, value in LIST.items() if ws.rig.machine.catalog()[key].scope == "game"},
                     note="what the list said")
    order = ws.pool.order(f"{mine.game}@stock", listed)
    print(order)

    first = order.order[0]
    change = ws.edit(f"{mine.game}@stock", {first.change[0].key: first.change[0].after}, note="the pool's first")
    print(ws.trial(f"{mine.game}@stock", change, blocks=first.blocks, seconds=20, seed=1))
    pool.figure().save(folder / "pool.png")
    pool.report().save(folder / "pool.html")
