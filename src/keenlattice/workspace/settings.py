"""The settings that can be set on a rig: searched, noted, and added to."""

from collections.abc import Callable, Mapping
from dataclasses import field
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from keenlattice._door import check_methods
from keenlattice.blocks import Block, KeyFigure, Table, Telling, Text
from keenlattice.catalog.values import written
from keenlattice.errors import UnknownName, counted
from keenlattice.quickly import dataclass
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting

SURE = {"known": "mechanism known", "disputed": "disputed: measure it",
        "placebo": "placebo, as far as anyone has shown"}
NEEDS = ("rights", "game", "driver", "machine")
MOVES = ("frame-time", "frame-tail", "latency")


@dataclass(frozen=True, repr=False)
class CatalogResult(Result):
    """Settings that can be set on the rig, what the player has noted of them, and of the catalog's others, why the rig
    does not have them. `asked` are those that the rig's player is asked to change; the rest is written from here."""

    SCHEMA: ClassVar[str] = "catalog"

    settings: "tuple[Setting, ...]"
    notes: Mapping[str, str] = field(default_factory=dict)
    absent: Mapping[str, str] = field(default_factory=dict)
    asked: tuple[str, ...] = ()
    _telling: "Callable[[CatalogResult], Telling] | None" = field(default=None, metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{"setting": setting.name, "what it is": setting.title, "takes": setting.allowed()}
                for setting in self.settings]

    def _caption(self) -> str:
        return counted(len(self.settings), "setting")


@check_methods
class Settings:
    """The catalog of a rig's settings."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened

    def search(self, word: str = "", *, domain: str = "", needs: str = "", moves: str = "",
                sure: str = "") -> CatalogResult:
        """The settings that can be set on the rig.

        Args:
            word: a setting; or what to search for: a domain, what players say ("vsync"), what it may move ("latency").
            domain, needs, moves, sure: only those of this domain, need (of NEEDS), metric (of MOVES) or degree of
                certainty (of SURE).

        Raises:
            UnknownName: nothing of that name.
        """
        from keenlattice.catalog.search import search
        from keenlattice.rig.base import asked_on
        from keenlattice.rig.notes import read_notes

        catalog = self._opened.rig.catalog()
        domains = {setting.domain for setting in catalog} | {name.partition(".")[0] for name in catalog.absent}
        for kind, wanted, choices in (("domain", domain, domains), ("need", needs, NEEDS),
                                    ("metric to move", moves, MOVES), ("degree of certainty", sure, SURE)):
            if wanted and wanted not in choices:
                raise UnknownName(kind, wanted, choices, f"there are {', '.join(sorted(choices))}")
        settings = [catalog[word]] if word in catalog else search(catalog, word) if word else list(catalog)
        settings = [setting for setting in settings
                    if domain in ("", setting.domain) and needs in ("", setting.restart, "rights" * setting.rights)
                    and (not moves or moves in setting.moves) and sure in ("", setting.sure)]
        notes, listed = read_notes(self._opened.rig), {setting.name for setting in settings}
        narrowed = needs or moves or sure or word in catalog
        absent = {} if narrowed else {name: why for name, why in catalog.absent.items() if word.lower() in name
                                      and domain in ("", name.partition(".")[0])}
        if not settings and not absent and word:
            raise UnknownName("setting or word", word,
                              [*(setting.name for setting in catalog), *(setting.domain for setting in catalog)])
        return CatalogResult(tuple(settings), {setting.name: notes[setting.name] for setting in settings
                                               if setting.name in notes}, absent,
                             tuple(name for name in asked_on(self._opened.rig) if name in listed),
                             partial(_tell, brief=not word and not domain))

    def note(self, setting: str, text: str) -> CatalogResult:
        """Notes something of a setting on this rig: where it is in the player's own control panel, say. The catalog
        shows it, and every sheet.

        Args:
            setting: its name.
            text: a line; empty to take the note out.

        Raises:
            UnknownName: no such setting.
            UsageError: too long a text, or none that can be printed.
        """
        from keenlattice.rig.notes import keep_note

        self._opened.book.check_writable()
        keep_note(self._opened.rig, self._opened.rig.catalog()[setting].name, text)
        return self.search(setting)

    def add(self, file: Path | str) -> CatalogResult:
        """Takes a player's own catalog file (TOML), once it is sure that it fits.

        Raises:
            CatalogError: it breaks the model, or a name is taken.
        """
        from keenlattice.catalog.load import add_own_settings

        made = add_own_settings(Path(file), self._opened.book.own_settings)
        self._opened.reopen()
        return CatalogResult(tuple(made))


def _tell(listed: "CatalogResult", brief: bool) -> Telling:
    """Return several settings, or all about one; and those that the rig does not have.

    Args:
        brief: whether those are only counted, and not named with why.
    """
    settings, absent = listed.settings, listed.absent
    if len(settings) == 1 and not absent:
        title, table = about_setting(settings[0], listed.notes.get(settings[0].name, ""))
        return Telling([KeyFigure(title.text)], "", [table])
    both = 0 < len(listed.asked) < len(settings)
    listing: list[Block] = [Table(["setting", "what it is", "takes", *(["set"] if both else [])], [
        [setting.name, setting.title, setting.allowed(),
         *(["by you" if setting.name in listed.asked else "from here"] if both else [])] for setting in settings],
        code=(0,))] if settings else []
    by_reason: dict[str, list[str]] = {}
    for name, why in absent.items():
        by_reason.setdefault(why, []).append(name)
    if brief and absent:
        listing.append(Text(f"{counted(len(absent), 'more is', 'more are')} not to be had on this rig; keen catalog "
                           "DOMAIN says why, of each.", aside=True))
    else:
        listing += [Text(f"Not on this rig: {', '.join(names)}: {why}.", aside=True)
                    for why, names in by_reason.items()]
    key = f"{counted(len(settings), 'setting')} can be set on this rig." if settings else (
        "Nothing of that can be set on this rig.")
    about_one = f"keen catalog {settings[0].name}, for all about one" if settings else ""
    return Telling([KeyFigure(key)], "", listing, about_one)


def about_setting(setting: "Setting", noted: str = "") -> tuple[Text, Table]:
    """Return all about one setting, and what the player has noted of it."""
    needs = [*(["rights"] * setting.rights), *([f"a restart of the {setting.restart}"] * (setting.restart != "none"))]
    moves = [f"{metric} {direction}" for metric, direction in setting.moves.items()]
    whom = {"rig": "the whole rig", "game": "a game, or the whole rig", "device": f"a device: {setting.name}@DEVICE"}
    rows = (["players say", ", ".join(setting.called)],
            ["takes", setting.allowed() + (", or a formula" if setting.is_number else "")],
            ["stock", written(setting.stock, setting.unit)], ["set for", whom[setting.scope]],
            ["needs", " and ".join(needs) or "nothing"], ["trades", setting.trades], ["inert", setting.inert],
            ["where", setting.where], ["you noted", noted], ["to check", setting.check],
            ["may move", ", ".join(moves) or "nothing"], ["how sure", SURE[setting.sure]],
            ["which when", setting.advice],
            *(["formula", f"{suggestion.formula}   {suggestion.purpose}"] for suggestion in setting.suggest))
    return Text(f"{setting.name}: {setting.title}"), Table(["", ""], [row for row in rows if row[1]])
