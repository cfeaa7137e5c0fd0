"""Whether the tests would notice: small faults are put into `study`, `rig` and `measure`, one at a time, and the tests
that come by there are run. `make mutants`; in `build/mutants`, about an hour on two cores. The faults are mutmut's.

Of all faults a sample is drawn (KEEN_MUTANTS, KEEN_MUTANTS_SEED). Those that no test noticed are printed, to be read.
"""

import fnmatch
import json
import os
import random
import shutil
import subprocess
import sys
from collections import Counter
from pathlib import Path

WHERE, WANTED = Path("build/mutants"), 0.85
SAMPLE, SEED = int(os.environ.get("KEEN_MUTANTS", "160")), int(os.environ.get("KEEN_MUTANTS_SEED", "18"))
WORDS = {0: "not noticed", 33: "no test comes by", 34: "skipped", 36: "noticed: it takes for ever", 2: "interrupted"}
NONE = "no.such.mutant"
NOT_SEEN_HERE = ("keenlattice.rig.linux.x11.*", "keenlattice.rig.linux.wayland.*", "keenlattice.rig.linux.scene.*",
                 "keenlattice.rig.linux._*_query.*", "keenlattice.rig.linux.sampler.x_main*",
                 "keenlattice.rig.windows.*")
"""What for the most part only `real` tests run, on a display (those are timed, and not run here), or a process of its
own or one of another system (which mutmut does not see)."""


def main() -> int:
    copied()
    mutmut("run", NONE)  # makes all mutants, and stops
    names = sorted(name for name in results() if not any(fnmatch.fnmatch(name, one) for one in NOT_SEEN_HERE))
    if not names:
        print("mutmut made no mutants; what it says: build/mutants/said.txt")
        return 1
    chosen = set(random.Random(SEED).sample(names, min(SAMPLE, len(names))))
    mutmut("run", "--max-children", str(os.cpu_count() or 1), *chosen)
    codes = {name: code for name, code in results().items() if name in chosen}
    told = Counter(WORDS.get(code, "noticed") if code is not None else "not run" for code in codes.values())
    noticed = sum(count for word, count in told.items() if word.startswith("noticed"))
    for name in sorted(name for name, code in codes.items() if code in (0, 33)):
        print(f"\n{WORDS[codes[name]]}: {name}\n{shown(name)}")
    print(f"\n{len(names)} mutants, {len(codes)} drawn with seed {SEED}: {dict(told)}")
    print(f"{100 * noticed / len(codes):.0f} % were noticed ({100 * WANTED:.0f} % are wanted)")
    return 0 if noticed >= WANTED * len(codes) else 1


def copied() -> None:
    """The files of the checkout, where they can be broken."""
    WHERE.mkdir(parents=True, exist_ok=True)
    listed = subprocess.run(["git", "ls-files", "-z"], capture_output=True, text=True, check=True).stdout.split("\0")
    for name in filter(None, listed):
        (WHERE / name).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(name, WHERE / name)


def mutmut(*words: str) -> None:
    environment = {name: value for name, value in os.environ.items() if not name.startswith("KEEN_")}
    with (WHERE / "said.txt").open("ab") as said:
        subprocess.run([sys.executable, "-m", "mutmut", *words], cwd=WHERE, env=environment, stdout=said, stderr=said,
                       check=False)


def results() -> dict[str, int | None]:
    """The exit code of every mutant, by its name; None of one that was not run."""
    found: dict[str, int | None] = {}
    for file in (WHERE / "mutants/src").rglob("*.meta"):
        found |= json.loads(file.read_text(encoding="utf-8"))["exit_code_by_key"]
    return found


def shown(name: str) -> str:
    said = subprocess.run([sys.executable, "-m", "mutmut", "show", name], cwd=WHERE, capture_output=True, text=True,
                          check=False).stdout
    return "\n".join(line for line in said.splitlines() if line[:1] in "+-@" and not line.startswith(("---", "+++")))


if __name__ == "__main__":
    sys.exit(main())
