"""Sweeps for `test_known_results.py` over changing rigs: previews, applies that fail in every way, undo, drift."""

import json
import re
import shutil
from collections.abc import Callable, Mapping
from contextlib import suppress
from functools import partial
from itertools import product
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from faults import FAULTS, Faulty, drawn
from keenlattice import measure
from keenlattice.errors import KeenLatticeError
from keenlattice.logbook.book import Logbook
from keenlattice.measure.capture import Capture
from keenlattice.measure.series import Series
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.applying import apply, find_drift, preview, put_back
from keenlattice.rig.base import Outcome, State
from keenlattice.rig.chores import after_chore, do_chore
from keenlattice.rig.journal import JOURNAL, Journal, read_journal
from keenlattice.rig.locks import LOCK
from keenlattice.rig.recovery import cut_short, recover
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.undoing import UndoPreview, preview_undo, undo
from keenlattice.study.blind.plan import BlindPlan, Round
from keenlattice.study.blind.play import _answer, over, told
from known_sweeps import keys_of, values_of

OF_THE_GAME: Entries = {"frame.cap": 160, "sync.vertical": "off", "texture.anisotropy": "16x", "game.shadows": "low"}
OF_THE_RIG: Entries = {"interrupt.mode@gpu0": "message", "gpu.clock-policy": "hold-high",
                       "scheduling.gpu": "by-hardware", "timer.resolution": 0.5, "gpu.power-limit@gpu0": 90}


def tried(do: Callable[[], object]) -> str:
    try:
        do()
    except KeenLatticeError as error:
        return f"{type(error).__name__}: {error}"
    return "done"


def held(rig: Standin) -> list[object]:
    return [dict(rig.values(rig.state(), owner)) for owner in ("rig", "brass-orbit")] + [dict(rig.pending())]


def slipped(rig: Standin, book: Logbook) -> list[object]:
    return [[f"{one.key} {one.before}>{one.after}" for one in drift.changes] for drift in find_drift(rig, book)]


def of_previews(folder: Path) -> object:
    rig = Standin(folder)
    found: dict[str, object] = {}
    for setting in rig.catalog():
        for key, value in product(keys_of(setting, ("gpu0",)), values_of(setting)):
            one = preview(rig, Version("brass-orbit" if setting.scope == "game" else "rig", {key: value}))
            found[f"{key}={value}"] = [[step.rights, step.restart] for step in one.steps] or one.refused
    several = [preview(rig, Version(owner, {**entries, "frame.glow": 1})) for owner, entries in (
        ("brass-orbit", OF_THE_GAME), ("rig", OF_THE_RIG))]
    return {**found, "several": [[[step.values for step in one.steps], one.restart, one.unknown, one.places,
                                  [[each.key, each.before, each.after] for each in one.changes]] for one in several]}


def of_faults(folder: Path) -> object:
    """Two applies and an undo, with each fault at each of its first writes: what is said, and what the rig holds."""
    found: dict[str, object] = {}
    for name, at, whose in product(FAULTS, (1, 2, 3, 4), ("brass-orbit", "rig")):
        here = folder / f"{name} {at} {whose}"
        book, rig = Logbook(here / "book"), Faulty(here / "rig")
        first = book.commit(whose, OF_THE_GAME if whose != "rig" else OF_THE_RIG)
        second = book.commit(whose, {"frame.cap": 90, "sync.vertical": "on"} if whose != "rig" else {
            "timer.resolution": 2.0, "gpu.power-limit@gpu0": 110})
        rig.fault = drawn(name, 5, rig.devices(), at)
        steps = [tried(partial(apply, rig, book, first)), held(rig)]
        rig.fault = None
        steps.append(slipped(rig, book))
        steps += [tried(partial(apply, rig, book, second)), held(rig), tried(partial(undo, rig, book)), held(rig)]
        found[f"{name}, {at}, {whose}"] = [str(one) for one in steps]
    return found


