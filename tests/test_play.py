"""A profile that comes on with its game, and goes when the game ends, however it ends."""

import json
import os
import shutil
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from conftest import KEEN, Keen, as_json, environment

under_way = pytest.importorskip("keenlattice.rig.under_way", exc_type=ImportError)
HERE = {"KEEN_RIG": "here"}
SAYS = ("import json, os, sys; from pathlib import Path; home = Path(os.environ['HOME']); file = home / '.drirc'; "
        "(home / 'told.json').write_text(json.dumps([sys.argv[1:], os.nice(0), sorted(os.sched_getaffinity(0)), "
        "file.exists() and file.read_text()]))")
pytestmark = pytest.mark.skipif(sys.platform != "linux", reason="of Linux; Windows has its own in test_windows.py")


@pytest.fixture
def game(tmp_path: Path, keen: Keen, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A game that sleeps, under a name that no other process has."""
    monkeypatch.setattr(under_way, "HANDED_OVER_WITHIN_S", 0.5)
    path = tmp_path / f"orbit-{os.getpid()}"
    shutil.copy(shutil.which("sleep") or "", path)
    keen("rig", "game", "brass-orbit", "--executable", path.name, "--command", f"{path} 60", **HERE)
    keen("edit", "brass-orbit", "process.priority=lowered", "mesa.pp_nored=1", **HERE)
    return path


def listed(keen: Keen) -> list[Any]:
    found: list[Any] = as_json(keen("play", "--list", "--json", **HERE))["games"]
    return found


def test_it_is_on_while_the_game_runs_and_gone_after(keen: Keen, tmp_path: Path, game: Path) -> None:
    keen("edit", "brass-orbit", "process.affinity=0", "game.launch-options=--calm", **HERE)
    done = as_json(keen("play", "brass-orbit", "--json", "--", sys.executable, "-c", SAYS, "mine", **HERE))
    words, nice, cores, file = json.loads((tmp_path / "told.json").read_text())
    assert words == ["mine", "--calm"] and nice == 5 and cores == [0] and "pp_nored" in file
    assert done["put_on"]["brass-orbit"] and not done["left_out"] and done["exit_code"] == 0
    assert not (tmp_path / ".drirc").exists() and "Nothing has been done" in keen("undo", "--list", **HERE).stdout
    (mean, highest), entry = done["machine"]["system.memory"], listed(keen)[0]
    assert 0 < mean <= highest and entry["kind"] == "played" and "memory in use" in entry["what"]


def test_what_cannot_come_on_with_a_game_is_named(keen: Keen, tmp_path: Path, game: Path) -> None:
    (tmp_path / ".config" / "autostart").mkdir(parents=True)
    (tmp_path / ".config" / "autostart" / "chatter.desktop").write_text("[Desktop Entry]\nName=Chatter\n")
    keen("edit", "rig", "startup.chatter=off", **HERE)
    told = keen("play", "brass-orbit", "--", "/bin/true", **HERE).stdout
    assert "startup.chatter is left out: it takes a restart of the machine" in " ".join(told.split())
    assert "Hidden" not in (tmp_path / ".config" / "autostart" / "chatter.desktop").read_text()


def test_a_game_that_is_not_there_is_said_and_nothing_stays(keen: Keen, tmp_path: Path, game: Path) -> None:
    assert "cannot be started" in keen("play", "brass-orbit", "--", "/no/such", code=1, **HERE).stderr
    assert not (tmp_path / ".drirc").exists() and not listed(keen)
    keen("play", code=2, **HERE)
    keen("play", "brass-orbit", "brass-orbit@no-such", code=2, **HERE)
    assert "keen rig use here" in keen("play", "brass-orbit", code=1, KEEN_RIG="standin").stderr


def test_a_game_that_is_only_started_holds_what_is_set_and_changes_nothing(keen: Keen, tmp_path: Path, game: Path
                                                                            ) -> None:
    assert keen("apply", "brass-orbit", "--yes", **HERE).returncode == 0
    before = (tmp_path / ".drirc").read_bytes()
    keen("play", "brass-orbit", "--as-set", "--", sys.executable, "-c", SAYS, **HERE)
    assert json.loads((tmp_path / "told.json").read_text())[1] == 5 and (tmp_path / ".drirc").read_bytes() == before
    assert not listed(keen)


def test_a_game_is_started_in_its_own_folder(keen: Keen, tmp_path: Path, game: Path) -> None:
    own, marks = tmp_path / "own", "open('mark', 'w')"
    own.mkdir()
    keen("rig", "game", "brass-orbit", "--folder", str(own), "--command", f'{sys.executable} -c "{marks}"', **HERE)
    keen("play", "brass-orbit", **HERE)
    assert (own / "mark").exists()
    (own / "mark").unlink()
    own.rmdir()
    assert f"cannot be started: {own}: No such file" in " ".join(
        keen("play", "brass-orbit", code=1, **HERE).stderr.split())
    assert "in the folder" not in keen("rig", "game", "brass-orbit", "--folder", "", **HERE).stdout


INI = "[video]\nShadows = 2\nWidth = 100\n"


@pytest.fixture
def own_file(keen: Keen, tmp_path: Path, game: Path) -> Path:
    """The game's own settings file, of which a version sets one value."""
    file = tmp_path / "game.ini"
    file.write_text(INI)
    keen("rig", "game", "brass-orbit", "--file", str(file), **HERE)
    keen("edit", "brass-orbit", "file.video_shadows=0", **HERE)
    return file


def test_a_game_that_writes_its_own_file_keeps_its_words_and_loses_ours(keen: Keen, own_file: Path) -> None:
    """Games write their settings when they end; our value stayed in the file then."""
    moved = f"import pathlib; file = pathlib.Path({str(own_file)!r}); text = file.read_text()\n"
    moved += "assert 'Shadows = 0' in text; file.write_text(text.replace('Width = 100', 'Width = 200'))"
    told = keen("play", "brass-orbit", "--", sys.executable, "-c", moved, **HERE).stdout
    assert "What was set is taken back" in told and "as it was before" not in told
    assert own_file.read_text() == INI.replace("100", "200") and "with exit code" not in told
    gone = f"import pathlib; pathlib.Path({str(own_file)!r}).unlink()"
    assert "What was set is taken back" in keen("play", "brass-orbit", "--", sys.executable, "-c", gone, **HERE).stdout
    assert not own_file.exists() and "holds what was last applied" in keen("drift", **HERE).stdout


def test_so_it_is_when_keen_was_killed_and_the_game_went_on(keen: Keen, tmp_path: Path, own_file: Path, game: Path
                                                            ) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), **HERE)
    with subprocess.Popen([*KEEN, "play", "brass-orbit"], env=env, stdout=subprocess.PIPE, text=True) as playing:
        assert playing.stdout is not None and "On while brass-orbit runs" in playing.stdout.readline()
        playing.kill()
    own_file.write_text(own_file.read_text().replace("100", "200"))
    subprocess.run(["pkill", "-f", str(game)], check=True)
    assert "was changed by something else since" in keen("drift", **HERE).stderr
    assert own_file.read_text() == INI.replace("100", "200")


