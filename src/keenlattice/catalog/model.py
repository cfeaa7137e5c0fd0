"""What Keen Lattice knows of a setting: a typed model, filled from data files."""

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import field, replace
from typing import Any, ClassVar, Literal

from keenlattice.catalog.search import search
from keenlattice.catalog.values import GAME_DECIDES, Restart, Value, written
from keenlattice.errors import BadValue, UnknownName, UsageError, way
from keenlattice.quickly import dataclass

Kind = Literal["switch", "whole", "number", "choice", "text"]
Scope = Literal["rig", "game", "device"]
Moves = Literal["frame-time", "frame-tail", "latency"]
Direction = Literal["down", "up", "either"]

NAME, LONGEST_NAME = re.compile(r"[a-z][a-z0-9]*\.[a-z0-9][a-z0-9_-]*"), 80
ONLY_ITS_OWN = {"extra": "forbid"}  # what pydantic is to take from a file: no key beside the fields
MOST_MEANT = 3  # settings that a word of a player's may mean, to be offered
ON_WORDS = {"on": True, "true": True, "yes": True, "off": False, "false": False, "no": False}


@dataclass(frozen=True)
class Suggestion:
    """A rule of the trade: a formula, and what it is for."""

    __pydantic_config__: ClassVar[Any] = ONLY_ITS_OWN

    formula: str
    purpose: str

    def __post_init__(self) -> None:
        if not self.formula.startswith("= "):
            raise ValueError("formula: it begins with `= `")


@dataclass(frozen=True)
class Setting:
    """One typed knob.

    `low` and `high` bound a number, both included; `words` are allowed beside it ("off" for a cap).
    `called` are words that players find it by.
    `scope` says whom it can be set for; a device's setting is addressed as `name@device`.
    `where` and `check` tell a player who changes it by hand where to look, and how to see that it took.
    `sure` says how sure it is that it moves what `moves` says; of what is disputed, `advice` says when which is right.
    """

    __pydantic_config__: ClassVar[Any] = ONLY_ITS_OWN

    name: str
    title: str
    kind: Kind
    scope: Scope
    stock: Value
    trades: str
    called: tuple[str, ...] = ()
    unit: str = ""
    low: float | None = None
    high: float | None = None
    choices: tuple[str, ...] = ()
    words: tuple[str, ...] = ()
    game_may_decide: bool = False
    rights: bool = False
    restart: Restart = "none"
    inert: str = ""
    where: str = ""
    check: str = ""
    moves: Mapping[Moves, Direction] = field(default_factory=dict)
    sure: Literal["known", "disputed", "placebo"] = "known"
    advice: str = ""
    suggest: tuple[Suggestion, ...] = ()

    @property
    def is_number(self) -> bool:
        return self.kind in ("whole", "number")

    @property
    def domain(self) -> str:
        return self.name.partition(".")[0]

    def __post_init__(self) -> None:
        if not NAME.fullmatch(self.name) or len(self.name) > LONGEST_NAME:
            raise ValueError(f"name: write domain.name, in small letters, digits, - and _, {LONGEST_NAME} at most")
        if (self.kind == "choice") != bool(self.choices):
            raise ValueError("choices: a choice needs them, and nothing else takes them")
        if not self.is_number and (self.words or self.low is not None or self.high is not None):
            raise ValueError("low, high, words: only a number takes them")
        if (self.sure == "disputed") != bool(self.advice):
            raise ValueError("advice: what is disputed needs it, and nothing else takes it")
        if self.suggest and not self.is_number:
            raise ValueError("suggest: only a number can be a formula")
        if (self.sure == "placebo") == bool(self.moves):
            raise ValueError("moves: a placebo moves nothing; anything else moves something")
        try:
            self.checked(self.stock)
        except BadValue as error:
            raise ValueError(f"stock: {error}") from None

    def adapted(self, **own: Any) -> "Setting":
        """Return this setting as one machine has it; it always takes its stock value there.

        Args:
            own: the fields that differ there, and their values.
        """
        stock, low, high = (own.get(name, getattr(self, name)) for name in ("stock", "low", "high"))
        if self.is_number and isinstance(stock, int | float) and low is not None and high is not None:
            own |= {"low": min(low, stock), "high": max(high, stock)}
        choices = own.get("choices", self.choices)
        if choices and stock not in choices and not (stock == GAME_DECIDES and self.game_may_decide):
            own["choices"] = (*choices, stock)
        return replace(self, **own)

    def allowed(self) -> str:
        """The allowed values in words: `1 to 6 frames, game decides`."""
        if self.kind == "switch":
            parts = ["on", "off"]
        elif self.kind == "choice":
            parts = list(self.choices)
        elif self.kind == "text":
            parts = ["any text"]
        else:
            parts = [self._range(), *self.words]
        return ", ".join(parts + [GAME_DECIDES] * self.game_may_decide)

    def _range(self) -> str:
        number = "whole number" if self.kind == "whole" else "number"
        if self.low is None or self.high is None:
            return f"any {number}" + f" ({self.unit})" * bool(self.unit)
        return f"{written(self.low)} to {written(self.high, self.unit)}" + " (whole)" * (self.kind == "whole")

    def checked(self, value: object) -> Value:
        """`value`, of this setting's own type.

        Raises:
            BadValue: wrong type, out of range, or not among the choices.
        """
        if value == GAME_DECIDES and self.game_may_decide:
            return GAME_DECIDES
        if isinstance(value, str) and value in (*self.choices, *self.words):
            return value
        if self.kind == "switch" and isinstance(value, bool):
            return value
        if self.kind == "text" and isinstance(value, str) and value.isprintable() and value != GAME_DECIDES:
            return value
        if self.is_number and isinstance(value, str) and value.startswith("="):
            return value  # a formula: what it amounts to is checked against the facts of a rig
        if self.is_number and isinstance(value, int | float) and not isinstance(value, bool):
            return self._in_range(value)
        shown = written(value) if isinstance(value, bool | int | float | str) else repr(value)
        raise self._bad(repr(shown))

    def _in_range(self, value: int | float) -> Value:
        low = self.low if self.low is not None else -float("inf")
        high = self.high if self.high is not None else float("inf")
        if not low <= value <= high:  # also catches what is not a number at all
            raise self._bad(written(value))
        if self.kind == "number":
            return float(value)
        if value != int(value):
            raise self._bad(written(value))
        return int(value)

    def _bad(self, shown: str) -> BadValue:
        shown = shown if len(shown) <= 60 else f"{shown[:57]}..."
        return BadValue(f"{self.name} cannot be {shown}; it takes {self.allowed()}")

    def parsed(self, text: str) -> Value:
        """The value that a player typed.

        Raises:
            BadValue: it is not one of this setting's values.
        """
        text = text.strip()
        if text.replace("-", " ") == GAME_DECIDES:
            return self.checked(GAME_DECIDES)
        if self.kind == "switch":
            return self.checked(ON_WORDS.get(text.lower(), text))
        if self.is_number and text.lower() not in self.words and not text.startswith("="):
            try:
                return self.checked(int(text) if text.lstrip("+-").isdigit() else float(text))
            except (ValueError, OverflowError):
                return self.checked(text)
        typed = (text, text.lower(), f"{text}x")  # 16 for 16x
        return self.checked(next((choice for choice in typed if choice in (*self.choices, *self.words)), text))


