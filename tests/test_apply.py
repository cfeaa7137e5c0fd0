"""Changing a rig with a way back: apply, undo, and what is left when a process dies."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from conftest import POSIX
from keenlattice.errors import RefusedByRig, RigBusy, RigError, UsageError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.version import stock
from keenlattice.rig.applying import adopt, apply, find_drift, put_back
from keenlattice.rig.chores import do_chore
from keenlattice.rig.journal import JOURNAL, unfinished
from keenlattice.rig.recovery import recover
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.transaction import changing
from keenlattice.rig.undoing import undo


def test_apply_then_undo_is_as_if_nothing_had_been(rig: Standin, book: Logbook) -> None:
    rig.put({rig.place: b'{ "rig": {"display.refresh": 144} }'})  # not as we would have written it
    first = rig.state()
    one = book.commit("brass-orbit", {"frame.cap": 162})
    apply(rig, book, one)
    apply(rig, book, book.commit("brass-orbit", {"frame.queue-depth": 1}))
    assert rig.values(rig.state(), "brass-orbit") == {"frame.queue-depth": 1}
    assert undo(rig, book).exactly
    assert rig.values(rig.state(), "brass-orbit") == {"frame.cap": 162}
    assert book.last_apply("juniper", "brass-orbit").version == one.id  # type: ignore[union-attr]
    assert undo(rig, book).exactly
    assert rig.state() == first
    with pytest.raises(UsageError, match="nothing has been applied"):
        undo(rig, book)


def test_undo_keeps_what_others_changed_since(rig: Standin, book: Logbook) -> None:
    apply(rig, book, book.commit("brass-orbit", {"frame.cap": 162}))
    rig.put(rig.changed(rig.state(), "tidewater-rally", {"frame.cap": 60}))
    assert not undo(rig, book).exactly
    assert rig.values(rig.state(), "brass-orbit") == {}
    assert rig.values(rig.state(), "tidewater-rally") == {"frame.cap": 60}


def test_a_refused_apply_leaves_nothing(rig: Standin, book: Logbook) -> None:
    with pytest.raises(RefusedByRig):
        apply(rig, book, book.commit("rig", {"display.refresh": 240}))
    assert rig.state()[rig.place] is None and not unfinished(rig.home)
    assert book.last_apply("juniper") is None


def test_drift_is_what_differs_from_the_last_apply_and_nothing_else(rig: Standin, book: Logbook) -> None:
    assert find_drift(rig, book) == ()
    version = book.commit("brass-orbit", {"frame.cap": "= refresh - 3", "sync.vertical": "off"})
    apply(rig, book, version)
    assert find_drift(rig, book) == ()
    rig.put(rig.changed(rig.state(), "brass-orbit", {"sync.vertical": "on", "frame.queue-depth": 2}))
    rig.put(rig.changed(rig.state(), "tidewater-rally", {"frame.cap": 60}))  # of which nothing was applied
    (drift,) = find_drift(rig, book)
    assert [(one.key, one.before, one.after) for one in drift.changes] == [
        ("frame.queue-depth", None, 2), ("sync.vertical", "off", "on")]
    adopted = adopt(rig, book, drift, "me")
    assert adopted.entries == {"frame.cap": "= refresh - 3", "frame.queue-depth": 2, "sync.vertical": "on"}
    assert find_drift(rig, book) == ()
    rig.put(rig.changed(rig.state(), "rig", {"display.refresh": 165}))  # the formula amounts to more now
    (later,) = find_drift(rig, book)
    assert [(one.key, one.before, one.after) for one in later.changes] == [("frame.cap", 162, 57)]
    put_back(rig, book, later)
    assert find_drift(rig, book) == () and rig.values(rig.state(), "brass-orbit")["frame.cap"] == 162


def test_a_chore_is_not_undone_over_somebody_elses_changes(rig: Standin, book: Logbook) -> None:
    do_chore(rig, book, "update-driver")
    rig.put(rig.changed(rig.state(), "tidewater-rally", {"frame.cap": 60}))
    with pytest.raises(UsageError, match="cannot be undone alone"):
        undo(rig, book)
    assert not unfinished(rig.home)


def test_stock_takes_everything_of_the_game_off(rig: Standin, book: Logbook) -> None:
    apply(rig, book, book.commit("brass-orbit", {"frame.cap": 162}))
    apply(rig, book, stock("brass-orbit"))
    assert rig.values(rig.state(), "brass-orbit") == {}


def test_one_at_a_time(rig: Standin, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("keenlattice.rig.locks.PATIENCE_S", 0.1)
    with changing(rig, "a long trial"), pytest.raises(RigBusy, match=r"a long trial, by process \d+ since"), \
            changing(rig, "another"):
        pass
    with changing(rig, "another"):
        pass


DIES = """
import os, signal, sys
from pathlib import Path
from keenlattice.rig.transaction import changing
from keenlattice.rig.standin.machine import Standin
rig = Standin(Path(sys.argv[1]))
with changing(rig, "a trial") as change:
    for cap in range(30, 30 + int(sys.argv[2])):
        change.put(rig.changed(rig.state(), "brass-orbit", {"frame.cap": cap}))
    os.kill(os.getpid(), 9)
