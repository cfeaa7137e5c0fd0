"""Runs the code of docs/tutorial.md and docs/tasks.md, in a fresh logbook each chapter, and puts in what it prints.

`python docs/make_tutorial.py` rewrites the pages and draws the figures of tasks.md; `--check` only runs their code, and
fails where a command or a script does.
"""

import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

DOCS = Path(__file__).parent
BLOCK = re.compile(r"```console\n(.*?)```", re.DOTALL)
SCRIPT = re.compile(r"```python\n(.*?)```\n\n```text\n.*?```", re.DOTALL)
CHAPTER = re.compile(r"^## ", re.MULTILINE)
KEEN = f"{sys.executable} -c 'from keenlattice.cli.start import main; main()'"
PACK = DOCS.parent / "examples" / "packs" / "pinball-league.toml"
OWN_RECORDINGS = """
import os, pathlib
import keenlattice as keen

pathlib.Path("runs").mkdir()
with keen.open("made-up", rig="standin") as ws:
    capped = ws.edit("brass-orbit", {"frame.cap": 160})
    for number, names in enumerate([("stock", "capped"), ("capped", "stock")] * 3):
        for place, name in enumerate(names):
            if name == "capped":
                ws.apply(capped)
            run = ws.measure("brass-orbit", runs=1, seconds=20, seed=10 * number + place).last
            if name == "capped":
                ws.undo()
            file = pathlib.Path(f"runs/{name}-{number + 1}.csv")
            file.write_text("frame time (ms)\\n" + "".join(f"{value:.3f}\\n" for value in run.frame_ms))
            os.utime(file, (1e9 + 100 * (2 * number + place),) * 2)
"""
"""Plays what the first task takes for granted: recordings that are there already."""


def made(text: str, run: Callable[[str, str, dict[str, str]], str]) -> str:
    """Return a page with what its chapters print now.

    Args:
        run: gives a chapter again, from its text, the folder that it runs in, and its environment.
    """
    starts = [0, *(match.start() for match in CHAPTER.finditer(text)), len(text)]
    return "".join(_chapter(text[first:last], run) for first, last in pairwise(starts))


def _chapter(text: str, run: Callable[[str, str, dict[str, str]], str]) -> str:
    with tempfile.TemporaryDirectory() as home:
        return run(text, home, {
            **os.environ, "HOME": home, "KEEN_BOOK": f"{home}/book", "KEEN_STATE": f"{home}/state",
            "KEEN_RIG": "standin", "COLUMNS": "96", "LOGNAME": "player", "NO_COLOR": "1", "PACK": str(PACK),
            "MPLBACKEND": "agg"})


def commands(text: str, home: str, environment: dict[str, str]) -> str:
    """Return a chapter with what its commands print now."""
    def shown(match: re.Match[str]) -> str:
        lines = [line[2:] for line in match[1].splitlines() if line.startswith("$ ")]
        return "```console\n" + "\n".join(_command(line, home, environment) for line in lines) + "```"

    return BLOCK.sub(shown, text)


def _command(line: str, home: str, environment: dict[str, str]) -> str:
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


def scripts(text: str, home: str, environment: dict[str, str]) -> str:
    """Return a chapter with what its script prints now; the figures that it saves are kept, unless all is only checked.

    Raises:
        SystemExit: it fails.
    """
    def shown(match: re.Match[str]) -> str:
        if "runs/" in match[1]:
            _script(OWN_RECORDINGS, home, environment)
        printed = _script(match[1], home, environment)
        for figure in Path(home).glob("*.png"):
            if "--check" not in sys.argv[1:]:
                shutil.copy(figure, DOCS / "figures")
        return f"```python\n{match[1]}```\n\n```text\n{printed}```"

    return SCRIPT.sub(shown, text)


def _script(code: str, home: str, environment: dict[str, str]) -> str:
    done = subprocess.run([sys.executable, "-c", code], cwd=home, env=environment, capture_output=True, text=True,
                          check=False)
    if done.returncode:
        sys.exit(f"{code}: {done.stderr}")
    return re.sub(r" +$", "", done.stdout, flags=re.MULTILINE)


def main() -> None:
    (DOCS / "figures").mkdir(exist_ok=True)
    pages = {"tutorial.md": commands, "tasks.md": scripts}
    for name in [name for name in sys.argv[1:] if name in pages] or pages:
        run = pages[name]
        page = made((DOCS / name).read_text(), run)
        if "--check" not in sys.argv[1:]:
            (DOCS / name).write_text(page)


if __name__ == "__main__":
    main()