class Catalog:
    """All settings that Keen Lattice, or one rig, knows. Looked up by name, or by `name@device`.

    Args:
        settings: those that there are.
        absent: of others, why the rig does not have them.
    """

    def __init__(self, settings: Iterable[Setting], absent: Mapping[str, str] | None = None) -> None:
        self._settings = {setting.name: setting for setting in settings}
        self.absent = {name: why for name, why in (absent or {}).items() if name not in self._settings}

    def __iter__(self) -> Iterator[Setting]:
        return iter(self._settings.values())

    def __len__(self) -> int:
        return len(self._settings)

    def __contains__(self, key: str) -> bool:
        return key.partition("@")[0] in self._settings

    def __getitem__(self, key: str) -> Setting:
        """The setting of a key.

        Raises:
            UnknownName: there is none; the message offers the nearest.
        """
        name = key.partition("@")[0]
        try:
            return self._settings[name]
        except KeyError:
            if name in self.absent:
                raise UnknownName("setting here", name, (), f"this rig does not have it: {self.absent[name]}") from None
            meant = [] if "." in name else [setting.name for setting in search(self, name)]
            if 0 < len(meant) <= MOST_MEANT:
                raise UnknownName("setting", name, (), f"here that is {' or '.join(meant)}") from None
            more = f"see {way('keen catalog', 'ws.rig.settings.search()')}"
            raise UnknownName("setting", name, self._settings, more) from None

    def with_more(self, settings: Iterable[Setting]) -> "Catalog":
        """This catalog and a rig's own settings beside it."""
        return Catalog([*self, *settings], self.absent)

    def only(self, names: Iterable[str]) -> "Catalog":
        """The settings of these names that this catalog has."""
        return Catalog(self._settings[name] for name in names if name in self._settings)

    def check_key(self, key: str, *, whole_rig: bool, devices: Iterable[str]) -> Setting:
        """The setting of a key, once it is sure that it can be set there.

        Raises:
            UsageError: a game's setting with a device, a rig's setting in a game's profile, and the like.
        """
        setting, device = self[key], key.partition("@")[2]
        names = list(devices)
        if setting.scope == "device" and device not in names:
            raise UsageError(f"{setting.name} is set per device: write {setting.name}@DEVICE, "
                             f"DEVICE being one of {', '.join(names) or 'none on this rig'}")
        return self.check_scope(key, whole_rig=whole_rig)

    def check_scope(self, key: str, *, whole_rig: bool) -> Setting:
        """The setting of a key, once it is sure that a profile of that kind can set it; whether its device is there is
        the rig's to say.

        Raises:
            UsageError: as `check_key`.
        """
        setting, (_, at, device) = self[key], key.partition("@")
        if setting.scope == "device" and not device:
            raise UsageError(f"{setting.name} is set per device: write {setting.name}@DEVICE")
        if setting.scope != "device" and at:
            raise UsageError(f"{setting.name} is not set per device: write {setting.name} alone")
        if setting.scope != "game" and not whole_rig:
            call = f"ws.edit('rig', {{{key!r}: VALUE}})"
            raise UsageError(f"{setting.name} holds for the whole rig, not for one game: "
                             f"use {way(f'keen edit rig {key}=VALUE', call)}")
        return setting
