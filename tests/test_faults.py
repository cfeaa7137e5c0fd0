"""Every fault that the stand-in knows, at every step of an apply: a full rollback, or words that name it."""

import errno
import os
import stat
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from unittest import mock

import pytest

from faults import FAULTS, LATEST_WRITE, Faulty, drawn
from keenlattice.errors import KeenLatticeError, RefusedByRig, RigError, UsageError
from keenlattice.files import append_line, replace_file
from keenlattice.logbook.book import Logbook
from keenlattice.profile.version import Version, stock
from keenlattice.rig.applying import apply, find_drift, preview
from keenlattice.rig.base import State
from keenlattice.rig.find import open_rig
from keenlattice.rig.journal import unfinished
from keenlattice.rig.recovery import recover
from keenlattice.rig.standin.machine import DEVICES, Standin
from keenlattice.rig.undoing import undo
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.play import run_trial

TEN = {"frame.cap": 120, "display.refresh": 144, "input.polling-rate": 250, "gpu.power-limit@gpu0": 110,
       "gpu.fan-minimum@gpu0": 60, "gpu.power-limit@gpu1": 90, "memory.page-file-low": 8192,
       "interrupt.messages@usb0": 2, "interrupt.messages@net0": 4, "cpu.boot-cores": 6}
AT_FIRST = {"frame.cap": 90, "display.refresh": 120}


@pytest.fixture
def rig(tmp_path: Path) -> Faulty:
    return Faulty(tmp_path / "rig")


@pytest.fixture
def version(rig: Standin, book: Logbook) -> Version:
    apply(rig, book, book.commit("moth-and-lantern", {"sync.vertical": "off"}))
    apply(rig, book, book.commit("rig", AT_FIRST))
    version = book.commit("rig", TEN)
    assert len(preview(rig, version).steps) == len(TEN) == LATEST_WRITE
    return version


@pytest.mark.parametrize("at", range(1, LATEST_WRITE + 1))
@pytest.mark.parametrize("name", sorted(set(FAULTS) - {"restart-not-done"}))
def test_a_fault_ends_in_what_was_before_or_is_named(rig: Faulty, book: Logbook, version: Version, name: str,
                                                     at: int) -> None:
    before, known = rig.state(), len(book.done_to("juniper"))
    rig.fault = drawn(name, 3, ("usb0",), at)
    try:
        apply(rig, book, version)
    except KeenLatticeError as error:
        said = str(error)
    else:  # the fault found nothing to strike at: no device's setting, or none that takes rights, was left to write
        assert name in ("device-gone", "rights-missing") and rig.values(rig.state(), "rig") == TEN
        return
    assert len(book.done_to("juniper")) == known
    if name == "driver-resets":  # it has changed what is not ours, and that is not put back
        assert "meanwhile" in said or "reads back unset" in said
        assert rig.facts()["driver_version"] == "32.4"
        assert rig.values(rig.state(), "rig") == AT_FIRST and rig.values(rig.state(), "moth-and-lantern") == {}
        assert not unfinished(rig.home)
    elif unfinished(rig.home):  # only what needs rights that are gone cannot be put back
        assert name == "rights-missing" and "could not be put back" in said and "ws.rig.recover()" in said
        rig.fault = None
        assert "back to what it was before" in str(recover(rig))
        assert rig.state() == before
    else:
        assert "the rig is as it was before" in said
        rig.fault = None
        assert rig.state() == before


def test_what_was_clamped_is_named_with_what_it_reads(rig: Faulty, book: Logbook) -> None:
    rig.fault = drawn("clamped", 1, DEVICES, 1)
    with pytest.raises(RigError, match=r"input\.polling-rate reads back \d+, not 125"):
        apply(rig, book, book.commit("rig", {"input.polling-rate": 125}))


def test_an_undo_that_does_not_take_is_not_said_to_be_done(rig: Faulty, book: Logbook) -> None:
    apply(rig, book, book.commit("rig", {"input.polling-rate": 2000}))
    apply(rig, book, book.commit("rig", {"input.polling-rate": 125}))
    before = rig.state()
    rig.fault = drawn("clamped", 1, DEVICES, 1)
    with pytest.raises(RigError, match=r"did not take the undo: input\.polling-rate of rig reads back \d+, not 2000"):
        undo(rig, book)
    assert rig.state() == before and not unfinished(rig.home)
    assert undo(rig, book).exactly and rig.values(rig.state(), "rig") == {"input.polling-rate": 2000}