"""


@pytest.mark.parametrize("writes", [1, 5])
def test_after_a_kill_the_rig_is_put_back(rig: Standin, writes: int) -> None:
    rig.put({rig.place: b'{"brass-orbit": {"frame.cap": 162}}'})
    done = subprocess.run([sys.executable, "-c", DIES, str(rig.home), str(writes)], check=False)
    assert done.returncode in (-9, 9)
    assert rig.values(rig.state(), "brass-orbit")["frame.cap"] == 29 + writes
    said = recover(rig)
    assert said and "a trial was cut short" in said
    assert rig.state()[rig.place] == b'{"brass-orbit": {"frame.cap": 162}}'
    assert recover(rig) is None


def test_what_somebody_else_changed_after_a_kill_is_not_overwritten(rig: Standin) -> None:
    subprocess.run([sys.executable, "-c", DIES, str(rig.home), "2"], check=False)
    rig.put({rig.place: b'{"brass-orbit": {"frame.cap": 99}}'})
    said = recover(rig)
    assert said and "changed by something else since" in said
    assert rig.values(rig.state(), "brass-orbit") == {"frame.cap": 99}
    assert (rig.home / "before-the-unfinished-change.json").exists() and not unfinished(rig.home)


DIES_PLAYING = """
import os, sys
from pathlib import Path
from keenlattice.rig.transaction import changing
from keenlattice.rig.standin.machine import Standin
rig = Standin(Path(sys.argv[1]))
with changing(rig, "a game") as change:
    wants = {"brass-orbit": {"frame.cap": 60, "sync.vertical": "off"}}
    change.put(rig.changed(rig.state(), "brass-orbit", wants["brass-orbit"]), wants=wants)
    os.kill(os.getpid(), 9)
"""


def test_after_a_kill_ours_goes_back_value_by_value_where_others_wrote_beside_it(rig: Standin) -> None:
    rig.put(rig.changed(rig.state(), "brass-orbit", {"frame.cap": 162}))
    subprocess.run([sys.executable, "-c", DIES_PLAYING, str(rig.home)], check=False)
    rig.put(rig.changed(rig.state(), "brass-orbit", {"sync.vertical": "on", "frame.queue-depth": 1}))
    recover(rig)
    assert rig.values(rig.state(), "brass-orbit") == {"frame.cap": 162, "sync.vertical": "on", "frame.queue-depth": 1}


DIES_APPLYING = """
import os, sys
from pathlib import Path
from keenlattice.logbook.book import Logbook
from keenlattice.rig.applying import apply
from keenlattice.rig.standin.machine import Standin
rig, book = Standin(Path(sys.argv[1])), Logbook(Path(sys.argv[2]))
put = rig.put
def dying(state):
    put(state)
    os.kill(os.getpid(), 9)