def test_killed_while_the_game_runs_the_next_command_takes_it_back(keen: Keen, tmp_path: Path, game: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), **HERE)
    with subprocess.Popen([*KEEN, "play", "brass-orbit"], env=env, stdout=subprocess.PIPE, text=True) as playing:
        assert playing.stdout is not None and "On while brass-orbit runs" in playing.stdout.readline()
        assert (tmp_path / ".drirc").exists()
        assert "brass-orbit being played" in keen("apply", "brass-orbit", "--yes", code=1, **HERE).stderr
        playing.kill()
    assert "brass-orbit being played" in keen("drift", **HERE).stderr and not (tmp_path / ".drirc").exists()
    subprocess.run(["pkill", "-f", str(game)], check=True)


def test_a_game_that_starts_by_itself_is_seen_and_treated(keen: Keen, tmp_path: Path, game: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), PYTHONUNBUFFERED="1", **HERE)
    with subprocess.Popen([*KEEN, "play", "--keep-watch"], env=env, stdout=subprocess.PIPE, text=True) as watching:
        assert watching.stdout is not None and "Waiting for brass-orbit" in watching.stdout.readline()
        with subprocess.Popen([game, "60"]) as played:
            assert "On while brass-orbit runs" in watching.stdout.readline()
            assert os.getpriority(os.PRIO_PROCESS, played.pid) == 5 and (tmp_path / ".drirc").exists()
            played.terminate()
        assert any("brass-orbit has ended" in line for line in iter(watching.stdout.readline, ""))
        watching.send_signal(signal.SIGINT)
    assert not (tmp_path / ".drirc").exists() and len(listed(keen)) == 1


def test_what_a_machine_says_is_kept_as_mean_and_highest(monkeypatch: pytest.MonkeyPatch) -> None:
    now, said = [0.0], iter([{"cpu.clock": 2000.0}, {"cpu.clock": 4000.0, "cpu.temperature": 61.0}, OSError("gone")])
    monkeypatch.setattr("keenlattice.rig.under_way.time.monotonic", lambda: now[0])

    def read() -> dict[str, float]:
        answer = next(said)
        if isinstance(answer, OSError):
            raise answer
        return answer

    readings = under_way.Readings(read)
    for at_s in (0.0, 1.0, 5.0, 10.0):  # at 1 s nothing is read
        now[0] = at_s
        readings.look()
    assert readings.mean_and_highest == {"cpu.clock": (3000.0, 4000.0), "cpu.temperature": (61.0, 61.0)}
