"""The house: what may know what, how long things are, and what is public."""

import ast
import importlib
import re
from collections.abc import Iterator
from graphlib import CycleError, TopologicalSorter
from pathlib import Path
from types import FunctionType, ModuleType

import pytest

import keenlattice
from conftest import Keen

SOURCE = Path(keenlattice.__file__).parent
PACKAGES = ("", "catalog", "profile", "measure", "logbook", "rig", "study", "workspace")
LONGEST_FILE, LONGEST_FUNCTION, MOST_PARAMETERS, LONGEST_COMMAND = 400, 50, 10, 90


def modules() -> dict[str, Path]:
    """All modules by their dotted names."""
    found = {}
    for path in SOURCE.rglob("*.py"):
        parts = path.relative_to(SOURCE.parent).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def imported(tree: ast.AST, known: dict[str, Path]) -> Iterator[str]:
    """Every module of ours that a module imports: at its top, in a function, or for its types."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (one.name for one in node.names if one.name in known)
        elif isinstance(node, ast.ImportFrom) and node.module in known:
            for one in node.names:
                whole = f"{node.module}.{one.name}"
                yield whole if whole in known else node.module


def test_no_modules_import_each_other_in_a_circle() -> None:
    known = modules()
    graph = {name: {*imported(ast.parse(path.read_text()), known)} - {name} for name, path in known.items()}
    assert len(graph["keenlattice.workspace.workspace"]) > 5
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        pytest.fail(" -> ".join(error.args[1]))


def test_an_underscore_means_private_to_the_package() -> None:
    """Neither a module nor a name with an underscore is imported from outside the folder that it is in."""
    known, wrong = modules(), []
    for name, path in known.items():
        package = name if path.name == "__init__.py" else name.rpartition(".")[0]
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.ImportFrom) or not (node.module or "").startswith("keenlattice"):
                continue
            for alias in node.names:
                home, _, leaf = f"{node.module}.{alias.name}".rpartition(".")
                if home in known and home.rpartition(".")[2].startswith("_") and home.count(".") > 1:
                    home, _, leaf = home.rpartition(".")
                if leaf.startswith("_") and leaf[1] != "_" and not f"{package}.".startswith(f"{home}."):
                    wrong.append(f"{name}: {node.module}.{alias.name}")
    assert wrong == []


def test_tests_benchmarks_and_examples_import_what_is_public() -> None:
    private = re.compile(r"^ *from keenlattice[\w.]*(\._\w* import| import .*\b_[a-z])", re.MULTILINE)
    root = Path(__file__).parent.parent
    files = [path for folder in ("tests", "bench", "examples") for path in (root / folder).rglob("*.py")]
    assert not [str(path) for path in files if private.search(path.read_text(encoding="utf-8"))]


def test_no_class_has_more_than_fifteen_public_names() -> None:
    """But for rigs, whose public names are those of the protocols that they follow."""
    wide = []
    for name, path in modules().items():
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef) and not name.startswith("keenlattice.rig."):
                names = [member.name for member in node.body if isinstance(member, ast.FunctionDef)]
                if sum(not member.startswith("_") for member in names) > 15:
                    wide.append(f"{name}.{node.name}")
    assert wide == []


def functions(tree: ast.AST) -> Iterator[ast.FunctionDef]:
    return (node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef))


def parameters(node: ast.FunctionDef) -> int:
    """How many there are that a caller may give without their names; the others say what they are."""
    said = [*node.args.posonlyargs, *node.args.args]
    return len([one for one in said if one.arg not in ("self", "cls")])


def test_nothing_is_too_long_to_be_read() -> None:
    long = []
    for name, path in modules().items():
        text = path.read_text()
        lines, is_command = text.count("\n"), ".cli.commands." in name
        if lines > (LONGEST_COMMAND if is_command else LONGEST_FILE):
            long.append(f"{name}: {lines} lines")
        for node in functions(ast.parse(text)):
            begin = node.body[0].lineno if is_command else node.lineno  # a command's signature is its options
            if node.end_lineno and node.end_lineno - begin >= LONGEST_FUNCTION:
                long.append(f"{name}.{node.name}: {node.end_lineno - begin + 1} lines")
            if parameters(node) > MOST_PARAMETERS and not is_command:
                long.append(f"{name}.{node.name}: {parameters(node)} parameters")
    assert long == []


def test_the_command_line_is_a_thin_way_in() -> None:
    lines = {name: path.read_text().count("\n") for name, path in modules().items()}
    of_cli = sum(count for name, count in lines.items() if name.startswith("keenlattice.cli"))
    assert of_cli <= 0.15 * sum(lines.values())


def test_the_help_fits_a_screen(keen: Keen) -> None:
    said = keen("--help", COLUMNS="80").stdout.splitlines()
    assert len(said) <= 41 and not any("..." in line for line in said[2:])
    assert len([line for line in said if re.match("  [a-z]+ +[A-Z]", line)]) <= 28


@pytest.mark.parametrize("package", PACKAGES)
def test_public_names_are_exported_once_and_are_what_they_are_called(package: str) -> None:
    found = importlib.import_module(f"keenlattice.{package}".rstrip("."))
    names = found.__all__
    assert len({*names}) == len(names) and {*names} <= {*dir(found)}
    for name in names:
        value = getattr(found, name)
        if isinstance(value, ModuleType):
            assert not package and name in PACKAGES, name
        elif isinstance(value, type | FunctionType):
            assert value.__doc__ and value.__name__ == name, name
    with pytest.raises(AttributeError, match="no_such_name"):
        found.no_such_name  # noqa: B018
