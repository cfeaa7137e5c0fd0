"""Since which version is Brass Orbit slower, and because of what? Asked of the stand-in rig.

Run it anywhere: `python examples/since_when.py [FOLDER]`. Five versions, one of which brought more than it told of.
"""

import sys
import tempfile
from pathlib import Path

import keenlattice as keen

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="keen-"))
ws = keen.open(folder / "logbook", rig="standin")
ws.edit("brass-orbit", {"antialias.gamma": False}, note="a tip")
ws.edit("brass-orbit", {"frame.cap-unfocused": 30}, note="quieter")
ws.edit("brass-orbit", {"shading.ambient-occlusion": "on", "process.io-priority": "high",
                        "texture.bias-below-zero": "ignored"}, note="what the list said")
ws.edit("brass-orbit", {"window.high-dpi": "by-game"}, note="another tip")

found = ws.hunt("brass-orbit", blocks=8, seconds=20, seed=1, decides="frame_ms_mean", matters="3%").result
note = ws.profiles.find(found.first).note
print(f"it changed with {note!r} ({100 * found.probability:.0f} % sure): {', '.join(found.settings)}")
