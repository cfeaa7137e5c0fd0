"""The pages of the documentation that are made from the code, as a hook of MkDocs; nothing of them is kept in git."""

import json
import re
import tomllib
from pathlib import Path
from typing import Any

from mkdocs.config.defaults import MkDocsConfig
from mkdocs.structure.files import File, Files
from mkdocs.structure.pages import Page

ROOT = Path(__file__).parent.parent.parent
IN_FILE = "in the game's file"
SURE = {"known": "known", "disputed": "**disputed**", "placebo": "**nothing is known by which it could act**"}


def on_files(files: Files, config: MkDocsConfig) -> Files:
    """Adds the generated pages, and the files beside `docs` that its pages link to."""
    pages = {"commands.md": commands(), "settings.md": settings(), "schemas.md": schemas(), "where.md": where(),
             "changelog.md": (ROOT / "CHANGELOG.md").read_text(), "contributing.md": _at_home(
                 (ROOT / "CONTRIBUTING.md").read_text())}
    for name, text in pages.items():
        files.append(File.generated(config, name, content=text))
    for path in sorted((ROOT / "examples").rglob("*")):
        if path.suffix in (".py", ".toml"):
            files.append(File.generated(config, path.relative_to(ROOT).as_posix(), content=path.read_text()))
    return files


def on_page_markdown(markdown: str, page: Page, config: MkDocsConfig, files: Files) -> str:
    """Links that lead out of `docs` in a checkout lead to the copies in the site."""
    return markdown.replace("](../examples/", "](examples/").replace("](../CONTRIBUTING.md", "](contributing.md")


def _at_home(text: str) -> str:
    """A page from the top of the checkout: its links into `docs` become links within the site."""
    return re.sub(r"\]\(docs/", "](", text)


def commands() -> str:
    """Every command with its arguments and options, from the program itself."""
    import typer

    from keenlattice.cli.app import GROUPS, app

    top: Any = typer.main.get_command(app)
    lines = ["# Commands", "", "Made from the program itself; `keen COMMAND --help` says the same.", ""]
    for title, listed in GROUPS.items():
        lines += [f"## {title}", ""]
        for name in listed:
            command = top.commands[name]
            inside = getattr(command, "commands", None)
            if inside:
                lines += [f"### keen {name}", "", command.help or "", ""]
            for words, one in ([(f"{name} {sub}", some) for sub, some in inside.items()] if inside else
                               [(name, command)]):
                lines += _command(words, one, "####" if inside else "###")
    return "\n".join(lines)


def _command(words: str, command: Any, level: str) -> list[str]:
    taken = " ".join(_taken(one) for one in command.params if one.param_type_name == "argument")
    lines = [f"{level} keen {words}", "", *(part.strip() for part in (command.help or "").split("\n")), "", "```",
             f"keen {words} {taken} [options]".replace("  ", " "), "```", "", "| | what for |", "|---|---|"]
    for one in command.params:
        if getattr(one, "help", None):
            name = ", ".join(f"`{opt}`" for opt in one.opts) if one.param_type_name == "option" else (
                f"`{(one.metavar or one.name).upper()}`")
            shown = f" Default: `{one.default}`." if one.default not in (None, "", False, ()) and not callable(
                one.default) and one.param_type_name == "option" else ""
            lines.append(f"| {name} | {_cell(one.help)}{shown} |")
    return [*lines, ""]


def _taken(argument: Any) -> str:
    name = (argument.metavar or argument.name.upper()).strip("[].") + "..." * (argument.nargs == -1)
    return name if argument.required else f"[{name}]"


def _cell(text: str) -> str:
    return " ".join(text.split()).replace("|", "\\|").replace("<", "&lt;")


