"""Killed at any instant: afterwards a rig holds exactly the old or exactly the new, and no byte of others has changed.

`KEEN_KILLS` says how many kills at random instants each rig is given; `make torture` gives it many.
"""

import json
import os
import random
import signal
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from keenlattice.logbook.book import Logbook
from keenlattice.profile.version import Version
from keenlattice.rig.applying import adopt, apply, find_drift
from keenlattice.rig.base import Rig
from keenlattice.rig.journal import out_of_text, unfinished
from keenlattice.rig.linux.driver import Driver
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.player.machine import ByHandRig
from keenlattice.rig.player.sheets import note_before, open_sheet, settle_sheet, sheet_to_apply, tick
from keenlattice.rig.recovery import recover
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.undoing import undo

KILLS = int(os.environ.get("KEEN_KILLS", "12"))
FOREIGN = b"<?xml version='1.0'?>\r\n<driconf>\r\n  <!-- mine \xc3\xa9 --><device/>\r\n</driconf>\r\n"
OPTIONS = ("<driinfo><option name='smooth' type='int' default='0' valid='0:9'><description text='Smoothing'/></option>"
           "</driinfo>")
ONE = {"frame.cap": 90, "game.textures": "low", "sync.vertical": "off"}
TWO = {"frame.cap": 120, "game.textures": "high", "frame.queue-depth": 2, "file.table_nudgestrength": "0.9"}

Kill = Callable[[], None]


def in_a_child(work: Callable[[], None], arm: Kill, after_s: float | None = None) -> bool:
    """Does some work in a forked process that is killed, by its own trap or after a while; whether it got through."""
    child = os.fork()
    if child == 0:
        try:
            os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
            arm()
            work()
        except BaseException:
            os._exit(3)
        os._exit(0)
    if after_s is not None:
        time.sleep(after_s)
        os.kill(child, signal.SIGKILL)
    _, status = os.waitpid(child, 0)
    assert status in (0, signal.SIGKILL), "the work itself failed"
    return status == 0


def trap(number: int) -> Kill:
    """Kills this process at the nth of all calls that write something."""
    def arm() -> None:
        left = [number]
        for name in ("replace", "fsync", "write", "open", "unlink", "chmod"):
            setattr(os, name, _counted(getattr(os, name), left))
    return arm


def _counted(real: Callable[..., object], left: list[int]) -> Callable[..., object]:
    def call(*words: object, **named: object) -> object:
        left[0] -= 1
        if left[0] == 0:
            os.kill(os.getpid(), signal.SIGKILL)
        return real(*words, **named)
    return call


def standin(folder: Path) -> Standin:
    return Standin(folder / "standin")


def linux(folder: Path) -> LinuxRig:
    root = folder / "root"
    if not root.exists():
        for policy in ("policy0", "policy1"):
            where = root / "sys/devices/system/cpu/cpufreq" / policy
            where.mkdir(parents=True)
            (where / "scaling_available_governors").write_text("calm brisk\n")
            (where / "scaling_governor").write_text("calm\n")
        (folder / "home").mkdir()
        (folder / "home" / ".drirc").write_bytes(FOREIGN)
    rig = LinuxRig(folder / "state", folder / "home" / ".drirc", root)
    rig.driver = Driver("made-up", "Nobody", "A renderer", OPTIONS)
    return rig


RIGS: dict[str, tuple[Callable[[Path], Rig], str, dict[str, object], dict[str, object]]] = {
    "standin": (standin, "brass-orbit", ONE, TWO),
    "here": (linux, "rig", {"mesa.smooth": 3}, {"mesa.smooth": 5, "cpu.governor": "brisk"}),
}


def apply_two(rig: Rig, folder: Path, two: Version) -> None:
    with Logbook(folder / "book") as book:
        apply(rig, book, two)


def undo_one(rig: Rig, folder: Path, _: Version) -> None:
    with Logbook(folder / "book") as book:
        undo(rig, book)


def adopt_what_slipped(rig: Rig, folder: Path, _: Version) -> None:
    with Logbook(folder / "book") as book:
        for drift in find_drift(rig, book):
            adopt(rig, book, drift, "me")


