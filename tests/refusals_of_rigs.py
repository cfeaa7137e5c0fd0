"""The part of `test_refused.py` that is about rigs: what each value of a setting leads to, and files that are wrong."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from keenlattice.logbook.book import Logbook
from keenlattice.measure.capture import Capture
from keenlattice.profile.matching import Game
from keenlattice.profile.version import Entries, Version
from keenlattice.rig import notes
from keenlattice.rig.chores import chore_of
from keenlattice.rig.factnames import device_names, named
from keenlattice.rig.find import home_of
from keenlattice.rig.gamelist import Key, Listed, add_game, read_games
from keenlattice.rig.hand import ComingRun
from keenlattice.rig.ini import Ini
from keenlattice.rig.linux.driconf import with_options
from keenlattice.rig.player import sheets
from keenlattice.rig.player.machine import ByHandRig, keep_about, read_about
from keenlattice.rig.player.part import read_noted
from keenlattice.rig.player.session import doubts
from keenlattice.rig.player.sheets import take_stock
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.undoing import undo

Call = Callable[[Path], object]


class LeftOut(tuple[str, ...]):
    """Why something was not taken, or is doubted, a line each."""


ORBIT = Listed(Game("orbit", "Orbit", ("orbit",)))


GAMES: Mapping[str, str] = {
    "an odd key": "[orbit]\nglow = 1\nshine = 2", "words": "[orbit]\nexecutables = 'orbit'",
    "numbers": "[orbit]\ncommand = [1]", "an odd API": "[orbit]\napi = 'chalk'",
    "a name alone": "[orbit]\nengine = 'x'",
    "a version in words": "[orbit]\napplication = ['x', 'one']", "one number": "[orbit]\nanswers_at = [1]",
    "a pixel beyond": "[orbit]\nclicks_at = [1, 32768]", "a pixel before": "[orbit]\nclicks_at = [-1, 3]",
    "the last pixel": "[orbit]\nclicks_at = [0, 32767]", "a table that is none": "orbit = 3", "nothing": "",
    "a key without a place": "[orbit.keys.'game.quality']\nkey = 'x'", "a key that is none": "[orbit.keys]\na = 1",
    "keys that are none": "[orbit]\nkeys = 3", "a file that is none": "[orbit]\nfile = 3",
    "nobody's home": "[orbit]\nfile = '~no-such-user/a.ini'",
    "values that are none": "[orbit.keys.'game.quality']\nsection = 'a'\nkey = 'x'\nvalues = 3"}
INI = "[Picture]\nOverall = 0\nOther = 1\nTwice = 1\ntwice = 2\n[Sound]\nLoud = 9 ; of ten\n"
XML = {"none": "", "no end": "<driconf/>", "no XML": "<driconf>", "another element": "<x></x>",
       "entities": '<!DOCTYPE d [<!ENTITY a "b">]><driconf></driconf>', "plain": "<driconf>\n</driconf>\n",
       "others' entries": '<driconf><device><application name="a" executable="a"><option name="x" value="1"/>'
                          "</application></device></driconf>",
       "an odd encoding": '<?xml version="1.0" encoding="morse"?><driconf></driconf>'}


def ini(do: Callable[[Ini], object], text: str = INI, encoding: str = "utf-8") -> Call:
    def call(_: Path) -> object:
        made = Ini(text.encode(encoding), "f.ini")
        do(made)
        return made.content.decode(encoding), made.encoding
    return call


def with_file(name: str, content: str | bytes, do: Callable[[Path], object]) -> Call:
    def call(folder: Path) -> object:
        (folder / name).write_bytes(content if isinstance(content, bytes) else content.encode())
        return do(folder)
    return call


def of_games(folder: Path, key: str, value: Any, content: str = INI) -> tuple[str, ...]:
    """A setting in a game's own file, changed and read back."""
    (folder / "g.ini").write_text(content, encoding="utf-8")
    add_game(folder, replace(ORBIT, file=folder / "g.ini", keys={
        "game.quality": Key("Picture", "Overall", {"low": "0", "high": "2"}), "game.shadows": Key("Light", "Deep")}))
    rig = ByHandRig(folder)
    before = rig.values(rig.state(), "orbit")
    rig.put(rig.changed(rig.state(), "orbit", {key: value}))
    after, text = rig.values(rig.state(), "orbit"), (folder / "g.ini").read_text(encoding="utf-8")
    rig.put(rig.changed(rig.state(), "orbit", {key: None}))
    return str(before), str(after), text, (folder / "g.ini").read_text(encoding="utf-8")


