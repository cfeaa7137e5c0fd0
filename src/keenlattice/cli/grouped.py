"""A group of commands, listed by what a player wants, each loaded when it is asked for: so that `keen --help`, which
needs a line of each, and any one command come at once."""

import importlib
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import typer
import typer.core


def group(package: str, panels: Mapping[str, Mapping[str, str]],
          more: Callable[[str], Any] | None = None, **options: Any) -> typer.Typer:
    """A program, or a part of one, whose commands lie in a package, a module for each.

    Args:
        package: where they are. Each module has a function by its own name (or, where that is a word of Python,
            followed by `_`), or an `app` that is a group again.
        panels: title to the commands under it, and what each is for in a few words; in the order of the list.
        more: makes a command that is not listed; None if there is none of that name.
        options: as for `typer.Typer`.
    """
    listed = type("Listed", (Grouped,), {
        "package": package, "panels": panels, "more": staticmethod(more) if more else None})
    return typer.Typer(cls=listed, rich_markup_mode=None,
                       **{"callback": _before_any, "add_completion": False, **options})


def _before_any() -> None:
    # Nothing is done before a command. That there is this tells Typer that a group without commands is one; and as help
    # it would show a docstring.
    pass


class Grouped(typer.core.TyperGroup):
    """What `group` makes."""

    package: str
    panels: Mapping[str, Mapping[str, str]]
    more: Callable[[str], Any] | None = None

    def __init__(self, **attributes: Any) -> None:
        listed = {name: short for panel in self.panels.values() for name, short in panel.items()}
        super().__init__(**{**attributes, "commands": OnDemand(self.package, listed)})

    def get_command(self, ctx: Any, name: str) -> Any:
        """The command of that name; of a kind of study that lacks its own, one that is made for it."""
        return super().get_command(ctx, name) or (self.more(name) if self.more else None)

    def list_commands(self, ctx: Any) -> list[str]:
        """The names, in the order of the panels; no command is loaded for that."""
        return list(self.commands)

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """Writes the commands alone: what options there are is said below them."""
        self.format_commands(ctx, formatter)

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Writes a section for each panel."""
        widest = max(len(name) for name in self.commands)
        for title, commands in self.panels.items():
            with formatter.section(title):
                formatter.write_dl([(name.ljust(widest), short) for name, short in commands.items()])


class OnDemand(Mapping[str, Any]):
    """Commands by their names, each loaded when it is taken."""

    def __init__(self, package: str, listed: Mapping[str, str]) -> None:
        self._package, self._listed = package, listed
        self._loaded: dict[str, Any] = {}

    def __getitem__(self, name: str) -> Any:
        if name not in self._loaded:
            self._loaded[name] = self._load(name, self._listed[name])
        return self._loaded[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._listed)

    def __len__(self) -> int:
        return len(self._listed)

    def _load(self, name: str, short: str) -> Any:
        word = name.replace("-", "_")
        module: Any = importlib.import_module(f"{self._package}.{word}")
        app = getattr(module, "app", None)
        if app is None:
            app = typer.Typer(rich_markup_mode=None, add_completion=False)
            app.command(name)(getattr(module, word, None) or getattr(module, f"{word}_"))
        command = typer.main.get_command(app)
        command.name, command.help = name, command.help or short
        return command
