"""Sweeps for `test_known_results.py` over a Linux machine's parts: monitors, starts, the driver's entries, clocks."""

import resource
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from itertools import product
from pathlib import Path
from typing import Any
from unittest import mock

from keenlattice.catalog.model import Setting
from keenlattice.errors import KeenLatticeError
from keenlattice.profile.matching import Game
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.gamelist import Listed, add_game
from keenlattice.rig.held import HeldPart
from keenlattice.rig.linux import launch, power
from keenlattice.rig.linux.autostart import Autostart
from keenlattice.rig.linux.desktop import ModeStore, facts, settings
from keenlattice.rig.linux.entries import Configuration, DrawnOn, Program, entries_in
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.monitor import Mode, Monitor
from keenlattice.rig.linux.x11.randr import Monitors
from keenlattice.rig.noted import Noted
from keenlattice.rig.stored import StoredPart
from known_sweeps import beyond_defaults, keys_of, values_of
from test_kernel import NO_OPTIONS, tree

SIZES = ((2560, 1440), (1920, 1080), (1280, 720))
MODES = tuple(Mode(width, height, rate) for width, height in SIZES for rate in (59.95, 120.0, 164.83)
              if height > 800 or rate < 100)
OTHERS = {"interrupt.affinity": ("all", "3", "0-2,7", "8", "0-", ""),
          "game.launch-options": ("none", "--calm 'a b'", "'")}
NOT_THE_SAME_ON_ALL = ("process.priority", "process.policy", "process.io-priority", "process.affinity")


class MadeUpMonitor:
    """A monitor that is on, and can be switched."""

    def __init__(self, on: Mode | None, alone: bool) -> None:
        self.on, self.alone = on, alone

    def primary(self) -> Monitor | None:
        return Monitor("HEADLESS-1", self.on, MODES, "2560x1440", self.alone) if self.on else None

    def turn_on(self, text: str) -> None:
        self.on = next(mode for mode in MODES if mode.text == text)


def text_of(state: Mapping[str, bytes | None]) -> dict[str, str | None]:
    return {place: None if content is None else content.decode() for place, content in sorted(state.items())}


def of_monitors(folder: Path) -> object:
    """Resolutions and rates set one after the other and taken back, alone and beside another monitor."""
    changes: tuple[Mapping[str, Any], ...] = (
        {"display.refresh": 60}, {"display.refresh": 165}, {"display.refresh": 90}, {"display.resolution": "native"},
        {"display.resolution": "1280x720"}, {"display.resolution": "800x600"},
        {"display.resolution": "1920x1080", "display.refresh": 120}, {"display.refresh": None},
        {"display.resolution": None, "display.refresh": None})
    found: dict[str, object] = {}
    for alone, first in product((True, False), (MODES[1], MODES[3], MODES[-1], None)):
        store, monitor = ModeStore(Monitors(""), ""), MadeUpMonitor(first, alone)
        store.__dict__.update(_monitors=monitor, _outputs=None)
        desktop = part_of(store, folder / f"{alone} {first}")
        steps: list[object] = [[one.name, one.stock] for one in desktop.settings()] + [desktop.facts()]
        for change in changes:
            try:
                then = desktop.changed(desktop.state(), WHOLE_RIG, change)
                desktop.put(then)
                steps.append([text_of(then), monitor.on and monitor.on.text, desktop.values(desktop.state(), WHOLE_RIG),
                              desktop.values(desktop.state(), "orbit"), [one.stock for one in desktop.settings()]])
            except KeenLatticeError as error:
                steps.append(str(error))
        found[f"{alone} {first and first.text}"] = steps
    nowhere = part_of(ModeStore(Monitors(""), ""), folder)
    return {**found, "nowhere": [nowhere.settings(), nowhere.facts(), text_of(nowhere.state()), nowhere.in_words(
        "display/HEADLESS-1/mode"), nowhere.in_words("else"), nowhere.covers("orbit", "display.refresh")]}


def part_of(store: ModeStore, home: Path) -> StoredPart:
    """The monitor as a part of a rig."""
    return StoredPart(store, lambda held: settings(store.monitor(), held), Noted(home, "display-before.json"),
                      lambda _: facts(store.monitor()))


@contextmanager
def rights(root: bool, limit: int, machine: str) -> Iterator[None]:
    """As somebody with or without rights, on 4 cores."""
    with mock.patch.object(launch.os, "geteuid", lambda: 0 if root else 1000), \
            mock.patch.object(launch.os, "cpu_count", lambda: 4), \
            mock.patch.object(resource, "getrlimit", lambda _: (limit, limit)), \
            mock.patch.object(launch.platform, "machine", lambda: machine):
        yield


