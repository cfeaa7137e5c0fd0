"""A logbook that a stranger has made: it is read, and nothing in it acts on this machine."""

import base64
import hashlib
import json
import os
import shutil
import signal
import sqlite3
import subprocess
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

import pytest

from conftest import KEEN, Keen, as_json, environment, juniper, typed
from keenlattice.errors import BookError, KeenLatticeError
from keenlattice.logbook.book import Logbook
from keenlattice.rig.find import open_rig

READ = (["history", "brass-orbit"], ["show", "brass-orbit"], ["survey"],
        ["compare", "brass-orbit@stock", "brass-orbit"], ["undo", "--list"], ["studies"], ["drift"],
        ["rig", "sheet"],
        ["report", "brass-orbit", "--out", "page.html"])


@pytest.fixture(scope="module")
def theirs(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A logbook of somebody else's, who lives in another home, with all there is in it."""
    home = tmp_path_factory.mktemp("theirs")
    env = environment(home, KEEN_BOOK=str(home / "book"))
    for words in (["edit", "brass-orbit", "frame.queue-depth=1", "-m", "sooner"], ["apply", "brass-orbit", "--yes"],
                  ["history", "brass-orbit", "--label", "sunday"],
                  ["trial", "brass-orbit@stock", "brass-orbit", "--blocks", "2", "--seconds", "2", "--seed", "1"],
                  ["screen", "brass-orbit@stock", "brass-orbit", "--rounds", "1", "--seconds", "1", "--seed", "1"],
                  ["tune", "brass-orbit", "--try", "frame.cap=off,120", "--rounds", "3", "--seconds", "1",
                   "--proof", "0"],
                  ["hunt", "brass-orbit", "--decides", "latency_ms_median", "--seconds", "10", "--blocks", "6"],
                  ["measure", "brass-orbit", "--runs", "1", "--seconds", "2"]):
        done = typed(words, home, env)
        assert done.returncode == 0, done.stderr
    return home / "book"


@pytest.fixture
def received(theirs: Path, tmp_path: Path) -> Path:
    """A copy of it, as it amounts to us."""
    shutil.copytree(theirs, tmp_path / "book")
    return tmp_path / "book"


@contextmanager
def tampered(book: Path) -> Iterator[sqlite3.Connection]:
    with closing(sqlite3.connect(book / "logbook.sqlite", isolation_level=None)) as raw:
        yield raw


def held(folder: Path) -> dict[str, bytes]:
    return {str(path.relative_to(folder)): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


def test_it_is_read_and_not_written(received: Path, keen: Keen, tmp_path: Path) -> None:
    before = held(received)
    for words in READ:
        done = keen(*words)
        assert "open for reading alone" in done.stderr
    assert "sooner" in keen("history", "brass-orbit").stdout and "sunday" in keen("history", "brass-orbit").stdout
    assert "sooner" in (tmp_path / "page.html").read_text()
    for words in (["edit", "brass-orbit", "frame.cap=100"], ["apply", "brass-orbit", "--yes"], ["undo"],
                  ["history", "brass-orbit", "--label", "mine"], ["trial", "brass-orbit@stock", "brass-orbit"],
                  ["measure", "brass-orbit"], ["rig", "chore", "clear-shader-cache", "--yes"],
                  ["rig", "restart", "driver"]):
        assert "keen takeover" in keen(*words, code=1).stderr, words
    assert held(received) == before


def test_taken_over_it_is_ours_and_nothing_counts_as_done_here(received: Path, keen: Keen) -> None:
    assert "--yes" in keen("takeover", code=2).stderr
    told = keen("takeover", "--yes").stdout
    assert "nothing of it can be undone here" in " ".join(told.split()) and "It is yours now" in told
    assert as_json(keen("survey", "--json"))["applied"] == {}
    assert "nothing has been applied" in keen("undo", code=2).stderr
    assert "is yours already" in " ".join(keen("takeover").stdout.split())
    kept = as_json(keen("history", "brass-orbit", "--json"))["versions"]
    assert kept[0]["labels"] == ["sunday"] or kept[-1]["labels"] == ["sunday"]
    keen("edit", "brass-orbit", "frame.cap=100")
    keen("apply", "brass-orbit", "--yes")
    assert "byte for byte" in keen("undo").stdout


def test_a_planted_journal_restore_point_and_game_do_nothing(received: Path, keen: Keen, tmp_path: Path) -> None:
    """Each was undone, followed or started once."""
    target = tmp_path / ".bashrc"
    target.write_text("mine\n")
    harm = base64.b64encode(b"theirs\n").decode()
    journal = {"why": "x", "since": "x", "process": 1, "steps": 1, "before": {str(target): harm, "../../.bashrc": harm},
               "intent": None}
    line = {"begins": 1, "settings": [], "makes": {str(target): hashlib.sha256(b"=mine\n").hexdigest()}}
    for rig in ("juniper", "byhand", "here"):
        home = received / "rigs" / rig
        home.mkdir(parents=True)
        (home / "change-under-way.jsonl").write_text(f"{json.dumps(journal)}\n{json.dumps(line)}\n")
        (home / "games.toml").write_text(f"[brass-orbit]\nexecutables=['x']\ncommand=['touch', '{tmp_path}/started']\n")
        for name in ("before-the-unfinished-change.json", "change.lock.holder", "state.json"):
            (home / name).symlink_to(target)
    for words in (*READ, ["takeover", "--yes"], ["survey"], ["edit", "brass-orbit", "frame.cap=90"],
                  ["apply", "brass-orbit", "--yes"], ["undo"], ["rig", "recover"]):
        keen(*words)
    keen("measure", "brass-orbit", "--rig", "byhand", code=2)
    assert target.read_text() == "mine\n" and not (tmp_path / "started").exists()


@pytest.mark.parametrize("name", ["captures", "settings", "logbook.sqlite"])
def test_links_in_it_are_not_followed(received: Path, keen: Keen, tmp_path: Path, name: str) -> None:
    elsewhere = tmp_path / "elsewhere"
    place = received / name
    if place.exists():
        shutil.move(place, elsewhere)
    else:
        elsewhere.mkdir()
        (elsewhere / "x.toml").write_text("[a.b]\n")
    place.symlink_to(elsewhere)
    before = held(elsewhere) if elsewhere.is_dir() else elsewhere.read_bytes()
    reads = {"captures": ["draw", "brass-orbit", "--out", "a.png"], "settings": ["survey"]}
    words = reads.get(name, ["history", "rig"])
    assert "is a link" in keen(*words, code=1).stderr
    assert "is a link" in keen("takeover", "--yes", code=1).stderr
    assert before == (held(elsewhere) if elsewhere.is_dir() else elsewhere.read_bytes())


SCHEMES = ["CREATE TRIGGER t AFTER INSERT ON versions BEGIN DELETE FROM labels; END",
           "CREATE VIEW v AS SELECT * FROM versions", "CREATE TABLE more (x)", "CREATE INDEX i ON versions "
                                                                               "(upper(note))",
           "ALTER TABLE labels ADD COLUMN g AS (upper(label))", "DROP TABLE maps"]


@pytest.mark.parametrize("statement", SCHEMES)
def test_a_schema_that_is_not_ours_is_refused(received: Path, statement: str) -> None:
    with tampered(received) as raw:
        raw.execute(statement)
    with pytest.raises(BookError, match="not as Keen Lattice makes it"):
        Logbook(received)


def test_another_programs_file_stays_as_it_is(tmp_path: Path) -> None:
    with closing(sqlite3.connect(tmp_path / "logbook.sqlite")) as raw:
        raw.execute("CREATE TABLE bookmarks (url TEXT)")
        raw.commit()
    before = (tmp_path / "logbook.sqlite").read_bytes()
    with pytest.raises(BookError, match="belongs to another program"):
        Logbook(tmp_path)
    assert (tmp_path / "logbook.sqlite").read_bytes() == before


EACH = 1 if "KEEN_KILLS" in os.environ else 8
ODD = ["", "{", "[]", "{}", "null", "[1]", '{"a": [1, {"b": NaN}]}', "x" * 3000, "../../etc/passwd", "\x1b[31m",
       "[" * 3000, -1, 2**62, 1e308, None, b"\xff\x00", "2026-11-26", '{"kind": "trial"}', "[[[]]]", '"' * 50]


@pytest.mark.long
def test_every_row_is_held_against_its_form(received: Path, tmp_path: Path) -> None:
    """Whatever stands in any column of any row, each command that reads ends in one line, and soon."""
    with tampered(received) as raw:
        columns = [(table, column[1]) for (table,) in raw.execute(
            "SELECT name FROM sqlite_master WHERE type = 'table'").fetchall() if table != "book"
            for column in raw.execute(f"PRAGMA table_info({table})").fetchall()]
    whole = (received / "logbook.sqlite").read_bytes()
    env = environment(tmp_path, KEEN_BOOK=str(received))
    commands = [*READ, ["draw", "brass-orbit", "--out", "a.png"], ["studies", "again", "1"], ["studies", "again", "2"],
                ["report", "--study", "1", "--out", "r.html"], ["report", "--study", "4", "--out", "r.html"]]
    signal.signal(signal.SIGALRM, _too_long)
    tried = refused = 0
    for table, column in columns:
        for odd in ODD[hash_of(table, column) % EACH::EACH]:  # each column its share; `make torture` has all
            (received / "logbook.sqlite").write_bytes(whole)
            with tampered(received) as raw:
                try:
                    raw.execute(f"UPDATE OR IGNORE {table} SET {column} = ?", (odd,))
                except sqlite3.IntegrityError:
                    continue
            words = commands[tried % len(commands)]
            signal.alarm(20)
            done = typed(words, tmp_path, env)
            signal.alarm(0)
            assert done.returncode in (0, 1, 2), (table, column, odd, words, done.stderr)
            lines = [line for line in done.stderr.splitlines() if not line.startswith(("! ", "next: ", "to "))]
            assert len(lines) <= 1 and "Traceback" not in done.stderr, (table, column, odd, words, done.stderr)
            tried, refused = tried + 1, refused + (done.returncode == 1)
    assert tried > 80 and refused > 8


def hash_of(*words: str) -> int:
    return int(hashlib.sha256("".join(words).encode()).hexdigest()[:8], 16)


def _too_long(_number: int, _frame: object) -> None:
    raise TimeoutError("it takes too long")


def test_a_logbook_keeps_working_however_it_is_named_moved_or_copied(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    keen("apply", "brass-orbit", "--yes")
    book = tmp_path / "book"
    (tmp_path / "link").symlink_to(book)
    env = environment(tmp_path)
    for spelled in ("link", "book/../book", str(book)):
        assert as_json(typed(["survey", "--json", "--book", spelled], tmp_path, env))["applied"], spelled
    shutil.copytree(book, tmp_path / "copy")
    assert "byte for byte" in typed(["undo", "--book", "copy"], tmp_path, env).stdout
    assert as_json(typed(["survey", "--json", "--book", "copy"], tmp_path, env))["applied"] == {}
    assert as_json(keen("survey", "--json"))["drift"] == [] and as_json(keen("survey", "--json"))["applied"]
    shutil.move(book, tmp_path / "moved")
    assert "byte for byte" in typed(["undo", "--book", "moved"], tmp_path, env).stdout
    with Logbook(tmp_path / "copy") as one, pytest.raises(KeenLatticeError):
        one.check_writable()  # of another player: we are not the one whose state `env` names
    rigs = {juniper(tmp_path / name, tmp_path) for name in ("copy", "moved")}
    assert len(rigs) == 2 and all(rig.is_dir() for rig in rigs)


def test_code_in_the_current_folder_is_not_run(tmp_path: Path) -> None:
    evil = f"open({str(tmp_path / 'ran')!r}, 'w').close()\n"
    for name in ("json.py", "subprocess.py", "ctypes.py"):
        (tmp_path / name).write_text(evil)
    (tmp_path / "keenlattice").mkdir()
    (tmp_path / "keenlattice" / "__init__.py").write_text(evil)
    (tmp_path / "matplotlibrc").write_bytes(b"\xff\xfe backend: module://json\n")
    for words in (["survey", "--rig", "here"], ["rig", "match", "orbit", "--rig", "here"],
                  ["measure", "brass-orbit", "--runs", "1", "--seconds", "1", "--figure", "a.png"]):
        done = subprocess.run([KEEN[0], "-P", *KEEN[1:], *words], cwd=tmp_path, capture_output=True, text=True,
                              env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")), check=False)
        assert "Traceback" not in done.stderr and (done.returncode == 0 or "driver" in done.stderr), done.stderr
    assert (tmp_path / "a.png").exists() and not (tmp_path / "ran").exists()


def test_a_restore_point_writes_only_where_the_rig_keeps_settings(book: Logbook, tmp_path: Path) -> None:
    """Even one among our own state, should somebody have got at it."""
    from keenlattice.errors import RefusedByRig
    from keenlattice.rig.applying import apply
    from keenlattice.rig.undoing import undo

    rig = open_rig("standin", book)
    apply(rig, book, book.commit("brass-orbit", {"frame.cap": 90}))
    points = Path(os.environ["KEEN_STATE"]) / "restore-points"
    point = points / f"{book.in_force('juniper')[-1].token}.json"
    told = json.loads(point.read_text())
    for place in (str(tmp_path / "elsewhere"), "../../../elsewhere", "/proc/../tmp/elsewhere"):
        point.write_text(json.dumps({**told, "before": {**told["before"], place: "eA=="}}))
        with pytest.raises(RefusedByRig, match="is not a place"):
            undo(rig, book)
    point.unlink()
    with pytest.raises(BookError, match="not on this machine"):
        undo(rig, book)
    assert dict(rig.values(rig.state(), "brass-orbit")) == {"frame.cap": 90}


def test_two_that_begin_a_logbook_at_once_have_one(tmp_path: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))
    both = [subprocess.Popen([*KEEN, "edit", "brass-orbit", f"frame.cap={cap}"], env=env, stderr=subprocess.PIPE,
                             stdout=subprocess.DEVNULL) for cap in range(100, 108)]
    assert [one.communicate()[1] for one in both if one.wait()] == []
    found = as_json(typed(["history", "brass-orbit", "--json"], tmp_path, env))["versions"]
    assert len(found) == 8 and [len(one["parents"]) for one in found] == [1] * 7 + [0]  # each on top of the last
    assert sorted(path.name for path in (tmp_path / "book").iterdir() if "new" in path.name) == []
