"""The data files of the catalog, read and held against the model."""

import tomllib
from collections.abc import Iterator, Sequence
from functools import cache
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.catalog.model import Catalog, Setting, Suggestion
from keenlattice.errors import CatalogError
from keenlattice.files import open_regular, replace_file

if TYPE_CHECKING:
    from importlib.abc import Traversable

    from pydantic import TypeAdapter

MOST_BYTES, MOST_FILES = 256 * 1024, 200


@cache
def catalog() -> Catalog:
    """The catalog that ships with Keen Lattice."""
    folder = resources.files("keenlattice.catalog") / "data"
    files = sorted((file for file in folder.iterdir() if file.name.endswith(".toml")), key=lambda file: file.name)
    return Catalog(setting for file in files for setting in _own(file))


def settings_in(file: Path) -> list[Setting]:
    """The settings of one data file: a table per setting, named by it.

    Raises:
        CatalogError: not TOML, or not of the model; names file, setting and key.
    """
    try:
        content = _beginning(file)
        if len(content) > MOST_BYTES:
            raise CatalogError(f"{file.name}: larger than {MOST_BYTES // 1024} kB, which no catalog file is: not read")
        tables = tomllib.loads(content.decode("utf-8-sig"))
    except OSError as error:
        raise CatalogError(f"{file.name}: cannot be read: {error.strerror}") from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise CatalogError(f"{file.name}: not a catalog file: {error}") from None
    return [_setting(file.name, f"{domain}.{name}", fields)
            for domain, settings in tables.items() for name, fields in _tables(file.name, domain, settings)]


def _beginning(file: Path) -> bytes:
    with open_regular(file) as opened:
        return opened.read(MOST_BYTES + 1)


def _tables(file: str, domain: str, settings: object) -> list[tuple[str, dict[str, object]]]:
    if not isinstance(settings, dict) or not all(isinstance(fields, dict) for fields in settings.values()):
        raise CatalogError(f"{file}: {domain}: a setting is its own table: [{domain}.NAME]")
    return list(settings.items())


def own_settings(folder: Path) -> list[Setting]:
    """The settings that a player has added, from the TOML files of a folder.

    Raises:
        CatalogError: a file breaks the model, or is a link; or a name is taken.
    """
    files = sorted(folder.glob("*.toml"))[:MOST_FILES]
    if linked := next((file for file in files if file.is_symlink()), None):
        raise CatalogError(f"{linked} is a link: in a logbook nothing is; it is not followed")
    return _each_once(files)


def add_own_settings(file: Path, folder: Path) -> list[Setting]:
    """Takes a player's catalog file into that folder, in the place of one of the same name, once all of them fit.

    Raises:
        CatalogError: the file breaks the model, or a name is taken, by another of the player's files perhaps.
        OSError: it cannot be written.
    """
    paths = [path for path in sorted(folder.glob("*.toml")) if path.stem != file.stem]
    _each_once([*paths, file])
    folder.mkdir(exist_ok=True)
    replace_file(folder / f"{file.stem}.toml", _beginning(file))
    return settings_in(file)


def _each_once(files: Sequence[Path]) -> list[Setting]:
    result: dict[str, Setting] = {}
    for file in files:
        for setting in settings_in(file):
            if setting.name in catalog() or setting.name in result:
                raise CatalogError(f"{file.name}: {setting.name}: there is a setting of that name already; "
                                   "choose another")
            result[setting.name] = setting
    return list(result.values())


def _setting(file: str, name: str, fields: dict[str, object]) -> Setting:
    """Return a setting that somebody wrote."""
    from pydantic import ValidationError

    try:
        return _checker().validate_python({"name": name, **fields})
    except ValidationError as error:
        first = error.errors()[0]
        key = ".".join(str(part) for part in first["loc"]) or "(whole)"
        raise CatalogError(f"{file}: {name}: {key}: {first['msg']}") from None


@cache
def _checker() -> "TypeAdapter[Setting]":
    from pydantic import TypeAdapter

    return TypeAdapter(Setting)


def _own(file: "Traversable") -> Iterator[Setting]:
    """Yield the settings of a data file of our own: the tests hold it against the model, which takes half of the time
    that a quick command has."""
    for domain, tables in tomllib.loads(file.read_bytes().decode()).items():
        for name, fields in tables.items():
            yield Setting(f"{domain}.{name}", **{key: _typed(key, value) for key, value in fields.items()})


def _typed(key: str, value: Any) -> Any:
    """Return a value of a data file as the model has it: bounds as floats, lists as tuples of words or suggestions."""
    if key in ("low", "high"):
        return float(value)
    if isinstance(value, list):
        return tuple(Suggestion(**entry) if isinstance(entry, dict) else entry for entry in value)
    return value
