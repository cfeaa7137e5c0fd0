"""A rig that somebody else has installed: it is played, written and put back like any other."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from conftest import as_json, as_process, environment

PACKAGE = Path(__file__).parent.parent / "examples" / "a_rig_of_your_own"
BROKEN = "class Broken:\n    def __init__(self, home):\n        raise OSError('the cupboard is locked')\n"


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder in which the example is installed, and a rig that does not work."""
    home, package = tmp_path_factory.mktemp("installed"), tmp_path_factory.mktemp("package") / "cupboard"
    shutil.copytree(PACKAGE, package)  # building leaves things behind
    subprocess.run([sys.executable, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--no-deps",
                    "--no-build-isolation", "--target", str(home), str(package)], check=True)
    (home / "broken.py").write_text(BROKEN)
    (home / "broken-1.0.dist-info").mkdir()
    (home / "broken-1.0.dist-info" / "METADATA").write_text("Metadata-Version: 2.1\nName: broken\nVersion: 1.0\n")
    (home / "broken-1.0.dist-info" / "entry_points.txt").write_text(
        "[keenlattice.rigs]\nbroken = broken:Broken\nmisnamed = cupboard:Cupboard\n")
    return home


def test_it_is_used_like_any_other(installed: Path, tmp_path: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), KEEN_RIG="cupboard", PYTHONPATH=str(installed))

    def keen(*words: str, code: int = 0, **more: str) -> "subprocess.CompletedProcess[str]":
        done = as_process(words, tmp_path, {**env, **more})
        assert done.returncode == code and "Traceback" not in done.stderr, done.stdout + done.stderr
        return done

    keen("edit", "brass-orbit", "frame.cap=100", "-m", "steadier")
    played = as_json(keen("trial", "brass-orbit@stock", "brass-orbit", "--rig", "cupboard", "--blocks", "4",
                          "--seconds", "5", "--seed", "1", "--decides", "frame_ms_p50", "--json"))
    assert (played["rig"], played["metrics"][0]["verdict"]) == ("cupboard", "worse")
    assert "to the last bit" in keen("trial", "--again", "1").stdout
    assert "an installed rig" in keen("survey").stdout
    keen("apply", "brass-orbit", "--yes")
    assert as_json(keen("drift", "--json"))["profiles"] == []
    assert "byte for byte" in keen("undo").stdout
    assert "has no chores" in keen("rig", "chore").stdout
    assert "is yours to restart" in keen("rig", "restart", "machine", code=2).stderr
    assert "cupboard" in keen("survey", code=2, KEEN_RIG="cuboard").stderr
    broken = keen("survey", code=1, KEEN_RIG="broken").stderr
    assert "cannot be opened: OSError: the cupboard is locked" in broken and len(broken.splitlines()) == 1
    assert "calls itself 'cupboard'" in keen("survey", code=1, KEEN_RIG="misnamed").stderr
