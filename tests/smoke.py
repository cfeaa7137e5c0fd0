"""Every command once, in an order in which each has something to do: for the terminal tests, and for `make package`.

As a program: `python tests/smoke.py KEEN` runs them with that executable (and words behind it), in its own folder.
"""

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

EXAMPLES = Path(__file__).parent.parent / "examples"
DRIFTED = 1  # what `keen drift` says by its exit code

SHORT = "--seconds 5 --seed 1"
COMMANDS: list[tuple[str, int]] = [(words, 0) for words in (
    "--help", "rig use standin", "survey", "survey --rig here", "catalog", "catalog frame.queue-depth",
    "catalog process.affinity",
    "edit rig display.refresh=165 background.recorder=off -m 'what survey said'",
    "edit brass-orbit frame.cap='= refresh - 3' -m steady", "history brass-orbit --label steady",
    "edit brass-orbit frame.queue-depth=1 sync.triple-buffering=on texture.anisotropy=16x -m 'flippers sooner'",
    "edit brass-orbit@steady process.io-priority=high -m 'a list'", "merge brass-orbit brass-orbit@steady --keep first",
    "merge --revert brass-orbit@steady --keep second", "show brass-orbit", "show brass-orbit --all",
    "show brass-orbit frame.cap", "history brass-orbit", "compare brass-orbit@stock brass-orbit",
    "compare brass-orbit@stock brass-orbit --markdown", "pack look league.toml", "pack adopt league.toml --rule 1",
    "edit brass-orbit flipper.solenoid-boost= -m 'not on this rig'", "pack write mine.toml brass-orbit", "rig game",
    "rig match tidewater", "rig facts", "apply rig --yes", "apply brass-orbit --yes",
    "rig restart machine", "undo --list", "rig chore", "rig chore update-driver --yes")] + [("drift", DRIFTED)] + [
    (words, 0) for words in (
        "drift --put-back --yes", "rig recover --undo", "undo", f"measure brass-orbit --runs 2 {SHORT}",
        "ingest odd.csv --yes", "ingest odd.csv --time 'Zeit [us]' --means intervals --unit us --marker Marke "
        "--dropped Bild=0 --name friends-box --of brass-orbit",
        "latency light-log.csv --time t_ms --light light --button button", "latency flash.wav",
        "draw brass-orbit@applied --out run.png", f"trial brass-orbit@stock brass-orbit --blocks 3 {SHORT}",
        f"trial brass-orbit@stock brass-orbit --pilot 3 {SHORT}", "studies again 1",
        f"screen brass-orbit@stock brass-orbit --rounds 1 {SHORT}",
        f"hunt brass-orbit --decides latency_ms_median --matters 3 --blocks 3 {SHORT}",
        f"tune brass-orbit@stock --try frame.queue-depth=1,3 --goal latency_ms_p95 --rounds 3 --proof 2 {SHORT}",
        "pool write mine.jsonl", "pool read mine.jsonl --figure pool.png",
        "pool look", "pool look frame.queue-depth", "pool order brass-orbit@stock brass-orbit",
        "pool read --add mine.jsonl", "show brass-orbit frame.queue-depth",
        "studies", "report", "report brass-orbit", "takeover", "report --study 1 --out trial.md",
        "rig facts refresh_hz=165 ram_mib=16384 --rig byhand", "rig game brass-orbit --title 'Brass Orbit' "
        "--executable orbit --rig byhand", "edit brass-orbit@stock frame.queue-depth=1",
        "apply brass-orbit --yes --rig byhand", "rig sheet --out sheet.html",
        "rig sheet --tick 1", "rig take-stock display.hdr=off",
        "trial brass-orbit@stock brass-orbit --blocks 2 --rig byhand", "rig next --wrong 'it crashed'", "rig next",
        "demo --out demo")]
LONG: list[tuple[str, int]] = [("demo --rig byhand --out by-hand", 0)]
"""What the terminal tests leave out: its text is that of other commands."""


def prepare(folder: Path) -> None:
    """The files that the commands read."""
    shutil.copy(EXAMPLES / "packs" / "pinball-league.toml", folder / "league.toml")
    for recording in (EXAMPLES / "recordings").iterdir():
        shutil.copy(recording, folder)


def main(keen: list[str]) -> None:
    with tempfile.TemporaryDirectory() as home:
        prepare(Path(home))
        windows = {} if os.name == "posix" else {**os.environ, "KEEN_STATE": f"{home}/state"}
        environment = {**windows, "PATH": os.environ["PATH"], "HOME": home, "KEEN_BOOK": f"{home}/book",
                       "LANG": "C.UTF-8"}
        for words, code in [*COMMANDS, *LONG]:
            done = subprocess.run([*keen, *shlex.split(words)], cwd=home, env=environment, capture_output=True,
                                  text=True, errors="replace", stdin=subprocess.DEVNULL, check=False)
            if done.returncode != code:
                sys.exit(f"keen {words}: exit code {done.returncode}\n{done.stdout}{done.stderr}")
    print(f"{len(COMMANDS) + len(LONG)} commands ran")


if __name__ == "__main__":
    main(sys.argv[1:])