def of_ways_back(folder: Path) -> object:
    """Three applies and a chore with something else writing in between; then undo, undo to a point, and drift."""
    found: dict[str, object] = {}
    for meddled, to in product((None, "frame.cap", "texture.filter-quality"), (None, 1, 2, 9)):
        here = folder / f"{meddled} {to}"
        book, rig = Logbook(here / "book"), Standin(here / "rig")
        apply(rig, book, book.commit("brass-orbit", {"frame.cap": 160, "sync.vertical": "off"}))
        do_chore(rig, book, "update-driver")
        apply(rig, book, book.commit("rig", {"timer.resolution": 0.5}))
        apply(rig, book, book.commit("brass-orbit", {"frame.cap": 90, "texture.anisotropy": "16x"}))
        if meddled:
            rig.put(rig.changed(rig.state(), "brass-orbit", {meddled: 50 if meddled == "frame.cap" else "fastest"}))
        drift = slipped(rig, book)
        seen: list[UndoPreview] = []
        steps: list[object] = [drift, tried(lambda: seen.append(preview_undo(rig, book, to))), [  # noqa: B023
            [one.titles, one.exactly, one.for_good, [
                [owner, *(f"{each.key} {each.before}>{each.after}" for each in some)]
                for owner, some in one.changes.items()]] for one in seen]]
        steps += [tried(partial(undo, rig, book, to)), held(rig), tried(partial(undo, rig, book)), held(rig)]
        steps += [[tried(partial(put_back, rig, book, one)) for one in find_drift(rig, book)], held(rig)]
        found[f"{meddled}, {to}"] = steps
    return found


def of_recoveries(folder: Path) -> object:
    """An apply cut short before and after each of its writes, finished or taken back, with something else writing in
    between or not: a copy of the rig's folder stands for the one that a process that died left behind."""
    book, rig = Logbook(folder / "book"), Standin(folder / "rig")
    version, copies, put = book.commit("rig", OF_THE_RIG), list[Path](), rig.put

    def copying(state: State) -> None:
        if len(copies) == 2 * len(OF_THE_RIG):
            return put(state)  # on the way back
        for when in ("before", "after"):
            if when == "after":
                put(state)
            copies.append(folder / f"{when} write {len(copies) // 2 + 1}")
            shutil.copytree(rig.home, copies[-1])
        if len(copies) == 2 * len(OF_THE_RIG):
            raise KeyboardInterrupt

    with mock.patch.object(rig, "put", copying), suppress(KeyboardInterrupt):
        apply(rig, book, version)
    book.close()
    found: dict[str, object] = {}
    shutil.copytree(book.folder, folder / "book as it was")
    ways = [*product(copies, (False, True), (None, "timer.resolution"), (False,)),
            *product(copies[3:4], (False, True), (None,), (True,))]
    for number, (copy, finish, meddled, gone) in enumerate(ways):
        shutil.rmtree(book.folder, ignore_errors=True)  # in which a change that was finished is remembered
        if not gone:
            shutil.copytree(folder / "book as it was", book.folder)
        home = folder / f"copy {number}" / "juniper"
        shutil.copytree(copy, home)
        again = Standin(home)
        if meddled:
            again.put(again.changed(again.state(), "rig", {meddled: 4.0}))
        seen = cut_short(again)
        said: list[str | None] = []
        outcome = tried(lambda: said.append(recover(again, finish=finish)))  # noqa: B023
        found[f"{copy.name}, finish {finish}, {meddled}{', the logbook gone' * gone}"] = [
            seen and [seen.begun, seen.done, seen.steps, seen.why], outcome,
            [re.sub(r"\(20\d\d-[^,)]*", "(SINCE", str(one)) for one in said],
            held(again), sorted(one.name for one in home.iterdir())]
    return found


def of_journals(folder: Path) -> object:
    """Journals whose lines are missing, cut short or something else."""
    head = {"why": "w", "since": "s", "before": {"a": None, "b": "AAE="}, "intent": None, "steps": 2}
    begins, done = {"begins": 1, "settings": ["x"], "makes": {"a": "1"}}, {"done": 1}
    texts = {"head": [head], "one step": [head, begins], "done": [head, begins, done],
             "found": [head, {"makes": {"a": "2"}}],
             "two": [head, begins, done, {"begins": 2, "makes": {"a": "3", "b": "4"}}], "a list": [[]], "nothing": [],
             "no before": [{**head, "before": None}], "no base64": [{**head, "before": {"a": "?"}}],
             "an odd intent": [{**head, "intent": {"book": "x"}}], "a step that is none": [head, [1]]}
    found: dict[str, object] = {}
    for (name, lines), tail in product(texts.items(), ("\n", '\n{"done": 7', "")):
        (folder / JOURNAL).write_text("\n".join(json.dumps(one) for one in lines) + tail, encoding="utf-8")
        said: list[Journal] = []
        outcome = tried(lambda: said.append(read_journal(folder)))  # noqa: B023
        found[f"{name}, {tail!r}"] = [outcome, [
            [one.why, one.since, {place: content and content.hex() for place, content in one.before.items()}, one.begun,
             one.done, one.steps, {place: sorted(some) for place, some in one.made.items()}] for one in said]]
    return found


