"""Does a short frame queue bring Brass Orbit's flippers closer to the hand? Asked of the stand-in rig.

Run it anywhere: `python examples/first_light.py [FOLDER]`. It leaves a logbook, a figure and a page in FOLDER.
"""

import sys
import tempfile
from pathlib import Path

import keenlattice as keen

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
with keen.Logbook(folder / "logbook") as book:
    rig = keen.open_rig("standin", book)
    print(f"{rig.facts()['gpu']} behind a panel at {rig.facts()['refresh_hz']} Hz")

    before = book.commit("brass-orbit", {}, note="as it was")
    after = book.commit("brass-orbit", {"frame.queue-depth": 1}, note="flippers sooner")
    keen.apply(rig, book, after)

    runs: list[keen.Run] = []
    plan = keen.Plan(blocks=12, seconds=30, seed=1, decides="latency_ms_median", matters_pct=3)
    result = keen.run_trial(rig, before, after, plan, each=runs.append)
    keen.keep_trial(book, rig, before, after, result, runs)
    print(keen.headline(result))
    for one in result.metrics:
        print(f"  {one.name:18} {one.verdict}")

    played, tried = ([run.capture for run in runs if run.arm == arm] for arm in ("before", "after"))
    keen.save(keen.trial_figure(result, played, tried), folder / "brass-orbit.png")
    page = keen.trial_report(result, played, tried, keen.Scene(game="Brass Orbit", facts=rig.facts()))
    (folder / "brass-orbit.html").write_text(keen.to_html(page))
    undone = keen.undo(rig, book)
    print(f"undone: {undone.titles[0]}, exactly as before: {undone.exactly}; figure and page are in {folder}")