def test_a_trial_that_does_not_put_the_rig_back_says_so(rig: Faulty, book: Logbook) -> None:
    apply(rig, book, book.commit("rig", {"input.polling-rate": 2000}))
    before, one, other = rig.state(), Version("rig", {"input.polling-rate": 2000}), Version(
        "rig", {"input.polling-rate": 125})
    plan = next(plan for seed in range(99)
                if (plan := TrialPlan(blocks=2, seconds=1, seed=seed)).runs()[-1][1] == "after")
    arms = ["before", *(arm for _, arm, _ in plan.runs())]
    rig.fault = drawn("clamped", 1, DEVICES, 1 + sum(a != b for a, b in pairwise(arms)))  # the last write of all
    with pytest.raises(RigError, match="reads back differently from what was to be put back"):
        run_trial(rig, one, other, plan, "brass-orbit")
    assert rig.state() == before and not unfinished(rig.home)


@pytest.mark.parametrize("entries", [{"frame.queue-depth": 99}, {"frame.queue-depth": "soon"}, {"frame.cap": -4.5},
                                     {"timer.resolution": 1.0}, {"interrupt.mode": "line"}, {"sync.vertical": True}])
def test_a_value_that_the_catalog_refuses_never_reaches_a_rig(rig: Standin, book: Logbook, entries: dict) -> None:
    before, version = rig.state(), book.commit("brass-orbit", entries)
    with pytest.raises(UsageError):
        apply(rig, book, version)
    with pytest.raises(UsageError):
        run_trial(rig, stock("brass-orbit"), version, TrialPlan(blocks=2, seconds=1))
    assert rig.state() == before and not book.done_to("juniper")


CALLS = {"fsync": errno.EIO, "unlink": errno.EACCES, "replace": errno.EIO, "write": errno.ENOSPC, "chmod": errno.EPERM,
         "open": errno.EMFILE, "mkdir": errno.EACCES}


@pytest.mark.parametrize(("call", "lasting"), [*((call, False) for call in [*CALLS, "flock"]), ("fsync", True),
                                               ("unlink", True), ("write", True), ("flock", True)])
@pytest.mark.parametrize("what", ["apply", "undo"])
def test_whatever_the_system_refuses_the_message_says_how_the_rig_is(tmp_path: Path, what: str, call: str,
                                                                     lasting: bool) -> None:
    for number in range(1, 80):
        with Logbook(tmp_path / f"book{number}") as book:
            rig = open_rig("standin", book)
            version = book.commit("brass-orbit", {"frame.cap": 90, "game.textures": "low"})
            if what == "undo":
                apply(rig, book, version)
            before, known = rig.state(), len(book.done_to("juniper"))
            refused, said = refusing(call, number, lasting, lambda: (
                apply(rig, book, version) if what == "apply" else undo(rig, book)))  # noqa: B023
            if not refused:
                assert number > 1
                return
            remembered = len(book.done_to("juniper")) > known
            if said is None or "is done, read back and remembered" in said:
                assert remembered and rig.state() != before
                continue
            assert not remembered, said
            if "could not be put back" in said:
                assert unfinished(rig.home)
            if unfinished(rig.home):
                recover(rig)
            assert rig.state() == before, said
    raise AssertionError("it never amounted to an end")


fcntl = pytest.importorskip("fcntl", reason="these are the system calls of another system")


def refusing(call: str, number: int, lasting: bool, work: Callable[[], object]) -> tuple[bool, str | None]:
    """Does some work while a system call fails, the nth time or from then on; whether it amounted to that, and what was
    said."""
    home, code = (fcntl, errno.ENOLCK) if call == "flock" else (os, CALLS[call])
    real, count = getattr(home, call), 0

    def refuse(*args: object, **more: object) -> object:
        nonlocal count
        count += 1
        if count == number or (lasting and count > number):
            raise OSError(code, os.strerror(code))
        return real(*args, **more)

    with mock.patch.object(home, call, refuse):
        try:
            work()
            said = None
        except KeenLatticeError as error:
            said = str(error)
    return count >= number, said


def test_a_write_that_is_cut_short_is_gone_on_with(rig: Standin, book: Logbook,
                                                   monkeypatch: pytest.MonkeyPatch) -> None:
    real = os.write
    monkeypatch.setattr(os, "write", lambda handle, content: real(handle, bytes(content)[:7]))
    path = rig.home / "lines"
    path.write_bytes(b"")
    for line in (b"first and longer than seven", b"second"):
        append_line(path, line)
    assert path.read_bytes() == b"first and longer than seven\nsecond\n"
    apply(rig, book, book.commit("brass-orbit", {"frame.cap": 90}))
    assert rig.values(rig.state(), "brass-orbit") == {"frame.cap": 90}