def of_starts(folder: Path) -> object:
    """What a game's process and start can be set to, by whom, and what comes of it."""
    values: Mapping[str, tuple[Any, ...]] = {
        "process.priority": ("lowered", "normal", "raised", "high"), "process.io-priority": ("low", "high"),
        "process.affinity": ("all", "0-2", "3", "4", "", "x"), "process.policy": tuple(launch.POLICIES),
        "game.launch-options": ("none", "--calm --name 'a b'", "'", ""), "shader.cache-size": (0, 2048),
        "shader.cache-location": ("by-driver", "nowhere"),
        "driver.vulkan-present": tuple(launch.PRESENT), "driver.raster-threads": (0, 3),
        "gpu.render-device": ("by-system", "gpu0", "gpu1", "gpu7")}
    found: dict[str, object] = {}
    for number, (root, limit, machine) in enumerate(product((True, False), (0, 30), ("x86_64", "chalk"))):
        gpus = {"gpu0": "0000:01:00.0", "gpu1": "0000:02:00.0"}
        one = HeldPart(folder / str(number), launch.settings(gpus), launch.check)
        with rights(root, limit, machine):
            for key, value in ((key, value) for key, some in values.items() for value in some):
                try:
                    then = one.changed(one.state(), "orbit", {key: value})
                    start = launch.start_of(one.values(then, "orbit"), gpus)
                    told: object = [start.treatment, start.environment, start.words, len(launch._treatments(
                        start.treatment)), text_of(then)]
                except KeenLatticeError as error:
                    told = str(error)
                found[f"{key}={value}, root {root}, limit {limit}, {machine}"] = told
    alike = [name for name in found if found[name] == found[name.partition(",")[0] + ", root True, limit 0, x86_64"]]
    few = {name: told for name, told in found.items() if name not in alike or name.endswith("True, limit 0, x86_64")}
    one = HeldPart(folder, launch.settings({"gpu0": "0000:01:00.0"}), launch.check)
    one.put(one.changed(one.state(), "orbit", {"driver.raster-threads": 2}))
    kept = [text_of(one.state()), one.values(one.state(), "orbit"), one.values(one.state(), "other")]
    one.put(one.changed(one.state(), "orbit", {"driver.raster-threads": None}))
    return [few, kept, text_of(one.state()), [
        beyond_defaults(each) for each in one.settings()]]


CONFIGURATION = """<driconf>
<device screen="1"><application name="second" executable="orbit"><option name="a" value="1"/></application></device>
<device driver="chalk"><application name="chalk" executable="orbit"><option name="a" value="2"/></application>
<option name="bare" value="3"/></device>
<device device="board"><engine engine_name_match="^Sling"><option name="a" value="4"/></engine></device>
<device><application name="by name" executable="orbit"><option name="a" value="5"/><option name="b" value="6"/>
</application>
<application name="by pattern" executable_regexp="^or.*"><option name="a" value="7"/></application>
<application name="by sum" sha1="da39a3ee5e6b4b0d3255bfef95601890afd80709"><option name="c" value="8"/></application>
<application name="by title" application_name_match="^Brass"><option name="a" value="9"/></application>
<application name="old" application_name_match="Brass" application_versions="1:0x10"><option name="b" value="10"/>
</application>
<application name="odd" application_name_match="Brass" application_versions="5"><option name="d" value="11"/>
</application>
<engine engine_name_match="Sling" engine_versions="3:9"><option name="e" value="12"/></engine>
<application name="all"><option name="f" value="13"/></application>
<application name="never" executable_regexp="(a+)+$"><option name="g" value="14"/></application></device>
<option name="outside" value="15"/></driconf>"""


def of_entries(folder: Path) -> object:
    """Which options the driver takes for which program, on which screen, and what they overrule."""
    (folder / "empty").touch()
    configuration = Configuration(entries_in(CONFIGURATION.encode(), "made-up.conf"))
    programs = [Program("orbit"), Program("Orbit", folder / "empty"), Program("tide", None, "Brass Orbit", 3),
                Program("tide", folder / "none", "Brass Orbit", 17, "Slingshot", 4),
                Program("x", None, "", 0, "Sling", 10)]
    screens = [DrawnOn("chalk"), DrawnOn("slate", "board"), DrawnOn("slate", "", 1)]
    applied = [[[one.option, one.value, one.entry.title, one.entry.line, [each.title for each in one.overrules]]
                for one in configuration.resolve(program, screen).values()]
               for program, screen in product(programs, screens)]
    return [applied, [one.title for one in configuration.untried()], [[one.kind, one.line, one.device, one.matches,
                                                                      one.options] for one in configuration.entries]]


