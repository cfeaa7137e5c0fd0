"""Games' own files: one value changes, no other byte does; noted down, put back, and never written over."""

import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keenlattice.errors import RefusedByRig, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.rig.applying import apply, find_drift, preview
from keenlattice.rig.gamelist import read_games
from keenlattice.rig.ini import Ini
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.undoing import undo

ODD = ("early = 1\r\n; comment = none\r\n[Picture]\r\n  Shadows\t=  2 ; of flippers = yes\r\nBind=a\r\nBind=b\r\n"
       "junk\r\nEmpty=\r\n\r\n[Käfer \u2605]\nName = x;y #z\r[picture]\nshadows=3")
ENCODINGS = ["utf-8", "utf-8-sig", "utf-16", "utf-16-le"]
values = st.text(st.characters(codec="latin-1", categories=("L", "N")), min_size=1, max_size=8)


@given(st.sampled_from(ENCODINGS), values)
def test_one_value_changes_and_no_other_byte(encoding: str, value: str) -> None:
    content = ODD.encode(encoding)
    ini = Ini(content, "f")
    assert ini.content == content and ini.value("Picture", "Shadows") == "2"
    ini.set("Picture", "Shadows", value)
    assert ini.content == ODD.replace("=  2 ;", f"=  {value} ;").encode(encoding)
    assert (Ini(ini.content, "f").value("Picture", "Shadows"), ini.value("", "EARLY")) == (value, "1")
    ini.set("Picture", "Shadows", "2")
    assert ini.content == content


@given(st.sampled_from(["[A]\nx=1\n", "x = 1\r\n\r\n[B]\r\ny = 2\r\n", "; only this\n", ""]), values, values)
def test_what_is_added_is_taken_out_again(text: str, key: str, value: str) -> None:
    ini = Ini(text.encode(), "f")
    ini.set("B", key, value)
    assert ("\r\n" in text) <= ("\n" not in ini.content.decode().replace("\r\n", ""))  # lines end as the others do
    if (before := Ini(text.encode(), "f").value("B", key)) is None:
        assert Ini(ini.content, "f").value("B", key) == value
        ini.remove("B", key)
    else:
        ini.set("B", key, before)
    assert ini.content == text.encode()


@pytest.mark.parametrize(("text", "section", "then"), [
    ("[A]\nx=1\n\n[B]\ny=2\n", "A", "[A]\nx=1\nnew=9\n\n[B]\ny=2\n"),      # behind the last of its section
    ("[A]\nx = 1\n\n[B]\ny=2", "b", "[A]\nx = 1\n\n[B]\ny=2\nnew=9\n"),      # which ends the file, without an end
    ("[A]\n; none yet\n[B]\ny = 2\n", "A", "[A]\nnew = 9\n; none yet\n[B]\ny = 2\n"),
    ("x=1\r\n[B]\r\n", "", "x=1\r\nnew=9\r\n[B]\r\n"), ("[B]\ny=2\n", "", "new=9\n[B]\ny=2\n"),
    ("[A]\nx=1\n", "C", "[A]\nx=1\n[C]\nnew=9\n")])
def test_a_key_is_added_to_its_section_and_spelled_as_the_others(text: str, section: str, then: str) -> None:
    ini = Ini(text.encode(), "f")
    ini.set(section, "new", "9")
    assert ini.content.decode() == then


lines = st.text(st.sampled_from("ab=;#[] \t\"'\r\n\x0b\x0c\x85\u2028é"), max_size=24)


@given(st.text(st.sampled_from("ab=;#[] \t\"'\r\n\x0b\u2028é"), max_size=60), lines, lines)
def test_what_is_written_reads_back_or_is_refused(text: str, key: str, value: str) -> None:
    """In whatever a file may hold, and whatever is to be written into it."""
    try:
        ini = Ini(text.encode(), "f")
        ini.set("a", key, value)
    except RigError:
        return
    assert Ini(ini.content, "f").value("a", key) == value


def test_a_line_of_blanks_is_read_at_once(hang: None) -> None:
    for text in ("a" + " " * 60_000, "a=" + " " * 60_000 + "x", "=" + " ;" * 30_000, "[" * 60_000):
        assert len(Ini(text.encode(), "f").entries()) <= 1


def test_a_legacy_encoding_is_kept_and_says_what_it_cannot_hold() -> None:
    ini = Ini("[A]\nname=K\xe4fer\n".encode("cp1252"), "f")
    ini.set("A", "name", "Gr\xfc\xdfe")
    assert ini.content == "[A]\nname=Gr\xfc\xdfe\n".encode("cp1252")
    with pytest.raises(RefusedByRig, match="cp1252, which cannot hold"):
        ini.set("A", "name", "\u2605")


