"""The rig that this Linux machine is: its driver's options, our scene as a game, frames and latency from X11."""

import os
import platform
from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Catalog, Setting
from keenlattice.errors import RefusedByRig, RigError, way
from keenlattice.profile.compare import Change
from keenlattice.profile.matching import Game
from keenlattice.profile.version import Entries
from keenlattice.rig.base import DriverOption, Edits, Facts, OptionSource, State, game_of
from keenlattice.rig.gamefiles import LOCK_KEY, GameFiles
from keenlattice.rig.gamelist import Listed, read_games
from keenlattice.rig.held import HeldPart, under_way
from keenlattice.rig.linux import desktop, launch, services, vulkan
from keenlattice.rig.linux.absent import asked, reasons
from keenlattice.rig.linux.autostart import Autostart, folders
from keenlattice.rig.linux.desktop import ModeStore
from keenlattice.rig.linux.driver import Driver, ask, settings_of
from keenlattice.rig.linux.entries import Configuration, DrawnOn, Entry, Program, all_entries, configuration_files
from keenlattice.rig.linux.kernel import Kernel
from keenlattice.rig.linux.options import MAPPED, DriverOptions, mapped_settings
from keenlattice.rig.linux.preferences import Preferences, preferences_of
from keenlattice.rig.linux.resolver import ResolverFile, resolver
from keenlattice.rig.linux.scene import LAMP, SCENE
from keenlattice.rig.linux.seen import ways
from keenlattice.rig.linux.sound import SoundServer
from keenlattice.rig.linux.starter import LinuxStarter
from keenlattice.rig.linux.wayland.sway import SwayOutputs, outputs
from keenlattice.rig.linux.x11.input import Input, keys_and_pointers
from keenlattice.rig.linux.x11.picture import PictureStore, picture
from keenlattice.rig.linux.x11.randr import Monitors
from keenlattice.rig.noted import Noted
from keenlattice.rig.parts import Parts
from keenlattice.rig.player import SHEET
from keenlattice.rig.player.part import SAID, PlayerPart
from keenlattice.rig.stored import StoredPart, notes_in

if TYPE_CHECKING:
    from contextlib import AbstractContextManager

    from keenlattice.measure.capture import Capture
    from keenlattice.measure.telemetry import Watcher
    from keenlattice.rig.base import UnderWay
    from keenlattice.rig.hand import Hand


