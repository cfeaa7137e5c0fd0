"""Does a short frame queue bring Brass Orbit's flippers closer to the hand? Asked of the stand-in rig.

Run it anywhere: `python examples/first_light.py [FOLDER]`. It leaves a logbook, a figure and a page in FOLDER.
"""

import sys
import tempfile
from pathlib import Path

import keenlattice as keen

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
ws = keen.open(folder / "logbook", rig="standin")
facts = ws.rig.facts.list().facts
print(f"{facts['gpu']} behind a panel at {facts['refresh_hz']} Hz")

quick = ws.edit("brass-orbit", {"frame.queue-depth": 1}, note="flippers sooner")
trial = ws.trial("brass-orbit@stock", quick, seed=1, matters="3%")
print(keen.headline(trial.result))
for one in trial.result.metrics:
    print(f"  {one.name:18} {one.verdict}")
trial.figure().save(folder / "brass-orbit.png")
trial.report().save(folder / "brass-orbit.html")

ws.apply(quick)
undone = ws.undo()
print(f"undone: {undone.undone[0]}, exactly as before: {undone.exactly}; figure and page are in {folder}")