def of_autostart(folder: Path) -> object:
    entry = "[Desktop Entry]\nName={0}\nName[de]=Das {0}\nExec={0}\n"
    own, system = folder / "own", [folder / "first", folder / "second"]
    for where, name, text in (
            (own, "chatter", entry), (own, "tray", entry + "Hidden=true\n"),
            (own, "late", "[Other]\nHidden=true\n" + entry),
            (system[0], "tray", entry), (system[0], "indexer", entry + "[Other]\nx=1\n"), (system[1], "indexer", "[x]"),
            (system[1], "Odd Name!", entry.replace("Name={0}\n", "")), (system[1], "hidden", entry + "Hidden = TRUE\n"),
            (own, "none", "no entry")):
        where.mkdir(exist_ok=True)
        (where / f"{name}.desktop").write_text(text.format(name))
    one = Autostart(Noted(folder / "home", "noted.json"), folder / "home", own, system)
    told = [beyond_defaults(each) for each in one.settings()]
    steps: list[object] = [told, one.facts()]
    for each, value in product(one.settings(), (False, True, None)):
        then = one.changed(one.state(), WHOLE_RIG, {each.name: value})
        one.put(then)
        steps.append([f"{each.name}={value}", text_of({place.rpartition("/")[2]: text for place, text in then.items()}),
                      one.values(one.state(), WHOLE_RIG), one.values(one.state(), "orbit"), one.facts()])
    return steps


def of_powers(folder: Path) -> object:
    """CPUs with steps and without, of one kind and of two, with governors, boost and idle states or without."""
    found: dict[str, object] = {}
    whole: Entries = {"scaling_governor": "calm", "scaling_available_governors": "calm brisk",
                      "cpuinfo_min_freq": "800000", "cpuinfo_max_freq": "4600000", "scaling_min_freq": "800000",
                      "scaling_max_freq": "4600000"}
    steps = {**whole, "scaling_available_frequencies": "1000000 800000", "scaling_boost_frequencies": "4600000 odd"}
    for name, policies in {"none": (), "whole": (whole, whole), "steps": (steps, steps), "two kinds": (whole, {
            **whole, "cpuinfo_max_freq": "3000000"}), "steps and none": (steps, whole), "bare": ({}, {}),
            "odd": ({**whole, "cpuinfo_min_freq": "?", "scaling_governor": "own"},)}.items():
        cpu = folder / name / "sys/devices/system/cpu"
        for number, files in enumerate(policies):
            (cpu / f"cpufreq/policy{number}").mkdir(parents=True)
            for file, text in files.items():
                (cpu / f"cpufreq/policy{number}" / file).write_text(f"{text}\n")
        if len(policies) == 2:
            (cpu / "cpufreq/boost").write_text("1\n")
            (cpu / "cpu0/cpuidle/state1").mkdir(parents=True)
            (cpu / "cpu0/cpuidle/state1/disable").write_text("0\n")
        found[name] = [[one.setting.name, one.setting.title, one.setting.stock, one.setting.low, one.setting.high,
                        one.setting.choices, one.steps, one.times, one.together, sorted(map(list, one.bounds.values())),
                        [str(file.relative_to(folder)) for file in one.files]] for one in power.knobs(folder / name)]
    return found


def tried_on(setting: Setting) -> tuple[Any, ...]:
    return OTHERS.get(setting.name.partition("@")[0]) or tuple(values_of(setting))


def of_linux(folder: Path) -> dict[str, str]:
    """What every value of every setting amounts to on a machine: what is to be written where, or why not."""
    add_game(folder / "state", Listed(Game("orbit", "Orbit", ("orbit",))))
    rig = LinuxRig(folder / "state", folder / ".drirc", tree(folder / "root"))
    rig.driver = NO_OPTIONS
    first, found = rig.state(), dict[str, str]()
    every = ((setting, key, value) for setting in rig.catalog() if setting.name not in NOT_THE_SAME_ON_ALL
             for key in keys_of(setting, rig.devices()) for value in tried_on(setting))
    for setting, key, value in every:
        owner = "orbit" if setting.scope == "game" else WHOLE_RIG
        try:
            then = rig.changed(first, owner, {key: value})
            differs = {place: text for place, text in then.items() if text != first.get(place)}
            rig.put(differs)
            read = rig.values(rig.state(), owner).get(key)
            rig.put({place: first.get(place) for place in differs})
            told = f"{read!r} " + "; ".join(f"{place}: {(text or b'').decode()}" for place, text in sorted(
                differs.items()))
        except KeenLatticeError as error:
            told = f"{type(error).__name__}: {error}"
        found[f"{key}={value}"] = told
    return found


PARTS = {"Linux settings": of_linux, "monitors of a Linux machine": of_monitors, "starts on a Linux machine": of_starts,
         "entries of a Linux machine": of_entries, "autostart of a Linux machine": of_autostart,
         "clocks of a Linux machine": of_powers}
