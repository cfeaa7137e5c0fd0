"""The editor: a profile's settings by domain and by search, changed, looked at and saved as a version.

It calls the workspace and nothing beneath it. Everything is reached by keys, and by a mouse.
"""

from typing import TYPE_CHECKING, Any, ClassVar

from textual.app import App, ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical, VerticalScroll
from textual.screen import ModalScreen
from textual.widgets import DataTable, Footer, Input, Select, Static

from keenlattice.catalog.values import written
from keenlattice.errors import KeenLatticeError, counted
from keenlattice.workspace.profile_results import value_text

if TYPE_CHECKING:
    from keenlattice.workspace.workspace import Workspace

NARROW = 100  # columns, below which what is known of a setting stands under the list
COLUMNS = ("setting", "value", "from")
MOST_MEASURED = 3  # findings beside a setting


class Prompt(ModalScreen[str | None]):
    """One line that a player types; None if they leave it.

    Args:
        title: what is asked for.
        hint: what it takes.
        value: what stands there at first.
    """

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "leave", "Leave it")]
    DEFAULT_CSS = """
    Asked { align: center middle; }
    Asked > Vertical {
        width: 80%; max-width: 90; height: auto; border: round $accent; padding: 1 2; background: $surface;
    }
    """

    def __init__(self, title: str, hint: str, value: str = "") -> None:
        super().__init__()
        self._title, self._told, self._value = title, hint, value

    def compose(self) -> ComposeResult:
        yield Vertical(Static(self._title, markup=False), Static(self._told, markup=False, classes="faint"),
                       Input(self._value))

    def on_input_submitted(self, event: Input.Submitted) -> None:
        self.dismiss(event.value)

    def action_leave(self) -> None:
        self.dismiss(None)


class TextScreen(ModalScreen[None]):
    """A text to read, left with Escape."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape,q", "dismiss", "Back")]
    DEFAULT_CSS = """
    Shown { align: center middle; }
    Shown > VerticalScroll { width: 90%; height: 80%; border: round $accent; padding: 1 2; background: $surface; }
    """

    def __init__(self, text: str) -> None:
        super().__init__()
        self._text = text

    def compose(self) -> ComposeResult:
        yield VerticalScroll(Static(self._text, markup=False))


class Compared(ModalScreen[None]):
    """Two versions side by side: what differs between them."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "dismiss", "Back")]
    DEFAULT_CSS = """
    Compared { align: center middle; }
    Compared > Vertical { width: 95%; height: 90%; border: round $accent; padding: 1 2; background: $surface; }
    Compared Horizontal { height: 3; }
    Compared Select { width: 1fr; }
    """

    def __init__(self, ws: "Workspace", profile: str) -> None:
        super().__init__()
        self._ws = ws
        self._references = [*(past.version.reference for past in ws.profiles.history(profile).versions),
                            f"{profile}@stock"]

    def compose(self) -> ComposeResult:
        choices = [(reference, reference) for reference in self._references]
        yield Vertical(Horizontal(Select(choices, value=self._references[-1], allow_blank=False, id="before"),
                                  Select(choices, value=self._references[0], allow_blank=False, id="after")),
                       DataTable(cursor_type="row"))

    def on_mount(self) -> None:
        self.query_one(DataTable).add_columns("setting", "before", "after")

    def on_select_changed(self) -> None:
        catalog, table = self._ws.rig.machine.catalog(), self.query_one(DataTable)
        before, after = (str(self.query_one(f"#{side}", Select).value) for side in ("before", "after"))
        table.clear()
        for change in self._ws.compare(before, after).changes:
            table.add_row(change.setting, value_text(catalog, change.setting, change.before),
                          value_text(catalog, change.setting, change.after))


