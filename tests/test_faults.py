"""Every fault that the stand-in knows, at every step of an apply: a full rollback, or words that name it."""

import pytest

from keenlattice.errors import KeenLatticeError, RefusedByRig, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.version import Version
from keenlattice.rig.apply import apply, preview
from keenlattice.rig.drift import find_drift
from keenlattice.rig.journal import unfinished
from keenlattice.rig.recover import recover
from keenlattice.rig.standin.faults import FAULTS, LATEST_WRITE, drawn
from keenlattice.rig.standin.machine import DEVICES, Standin
from keenlattice.rig.undo import undo

TEN = {"frame.cap": 120, "display.refresh": 144, "input.polling-rate": 250, "gpu.power-limit@gpu0": 110,
       "gpu.fan-minimum@gpu0": 60, "gpu.power-limit@gpu1": 90, "memory.page-file-low": 8192,
       "interrupt.messages@usb0": 2, "interrupt.messages@net0": 4, "cpu.boot-cores": 6}
AT_FIRST = {"frame.cap": 90, "display.refresh": 120}


@pytest.fixture
def version(rig: Standin, book: Logbook) -> Version:
    apply(rig, book, book.commit("moth-and-lantern", {"sync.vertical": "off"}))
    apply(rig, book, book.commit("rig", AT_FIRST))
    version = book.commit("rig", TEN)
    assert len(preview(rig, version).steps) == len(TEN) == LATEST_WRITE
    return version


@pytest.mark.parametrize("at", range(1, LATEST_WRITE + 1))
@pytest.mark.parametrize("name", sorted(set(FAULTS) - {"restart-not-done"}))
def test_a_fault_ends_in_what_was_before_or_is_named(rig: Standin, book: Logbook, version: Version, name: str,
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
        assert name == "rights-missing" and "could not be put back" in said and "keen recover" in said
        rig.fault = None
        assert "back to what it was before" in str(recover(rig))
        assert rig.state() == before
    else:
        assert "the rig is as it was before" in said
        rig.fault = None
        assert rig.state() == before


def test_what_was_clamped_is_named_with_what_it_reads(rig: Standin, book: Logbook) -> None:
    rig.fault = drawn("clamped", 1, DEVICES, 1)
    with pytest.raises(RigError, match=r"input\.polling-rate reads back \d+, not 125"):
        apply(rig, book, book.commit("rig", {"input.polling-rate": 125}))


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


def test_a_restart_that_was_not_done_leaves_what_waits_waiting(rig: Standin, book: Logbook) -> None:
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