def settings() -> str:
    """Every setting of the catalog, by domain."""
    from keenlattice.catalog.load import catalog
    from keenlattice.catalog.values import written

    lines = ["# Settings", "", "Made from the catalog. What is disputed says so, and says when which is right; what "
             "nothing is known of by which it could act says so, too. Measure it: `keen trial`, `keen screen`.", ""]
    domain = ""
    for one in catalog():
        if one.domain != domain:
            domain = one.domain
            lines += [f"## {domain}", ""]
        needs = [*(["rights"] * one.rights), *([f"a restart of the {one.restart}"] * (one.restart != "none"))]
        moves = ", ".join(f"{what} {way}" for what, way in one.moves.items()) or "nothing"
        lines += [f"### {one.name}", "", f"**{_cell(one.title)}.** {_cell(one.trades)}", "",
                  f"* Takes {_cell(one.allowed())}; stock: {_cell(written(one.stock, one.unit))}.",
                  f"* Set for: {one.scope}. Needs: {' and '.join(needs) or 'nothing'}.",
                  f"* May move: {moves}. How sure: {SURE[one.sure]}.",
                  *([f"* Players say: {', '.join(one.called)}."] if one.called else []),
                  *([f"* Inert: {_cell(one.inert)}"] if one.inert else []),
                  *([f"* Which when: {_cell(one.advice)}"] if one.advice else []),
                  *(f"* Rule of the trade: `{some.formula}`, {_cell(some.purpose)}" for some in one.suggest), ""]
    return "\n".join(lines)


def schemas() -> str:
    """The JSON Schemas of the forms that are read and written."""
    from keenlattice.safejson import FORMS, schema

    lines = ["# Forms", "", "JSON Schema (draft 2020-12) of what Keen Lattice reads and writes, made from the models "
             "by which it is checked. [Formats](formats.md) says what each key means.", ""]
    for name, (title, _) in FORMS.items():
        lines += [f"## {title}", "", "```json", json.dumps(schema(name), indent=1), "```", ""]
    return "\n".join(lines)


def where() -> str:
    """How each setting of the catalog is set on this PC, by system; a test holds that the Windows parts agree."""
    from keenlattice.catalog.load import catalog

    def told(file: Path) -> dict[str, tuple[str, dict[str, Any]]]:
        groups = tomllib.loads(file.read_text()).items()
        return {name: (title, group) for title, group in groups for name in group["settings"]}

    windows = told(Path(__file__).with_name("windows.toml"))
    linux = told(ROOT / "src" / "keenlattice" / "rig" / "linux" / "absent.toml")
    lines = ["# Which setting is set how", "",
             "*Asked*: a step on a sheet, since the system has no documented function for it. *In the game's file*: "
             "where that is an INI file that Keen Lattice learns of (`keen rig game GAME --file`). *One by one*: each "
             "program, or each service, is a setting of its own. What was tried on Wine or on a library of ours was "
             "not run on Windows itself; every value is read back after it is written. *Rights*: an administrator's. "
             "On Linux, a part was run on this or a virtual machine's kernel, the rest on trees of files that are "
             "made up: see [this PC under Linux](linux.md).", "",
             "| setting | Windows | tried on | Linux |", "|---|---|---|---|"]
    on_linux = {setting.name: linux.get(setting.name, ("", {"how": "written"}))[1] for setting in catalog()}
    for name, group in on_linux.items():
        _, here = windows.get(name, ("", {}))
        by = f"written: {here['by']}" + "; rights" * here["rights"] if here else (
            f"{IN_FILE}, else asked" if group.get("how") == IN_FILE else "asked")
        how = str(group.get("how") or f"not: {group['why']}")
        how += {"written": ", where the machine has it", IN_FILE: ", else asked"}.get(how, "")
        lines.append(f"| `{name}` | {by} | {here.get('tried', '')} | {how} |")
    ways = [group.get("how") for group in on_linux.values()]
    written = ways.count("written") + ways.count("one by one")
    return "\n".join([*lines, "", f"On Windows {len(windows)} of {len(on_linux)} are written by the system's own "
                      f"functions, on Linux {written}; {ways.count(IN_FILE)} more in games' own files."])
