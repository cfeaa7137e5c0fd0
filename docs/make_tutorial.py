"""Runs the commands of docs/tutorial.md anew, in a fresh logbook each chapter, and puts in what they print.

`python docs/make_tutorial.py` rewrites the page; `--check` only runs its commands, and fails where one does not do what
the page says it does.
"""

import os
import re
import subprocess
import sys
import tempfile
from itertools import pairwise
from pathlib import Path

PAGE = Path(__file__).parent / "tutorial.md"
BLOCK = re.compile(r"```console\n(.*?)```", re.DOTALL)
CHAPTER = re.compile(r"^## ", re.MULTILINE)
KEEN = f"{sys.executable} -c 'from keenlattice.cli.start import main; main()'"
PACK = Path(__file__).parent.parent / "examples" / "packs" / "pinball-league.toml"


def made(text: str) -> str:
    """Return the page with what its commands print now."""
    starts = [0, *(match.start() for match in CHAPTER.finditer(text)), len(text)]
    return "".join(_chapter(text[first:last]) for first, last in pairwise(starts))


def _chapter(text: str) -> str:
    with tempfile.TemporaryDirectory() as home:
        environment = {**os.environ, "HOME": home, "KEEN_BOOK": f"{home}/book", "KEEN_STATE": f"{home}/state",
                       "KEEN_RIG": "standin", "COLUMNS": "96", "LOGNAME": "player", "NO_COLOR": "1", "PACK": str(PACK)}

        def shown(match: re.Match[str]) -> str:
            lines = [line[2:] for line in match[1].splitlines() if line.startswith("$ ")]
            return "```console\n" + "\n".join(_run(line, home, environment) for line in lines) + "```"

        return BLOCK.sub(shown, text)


def _run(line: str, home: str, environment: dict[str, str]) -> str:
    """Return a command with what it prints, errors and hints after the rest.

    Raises:
        SystemExit: it fails.
    """
    command = re.sub(r"^keen\b", lambda _: KEEN, line)
    done = subprocess.run(["sh", "-c", command], cwd=home, env=environment, capture_output=True, text=True, check=False)
    if done.returncode not in (0, 1):
        sys.exit(f"{line}: {done.stderr}")
    errors = re.sub(r"^\d+ of at most .*\n", "", done.stderr, flags=re.MULTILINE)  # of a run that took long
    told = "\n".join(part.rstrip() for part in (done.stdout, errors) if part.strip())
    return f"$ {line}\n{told}\n"


def main() -> None:
    text = PAGE.read_text()
    anew = made(text)
    if "--check" not in sys.argv[1:]:
        PAGE.write_text(anew)


if __name__ == "__main__":
    main()
