"""Games' own files as part of a rig: the right key, all of its mode, and what a game does to its file behind us."""

import os
import stat
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import POSIX
from keenlattice.errors import RefusedByRig
from keenlattice.profile.matching import Game
from keenlattice.rig.gamefiles import GameFiles, names_of
from keenlattice.rig.gamelist import Listed
from keenlattice.workspace.workspace import Workspace

TEXT = "[Graphics]\nShadow Detail=2\nShadow-Detail=5\nTrees=1\n[V]\nScale=1\n[v]\nScale=2\n[Öß]\nÖ=1\nÜ=2\n"


def files(folder: Path, text: str, games: tuple[str, ...] = ("brass-orbit",)) -> GameFiles:
    path = folder / "settings.ini"
    if not path.exists():
        path.write_text(text, encoding="utf-8")
    return GameFiles({name: Listed(Game(name, name), file=path) for name in games}, folder)


def put(part: GameFiles, owner: str, changes: dict) -> None:
    state = part.state()
    part.put(part.changed(state, owner, changes))


@pytest.mark.parametrize("line", ["Shadow Detail=2", "Shadow-Detail=5", "Trees=1", "Scale=1", "Scale=2", "Ö=1", "Ü=2"])
def test_the_key_that_is_meant_is_the_one_that_is_written(tmp_path: Path, line: str) -> None:
    part, (key, value) = files(tmp_path, TEXT), line.split("=")
    (name,) = [one.name for one in part.settings() if one.title.startswith(f"{key} in") and one.stock == value]
    put(part, "brass-orbit", {name: "9"})
    assert (tmp_path / "settings.ini").read_text(encoding="utf-8") == TEXT.replace(line, f"{key}=9")
    assert part.values(part.state(), "brass-orbit") == {name: "9"}
    put(part, "brass-orbit", {name: None})
    assert (tmp_path / "settings.ini").read_text(encoding="utf-8") == TEXT


def test_a_name_that_could_be_several_keys_is_refused(tmp_path: Path) -> None:
    part = files(tmp_path, TEXT)
    with pytest.raises(RefusedByRig, match=r"could be 2 keys.*Shadow Detail in \[Graphics\]"):
        put(part, "brass-orbit", {"file.graphics_shadow-detail": "1"})


@given(st.lists(st.tuples(st.text("aA -_[é", max_size=4), st.text("bB-ßя ", min_size=1, max_size=4), st.just("1")),
                max_size=12), st.randoms())
def test_names_are_one_to_one_and_do_not_depend_on_the_order(entries: list, random: object) -> None:
    names = names_of(entries)
    assert len(names) == len({(section, key) for section, key, _ in entries})
    random.shuffle(entries)  # type: ignore[attr-defined]
    assert names_of(entries) == names


@POSIX
@pytest.mark.parametrize("mode", [0o664, 0o666, 0o660, 0o620, 0o464, 0o644, 0o600, 0o440])
def test_the_lock_gives_every_right_back(tmp_path: Path, mode: int) -> None:
    part = files(tmp_path, TEXT)
    (tmp_path / "settings.ini").chmod(mode)
    before = part.state()
    put(part, "brass-orbit", {"game.config-locked": True})
    assert not stat.S_IMODE((tmp_path / "settings.ini").stat().st_mode) & 0o222
    put(part, "brass-orbit", {"game.config-locked": None})
    assert stat.S_IMODE((tmp_path / "settings.ini").stat().st_mode) == mode
    assert part.state() == before


def test_what_was_there_before_is_known_whatever_is_set(tmp_path: Path) -> None:
    part = files(tmp_path, TEXT)
    before = part.before(part.state(), "brass-orbit")
    assert before["file.graphics_trees"] == "1" and before.keys() <= {setting.name for setting in part.settings()}
    put(part, "brass-orbit", {"file.graphics_trees": "7"})
    assert part.before(part.state(), "brass-orbit") == before
    assert part.before(part.state(), "no-such-game") == {}


@pytest.mark.parametrize("order", [("brass-orbit", "tidewater-rally"), ("tidewater-rally", "brass-orbit")])
def test_two_games_of_one_file_leave_what_was_there_before_either(tmp_path: Path, order: tuple[str, str]) -> None:
    part = files(tmp_path, TEXT, ("brass-orbit", "tidewater-rally"))
    put(part, "brass-orbit", {"file.graphics_trees": "2"})
    put(part, "tidewater-rally", {"file.graphics_trees": "3"})
    put(part, order[0], {"file.graphics_trees": None})
    assert "Trees=3" in (tmp_path / "settings.ini").read_text(encoding="utf-8")
    put(part, order[1], {"file.graphics_trees": None})
    assert (tmp_path / "settings.ini").read_text(encoding="utf-8") == TEXT


def emptied(path: Path) -> None:
    path.write_bytes(b"")


def key_dropped(path: Path) -> None:
    text = path.read_bytes().decode("utf-16")
    path.write_bytes("".join(line for line in text.splitlines(True) if "NudgeStrength" not in line).encode("utf-16"))


def made_a_folder(path: Path) -> None:
    path.unlink()
    path.mkdir()


def made_a_pipe(path: Path) -> None:
    path.unlink()
    os.mkfifo(path)


def grown(path: Path) -> None:
    path.write_bytes(b"a" * 5_000_000)


DONE_BY_A_GAME = [Path.unlink, emptied, key_dropped, grown, made_a_folder, pytest.param(made_a_pipe, marks=POSIX)]


@pytest.mark.parametrize("act", DONE_BY_A_GAME, ids=lambda act: act.__name__)
def test_what_a_game_does_to_its_file_is_drift(tmp_path: Path, act: Callable[[Path], None], hang: None) -> None:
    ws = Workspace(tmp_path / "book")
    ws.edit("brass-orbit", {"file.table_nudgestrength": "0.9"})
    ws.apply("brass-orbit")
    (file,) = (ws.rig.machine.home / "games").rglob("settings.ini")
    act(file)
    again = Workspace(tmp_path / "book")
    (slipped,) = again.rig.drift().profiles
    assert [(one.key, one.before, one.after) for one in slipped.changes] == [("file.table_nudgestrength", "0.9", None)]
    if act is emptied or act is key_dropped:
        again.rig.put_back()
        assert again.rig.drift().profiles == ()
    else:
        with pytest.raises(RefusedByRig, match=r"is not there|larger than 4 MB|it is a folder|not a regular file"):
            again.rig.put_back()
    done = again.undo()
    assert done.exactly == (act is emptied or act is key_dropped)
