"""Safe hands at the command line: what a worried player sees after a failure, and where anything is written."""

import json
import os
import platform
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from conftest import KEEN, POSIX, Keen, as_json, environment, juniper
from keenlattice.errors import RigError
from keenlattice.logbook.book import Logbook
from keenlattice.rig.applying import apply
from keenlattice.rig.journal import unfinished
from keenlattice.rig.standin.machine import Standin
from test_cli import at_a_terminal

DIES = """
import os, signal, sys
from pathlib import Path
from keenlattice.logbook.book import Logbook
from keenlattice.rig.applying import apply
from keenlattice.rig.standin.machine import Standin
folder = Path(sys.argv[1])
book = Logbook(folder)
rig = Standin(book.state / "juniper")
real, left = rig.put, [3]
def put(state):
    left[0] -= 1
    if not left[0]:
        os.kill(os.getpid(), 9)
    real(state)
rig.put = put
apply(rig, book, book.latest("brass-orbit"))
"""


@pytest.fixture
def killed(keen: Keen, tmp_path: Path) -> Path:
    """A logbook whose apply was killed after two of three steps."""
    keen("edit", "brass-orbit", "frame.cap=160", "frame.queue-depth=1", "sync.vertical=off")
    book = tmp_path / "book"
    done = subprocess.run([sys.executable, "-c", DIES, str(book)], env=environment(tmp_path), check=False)
    assert done.returncode and unfinished(juniper(book))
    return book


def held(book: Path) -> object:
    rig = Standin(juniper(book))
    return dict(rig.values(rig.state(), "brass-orbit"))


ALL = {"frame.cap": 160, "frame.queue-depth": 1, "sync.vertical": "off"}


@pytest.mark.parametrize(("answer", "says", "then"), [
    ("finish", "it is finished now, and read back", ALL), ("undo", "back to what it was before", {}),
    ("leave", "left as it is", {"frame.cap": 160, "frame.queue-depth": 1})])
def test_after_a_kill_the_player_chooses(killed: Path, tmp_path: Path, answer: str, says: str, then: object) -> None:
    said = at_a_terminal(tmp_path, ["survey"], {"[undo]": answer})
    assert "2 of 3 steps done" in said and says in " ".join(said.split())
    assert held(killed) == then and unfinished(juniper(killed)) is (answer == "leave")


def test_recover_finishes_or_undoes(killed: Path, keen: Keen) -> None:
    keen("rig", "recover", "--finish", "--undo", code=2)
    said = keen("rig", "recover", "--finish").stdout
    assert "after 2 of 3 steps): it is finished now" in " ".join(said.split())
    assert held(killed) == ALL and as_json(keen("survey", "--json"))["applied"]
    assert "Nothing was cut short" in keen("rig", "recover", "--undo").stdout
    keen("undo")
    assert held(killed) == {}


def test_without_a_terminal_it_is_undone_and_said(killed: Path, keen: Keen) -> None:
    assert "back to what it was before" in keen("history", "brass-orbit").stderr
    assert held(killed) == {}


def test_chores_are_listed_done_and_undone(keen: Keen) -> None:
    listed = as_json(keen("rig", "chore", "--json"))["chores"]
    assert {one["name"]: one["undoable"] for one in listed} == {
        "update-driver": True, "clear-shader-cache": True, "clear-temporary-files": True,
        "purge-standby-memory": False, "verify-game-files": False}
    assert "1840 MiB of the shader cache" in keen("rig", "chore", "clear-shader-cache", "--yes").stdout
    assert "nothing brings back" in keen("rig", "chore", "purge-standby-memory", "--yes").stdout
    again = as_json(keen("rig", "chore", "purge-standby-memory", "--yes", "--json"))
    assert again["says"] == ["there is nothing to do"]
    points = as_json(keen("undo", "--list", "--json"))["points"]
    assert [(one["what"], one["in_force"]) for one in points] == [
        ("clear-shader-cache", True), ("purge-standby-memory", False), ("purge-standby-memory", False)]
    assert "Undone on the rig juniper: chore clear-shader-cache" in keen("undo").stdout
    assert "for good" in keen("undo", "--list").stdout
    keen("undo", "--to", "99", code=2)
    keen("undo", code=2)
    assert "1840 MiB" in keen("rig", "chore", "clear-shader-cache", "--yes").stdout