rig.put = dying
apply(rig, book, book.commit("rig", {"timer.resolution": 0.5, "gpu.clock-policy": "hold-high"}))
"""


def test_an_apply_that_was_cut_short_is_finished_only_as_it_was_meant(rig: Standin, tmp_path: Path) -> None:
    subprocess.run([sys.executable, "-c", DIES_APPLYING, str(rig.home), str(tmp_path / "book")], check=False)
    assert rig.values(rig.state(), "rig") == {"timer.resolution": 0.5} and unfinished(rig.home)
    (tmp_path / "book").rename(tmp_path / "elsewhere")
    with pytest.raises(RigError, match=r"cannot be found: .*, or bring it back"):
        recover(rig, finish=True)
    (tmp_path / "elsewhere").rename(tmp_path / "book")
    half = rig.state()
    rig.put(rig.changed(half, "rig", {"timer.resolution": 4.0}))
    with pytest.raises(RigError, match="changed by something else since: it cannot be finished"):
        recover(rig, finish=True)
    rig.put(half)
    assert "is finished" in (recover(rig, finish=True) or "")
    assert rig.values(rig.state(), "rig") == {"timer.resolution": 0.5, "gpu.clock-policy": "hold-high"}
    with Logbook(tmp_path / "book") as book:
        undo(rig, book)
    assert not rig.values(rig.state(), "rig")


@pytest.mark.parametrize("text", [
    "", "[]\n", '{"why": "w"}\n', '{"why": "w", "since": "s", "before": {"a": "?"}, "intent": null, "steps": 2}\n',
    '{"why": "w", "since": "s", "before": null, "intent": null, "steps": 2}\n',
    '{"why": "w", "since": "s", "before": {}, "intent": {"book": "x"}, "steps": 2}\n',
    '{"why": "w", "since": "s", "before": {}, "intent": null, "steps": 2}\n[1]\n'])
def test_a_damaged_journal_is_said_and_kept(rig: Standin, text: str) -> None:
    (rig.home / JOURNAL).write_text(text)
    with pytest.raises(RigError, match="cannot be read; look at the rig with"):
        recover(rig)
    assert (rig.home / JOURNAL).read_text() == text


def test_a_change_begins_by_taking_back_one_that_was_cut_short(rig: Standin) -> None:
    subprocess.run([sys.executable, "-c", DIES, str(rig.home), "3"], check=False)
    with changing(rig, "another"):
        assert not rig.values(rig.state(), "brass-orbit")


LIVES = """
import sys, time
from pathlib import Path
from keenlattice.rig.transaction import changing
from keenlattice.rig.standin.machine import Standin
rig = Standin(Path(sys.argv[1]))
with changing(rig, "a trial") as change:
    change.put(rig.changed(rig.state(), "brass-orbit", {"frame.cap": 60}))
    time.sleep(60)
"""


@POSIX
def test_a_change_that_is_still_going_on_is_not_recovered(rig: Standin, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("keenlattice.rig.locks.PATIENCE_S", 0.2)
    other = subprocess.Popen([sys.executable, "-c", LIVES, str(rig.home)])
    try:
        until = time.monotonic() + 30
        while not rig.values(rig.state(), "brass-orbit") and time.monotonic() < until:
            time.sleep(0.05)
        assert recover(rig) is None
        assert rig.values(rig.state(), "brass-orbit") == {"frame.cap": 60}
        other.send_signal(signal.SIGINT)  # the player presses Ctrl-C: put back by the process itself
        other.wait(30)
        assert rig.values(rig.state(), "brass-orbit") == {} and not unfinished(rig.home)
    finally:
        other.kill()
        other.wait()


@POSIX
def test_a_linked_file_stays_a_link(tmp_path: Path) -> None:
    from keenlattice.files import replace_file

    (tmp_path / "real").write_bytes(b"old")
    os.chmod(tmp_path / "real", 0o600)
    (tmp_path / "link").symlink_to("real")
    replace_file(tmp_path / "link", b"new")
    assert (tmp_path / "link").is_symlink() and (tmp_path / "real").read_bytes() == b"new"
    assert (tmp_path / "real").stat().st_mode & 0o777 == 0o600
    assert sorted(path.name for path in tmp_path.iterdir()) == ["link", "real"]