def saying_who(rig: Standin, told: list[str]) -> Callable[..., Outcome]:
    """What a chore would do, with what others are given meanwhile of who changes the rig."""
    def after(*words: Any) -> Outcome:
        told.append((rig.home / f"{LOCK}.holder").read_text(encoding="utf-8").partition(", by process")[0])
        return after_chore(*words)
    return after


def of_chores(folder: Path) -> object:
    """Each chore twice, after a change, and undone: what is said, what the rig holds, what is remembered."""
    found: dict[str, object] = {}
    for chore in Standin(folder / "first").chores():
        book, rig = Logbook(folder / chore.name / "book"), Standin(folder / chore.name / "rig")
        apply(rig, book, book.commit("rig", OF_THE_RIG))
        rig.restart("machine")
        with mock.patch("keenlattice.rig.chores.after_chore", saying_who(rig, whys := list[str]())):
            said = [do_chore(rig, book, chore.name).says for _ in range(2)]
        before = held(rig)
        found[chore.name] = [said, whys, before, [[one.kind, one.title] for one in book.done_to(rig.name)],
                             tried(partial(undo, rig, book)), held(rig), dict(rig.facts())]
    return found


def of_blind_rounds(_: Path) -> object:
    random, found = np.random.default_rng(8), []
    for rounds, question, right in product((5, 9, 20), ("which", "better"), (0.5, 0.8, 1.0)):
        plan, some = BlindPlan(rounds, question), list[Round]()  # type: ignore[arg-type]
        ends = None
        for number in range(rounds):
            on = ("before", "after")[int(random.integers(2))]
            is_right = random.uniform() < right
            said = "AB"[(on == "after") == is_right] if question == "which" else "12"[is_right]
            answer = _answer(said, on, plan)  # type: ignore[arg-type]
            some.append(Round(on, answer))  # type: ignore[arg-type]
            if ends is None and over(plan, some):
                ends = [number, *told(plan, some)]
        found.append([ends, over(plan, []), *told(plan, some)])
    wrong = [tried(partial(_answer, said, "before", BlindPlan(9, question)))  # type: ignore[arg-type]
             for said, question in (("C", "which"), ("1", "which"), ("A", "better"), ("2", "better"))]
    return [found, wrong]


def of_what_is_written(folder: Path) -> object:
    """Captures as text, line by line, and read back."""
    shown, clicks = np.array([0.0, 8.25, 1e6]), np.array([1.0, 9.5])
    captures: Mapping[str, Capture] = {
        "frames": Capture(shown), "clicks": Capture(shown, clicks, clicks + np.array([5.0, np.nan])),
        "none": Capture(np.empty(0)),
        "all": Capture(shown, clicks, clicks + 5, shown + 1, shown + 2, {"game": "orbit", "seed": 7},
                       {"game": clicks, "gpu": clicks * np.nan},
                       {"cpu.load": Series(clicks, np.array([50.0, np.nan]))}),
        "half": Capture(shown, gpu_ms=shown + 2)}
    found: dict[str, object] = {}
    for name, one in captures.items():
        measure.write_text(one, folder / f"{name}.csv")
        measure.write_capture(one, folder / f"{name}.parquet")
        again = measure.read_text(folder / f"{name}.csv"), measure.read_capture(folder / f"{name}.parquet")
        found[name] = [(folder / f"{name}.csv").read_text(encoding="utf-8").splitlines(), [
            [each.shown_ms, each.click_ms, each.answer_ms, each.cpu_ms, each.gpu_ms, dict(each.about),
             dict(each.stage_ms), {series: [told.at_ms, told.values] for series, told in each.telemetry.items()}]
            for each in again]]
    return found


CHANGES = {"previews": of_previews, "faults of a stand-in": of_faults, "ways back": of_ways_back, "chores": of_chores,
           "recoveries": of_recoveries, "journals of a rig": of_journals, "blind rounds": of_blind_rounds,
           "what is written": of_what_is_written}
