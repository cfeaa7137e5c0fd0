"""A rig that somebody else has installed: it is played, written and put back like any other."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from conftest import as_json, as_process, environment
from keenlattice.errors import RigError
from keenlattice.workspace.workspace import Workspace

PACKAGE = Path(__file__).parent.parent / "examples" / "a_rig_of_your_own"
BROKEN = """
import sys
from cupboard import Cupboard

class Broken:
    def __init__(self, home):
        raise OSError('the cupboard is locked')

class Leaves(Cupboard):
    name = "leaves"
    def facts(self):
        sys.exit(3)

class Raises(Cupboard):
    name = "raises"
    def values(self, state, owner):
        return {}["no such key"]

class Rubbish(Cupboard):
    name = "rubbish"
    def games(self):
        return None
"""


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
        "[keenlattice.rigs]\nbroken = broken:Broken\nmisnamed = cupboard:Cupboard\nleaves = broken:Leaves\n"
        "raises = broken:Raises\nrubbish = broken:Rubbish\n")
    return home


@pytest.mark.long
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
    assert "to the last bit" in keen("studies", "again", "1").stdout
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


@pytest.mark.parametrize(("rig", "says"), [
    ("leaves", "failed in facts: SystemExit: 3"), ("raises", "failed in values: KeyError"),
    ("rubbish", "returns a wrong NoneType from games")])
def test_whatever_it_does_is_one_line_that_names_it(installed: Path, tmp_path: Path, rig: str, says: str) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), PYTHONPATH=str(installed))
    done = as_process(["survey"], tmp_path, {**env, "KEEN_RIG": rig})
    assert done.returncode == 1 and len(done.stderr.splitlines()) == 1, done.stderr
    assert f"the installed rig {rig} (broken:" in done.stderr and says in done.stderr
    assert as_process(["survey"], tmp_path, env).returncode == 0  # the others are not touched by it


def test_a_malformed_list_of_entry_points_breaks_no_command(tmp_path: Path) -> None:
    (tmp_path / "odd-1.0.dist-info").mkdir()
    (tmp_path / "odd-1.0.dist-info" / "METADATA").write_text("Metadata-Version: 2.1\nName: odd\nVersion: 1.0\n")
    (tmp_path / "odd-1.0.dist-info" / "entry_points.txt").write_text("[keenlattice.rigs]\nno equals sign here\n")
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), PYTHONPATH=str(tmp_path))
    done = as_process(["survey"], tmp_path, env)
    assert done.returncode == 0 and not done.stderr.startswith("Traceback"), done.stderr
    unknown = as_process(["survey", "--rig", "cellar"], tmp_path, env)
    assert unknown.returncode == 2 and "what the package odd brings is not known" in unknown.stderr, unknown.stderr


def test_a_rig_that_lacks_something_is_told_so(tmp_path: Path) -> None:
    class Half:
        name, home = "half", tmp_path

        def facts(self) -> dict[str, int]:
            return {}

    with pytest.raises(RigError, match="Half is not a whole rig: it lacks devices, games, catalog"):
        Workspace(tmp_path / "book", Half())  # type: ignore[arg-type]