class Editor(App[list[str]]):
    """Edits a profile; ends with the references of the versions that were saved.

    Args:
        reference: the profile, or a version to build on.
    """

    CSS = """
    #body { height: 1fr; }
    #list { width: 3fr; } #about { width: 2fr; padding: 0 1; border-left: solid $accent; }
    .narrow #body { layout: vertical; }
    .narrow #list { width: 100%; height: 3fr; }
    .narrow #about { width: 100%; height: 2fr; border-left: none; border-top: solid $accent; }
    #state { background: $boost; padding: 0 1; } .faint { color: $text-muted; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("e", "change", "Change"), Binding("u", "unset", "Unset"),
        Binding("slash", "find", "Search"), Binding("p", "preview", "What differs"), Binding("c", "compare", "Compare"),
        Binding("s", "save", "Save"), Binding("q", "leave", "Quit")]
    ENABLE_COMMAND_PALETTE = False

    def __init__(self, ws: "Workspace", reference: str) -> None:
        super().__init__()
        self._ws, self._draft = ws, ws.draft(reference)
        self._saved: list[str] = []
        self._leaving = False

    def compose(self) -> ComposeResult:
        yield Static(id="state", markup=False)
        with Horizontal(id="body"):
            with Vertical(id="list"):
                yield Input(placeholder="search: vsync, low latency, a domain ...", id="find")
                yield DataTable(cursor_type="row", zebra_stripes=True, id="settings")
            with VerticalScroll(id="about"):
                yield Static(id="told", markup=False)
        yield Footer()

    def on_mount(self) -> None:
        self._table.add_columns(*COLUMNS)
        self._fill()
        self._table.focus()

    def on_resize(self) -> None:
        self.set_class(self.size.width < NARROW, "narrow")

    @property
    def _table(self) -> DataTable[Any]:
        return self.query_one("#settings", DataTable)

    @property
    def _key(self) -> str:
        """The setting that the cursor is on; "" for none."""
        row = self._table.cursor_row
        return str(self._table.get_row_at(row)[0]).lstrip("* ") if 0 <= row < self._table.row_count else ""

    def _fill(self) -> None:
        """Fill the list with what the search finds; what is changed and not saved has a star."""
        row, effective = self._table.cursor_row, self._draft.effective
        changed = {change.key for change in self._draft.changes()}
        self._table.clear()
        for key in self._draft.search(self.query_one("#find", Input).value):
            held = effective[key]
            value = written(held.value, self._draft.setting(key).unit) if held.value is not None else "unknown"
            self._table.add_row(f"{'*' if key in changed else ' '} {key}", value, held.layer)
        self._table.move_cursor(row=min(row, max(0, self._table.row_count - 1)))
        unsaved = f"; {counted(len(changed), 'change')} not saved" if changed else ""
        self.query_one("#state", Static).update(f"{self._draft.base.reference} on {self._ws.rig.name}{unsaved}")
        self._tell()

    def _tell(self) -> None:
        """Tell what is known of the setting that the cursor is on."""
        self.query_one("#told", Static).update(self._about(self._key) if self._key else "Nothing is called so.")

    def _about(self, key: str) -> str:
        setting, effective = self._draft.setting(key), self._draft.effective[key]
        stored = self._draft.version.entries.get(key)
        lines = []
        if isinstance(stored, str) and stored.startswith("="):
            here = written(effective.value, setting.unit) if effective.value is not None else effective.problem
            lines.append(f"{stored} is {here} on this rig")
        lines += [f"takes {setting.allowed()}", setting.trades, setting.inert, setting.advice]
        lines += [f"! {finding.why}. {finding.what_to_do}" for finding in self._draft.findings
                  if key.partition("@")[0] in {name.partition("@")[0] for name in finding.settings}]
        lines += self._draft.measured(key)[:MOST_MEASURED]
        if effective.value is not None:
            answers = self._ws.pool.about({key: effective.value}, self._draft.base.profile)
            lines += [f"The pool says: {words}" for words in answers.values()]
        return "\n\n".join([setting.title, *(line for line in lines if line)])

    def on_data_table_row_highlighted(self, event: DataTable.RowHighlighted) -> None:
        if event.data_table.id == "settings":
            self._tell()

    def on_data_table_row_selected(self, event: DataTable.RowSelected) -> None:
        if event.data_table.id == "settings":
            self.action_change()

    def on_input_changed(self, event: Input.Changed) -> None:
        if event.input.id == "find":
            self._fill()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if event.input.id == "find":
            self._table.focus()

    def action_find(self) -> None:
        self.query_one("#find", Input).focus()

    def action_change(self) -> None:
        if key := self._key:
            stored = self._draft.version.entries.get(key)
            setting = self._draft.setting(key)
            self.push_screen(Prompt(f"{key}: {setting.title}", f"takes {setting.allowed()}; empty unsets",
                                   "" if stored is None else written(stored)), lambda typed: self._set(key, typed))

    def action_unset(self) -> None:
        if self._key:
            self._set(self._key, "")

    def _set(self, key: str, typed: str | None) -> None:
        if typed is None:
            return
        self._leaving = False
        try:
            self._draft.change(key, typed)
        except KeenLatticeError as error:
            self.notify(str(error), severity="error", timeout=8)
        self._fill()

    def action_preview(self) -> None:
        catalog = self._ws.rig.machine.catalog()
        lines = [f"{change.key}: {value_text(catalog, change.key, change.before)} -> "
                 f"{value_text(catalog, change.key, change.after)}" for change in self._draft.changes()]
        self.push_screen(TextScreen("\n".join([f"Differs from {self._draft.base.reference}:", "", *lines]) if lines else
                               "Nothing is changed."))

    def action_compare(self) -> None:
        self.push_screen(Compared(self._ws, self._draft.base.profile))

    def action_save(self) -> None:
        if not self._draft.changes():
            self.notify("Nothing is changed.")
            return
        self.push_screen(Prompt("Save as a version", "Why, in a few words; the rig is not touched"), self._save)

    def _save(self, note: str | None) -> None:
        if note is None:
            return
        made = self._draft.save(note)
        self._saved.append(made.after.reference)
        self.notify(f"{made.after.reference} made from {made.before.reference}")
        self._fill()

    def action_leave(self) -> None:
        if self._draft.changes() and not self._leaving:
            self._leaving = True
            self.notify("Changes are not saved: s saves them, q once more drops them.", severity="warning")
            return
        self.exit(self._saved)
