"""The sheet of a rig that is changed by hand: its steps, and what was said and seen of each."""

from collections.abc import Mapping
from dataclasses import field
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from keenlattice._door import check_methods
from keenlattice.catalog.values import Value
from keenlattice.errors import UnknownName, UsageError, counted, way
from keenlattice.files import replace_file
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.quickly import dataclass
from keenlattice.report.sheet import markdown, page
from keenlattice.workspace.opened import Opened, rig_that_asks
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting
    from keenlattice.profile.sheet import Sheet
    from keenlattice.rig.base import Asks


@dataclass(frozen=True, repr=False)
class SheetResult(Result):
    """The sheet that is open, if one is; and those that were worked through, the newest first."""

    SCHEMA: ClassVar[str] = "sheet"

    sheet: "Sheet | None"
    earlier: "tuple[Sheet, ...]" = field(default=(), metadata=NOT_IN_JSON)

    def save(self, path: Path | str) -> None:
        """Writes the open sheet to print: HTML, or, with any other ending, Markdown.

        Raises:
            UsageError: none is open.
        """
        if self.sheet is None:
            raise UsageError(f"no run sheet is open; {way('keen apply', 'ws.apply(VERSION)')} writes one, where "
                             "something is to be done by hand")
        path = Path(path)
        replace_file(path, (page(self.sheet) if path.suffix == ".html" else markdown(self.sheet)).encode())

    def _rows(self) -> Rows:
        return [{"step": step.number, "setting": step.title, "before": step.before, "after": step.after,
                 "done": step.done}
                for step in self.sheet.steps] if self.sheet else []

    def _caption(self) -> str:
        if self.sheet is None:
            return f"No sheet is open; {counted(len(self.earlier), 'was', 'were')} worked through"
        return f"Sheet: {self.sheet.title}, {len(self.sheet.open)} of {len(self.sheet.steps)} steps open"


@dataclass(frozen=True, repr=False)
class StockTaken(Result):
    """What a player has seen on a rig that is changed by hand: setting to its value."""

    SCHEMA: ClassVar[str] = "stock-taken"

    owner: str
    seen: "Mapping[str, Value]"

    def _rows(self) -> Rows:
        return [{"setting": key, "seen": value} for key, value in self.seen.items()]

    def _caption(self) -> str:
        return f"{counted(len(self.seen), 'value')} seen of {self.owner}"


@check_methods
class Sheets:
    """The sheet of a rig that is changed by hand, and what its player has seen there."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened

    def open(self) -> SheetResult:
        """The open sheet.

        Raises:
            UsageError: the rig is not changed by hand.
        """
        from keenlattice.rig.player.machine import open_sheet

        return SheetResult(open_sheet(self._rig()), tuple(self._opened.book.sheets(self._opened.rig_name)))

    def take_stock(self, seen: Mapping[str, str], game: str = "", domain: str = "") -> StockTaken:
        """Notes what a player sees on their rig now; what they have not set themselves is what an undo goes back to.

        Args:
            seen: setting to what they read there, as they type it.
            game: whose settings; the whole rig's, without one.
            domain: what they have gone through, for the list of restore points.

        Raises:
            UsageError: the rig is not changed by hand, nothing was seen, or a sheet is open.
            UnknownName, BadValue: no such setting, or no value of it.
        """
        from keenlattice.rig.player.sheets import take_stock

        owner = self._opened.find(game).profile if game else WHOLE_RIG
        subject = " of ".join([*([domain] if domain else []), owner if game else "the rig"])
        return StockTaken(owner, take_stock(self._rig(), self._opened.book, owner, seen, subject))

    def not_yet_seen(self, game: str = "", domain: str = "") -> "list[Setting]":
        """The settings that nobody has told or seen the value of, and that are not set by a sheet.

        Args:
            game: those of a game; the whole rig's, without one.
            domain: of this one alone.

        Raises:
            UnknownName: no such domain.
        """
        rig, owner = self._rig(), self._opened.find(game).profile if game else WHOLE_RIG
        catalog = rig.catalog()
        domains = list(dict.fromkeys(setting.domain for setting in catalog))
        if domain and domain not in domains:
            raise UnknownName("domain", domain, domains, f"there are {', '.join(domains)}")
        held = {*rig.values(rig.state(), owner), *rig.seen_before(owner)}
        return [setting for setting in catalog if domain in ("", setting.domain) and setting.name not in held
                and setting.scope == ("game" if game else "rig")]

    def note_before(self, number: int, was: str) -> SheetResult:
        """Notes what a setting is at before a step, so that an undo can say the value.

        Args:
            number: the step's.
            was: what the player reads there, as they type it.

        Raises:
            UsageError: no sheet is open, no such step, or it is ticked off already.
            BadValue: that is not a value of the setting.
        """
        from keenlattice.rig.player.sheets import note_before

        self._opened.book.check_writable()
        return SheetResult(note_before(self._rig(), number, was))

    def tick(self, number: int, seen: str | None = None) -> SheetResult:
        """Ticks a step off; once it was the last, the logbook remembers the whole.

        Args:
            number: the step's.
            seen: what the player reads there now, as they type it, or "unset"; None if they only say that it is done.

        Raises:
            UsageError: no sheet is open, no such step, or it is ticked off already.
            BadValue: what was seen is not a value of that setting.
        """
        from keenlattice.rig.player.sheets import tick

        return SheetResult(tick(self._rig(), self._opened.book, number, seen))

    def drop(self) -> SheetResult:
        """Gives the open sheet up. What was ticked off stays done, and is remembered as such: it can be undone."""
        from keenlattice.rig.player.sheets import drop

        return SheetResult(drop(self._rig(), self._opened.book))

    def _rig(self) -> "Asks":
        return rig_that_asks(self._opened)
