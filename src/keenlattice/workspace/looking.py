"""Looking at the rig and the catalog: what it is, what is wrong with it, what can be set, which game is matched."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.workspace.opened import Opened

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting
    from keenlattice.catalog.values import Restart
    from keenlattice.profile.checks import Finding
    from keenlattice.rig.base import DriverOption, FactValue

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

    def _rows(self) -> Rows:
        return [{**one.model_dump(), "settings": ", ".join(one.settings)} for one in self.findings]

    def _caption(self) -> str:
        wrong = sum(one.kind == "wrong" for one in self.findings)
        return f"{self.rig}: {wrong} settings plainly wrong" if wrong else f"{self.rig}: nothing is plainly wrong"


@dataclass(frozen=True, repr=False)
class CatalogResult(Result):
    """Settings that can be set on the rig, what the player has noted of them, and of the catalog's others, why the rig
    does not have them."""

    SCHEMA: ClassVar[str] = "catalog"

    settings: "tuple[Setting, ...]"
    notes: Mapping[str, str] = field(default_factory=dict)
    absent: Mapping[str, str] = field(default_factory=dict)

    def _rows(self) -> Rows:
        return [{"setting": one.name, "what it is": one.title, "takes": one.allowed()} for one in self.settings]

    def _caption(self) -> str:
        return f"{len(self.settings)} settings"


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

    def _rows(self) -> Rows:
        return [{"option": one.option, "value": one.value, "file": one.file, "line": one.line}
                for one in self.options or ()]

    def _caption(self) -> str:
        return f"{self.executable} gets the profile of {self.game}" if self.game else f"{self.executable} gets none"


class Looking(Opened):
    """What looks at the rig and its catalog."""

    def survey(self) -> Survey:
        """Looks at the rig: its hardware, its games, what is applied, and what is plainly wrong."""
        from keenlattice.rig.base import pending_on
        from keenlattice.rig.drift import find_drift

        applied = {name: last.version[:8] for name in (WHOLE_RIG, *self.games)
                   if (last := self.book.last_apply(self.rig_name, name))}
        slipped = find_drift(self.rig, self.book)
        return Survey(dict(pending_on(self.rig)), tuple(one.version for one in slipped), self.rig_name,
                      dict(self.rig.facts()), tuple(self.games), self.rig.devices(), applied,
                      self._as_planned(self.findings(f"{WHOLE_RIG}@now"), self.find(WHOLE_RIG)),
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
        from keenlattice.rig._notes import read_notes

        known = self.rig.catalog()
        domains = {one.domain for one in known} | {name.partition(".")[0] for name in known.absent}
        for what, said, choices in (("domain", domain, domains), ("need", needs, NEEDS),
                                    ("metric to move", moves, MOVES), ("degree of certainty", sure, SURE)):
            if said and said not in choices:
                raise UnknownName(what, said, choices, f"there are {', '.join(sorted(choices))}")
        found = [known[word]] if word in known else [one for one in known if word.lower() in _searched(one)]
        found = [one for one in found if domain in ("", one.domain)
                 and needs in ("", one.restart, "rights" * one.rights)
                 and (not moves or moves in one.moves) and sure in ("", one.sure)]
        notes = read_notes(self.rig)
        narrowed = needs or moves or sure or word in known
        absent = {} if narrowed else {name: why for name, why in known.absent.items() if word.lower() in name
                                      and domain in ("", name.partition(".")[0])}
        if not found and not absent and word:
            raise UnknownName("setting or word", word, [*(one.name for one in known), *(one.domain for one in known)])
        return CatalogResult(tuple(found), {one.name: notes[one.name] for one in found if one.name in notes}, absent)

    def note_setting(self, setting: str, text: str) -> CatalogResult:
        """Notes something of a setting on this rig: where it is in the player's own control panel, say. The catalog
        shows it, and every sheet.

        Args:
            setting: its name.
            text: a line; empty to take the note out.

        Raises:
            UnknownName: no such setting.
            UsageError: too long a text, or none that can be printed.
        """
        from keenlattice.rig._notes import keep_note

        self.book.check_writable()
        keep_note(self.rig, self.rig.catalog()[setting].name, text)
        return self.catalog(setting)

    def add_settings(self, file: Path | str) -> CatalogResult:
        """Takes a player's own catalog file (TOML), once it is sure that it fits.

        Raises:
            CatalogError: it breaks the model, or a name is taken.
        """
        from keenlattice.catalog.load import add_own_settings

        made = add_own_settings(Path(file), self.book.own_settings)
        self._reopen()
        return CatalogResult(tuple(made))

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



def _searched(one: "Setting") -> str:
    return " ".join([one.name, one.title, one.trades, one.inert, one.advice]).lower()


