"""The list of commands in `keen --help`, by what a player wants; plain, so that it comes at once."""

from typing import Any

import typer.core


class Grouped(typer.core.TyperGroup):
    """A group whose commands are listed under the panels that they are given."""

    def list_commands(self, ctx: Any) -> list[str]:
        """The names, in the order in which they were added."""
        return list(self.commands)

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """Writes the commands alone: what options there are is said below them."""
        self.format_commands(ctx, formatter)

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Writes a section for each panel."""
        panels: dict[str, list[tuple[str, str]]] = {}
        widest = max(len(name) for name in self.commands)
        for name, command in self.commands.items():
            panel = str(getattr(command, "rich_help_panel", None) or "Commands")
            short = command.get_short_help_str(formatter.width - widest - 6)
            panels.setdefault(panel, []).append((name.ljust(widest), short))
        for title, rows in panels.items():
            with formatter.section(title):
                formatter.write_dl(rows)