WATCHED = """
import os, sys
seen = set()
def watch(event, words):
    if event == "open" and isinstance(words[0], str) and words[2] & (os.O_WRONLY | os.O_RDWR):
        seen.add(words[0])
    if event in ("os.rename", "os.remove", "os.chmod", "os.mkdir"):
        seen.update(str(word) for word in words if isinstance(word, str))
sys.addaudithook(watch)
from keenlattice.cli.app import main
try:
    main()
finally:
    print("\\n".join(sorted(seen)), file=sys.stderr)
"""


def test_nothing_is_written_but_where_the_preview_said(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap=160", "game.textures=low", "game.config-locked=on")
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))
    done = subprocess.run([sys.executable, "-c", WATCHED, "apply", "brass-orbit", "--yes", "--json"], env=env,
                          capture_output=True, text=True, check=True)
    rig = juniper(tmp_path / "book")
    places = [place.removesuffix(" (lock)") for place in as_json(done)["places"]]
    assert str(rig / "state.json") in places and str(rig / "games/brass-orbit/settings.ini") in places
    ours = ("change-under-way.jsonl", "change.lock", "change.lock.holder", "spare-room")
    state = rig.parents[2]
    allowed = {*places, *(str(rig / name) for name in ours), str(rig), str(tmp_path / "book"), str(state / "books"),
               str(rig.parent), str(rig.parent / "where"), str(state / "restore-points")}
    for path in done.stderr.split("\n"):
        name = Path(path).name
        beside = name.startswith(".") and any(f".{Path(place).name}." in name for place in [*places, *ours])
        book = path.startswith(str(tmp_path / "book" / "logbook.sqlite"))
        point = Path(path).parent == state / "restore-points"
        other = not path or path.startswith("/dev/") or "__pycache__" in path
        assert path in allowed or beside or point or book or other, path


@pytest.mark.skipif(not hasattr(os, "geteuid") or os.geteuid() != 0 or shutil.which("mount") is None,
                    reason="only root can make a small disk")
def test_a_disk_that_fills_up_in_mid_apply_is_rolled_back(tmp_path: Path, book: Logbook,
                                                          monkeypatch: pytest.MonkeyPatch) -> None:
    disk = tmp_path / "disk"
    disk.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", str(disk)], check=False).returncode:
        pytest.skip("no disk can be mounted here")
    try:
        rig = Standin(disk / "rig")
        before, real, writes = rig.state(), rig.put, []

        def put(state: object) -> None:
            writes.append(state)
            if len(writes) == 2:  # somebody else takes all the room that is left
                filler = os.open(disk / "filler", os.O_CREAT | os.O_WRONLY)
                with pytest.raises(OSError, match="No space"):
                    for _ in range(4096):
                        os.write(filler, bytes(512))
                os.close(filler)
            real(state)  # type: ignore[arg-type]

        monkeypatch.setattr(rig, "put", put)
        with pytest.raises(RigError, match=r"[Nn]o space left.*the rig is as it was before"):
            apply(rig, book, book.commit("brass-orbit", ALL))
        assert rig.state() == before and not unfinished(rig.home)
    finally:
        subprocess.run(["umount", str(disk)], check=True)