def test_a_file_is_flushed_before_it_takes_its_place_and_its_folder_after(
        tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    done: list[str] = []
    kinds = {True: "folder", False: "file"}
    real_fsync, real_replace = os.fsync, os.replace
    monkeypatch.setattr(os, "fsync", lambda handle: done.append(
        kinds[stat.S_ISDIR(os.fstat(handle).st_mode)]) or real_fsync(handle))
    monkeypatch.setattr(os, "replace", lambda *paths: done.append("replace") or real_replace(*paths))
    replace_file(tmp_path / "one", b"x")
    assert done == ["file", "replace", "folder"]


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can give a file to somebody else")
def test_a_file_stays_whose_it_is(tmp_path: Path) -> None:
    path = tmp_path / "settings.ini"
    path.write_bytes(b"a")
    os.chown(path, 12345, 23456)
    path.chmod(0o640)
    replace_file(path, b"b")
    told = path.stat()
    assert (told.st_uid, told.st_gid, stat.S_IMODE(told.st_mode)) == (12345, 23456, 0o640)
    os.chown(tmp_path, 12345, 23456)
    umask = os.umask(0o027)
    try:
        replace_file(tmp_path / "new", b"c")  # in the folder of a player, made by root for them
    finally:
        os.umask(umask)
    told = (tmp_path / "new").stat()
    assert (told.st_uid, stat.S_IMODE(told.st_mode)) == (12345, 0o640)


class Liar(Standin):
    """A rig that says that it has written, and has not."""

    def put(self, state: State) -> None:
        pass


def test_an_apply_reads_back_what_it_has_written(tmp_path: Path, book: Logbook) -> None:
    rig = Liar(tmp_path / "liar")
    with pytest.raises(RigError, match=r"did not take .*reads back unset, not 90.*the rig is as it was before"):
        apply(rig, book, book.commit("brass-orbit", {"frame.cap": 90}))
    assert not book.done_to("juniper")


def test_a_seed_draws_the_same_fault_again_and_not_always_the_same() -> None:
    assert drawn("device-gone", 7, DEVICES) == drawn("device-gone", 7, DEVICES)
    assert len({(fault.at, fault.device) for fault in (drawn("device-gone", seed, DEVICES) for seed in range(30))}) > 10


def test_rights_that_are_missing_from_the_start_are_said_before_anything_is_written(rig: Standin, book: Logbook,
                                                                                    version: Version) -> None:
    player = Standin(rig.home, rights=False)
    refused = preview(player, version).refused
    assert set(refused) == {key for key in TEN if player.catalog()[key].rights} and refused
    with pytest.raises(RefusedByRig, match="nothing was written"):
        apply(player, book, version)
    assert not unfinished(player.home)


def test_a_restart_that_was_not_done_leaves_what_waits_waiting(rig: Faulty, book: Logbook) -> None:
    apply(rig, book, book.commit("rig", {"cpu.boot-cores": 6}))
    rig.fault = drawn("restart-not-done", 1, DEVICES)
    rig.restart("machine")
    assert rig.pending() == {"cpu.boot-cores": "machine"}
    rig.fault = None
    rig.restart("machine")
    assert rig.pending() == {} and find_drift(rig, book) == ()


def test_undo_goes_to_any_restore_point_and_can_itself_be_undone(rig: Standin, book: Logbook) -> None:
    states = [rig.state()]
    for cap in (60, 90, 120):
        apply(rig, book, book.commit("brass-orbit", {"frame.cap": cap}))
        states.append(rig.state())
    assert undo(rig, book, to=2).exactly and rig.state() == states[1]
    assert [one.number for one in book.in_force("juniper")] == [1]
    assert undo(rig, book, to=4).exactly and rig.state() == states[3]
    assert [one.number for one in book.in_force("juniper")] == [1, 2, 3]
    assert find_drift(rig, book) == ()
    assert undo(rig, book).exactly and rig.state() == states[2]
    assert undo(rig, book).exactly and rig.state() == states[1]
    assert undo(rig, book).exactly and rig.state() == states[0]
    rig.put(rig.changed(rig.state(), "tidewater-rally", {"frame.cap": 30}))  # somebody else, who is not undone
    assert not undo(rig, book, to=4).exactly
    assert rig.values(rig.state(), "brass-orbit") == {"frame.cap": 120}
    assert rig.values(rig.state(), "tidewater-rally") == {"frame.cap": 30}


def test_what_has_changed_since_it_was_shown_is_not_applied(rig: Standin, book: Logbook) -> None:
    version = book.commit("brass-orbit", {"frame.cap": 60})
    shown = preview(rig, version)
    rig.put(rig.changed(rig.state(), "brass-orbit", {"sync.vertical": "on"}))
    with pytest.raises(RigError, match="since it was shown"):
        apply(rig, book, version, shown)
    assert rig.values(rig.state(), "brass-orbit") == {"sync.vertical": "on"}