@pytest.fixture(params=sorted(RIGS))
def ready(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[tuple[Callable[[], Rig], Version, Path]]:
    """A rig with one version applied and a second one waiting."""
    make, owner, one, two = RIGS[request.param]
    with Logbook(tmp_path / "book") as book:
        apply(make(tmp_path), book, book.commit(owner, one))  # type: ignore[arg-type]
        second = book.commit(owner, two)  # type: ignore[arg-type]
    yield lambda: make(tmp_path), second, tmp_path


def settled(make: Callable[[], Rig], folder: Path, old: object, new: object, finish: bool) -> bool:
    """Recovers, and holds the rig and the logbook against what they may be; whether it is the new."""
    rig = make()
    interrupted = unfinished(rig.home)
    said = recover(rig, finish=finish) or ""
    assert bool(said) == interrupted and not unfinished(rig.home)
    now = make().state()
    assert now in (old, new), said
    if interrupted and "after" in said:
        assert (now == new) == finish or now == old == new, said
    with Logbook(folder / "book") as book:
        assert find_drift(make(), book) == (), "the logbook and the rig tell the same"
    return now == new


@pytest.mark.parametrize("work", [apply_two, undo_one])
@pytest.mark.parametrize("finish", [False, True])
@pytest.mark.long
def test_killed_at_every_write(ready: tuple[Callable[[], Rig], Version, Path], finish: bool,
                               work: Callable[[Rig, Path, Version], None]) -> None:
    make, two, folder = ready
    old = make().state()
    work(make(), folder, two)
    new = make().state()
    assert new != old
    with Logbook(folder / "book") as book:
        undo(make(), book, to=len(book.done_to(make().name)))
    assert make().state() == old
    seen, number = set(), 1
    while not in_a_child(lambda: work(make(), folder, two), trap(number)):
        seen.add(is_new := settled(make, folder, old, new, finish))
        if is_new:
            with Logbook(folder / "book") as book:
                undo(make(), book, to=book.done_to(make().name)[-1].number)
            assert make().state() == old
        number += 1
    assert number > 10 and seen == {False, True}
    assert make().state() == new


def test_killed_at_random_instants(ready: tuple[Callable[[], Rig], Version, Path]) -> None:
    make, two, folder = ready
    draw = random.Random(4)
    old = make().state()
    began = time.perf_counter()
    apply_two(make(), folder, two)
    took, new = time.perf_counter() - began, make().state()
    for _ in range(KILLS):
        finish, at = draw.random() < 0.5, make().state() == new
        if draw.random() < 0.2:
            in_a_child(lambda: adopt_what_slipped(make(), folder, two), lambda: None, draw.random() * took)
            assert make().state() in (old, new)
            continue
        work = undo_one if at else apply_two
        in_a_child(lambda work=work: work(make(), folder, two), lambda: None,
                   draw.random() * 2 * took)  # type: ignore[misc]
        settled(make, folder, *((new, old) if at else (old, new)), finish)


def test_what_was_there_is_noted_whole_or_not_at_all(tmp_path: Path) -> None:
    rig, kills = ByHandRig(tmp_path / "byhand"), 0
    with Logbook(tmp_path / "book") as book:
        sheet_to_apply(rig, book, book.commit("rig", {"display.refresh": 144, "cpu.boost": "off"}))
    through = False
    while not through:
        through = in_a_child(lambda: note_before(rig, 1, "on"), trap(kills := kills + 1))
        recover(rig)
        sheet, said = open_sheet(rig), rig.values(rig.state(), "rig")
        assert sheet is not None and len(sheet.open) == 2 and sheet.steps[0].key == "cpu.boost"
        start = rig.values(out_of_text(json.loads(sheet.before)), "rig")
        assert start == said == ({} if sheet.steps[0].before is None else {"cpu.boost": "on"})
        assert said or not through
    assert kills > 5


def test_a_run_sheet_is_ticked_off_whole_or_not_at_all(tmp_path: Path) -> None:
    rig = ByHandRig(tmp_path / "byhand")
    book = Logbook(tmp_path / "book")
    version = book.commit("rig", {"display.refresh": 144, "cpu.boost": "off"})
    sheet_to_apply(rig, book, version)
    book.close()
    for number, kills in ((1, 0), (2, 0)):
        def work(number: int = number) -> None:
            with Logbook(tmp_path / "book") as mine:
                tick(rig, mine, number)
        while not in_a_child(work, trap(kills := kills + 1)):
            recover(rig)
            with Logbook(tmp_path / "book") as mine:
                settle_sheet(rig, mine)
            sheet = open_sheet(rig)
            said = rig.values(rig.state(), "rig")
            ticked = [step.key for step in sheet.steps if step.done != "open"] if sheet else list(version.entries)
            assert sorted(said) == sorted(ticked)
            if number in [step.number for step in (sheet.steps if sheet else ()) if step.done != "open"] or not sheet:
                break
        assert kills > 5
    with Logbook(tmp_path / "book") as mine:
        assert open_sheet(rig) is None
        assert [one.title for one in mine.in_force("byhand")] == [version.reference]
        assert len(mine.sheets("byhand")) == 1 and find_drift(rig, mine) == ()