def test_a_rig_changed_by_hand_from_facts_to_undo(keen: Keen, tmp_path: Path) -> None:
    env = {"KEEN_RIG": "byhand"}
    keen("rig", "facts", "refresh_hz=165", "gpu=A card", **env)
    (tmp_path / "more.toml").write_text("devices = ['gpu0']\n[facts]\nram_mib = 16384\nrefresh_hz = 165\n")
    assert as_json(keen("rig", "facts", "--from", "more.toml", "--json", **env))["devices"] == ["gpu0"]
    keen("rig", "facts", "refresh_hz", code=2, **env)
    keen("rig", "facts", "--from", "nowhere.toml", code=2, **env)
    assert "typed in" in keen("rig", "facts", "ram_mib=3", code=2).stderr
    keen("rig", "game", "orbit", "--title", "Brass Orbit", "--executable", "orbit.exe", **env)
    keen("edit", "orbit", "frame.cap== refresh - 3", "frame.queue-depth=1", "sync.vertical=off", "-m", "sooner", **env)
    keen("edit", "rig", "interrupt.mode@gpu0=message", **env)
    sheet = as_json(keen("apply", "orbit", "--yes", "--json", **env))["sheet"]
    assert [(one["number"], one["key"], one["after"], one["restart"]) for one in sheet["steps"]] == [
        (1, "frame.cap", 162, "none"), (2, "frame.queue-depth", 1, "game"), (3, "sync.vertical", "off", "game")]
    assert "still open" in keen("apply", "rig", "--yes", code=2, **env).stderr
    keen("rig", "sheet", "--tick", "1", "--tick", "2")
    keen("rig", "sheet", "--tick", "1", code=2)
    keen("rig", "sheet", "--seen", "3", code=2)
    for name, mark in (("s.md", "- [x] **1. Frame"), ("s.html", "<span class=box aria-label='done'>x</span>")):
        keen("rig", "sheet", "--out", name)
        assert mark in (tmp_path / name).read_text()
    keen("rig", "sheet", "--out", "s.doc", code=2)
    assert "you saw on, and off was to be set: it did not take" in keen("rig", "sheet", "--seen", "3=on").stdout
    assert "1 seen, 2 said" in keen("rig", "sheet").stdout
    (drift,) = as_json(keen("drift", "--json", code=1, **env))["profiles"]
    assert [one["setting"] for one in drift["changes"]] == ["sync.vertical"]
    back = as_json(keen("undo", "--json", **env))["sheet"]
    assert [(one["key"], one["before"], one["after"]) for one in back["steps"]] == [
        ("frame.cap", 162, None), ("frame.queue-depth", 1, None), ("sync.vertical", "on", None)]
    said = at_a_terminal(tmp_path, ["rig", "sheet", "--ask"], {"1. Frame-rate cap": "y", "2. Frames prepared": "5000",
                                                        "cannot be 5000": "2", "3. Vertical sync": "q"})
    said = " ".join(said.split())
    assert "(you say so)" in said and "(you saw 2 frames)" in said and "1 of 3 steps still to do" in said
    assert "2 of 3 steps had been done" in keen("rig", "sheet", "--drop").stdout
    points = as_json(keen("undo", "--list", "--json", **env))["points"]
    assert [one["kind"] for one in points] == ["apply", "part"]
    keen("measure", "orbit", code=1, **env)


def test_two_ticks_at_once_both_count(keen: Keen, tmp_path: Path) -> None:
    env = {"KEEN_RIG": "byhand"}
    keen("rig", "game", "orbit", "--executable", "orbit.exe", **env)
    keen("edit", "orbit", "frame.queue-depth=1", "sync.vertical=off", "frame.cap=90", **env)
    keen("apply", "orbit", "--yes", **env)
    both = [subprocess.Popen([*KEEN, "rig", "sheet", "--tick", str(step)], cwd=tmp_path, stdout=subprocess.DEVNULL,
                             env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))) for step in (1, 2, 3)]
    assert [one.wait() for one in both] == [0, 0, 0]
    assert "No run sheet is open; 1 is in the logbook" in keen("rig", "sheet").stdout
    assert [one["kind"] for one in as_json(keen("undo", "--list", "--json", **env))["points"]] == ["apply"]
    keen("apply", "orbit", "--yes", **env)
    assert as_json(keen("drift", "--json", **env))["profiles"] == []