def sheet(do: Callable[[ByHandRig, Logbook], object]) -> Call:
    """A run sheet of three steps, and something done with it; then what it says."""
    def call(folder: Path) -> object:
        book, rig = Logbook(folder / "book"), ByHandRig(folder / "hand")
        add_game(rig.home, ORBIT)
        rig = ByHandRig(folder / "hand")
        sheets.sheet_to_apply(rig, book, book.commit("orbit", {
            "frame.cap": 120, "sync.vertical": "off", "texture.anisotropy": "16x"}))
        try:
            do(rig, book)
        finally:
            left = sheets.open_sheet(rig)
        return tuple(f"{one.number} {one.key} {one.before}>{one.after} {one.done} {one.seen} {one.why}"
                     for one in left.steps) if left else (
                         str(rig.values(rig.state(), "orbit")),
                         *(f"{one.kind}: {one.title}" for one in book.done_to(rig.name)))
    return call


def _ticked(rig: ByHandRig, book: Logbook) -> None:
    sheets.tick(rig, book, 1)
    sheets.tick(rig, book, 2, "unset")
    sheets.tick(rig, book, 3, "8x")


def _dropped(rig: ByHandRig, book: Logbook) -> None:
    sheets.tick(rig, book, 2)
    sheets.drop(rig, book)


def of_sheets() -> dict[str, Call]:
    return {f"a run sheet: {name}": sheet(do) for name, do in {
        "as it is": lambda rig, book: None, "all ticked": _ticked, "dropped": _dropped,
        "dropped untouched": lambda rig, book: sheets.drop(rig, book),
        "noted before": lambda rig, book: sheets.note_before(rig, 1, "60"),
        "noted a formula": lambda rig, book: sheets.note_before(rig, 1, "= refresh"),
        "noted what cannot be": lambda rig, book: sheets.note_before(rig, 1, "soon"),
        "no such step": lambda rig, book: sheets.tick(rig, book, 9),
        "twice": lambda rig, book: (sheets.tick(rig, book, 1), sheets.tick(rig, book, 1)),
        "another beside": lambda rig, book: sheets.sheet_to_apply(rig, book, book.commit("orbit", {"frame.cap": 60})),
        "nothing to do": lambda rig, book: (sheets.drop(rig, book), sheets.sheet_to_apply(
            rig, book, Version("orbit", {}))),
        "a look meanwhile": lambda rig, book: take_stock(rig, book, "orbit", {"frame.cap": "60"}, "Orbit"),
        "a look afterwards": lambda rig, book: (sheets.drop(rig, book), take_stock(
            rig, book, "orbit", {"frame.cap": "60", "sync.vertical": "on"}, "Orbit")),
        "a look at nothing": lambda rig, book: take_stock(rig, book, "orbit", {}, "Orbit"),
        "a look at a formula": lambda rig, book: (sheets.drop(rig, book), take_stock(
            rig, book, "orbit", {"frame.cap": "= refresh"}, "Orbit")),
        "damaged": lambda rig, book: ((rig.home / rig.sheet).write_bytes(b"[]"), sheets.open_sheet(rig)),
        "undone": lambda rig, book: (_ticked(rig, book), sheets.sheet_to_undo(rig, book)),
        "undone with nothing": lambda rig, book: (sheets.drop(rig, book), sheets.sheet_to_undo(rig, book)),
    }.items()}


def doubted(frame_ms: float, seconds: float = 30.0, spread: float = 0.02, program: str = "",
            entries: Entries | None = None, cap: int | None = None) -> Call:
    """What speaks against a recording handed over for a run of 30 s, on a panel of 144 Hz."""
    def call(folder: Path) -> object:
        add_game(folder, ORBIT)
        keep_about(folder, {"refresh_hz": 144}, ())
        rig = ByHandRig(folder)
        if cap:
            rig.put(rig.changed(rig.state(), "orbit", {"frame.cap": cap}))
        frames = frame_ms * np.exp(np.random.default_rng(5).normal(0, spread, max(2, round(1000 * seconds / frame_ms))))
        about = {"program": program} if program else {}
        return LeftOut(doubts(rig, ComingRun(0, "after", "orbit", 30.0, "orbit", entries or {}), Capture(
            np.r_[0.0, np.cumsum(frames)], about=about)))
    return call


def of_recordings_by_hand() -> dict[str, Call]:
    on: Entries = {"sync.vertical": "on"}
    return {f"a recording by hand: {name}": call for name, call in {
        "good": doubted(8), "short": doubted(8, 23.9), "just long enough": doubted(8, 24.3),
        "ten times": doubted(50, 298), "longer": doubted(50, 310), "of few frames": doubted(2000, 30),
        "of twenty frames": doubted(1500, 30),
        "of itself": doubted(8, program="orbit"), "of another program": doubted(8, program="brass"),
        "above its cap": doubted(8, entries={"frame.cap": 120}), "at its cap": doubted(8.3, entries={"frame.cap": 120}),
        "above the panel": doubted(6.6, entries=on), "at the panel": doubted(6.9, entries=on),
        "at the cap before": doubted(10, cap=100, entries={"frame.cap": 120}),
        "near the cap before": doubted(10.2, cap=100, entries={"frame.cap": 120}),
        "unsteadily at the cap before": doubted(10, spread=0.3, cap=100, entries={"frame.cap": 120}),
        "with no cap any more": doubted(10, cap=100, entries={"frame.cap": "off"})}.items()}


