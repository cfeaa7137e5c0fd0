"""Looking at the rig and the catalog: what it is, what is wrong with it, what can be set, which games it has."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result
from keenlattice.profile.game import Game
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.workspace.opened import Opened

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting
    from keenlattice.catalog.values import Restart
    from keenlattice.profile.checks import Finding
    from keenlattice.rig.base import DriverOption, FactValue
    from keenlattice.rig.gamelist import Listed
    from keenlattice.rig.standin.faults import Fault

SURE = {"known": "mechanism known", "disputed": "disputed: measure it",
        "placebo": "placebo, as far as anyone has shown"}
NEEDS = ("rights", "game", "driver", "machine")
MOVES = ("frame-time", "frame-tail", "latency")


@dataclass(frozen=True, repr=False)
class Survey(Result):
    """What the rig is, what is applied, what waits, what has slipped, and what is plainly wrong."""

    SCHEMA: ClassVar[str] = "survey"

    pending: "Mapping[str, Restart]"
    drift: tuple[Version, ...]
    rig: str
    facts: "Mapping[str, FactValue]"
    games: tuple[str, ...]
    devices: tuple[str, ...]
    applied: Mapping[str, str]
    findings: "tuple[Finding, ...]"
    slipped: Mapping[str, int] = field(metadata=NOT_IN_JSON)
    titles: Mapping[str, str] = field(metadata=NOT_IN_JSON)

    def _rows(self) -> list[dict[str, Any]]:
        return [{**one.model_dump(), "settings": ", ".join(one.settings)} for one in self.findings]

    def _caption(self) -> str:
        wrong = sum(one.kind == "wrong" for one in self.findings)
        return f"{self.rig}: {wrong} settings plainly wrong" if wrong else f"{self.rig}: nothing is plainly wrong"


@dataclass(frozen=True, repr=False)
class CatalogResult(Result):
    """Settings that can be set on the rig."""

    SCHEMA: ClassVar[str] = "catalog"

    settings: "tuple[Setting, ...]"

    def _rows(self) -> list[dict[str, Any]]:
        return [{"setting": one.name, "what it is": one.title, "takes": one.allowed()} for one in self.settings]

    def _caption(self) -> str:
        return f"{len(self.settings)} settings"


@dataclass(frozen=True, repr=False)
class FactsResult(Result):
    """What the rig says of itself."""

    SCHEMA: ClassVar[str] = "facts"

    rig: str
    facts: "Mapping[str, FactValue]"
    devices: tuple[str, ...]

    def _rows(self) -> list[dict[str, Any]]:
        return [{"fact": name, "value": value} for name, value in self.facts.items()]

    def _caption(self) -> str:
        return f"{self.rig}: {len(self.facts)} facts"


@dataclass(frozen=True, repr=False)
class FactNames(Result):
    """The facts that there are, and what each is."""

    SCHEMA: ClassVar[str] = "fact-names"

    names: Mapping[str, str]

    def _rows(self) -> list[dict[str, Any]]:
        return [{"fact": name, "what it is": what} for name, what in self.names.items()]

    def _caption(self) -> str:
        return f"{len(self.names)} facts"


@dataclass(frozen=True, repr=False)
class GamesResult(Result):
    """The games of the rig."""

    SCHEMA: ClassVar[str] = "games"

    rig: str
    games: tuple[Game, ...]

    def _rows(self) -> list[dict[str, Any]]:
        return [{"name": one.name, "title": one.title, "executables": ", ".join(one.executables)} for one in self.games]

    def _caption(self) -> str:
        return f"{len(self.games)} games on {self.rig}"


@dataclass(frozen=True, repr=False)
class MatchResult(Result):
    """Which game's profile an executable gets, and what the driver's own files set for it (None if it has none)."""

    SCHEMA: ClassVar[str] = "match"

    executable: str
    game: str | None
    by: str | None
    exact: bool
    case_matters: bool
    options: "tuple[DriverOption, ...] | None"
    unknown: tuple[str, ...] = field(default=(), metadata=NOT_IN_JSON)

    def _rows(self) -> list[dict[str, Any]]:
        return [{"option": one.option, "value": one.value, "file": one.file, "line": one.line}
                for one in self.options or ()]

    def _caption(self) -> str:
        return f"{self.executable} gets the profile of {self.game}" if self.game else f"{self.executable} gets none"


@dataclass(frozen=True, repr=False)
class Faults(Result):
    """What can be made to go wrong on the rig, and what is."""

    SCHEMA: ClassVar[str] = "fault"

    faults: Mapping[str, str]
    on: "Fault | None"

    def _rows(self) -> list[dict[str, Any]]:
        return [{"fault": name, "what goes wrong": what} for name, what in self.faults.items()]

    def _caption(self) -> str:
        return f"on: {self.on.name}" if self.on else "no fault is on"


class Looking(Opened):
    """What looks at the rig, and takes what a player tells of it."""

    def survey(self) -> Survey:
        """Looks at the rig: its hardware, its games, what is applied, and what is plainly wrong."""
        from keenlattice.rig.base import pending_on
        from keenlattice.rig.drift import find_drift

        applied = {name: last.version[:8] for name in (WHOLE_RIG, *self.games)
                   if (last := self.book.last_apply(self.rig_name, name))}
        slipped = find_drift(self.rig, self.book)
        return Survey(dict(pending_on(self.rig)), tuple(one.version for one in slipped), self.rig_name,
                      dict(self.rig.facts()), tuple(self.games), self.rig.devices(), applied,
                      self.findings(f"{WHOLE_RIG}@now"),
                      {one.version.reference: len(one.changes) for one in slipped},
                      {game.name: game.title for game in self.rig.games()})

    def catalog(self, word: str = "", *, domain: str = "", needs: str = "", moves: str = "",
                sure: str = "") -> CatalogResult:
        """The settings that can be set on the rig.

        Args:
            word: a setting; or a domain or a word to search for.
            domain, needs, moves, sure: only those of this domain, need (of NEEDS), metric (of MOVES) or degree of
                certainty (of SURE).

        Raises:
            UnknownName: nothing of that name.
        """
        from keenlattice.errors import UnknownName

        known = self.rig.catalog()
        for what, said, choices in (("domain", domain, {one.domain for one in known}), ("need", needs, NEEDS),
                                    ("metric to move", moves, MOVES), ("degree of certainty", sure, SURE)):
            if said and said not in choices:
                raise UnknownName(what, said, choices, f"there are {', '.join(sorted(choices))}")
        found = [known[word]] if word in known else [one for one in known if word.lower() in _searched(one)]
        found = [one for one in found if domain in ("", one.domain)
                 and needs in ("", one.restart, "rights" * one.rights)
                 and (not moves or moves in one.moves) and sure in ("", one.sure)]
        if not found and word:
            raise UnknownName("setting or word", word, [*(one.name for one in known), *(one.domain for one in known)])
        return CatalogResult(tuple(found))

    def add_settings(self, file: Path | str) -> CatalogResult:
        """Takes a player's own catalog file (TOML), once it is sure that it fits.

        Raises:
            CatalogError: it breaks the model, or a name is taken.
        """
        from keenlattice.catalog.load import add_own_settings

        made = add_own_settings(Path(file), self.book.own_settings)
        self._reopen()
        return CatalogResult(tuple(made))

    def _reopen(self) -> None:
        """Forgets the rig, so that it is opened anew with what was told of it."""
        self.__dict__.pop("rig", None)

    def facts(self) -> FactsResult:
        """What the rig says of itself; units are in the names."""
        return FactsResult(self.rig_name, dict(self.rig.facts()), self.rig.devices())

    def fact_names(self) -> FactNames:
        """The facts that there are, and what each is; those of a device are named after it."""
        from keenlattice.rig._factnames import FACTS, OF_A_DEVICE

        each = [(f"{device}_{name}", what) for device in self.rig.devices() for name, what in OF_A_DEVICE.items()]
        return FactNames({name: f"{what} ({kind})" for name, (kind, what) in [*FACTS.items(), *each]})

    def fact_questions(self) -> Mapping[str, str]:
        """The facts that are asked for, of a rig whose facts are typed in, and how.

        Raises:
            UsageError: the rig tells its facts itself.
        """
        from keenlattice.errors import UsageError
        from keenlattice.rig.base import TakesFacts

        if not isinstance(self.rig, TakesFacts):
            raise UsageError("this rig tells its facts itself; only those of --rig byhand are typed in")
        return self.rig.questions()

    def tell_facts(self, facts: "Mapping[str, FactValue | None]", file: Path | str | None = None,
                   devices: Sequence[str] | None = None) -> FactsResult:
        """Keeps what a player knows of a rig whose facts are typed in.

        Args:
            facts: by name, as in `fact_names`; None takes one out.
            file: a TOML file with a table `facts`, and a list `devices`, instead of what was kept before.
            devices: all devices that settings can be addressed to; those that are known, if not given.

        Raises:
            UnknownName: no such fact.
            UsageError: the rig tells its facts itself; or what is no such fact or device, or no such file.
            RigError: the file cannot be read.
        """
        from keenlattice.errors import UsageError
        from keenlattice.rig._factnames import device_names, named
        from keenlattice.rig.base import TakesFacts
        from keenlattice.rig.byhand.machine import ABOUT, read_about

        self.fact_questions()
        assert isinstance(self.rig, TakesFacts)
        if file and not Path(file).is_file():
            raise UsageError(f"there is no file {file}")
        known, before = read_about(Path(file) if file else self.rig.home / ABOUT)
        has = device_names(before if devices is None else devices)
        told = {**(named(known, has) if file else known), **named(facts, has, list(known))}
        self.rig.keep_facts({name: value for name, value in told.items() if value is not None}, has)
        return self.facts()

    def list_games(self) -> GamesResult:
        """The games of the rig."""
        return GamesResult(self.rig_name, tuple(self.rig.games()))

    def game(self, name: str) -> "Listed":
        """What is known of a game, as it was told.

        Args:
            name: of its profile.

        Raises:
            UsageError: the rig's games are its own.
        """
        from keenlattice.errors import UsageError
        from keenlattice.rig.base import TakesGames
        from keenlattice.rig.gamelist import Listed, read_games

        if not isinstance(self.rig, TakesGames):
            raise UsageError(f"the games of the rig {self.rig_name} are its own, and stay as they are; choose another "
                             "with --rig")
        known = next((one for one in self.rig.games() if one.name == name), Game(name, name))
        return read_games(self.rig.home).get(name) or Listed(known)

    def tell_game(self, told: "Listed", look: bool = False) -> "Listed":
        """Tells the rig of a game: what it runs as, how it is started, where it keeps its own settings.

        Args:
            told: all that is known of it.
            look: play it for a moment, click, and find the pixel of its window that answers.

        Raises:
            UsageError: a name that cannot be one; or the rig's games are its own, or show no window.
            RigError: it cannot be written, or nothing answers.
        """
        from dataclasses import replace

        from keenlattice.errors import UsageError
        from keenlattice.rig._lock import locked
        from keenlattice.rig.base import FindsSpot
        from keenlattice.rig.gamelist import add_game

        name = told.game.name
        self.game(name)
        add_game(self.rig.home, told)
        self._reopen()
        if look:
            if not isinstance(self.rig, FindsSpot):
                raise UsageError(f"the rig {self.rig_name} shows no window that could be looked at: --answers-at X,Y")
            with locked(self.rig, f"looking at {name}"):
                told = replace(told, answers_at=self.rig.find_spot(name))
            add_game(self.rig.home, told)
            self._reopen()
        return told

    def match(self, executable: str) -> MatchResult:
        """Which game's profile an executable would get, and which options the driver's own files set for it.

        Raises:
            UnknownName: none, on a rig without such files.
            UsageError: two games claim it.
        """
        from keenlattice.errors import UnknownName
        from keenlattice.profile.matching import match
        from keenlattice.rig.base import TellsOptions

        case_matters = bool(self.rig.facts().get("case_matters", True))
        tells = isinstance(self.rig, TellsOptions)
        options, unknown = self.rig.driver_options(executable) if isinstance(self.rig, TellsOptions) else ([], [])
        try:
            found = match(executable, self.rig.games(), case_matters=case_matters)
        except UnknownName:
            if not tells:
                raise
            found = None
        return MatchResult(executable, found.game.name if found else None, found.by if found else None,
                         bool(found and found.exact), case_matters, tuple(options) if tells else None, tuple(unknown))

    def faults(self) -> Faults:
        """What can be made to go wrong on the rig, and what is.

        Raises:
            UsageError: on a real rig nothing can.
        """
        from keenlattice.errors import UsageError
        from keenlattice.rig.base import Faulty

        if not isinstance(self.rig, Faulty):
            raise UsageError("faults are for the stand-in alone: nothing is made to go wrong on a real rig")
        return Faults(self.rig.faults(), self.rig.fault)

    def set_fault(self, name: str, seed: int | None = None, at: int | None = None) -> Faults:
        """Makes something go wrong, in the next process that writes; or, with the name "off", nothing.

        Args:
            seed: draws the write that it strikes at; drawn itself, if it is not given.
            at: the write, instead.

        Raises:
            UnknownName: no such fault.
            UsageError: on a real rig nothing can.
        """
        from keenlattice.rig.base import Faulty
        from keenlattice.study._limits import fresh_seed

        self.faults()
        self.book.check_writable()
        assert isinstance(self.rig, Faulty)
        self.rig.set_fault(name, fresh_seed() if seed is None else seed, at)
        return self.faults()


def _searched(one: "Setting") -> str:
    return " ".join([one.name, one.title, one.trades, one.inert, one.advice]).lower()