class LinuxRig:
    """This machine, under the open-source driver stack and X11.

    Args:
        home: where its journal of changes under way is kept, and what was noted down before.
        config: the user's Mesa configuration file; None for `~/.drirc`, which the driver reads.
        root: where `usr`, `etc`, `proc` and `sys` are looked for; a recorded tree in tests.
    """

    name = "here"
    told_of_games = True
    place, sheet = SAID, SHEET
    hand: "Hand | None" = None
    watcher: "Watcher | None" = None

    def __init__(self, home: Path, config: Path | None = None, root: Path = Path("/")) -> None:
        self.home = home
        self.config = config or Path(os.environ.get("HOME") or Path.home()) / ".drirc"
        self._root, self._listed = root, read_games(home)
        live = root == Path("/")  # a recorded tree has no screen
        display, compositor = (os.environ.get(name, "") if live else "" for name in ("DISPLAY", "WAYLAND_DISPLAY"))
        preferences, sound, self._kernel = Preferences(live), SoundServer(live), Kernel(root, home)
        stopped = Noted(home, "services-before.json")
        own_services = services.OwnServices(live, lambda: [
            place.partition("/")[2] for place in notes_in(stopped, stopped.state()).users])
        keys = Input("" if compositor or preferences.there else display)
        monitors = Monitors(display)
        modes = self._modes = ModeStore(monitors, compositor)
        gpus = {name: device.address for name, device in self._kernel.devices.items() if name.startswith("gpu")}
        self._launch = HeldPart(home, launch.settings(gpus), launch.check)
        self._starter = LinuxStarter(self._launch, gpus)
        # A step of an apply is of one part: the game's file first, the kernel and the game's process last.
        self._parts = Parts((
            LinuxGames(self._listed, home),
            StoredPart(modes, lambda held: desktop.settings(modes.monitor(), held), Noted(home, "display-before.json"),
                       lambda _: desktop.facts(modes.monitor())),
            StoredPart(preferences, preferences_of, Noted(home, "preferences-before.json")),
            StoredPart(keys, keys_and_pointers, Noted(home, "input-before.json")),
            StoredPart(SwayOutputs(os.environ.get("SWAYSOCK", "") if live else ""), outputs, Noted(
                home, "compositor-before.json")),
            StoredPart(PictureStore(Monitors("") if compositor else monitors), picture, Noted(
                home, "picture-before.json")),
            DriverOptions(self.config, home, self._of_the_driver, self._executables),
            Autostart(Noted(home, "startup-before.json"), home, *folders(self._settings_folder(config), root)),
            StoredPart(own_services, services.services, stopped, services.facts),
            StoredPart(sound, sound.settings, Noted(home, "sound-before.json")),
            StoredPart(ResolverFile(root), resolver, Noted(home, "resolver-before.json")), self._kernel, self._launch,
            PlayerPart(home, [setting for setting in catalog() if setting.name in asked()])))

    def _settings_folder(self, config: Path | None) -> Path:
        """Where the player's programs keep their settings; beside the driver's file, if that was named."""
        folder = os.environ.get("XDG_CONFIG_HOME", "") if config is None else ""
        return Path(folder) if folder.startswith("/") else self.config.parent / ".config"

    @cached_property
    def driver(self) -> Driver:
        """What the driver says of itself; one that does not answer has no options, and says why in place of its name:
        there is much else to be seen of a machine."""
        return self._said[0]

    @cached_property
    def _options(self) -> list[Setting]:
        return settings_of(self.driver)

    @cached_property
    def _vulkan(self) -> list[vulkan.VulkanDevice]:
        return self._said[1] if self._root == Path("/") else []

    @cached_property
    def _said(self) -> tuple[Driver, list[vulkan.VulkanDevice]]:
        """What the drivers of OpenGL and of Vulkan say, which are asked at once."""
        asked = vulkan.ask()
        try:
            driver = ask()
        except RigError as error:
            driver = Driver("", f"unknown ({error})", "unknown", "<driinfo></driinfo>")
        return driver, vulkan.devices(asked)

    @cached_property
    def _of_vulkan(self) -> dict[str, str]:
        """The options that the stack's own files set for Vulkan drivers; none where no driver here reads them."""
        if not any(device.driver for device in self._vulkan):
            return {}
        try:
            return vulkan.options(self.configuration().entries)
        except RigError:
            return {}

    @cached_property
    def _catalog(self) -> Catalog:
        return Catalog(self._parts.settings(), reasons())

    def _of_the_driver(self) -> list[Setting]:
        own = self._options
        options = {setting.name.removeprefix("mesa.") for setting in own}
        hidden = {f"mesa.{option.option}" for option in MAPPED.values()}  # they have a name in the catalog
        return [*mapped_settings(options), *(setting for setting in own if setting.name not in hidden),
                *vulkan.settings(self._of_vulkan, [*options, *(option.option for option in MAPPED.values())])]

    def facts(self) -> Facts:
        memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2**20
        driver = self.driver
        return {"os": f"Linux {platform.release()}", "case_matters": True, "threads": os.cpu_count() or 1,
                "ram_mib": memory, "gpu": driver.renderer,
                "driver": ": ".join(word for word in (driver.vendor, driver.name) if word),
                "driver_options": len(self._options), "driver_config": str(self.config),
                "frames_recorded": ways(),
                **self._parts.facts()}

    def devices(self) -> tuple[str, ...]:
        return tuple(self._kernel.devices)

    def games(self) -> tuple[Game, ...]:
        return (SCENE, *(listed.game for listed in self._listed.values()))

    def catalog(self) -> Catalog:
        return self._catalog

    def configuration(self) -> Configuration:
        """What the driver's configuration files say, the system's and the user's.

        Raises:
            RigError: one cannot be read.
        """
        return Configuration(all_entries(configuration_files(self._root, self.config)))

    def driver_options(self, executable: str) -> tuple[list[DriverOption], list[str]]:
        path, configuration = Path(executable), self.configuration()
        program, drawn_on = self._as_known(path)
        options_here = configuration.resolve(program, drawn_on)
        return [DriverOption(option.option, option.value, *_source(option.entry), tuple(
            OptionSource(*_source(entry)) for entry in option.overrules))
                for _, option in sorted(options_here.items())], [
            f"{entry.file}, line {entry.line}: its pattern cannot be read, or might take for ever: it is not tried, "
            "and whether the driver takes it here is not known" for entry in configuration.untried()]

    def _as_known(self, path: Path) -> tuple[Program, DrawnOn]:
        """A program as its driver knows it: by what was said of the game that it is."""
        file = path if path.is_file() else None
        listed = next((value for value in self._listed.values() if path.name in value.game.executables), None)
        if listed is None or listed.api != "vulkan":
            return Program(path.name, file), DrawnOn(self.driver.name)
        (name, version), (engine, engine_version) = (identity or ("", 0)
                                                     for identity in (listed.application, listed.engine))
        driver = self._vulkan[0].driver if self._vulkan else ""
        return Program(path.name, file, name, version, engine, engine_version), DrawnOn(driver)

    def inert(self, game: str, keys: Sequence[str]) -> dict[str, str]:
        """The driver's options that the API by which a game draws does not read, as far as it was told."""
        api = self._listed[game].api if game in self._listed else "opengl" if game == SCENE.name else ""
        if not api:
            return {}
        of_gl = {setting.name for setting in self._options} | {
            name for name, option in MAPPED.items() if option.option not in vulkan.BOTH}
        of_vulkan = {f"mesa.{option.lower()}" for option in self._of_vulkan}
        unread = of_gl - of_vulkan if api == "vulkan" else (of_vulkan - of_gl) | {"driver.vulkan-present"}
        why = {"vulkan": "it is OpenGL's, and this game draws by Vulkan",
               "opengl": "it is Vulkan's, and this game draws by OpenGL"}[api]
        return {key: why for key in keys if key in unread}

    def held_at_start(self, keys: Sequence[str]) -> list[str]:
        return [key for key in keys if self._launch.covers("", key)]

    def state(self) -> State:
        return self._parts.state()

    def values(self, state: State, owner: str) -> Entries:
        return self._parts.values(state, owner)

    def steps(self, owner: str, changes: Sequence[Change]) -> Sequence[Sequence[Change]]:
        return self._parts.steps(owner, changes)

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        if owner == SCENE.name and (asked_for := [key for key in changes if not self.written_here(owner, key)]):
            raise RefusedByRig(f"{', '.join(asked_for)}: the scene has no menu to set it in")
        return self._parts.changed(state, owner, changes)

    def written_here(self, owner: str, key: str) -> bool:
        return self._parts.written(owner, key)

    def seen_before(self, *owners: str) -> Entries:
        return self._parts.before(self.state(), *owners)

    def _executables(self, owner: str) -> tuple[str, ...]:
        game = game_of(self, owner)
        if not game.executables:
            raise RefusedByRig(f"{owner} has no executable that the driver could know it by: "
                               f"{way(f'keen rig game {owner} --executable NAME', 'ws.rig.games.tell(LISTED)')}")
        return game.executables

    def put(self, state: State) -> None:
        self._parts.put(state)

    def place_in_words(self, place: str) -> str:
        return self._parts.place_in_words(place)

    def may_read_otherwise(self, place: str) -> bool:
        return self._kernel.may_read_clamped(place)

    def play(self, game: str, seconds: float, seed: int) -> "Capture":
        from keenlattice.rig.linux.play import check_installed, play_listed, play_scene

        played = game_of(self, game)
        check_installed()
        home, begin = self.config.parent, self._starter.start_of(game)
        capture = play_scene(home, seconds, seed, begin, self.watcher) if played == SCENE else play_listed(
            self._listed[game], home, seconds, seed, begin, self.watcher)
        own = {"seed": seed, "seconds": seconds, "facts": dict(self.facts())}
        return replace(capture, about={**capture.about, **own})

    def installed(self) -> Sequence[Listed]:
        from keenlattice.rig.linux.installed import data_folders, installed

        return installed(data_folders() if self._root == Path("/") else [self._root / "usr" / "share"])

    def under_way(self, game: str, command: Sequence[str]) -> "AbstractContextManager[UnderWay]":
        return under_way(self._starter, game_of(self, game), self._listed.get(game), command)

    def runs(self, game: str) -> bool:
        return self._starter.runs(game_of(self, game).executables)

    def find_spot(self, game: str) -> tuple[tuple[int, int], tuple[int, int]]:
        """The pixel of a game's window that answers clicks, by a short look, and the one that was clicked.

        Raises:
            RigError: there is no window, or nothing answers.
        """
        from keenlattice.rig.linux.play import check_installed, find_spot

        played = game_of(self, game)
        check_installed()
        begin = self._starter.start_of(game)
        return (LAMP, LAMP) if played == SCENE else find_spot(self._listed[game], self.config.parent, begin)


def _source(entry: Entry) -> tuple[str, str, int]:
    """Where an option comes from: the entry's title, its file, and the line."""
    return entry.title, entry.file, entry.line


class LinuxGames(GameFiles):
    """As `GameFiles`, with the settings of the catalog that the files are said to have."""

    def settings(self) -> list[Setting]:
        keys = {key for listed in self.games.values() for key in (*listed.keys, LOCK_KEY)}
        return [*(setting for setting in catalog() if setting.name in keys), *super().settings()]