def test_what_was_told_of_a_game_stays_until_it_is_told_otherwise(keen: Keen, tmp_path: Path) -> None:
    env = {"KEEN_RIG": "byhand"}
    keen("rig", "game", "orbit", "--executable", "orbit", "--command", "orbit --fast 'a b'", "--file", "o.ini",
         "--answers-at", "3,4", **env)
    told = " ".join(keen("rig", "game", "orbit", "--title", "Brass Orbit", **env).stdout.split())
    assert "runs as orbit; started by orbit --fast 'a b'; its settings in" in told and "answers at 3,4" in told
    told = keen("rig", "game", "orbit", "--command", "", "--file", "", "--answers-at", "", **env).stdout
    told = " ".join(told.split())
    assert told.endswith("runs as orbit.") or "runs as orbit. " in told
    assert "started by" not in told and "settings in" not in told and "answers at" not in told


@POSIX
def test_no_output_takes_the_place_of_what_is_there(keen: Keen, tmp_path: Path) -> None:
    recording = "t\n" + "".join(f"{8 * one}\n" for one in range(300))
    (tmp_path / "run.csv").write_text(recording)
    (tmp_path / "page.html").symlink_to(tmp_path / "run.csv")
    keen("edit", "brass-orbit", "frame.cap=90", "-m", "steady")
    given = ["--time", "t", "--name", "mine"]
    assert "written to run-2.csv" in keen("ingest", "run.csv", *given, "--out", "run.csv").stderr
    assert "written to page-2.html" in keen("report", "brass-orbit", "--out", "page.html").stderr
    for number in ("", "-2"):
        assert f"brass-orbit-history{number}.html" in keen("report", "brass-orbit").stdout
    assert (tmp_path / "run.csv").read_text() == recording and "steady" in (tmp_path / "page-2.html").read_text()


