"""Speed, each figure beside its yardstick in the same run: `make bench`."""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "examples"))  # where the league is