@pytest.mark.parametrize(("content", "says"), [
    (b"\x81\x8d\x00\x01" * 9, "no encoding"), (b"x" * 4_000_001, "larger than"), (b"\xff\xfeodd", "no encoding")])
def test_what_cannot_be_told_is_left_alone(content: bytes, says: str) -> None:
    with pytest.raises(RigError, match=says):
        Ini(content, "f")
    with pytest.raises(RefusedByRig, match="2 times"):
        Ini(ODD.encode(), "f").set("Picture", "Bind", "c")


@pytest.fixture
def file(rig: Standin) -> Path:
    return rig.home / "games" / "brass-orbit" / "settings.ini"


MINE = {"game.textures": "low", "game.motion-blur": False, "game.frame-cap": "off", "game.config-locked": True,
        "file.table_nudgestrength": "0.9"}


def test_a_games_file_is_part_of_apply_and_undo(rig: Standin, book: Logbook, file: Path) -> None:
    first = file.read_bytes()
    apply(rig, book, book.commit("brass-orbit", MINE))
    text = file.read_bytes().decode("utf-16")
    assert "Textures = 0\r\n" in text and "MotionBlur = no\r\n" in text and "NudgeStrength = 0.9\r\n" in text
    assert not file.stat().st_mode & 0o222
    assert rig.values(rig.state(), "brass-orbit") == MINE and find_drift(rig, book) == ()
    apply(rig, book, book.commit("brass-orbit", {"game.textures": "high"}))  # the rest goes back to the game's own
    assert file.read_bytes() == first and file.stat().st_mode & 0o200
    assert undo(rig, book).exactly and undo(rig, book).exactly
    assert file.read_bytes() == first and file.stat().st_mode & 0o200


def test_what_the_game_writes_itself_is_a_conflict_or_drift_and_stays(rig: Standin, book: Logbook, file: Path) -> None:
    version = book.commit("brass-orbit", {"game.textures": "low", "game.shadows": "low"})
    shown = preview(rig, version)
    file.write_bytes(file.read_bytes() + "Score = 9\r\n".encode("utf-16-le"))
    with pytest.raises(RigError, match=r"settings\.ini was changed by something else since it was shown"):
        apply(rig, book, version, shown)
    apply(rig, book, version)
    text = file.read_bytes().decode("utf-16").replace("Textures = 0", "Textures = 3").replace("Score = 9", "Score = 12")
    file.write_bytes(text.encode("utf-16"))
    (drift,) = find_drift(rig, book)
    assert [(one.key, one.before, one.after) for one in drift.changes] == [("game.textures", "low", "highest")]
    done = undo(rig, book)
    text = file.read_bytes().decode("utf-16")
    assert not done.exactly and "Score = 12" in text and "Textures = 2" in text and "Shadows = 2" in text


@pytest.mark.parametrize("wrong", ["gone", "dangling", "looping", "huge", "odd", "folder"])
def test_a_file_that_cannot_be_used_is_refused_in_one_line(rig: Standin, book: Logbook, file: Path, wrong: str) -> None:
    file.unlink()
    if wrong == "dangling":
        file.symlink_to("nowhere")
    elif wrong == "looping":
        file.symlink_to(file)
    elif wrong == "folder":
        file.mkdir()
    elif wrong != "gone":
        file.write_bytes(b"x" * 10_000_000 if wrong == "huge" else b"\x81\x00\x8d" * 9)
    fresh = Standin(rig.home)
    before = os.lstat(file) if os.path.lexists(file) else None
    plan = preview(fresh, book.commit("brass-orbit", {"game.textures": "low", "frame.cap": 60})) \
        if wrong != "odd" else None
    if plan:
        assert list(plan.refused) == ["game.textures"] and "\n" not in plan.refused["game.textures"]
    with pytest.raises(RigError):
        apply(fresh, book, book.commit("brass-orbit", {"game.textures": "low"}))
    assert (os.lstat(file) if os.path.lexists(file) else None) == before
    apply(fresh, book, book.commit("brass-orbit", {"frame.cap": 60}))  # what has nothing to do with it still goes


@pytest.mark.parametrize(("text", "says"), [
    ("[orbit]\ncolour = 1", "orbit: no such key: colour"), ("[orbit", "cannot be understood"),
    ("[orbit]\nexecutables = 'x'", "lists of words"), ("[orbit]\nkeys = 3", "cannot be understood"),
    ("x" * 300_000, "larger than")])
def test_a_list_of_games_that_makes_no_sense_is_said_so(tmp_path: Path, text: str, says: str) -> None:
    (tmp_path / "games.toml").write_text(text)
    with pytest.raises(RigError, match=says):
        read_games(tmp_path)