def test_what_has_been_done_is_not_advised_again(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.cap=90")
    assert "keen trial" in keen("show", "brass-orbit").stderr and "keen apply" in keen("show", "brass-orbit").stderr
    keen("apply", "brass-orbit", "--yes")
    keen("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "2", "--seconds", "1")
    said = keen("show", "brass-orbit").stderr
    assert "keen compare" in said and "keen apply" not in said and "keen trial" not in said
    keen("pack", "write", "p.toml", "brass-orbit")
    assert "keen pack adopt" not in keen("pack", "look", "p.toml").stderr
    for step, names in (("1", "--tick 2"), ("2", "--tick 3")):
        if step == "1":
            keen("rig", "game", "orbit", "--executable", "x", KEEN_RIG="byhand")
            keen("edit", "orbit", "frame.cap=90", "frame.queue-depth=1", "sync.vertical=off", KEEN_RIG="byhand")
            keen("apply", "orbit", "--yes", KEEN_RIG="byhand")
        assert names in keen("rig", "sheet", "--tick", step).stderr


def test_facts_that_were_typed_in_are_numbers_or_unknown(keen: Keen, tmp_path: Path) -> None:
    env = {"KEEN_RIG": "byhand"}
    for threads in ("many", "1e300", "-3", "yes"):
        assert "threads" in keen("rig", "facts", f"threads={threads}", code=2, **env).stderr
    keen("rig", "facts", "threads=8.0", **env)
    (typed,) = tmp_path.rglob("rig.toml")
    for threads in ("'many'", "1e300", "-3", "nan"):  # changed in an editor, it may hold anything
        typed.write_text(f"[facts]\nthreads = {threads}\nrefresh_hz = {threads}\n")
        keen("survey", **env)
        keen("show", "rig", "--all", **env)


def test_what_this_machine_tells_is_taken_only_if_it_is_wanted(keen: Keen) -> None:
    env = {"KEEN_RIG": "byhand"}
    assert set(as_json(keen("rig", "facts", "--json", **env))["facts"]) == {"case_matters"}
    told = as_json(keen("rig", "facts", "--here", "cores=3", "--json", **env))["facts"]
    assert (told["threads"], told["cores"]) == (os.cpu_count(), 3)
    assert told["os"].startswith(f"{platform.system()} ") and told["ram_mib"] > 500
    if os.name == "posix":
        assert told["ram_mib"] == os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2**20
    assert "itself" in keen("rig", "facts", "--here", "--rig", "standin", code=2).stderr


def test_a_fact_has_one_name(keen: Keen) -> None:
    env = {"KEEN_RIG": "byhand"}
    keen("rig", "facts", "refresh=144", "--devices", "gpu0,usb0", "usb0_shares_line=yes", **env)
    told = as_json(keen("rig", "facts", "--json", **env))
    assert told["facts"] == {"case_matters": False, "refresh_hz": 144, "usb0_shares_line": True}
    assert told["devices"] == ["gpu0", "usb0"]
    assert "nearest: refresh" in keen("rig", "facts", "refrsh=3", code=2, **env).stderr
    assert "refresh and refresh_hz are the same fact" in keen("rig", "facts", "refresh=3", "refresh_hz=4", code=2,
                                                              **env).stderr
    assert "'a/b' is not the name" in keen("rig", "facts", "--devices", "a/b", code=2, **env).stderr
    names = as_json(keen("rig", "facts", "--list", "--json", **env))["names"]
    assert set(told["facts"]) < set(names)
    keen("rig", "facts", "--list", "refresh=3", code=2, **env)
    keen("rig", "facts", "refresh=", **env)
    assert "refresh_hz" not in as_json(keen("rig", "facts", "--json", **env))["facts"]


def test_what_nobody_has_told_or_seen_is_unknown(keen: Keen) -> None:
    env = {"KEEN_RIG": "byhand"}
    keen("rig", "game", "orbit", "--executable", "orbit.exe", **env)
    keen("rig", "facts", "refresh_hz=60", **env)

    def found() -> dict[str, str]:
        return {one["check"]: one["kind"] for one in as_json(keen("survey", "--json", **env))["findings"]}

    assert found() == {"recorder-on": "not known", "overlay-on": "not known"}
    assert "! Not known: if background.recorder is on, a recorder" in keen("survey", **env).stdout
    held = {one["setting"]: one for one in as_json(keen("show", "orbit", "--json", **env))["settings"]}
    assert held["display.refresh"]["layer"] == "facts" and held["display.refresh"]["value"] == 60
    rest = [one for key, one in held.items() if key != "display.refresh"]
    assert all((one["layer"], one["value"], one["stored"]) == ("unknown", None, None) for one in rest)
    keen("edit", "rig", "background.recorder=on", **env)
    keen("apply", "rig", "--yes", **env)
    keen("rig", "sheet", "--tick", "1")
    keen("rig", "facts", "best_refresh_hz=165", **env)
    assert found() == {"recorder-on": "wrong", "panel-below-best": "wrong", "overlay-on": "not known"}


def test_an_undo_goes_back_to_what_was_noted(keen: Keen, tmp_path: Path) -> None:
    env = {"KEEN_RIG": "byhand"}
    keen("rig", "game", "orbit", "--executable", "orbit.exe", **env)
    keen("edit", "orbit", "frame.queue-depth=1", "sync.vertical=off", "frame.cap=90", **env)
    keen("catalog", "frame.cap", "--note", "third page, at the bottom", **env)
    keen("catalog", "frame.cpa", "--note", "x", code=2, **env)
    keen("catalog", "frame.cap", "--note", "x" * 501, code=2, **env)
    keen("catalog", "frame.cap", "--note", "x", "--domain", "frame", code=2, **env)
    assert "You noted: third page, at the bottom" in keen("apply", "orbit", "--json", "--yes", **env).stdout
    assert "third page" in keen("catalog", "frame.cap", **env).stdout
    keen("rig", "sheet", "--drop")
    keen("catalog", "frame.cap", "--note", "", **env)
    assert as_json(keen("catalog", "frame.cap", "--json", **env))["notes"] == {}
    assert "not known: note it" in keen("apply", "orbit", "--yes", **env).stdout
    for value in ("5000", "= refresh - 3", ""):
        keen("rig", "sheet", "--was", f"1={value}", code=2)
        keen("rig", "sheet", "--seen", f"1={value}", code=2)
    (sheet,) = tmp_path.rglob("sheet.json")
    whole = sheet.read_bytes()
    told = json.loads(whole)
    for damaged in ("{", "[3]", "{}", '{"said.json": 3}'):
        sheet.write_text(json.dumps({**told, "before": damaged}))
        assert "is damaged" in keen("rig", "sheet", "--was", "1=120", code=1).stderr
    sheet.write_bytes(whole)
    keen("rig", "sheet", "--was", "1=120", "--tick", "1")
    keen("rig", "sheet", "--was", "1=60", code=2)
    at_a_terminal(tmp_path, ["rig", "sheet", "--ask"], {
        "2. Frames prepared": "many", "takes 1 to 6": "3", "Done?": "y", "3. Vertical sync": "\ny"})
    back = as_json(keen("undo", "--json", **env))["sheet"]
    assert [(one["key"], one["before"], one["after"]) for one in back["steps"]] == [
        ("frame.cap", 90, 120), ("frame.queue-depth", 1, 3), ("sync.vertical", "off", None)]
    assert "what was there before it was set" in keen("rig", "sheet").stdout


def test_a_page_of_a_trial_by_hand_asks_what_is_not_known(keen: Keen, tmp_path: Path) -> None:
    env = {"KEEN_RIG": "byhand"}
    keen("rig", "game", "orbit", "--executable", "orbit.exe", **env)
    keen("edit", "orbit", "sync.triple-buffering=on", **env)
    keen("trial", "orbit@stock", "orbit", "--from-files", "--blocks", "3", "--repeats", "1", "--seconds",
         "5", "--seed", "1", **env)
    rng = np.random.default_rng(1)
    for run in range(6):
        shown = np.cumsum(rng.gamma(40, 0.1, 1300))
        (tmp_path / f"{run}.csv").write_text("shown_ms\n" + "\n".join(f"{at:.3f}" for at in shown))
    keen("ingest", "0.csv", "--time", "shown_ms", "--name", "mine", "--yes", **env)
    keen("trial", *(word for run in range(6) for word in ("--take", f"{run}.csv")), **env)
    keen("report", "--out", "page.md", **env)
    said = (tmp_path / "page.md").read_text()
    assert "Not known: if sync.vertical is game decides, triple buffering does nothing" in said
    assert "If it is so: unset sync.triple-buffering" in said and "keen trial orbit@stock" in said
    assert "Wrong (" not in said and "Inert (" not in said


def test_notes_that_are_damaged_are_one_line_and_stay(keen: Keen, tmp_path: Path) -> None:
    env = {"KEEN_RIG": "byhand"}
    keen("catalog", "frame.cap", "--note", "third page", **env)
    (notes,) = tmp_path.rglob("notes.json")
    for content in (b"{", b"[]", b'{"frame.cap": 3}', b"\xff", b'{"a": "' + b"x" * 500_000 + b'"}'):
        notes.write_bytes(content)
        for words in (["catalog", "frame.cap"], ["catalog", "frame.cap", "--note", "x"]):
            assert "notes.json is damaged" in keen(*words, code=1, **env).stderr
        assert notes.read_bytes() == content


def test_a_formula_means_the_refresh_rate_that_is_set_beside_it(keen: Keen) -> None:
    keen("edit", "rig", "display.refresh=165")
    keen("edit", "brass-orbit", "frame.cap== refresh - 3")
    held = {one["setting"]: one["value"] for one in as_json(keen("show", "brass-orbit", "--json"))["settings"]}
    assert held["frame.cap"] == 57
    done = keen("apply", "brass-orbit", "--yes", "--json")
    assert as_json(done)["changes"][0]["after"] == 57 and "162 fps once the rig-wide profile" in done.stderr
    keen("apply", "rig", "--yes")
    assert as_json(keen("drift", "--json", code=1))["profiles"][0]["changes"][0]["before"] == 162


@POSIX
def test_streams_that_are_closed_and_words_half_typed_are_no_traceback(keen: Keen, tmp_path: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))
    shell = f"'{KEEN[0]}' -c '{KEEN[2]}'"
    for closed in ("<&-", ">&-", "2>&-", "<&- >&- 2>&-"):
        done = subprocess.run(["sh", "-c", f"{shell} survey {closed}"], env=env, capture_output=True, text=True,
                              check=False)
        assert done.returncode == 0 and "Traceback" not in done.stderr, done.stderr
    for more in ({"COMP_WORDS": "keen edit 'bra", "COMP_CWORD": "2"}, {}, {"COMP_WORDS": "keen", "COMP_CWORD": "x"}):
        done = subprocess.run([*KEEN], env={**env, "_KEEN_COMPLETE": "complete_bash", **more}, capture_output=True,
                              text=True, check=False)
        assert "Traceback" not in done.stderr, done.stderr


@POSIX
def test_ctrl_c_at_any_moment_is_one_line(tmp_path: Path) -> None:
    for after_ms in range(0, 1400, 280):
        running = subprocess.Popen([*KEEN, "measure", "brass-orbit", "--runs", "50", "--figure", "a.png"], cwd=tmp_path,
                                   env=environment(tmp_path), stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        time.sleep(0.12 + after_ms / 1000)  # Python itself, which is not ours, takes the first of it
        running.send_signal(signal.SIGINT)
        said = running.communicate(timeout=60)[1]
        assert running.returncode == 130 and "Traceback" not in said, said


@POSIX
def test_a_rig_of_this_machine_is_told_of_games_and_what_applies_to_them(keen: Keen, tmp_path: Path) -> None:
    env = {"KEEN_RIG": "here"}
    keen("rig", "game", "orbit", "--executable", "orbit", "--file", "orbit.ini", **env)
    (tmp_path / "orbit.ini").write_text("[Pace]\nCap=60\n")
    (tmp_path / ".drirc").write_text("<driconf><device><application name='Mine' executable='orbit'>"
                                     "<option name='vblank_mode' value='0'/></application></device></driconf>")
    told = as_json(keen("rig", "match", "orbit", "--json", **env))
    assert told["game"] == "orbit"
    assert [(one["option"], one["value"], one["entry"]) for one in told["options"]] == [("vblank_mode", "0", "Mine")]
    assert "gets no profile of ours" in keen("rig", "match", "rally", **env).stdout
    assert "orbit" in keen("rig", "game", **env).stdout
    keen("edit", "orbit", "file.pace_cap=144", "sync.vertical=on", **env)
    assert "orbit.ini" in keen("apply", "orbit", "--yes", **env).stdout
    assert (tmp_path / "orbit.ini").read_text() == "[Pace]\nCap=144\n"
    assert "Keen Lattice: orbit, over Mine" in keen("rig", "match", "orbit", **env).stdout
    keen("undo", **env)
    assert (tmp_path / "orbit.ini").read_text() == "[Pace]\nCap=60\n"
    for words in (["rig", "game", "Bad Name", "--executable", "x"], ["rig", "game", "orbit"]):
        keen(*words, code=2, **env)
    keen("rig", "game", "orbit", "--executable", "x", code=2)
