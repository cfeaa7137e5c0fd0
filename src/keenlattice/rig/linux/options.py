"""The driver's options as a part of the rig, and the catalog's settings that some of them stand for."""

from collections.abc import Callable, Mapping
from functools import cached_property
from pathlib import Path

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Catalog, Setting
from keenlattice.catalog.values import GAME_DECIDES, Value, same, written
from keenlattice.errors import BadValue, RefusedByRig, RigError
from keenlattice.files import read_bounded
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.quickly import dataclass
from keenlattice.rig.base import Edits, State
from keenlattice.rig.linux.driconf import MOST_BYTES, options, with_options
from keenlattice.rig.parts import Part
from keenlattice.rig.places import place_of, put_file


class DriverOptions(Part):
    """The options of the drivers of OpenGL and Vulkan.

    Args:
        config: the user's configuration file.
        home: the rig's folder.
        settings: what gives them; asked when they are first needed, for the driver is.
        executables: what gives those of a game; it raises RefusedByRig where there are none.
    """

    def __init__(self, config: Path, home: Path, settings: Callable[[], list[Setting]],
                 executables: Callable[[str], tuple[str, ...]]) -> None:
        self.config, self._place = config, place_of(config, home)
        self._read_settings, self._executables = settings, executables

    @cached_property
    def _settings(self) -> Catalog:
        return Catalog(self._read_settings())

    def settings(self) -> list[Setting]:
        return list(self._settings)

    def covers(self, owner: str, key: str) -> bool:
        return key in self._settings

    def state(self) -> State:
        try:
            own = read_bounded(self.config, MOST_BYTES)
        except OSError as error:
            raise RigError(f"cannot read {self.config}: {error.strerror}; it is left as it is") from None
        if own is not None and len(own) > MOST_BYTES:
            raise RigError(f"{self.config} is larger than {MOST_BYTES // 1_000_000} MB: not read; it is left as it is")
        return {self._place: own}

    def values(self, state: State, owner: str) -> Entries:
        held = options(state[self._place], owner, str(self.config))
        names = {option.option: name for name, option in MAPPED.items()}
        return {name: value for option, text in held.items()
                if (name := names.get(option, f"mesa.{option}")) in self._settings
                and (value := self._read(name, text)) is not None}

    def _read(self, name: str, text: str) -> Value | None:
        if name in MAPPED:
            return MAPPED[name].value(text)
        setting = self._settings[name]
        if setting.kind == "switch":
            return {"true": True, "false": False}.get(text, text)
        try:
            return setting.parsed(text)
        except BadValue:  # somebody has mistyped it since: shown as it is, and put right by the next apply
            return text

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        where, content = str(self.config), state[self._place]
        executables = () if owner == WHOLE_RIG else self._executables(owner)
        wanted = dict(options(content, owner, where))
        for key, value in changes.items():
            option = MAPPED[key].option if key in MAPPED else key.removeprefix("mesa.")
            if value is None:
                wanted.pop(option, None)
            elif key in MAPPED:
                wanted[option] = MAPPED[key].text(value)
            else:
                wanted[option] = str(value).lower() if isinstance(value, bool) else f"{value}"
        return {self._place: with_options(content, owner, executables, wanted, where)}

    def put(self, state: State) -> None:
        if self._place in state:
            try:
                put_file(self.config, state[self._place])
            except OSError as error:
                raise RigError(f"cannot write {self.config}: {error.strerror}") from None


@dataclass(frozen=True)
class Mapped:
    """A driver's option behind a setting of the catalog: its written values for the setting's."""

    option: str
    texts: Mapping[str, Value]
    loader: bool = False

    def value(self, text: str) -> Value | None:
        return self.texts.get(text)

    def text(self, value: Value) -> str:
        """How the option spells a value; the first spelling, where there are two.

        Raises:
            RefusedByRig: it has no spelling for it.
        """
        for text, content in self.texts.items():
            if same(content, value):
                return text
        raise RefusedByRig(f"the driver's option {self.option} cannot be {written(value)}; it knows "
                           f"{', '.join(dict.fromkeys(written(known_value) for known_value in self.texts.values()))}")


MAPPED: Mapping[str, Mapped] = {
    "sync.vertical": Mapped("vblank_mode", {"0": "off", "3": "on", "1": GAME_DECIDES, "2": GAME_DECIDES}, loader=True),
    "sync.variable-refresh": Mapped("adaptive_sync", {"false": "off", "true": "fullscreen"}, loader=True),
    "driver.threaded-submission": Mapped("mesa_glthread", {"true": True, "false": False}),
    "driver.error-checking": Mapped("mesa_no_error", {"false": True, "true": False}),
}


def mapped_settings(options: set[str]) -> list[Setting]:
    """The catalog's settings that this driver (by the names of its options) or the loader has, with what it takes."""
    return [_narrowed(catalog()[name], mapped) for name, mapped in MAPPED.items()
            if mapped.loader or mapped.option in options]


def _narrowed(setting: Setting, mapped: Mapped) -> Setting:
    if setting.kind != "choice":
        may_decide = GAME_DECIDES in mapped.texts.values()
        stock = setting.stock if may_decide or setting.stock != GAME_DECIDES else False
        return setting.adapted(game_may_decide=may_decide, stock=stock)
    return setting.adapted(choices=tuple(choice for choice in setting.choices if choice in mapped.texts.values()))