def of_rigs() -> dict[str, Call]:
    hand = ByHandRig
    return {
        **{f"games: {name}": with_file("games.toml", text, read_games) for name, text in GAMES.items()},
        **{f"a game called {name}": lambda folder, name=name: add_game(folder, replace(ORBIT, game=Game(name, "O")))
           for name in ("orbit", "Orbit", "rig", "machine", "1st", "x" * 60, "x" * 61, "")},
        "a game of an odd API": lambda folder: add_game(folder, replace(ORBIT, api="chalk" * 20)),
        "a game with an odd title": lambda folder: add_game(folder, replace(ORBIT, game=Game("orbit", "\udc80"))),
        **{f"a game's file: {key}={value}": lambda folder, key=key, value=value: of_games(folder, key, value)
           for key, value in (("game.quality", "high"), ("game.quality", "medium"), ("game.shadows", "low"),
                              ("file.picture_other", "7"), ("file.sound_loud", "1"), ("file.picture_twice", "3"),
                              ("game.config-locked", True))},
        **{f"an INI file: {name}": call for name, call in {
            "set": ini(lambda one: one.set("Picture", "Overall", "2")),
            "set with a comment": ini(lambda one: one.set("sound", "LOUD", "3")),
            "set twice": ini(lambda one: one.set("Picture", "Twice", "3")),
            "a line break": ini(lambda one: one.set("Picture", "Overall", "a\nb")),
            "beyond its letters": ini(lambda one: one.set("Picture", "Overall", "\u2605"), INI + "K\xe4fer=1\n",
                                      "cp1252"),
            "a new key": ini(lambda one: one.set("Picture", "New", "1")),
            "a new section": ini(lambda one: one.set("New", "One", "1")), "taken out": ini(lambda one: one.remove(
                "Sound", "Loud")), "taken out of nowhere": ini(lambda one: one.remove("Sound", "Soft")),
            "no encoding": lambda _: Ini(b"a=\x81\n", "f.ini"), "a zero": lambda _: Ini(b"a=\0\n", "f.ini"),
            "too large": lambda _: Ini(b"a" * 20_000_000, "f.ini")}.items()},
        **{f"the driver's file: {name}": lambda _, text=text: (with_options(
            text.encode(), "orbit", ["orbit", "or*bit?"], {"vblank_mode": "0", "a": "<&>"}, ".drirc").decode(),)
           for name, text in XML.items()},
        **{f"facts: {facts}": lambda _, facts=facts: (str(named(facts, ["gpu0"], ["glow"])),) for facts in (
            {"refresh_hz": 165}, {"refresh": 165}, {"refresh_hz": 165, "refresh": 60}, {"refresh_hz": "fast"},
            {"refresh_hz": -1}, {"cpu": 3}, {"gpu0_message": 1}, {"gpu0_message": True}, {"gpu9_message": True},
            {"glow": None}, {"glow": 1}, {"cpu": None})},
        **{f"devices {names}": lambda _, names=names: device_names(names) for names in (
            ["gpu0", "gpu0"], ["gpu 0"], ["g\xfcu"], ["g" * 40], ["g" * 41], [""])},
        **{f"a rig told by hand: {name}": with_file("rig.toml", text, lambda folder: (str(read_about(
            folder / "rig.toml")),)) for name, text in {
                "nothing": "", "an odd table": "glow = 1\nshine = 2", "a list": "[facts]\ncpu = [1]",
                "an odd name": "[facts]\n'c p u' = 1", "good": "devices = ['gpu0']\n[facts]\ncores = 8",
                "no table": "facts = 3", "no list": "devices = 3", "large": "#" * 2_000_000}.items()},
        **{f"damaged: {name}": call for name, call in {
            "notes": with_file("notes.json", "[1]", lambda folder: notes.read_notes(hand(folder))),
            "notes of numbers": with_file("notes.json", '{"a": 1}', lambda folder: notes.read_notes(hand(folder))),
            "what was seen": with_file("seen-before.json", "[1]", lambda folder: read_noted(hand(folder).home)),
            "what was said": with_file("said.json", "[1]", lambda folder: hand(folder).values(
                hand(folder).state(), "rig")),
            "a state": with_file("state.json", "[1]", lambda folder: Standin(folder).values(
                Standin(folder).state(), "rig")),
            "running": with_file("running.json", "[1]", lambda folder: Standin(folder).pending())}.items()},
        "a long note": lambda folder: notes.keep_note(hand(folder), "frame.cap", "x" * 501),
        "a note in two lines": lambda folder: notes.keep_note(hand(folder), "frame.cap", "x\ny"),
        "no such rig": lambda folder: home_of("heer", folder), "no such chore": lambda folder: chore_of(
            Standin(folder), "dishes"), "no chores": lambda folder: chore_of(hand(folder), "dishes"),
        "an undo of nothing": lambda folder: undo(Standin(folder / "rig"), Logbook(folder / "book")),
        **of_sheets(), **of_recordings_by_hand()}
