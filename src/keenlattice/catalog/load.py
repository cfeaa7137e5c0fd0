"""The data files of the catalog, read and held against the model."""

import tomllib
from functools import cache
from importlib import resources
from typing import TYPE_CHECKING

from pydantic import ValidationError

from keenlattice.catalog.model import Catalog, Setting
from keenlattice.errors import CatalogError

if TYPE_CHECKING:
    from importlib.abc import Traversable


@cache
def catalog() -> Catalog:
    """The catalog that ships with Keen Lattice.

    Raises:
        CatalogError: a data file breaks the model.
    """
    folder = resources.files("keenlattice.catalog") / "data"
    files = sorted((file for file in folder.iterdir() if file.name.endswith(".toml")), key=lambda file: file.name)
    return Catalog(setting for file in files for setting in settings_in(file))


def settings_in(file: "Traversable") -> list[Setting]:
    """The settings of one data file: a table per setting, named by it.

    Raises:
        CatalogError: not TOML, or not of the model; names file, setting and key.
    """
    try:
        tables = tomllib.loads(file.read_text(encoding="utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise CatalogError(f"{file.name}: not a catalog file: {error}") from None
    return [_setting(file.name, f"{domain}.{name}", fields)
            for domain, settings in tables.items() for name, fields in settings.items()]


def _setting(file: str, name: str, fields: dict[str, object]) -> Setting:
    try:
        return Setting.model_validate({"name": name, **fields})
    except ValidationError as error:
        first = error.errors()[0]
        key = ".".join(str(part) for part in first["loc"]) or "(whole)"
        raise CatalogError(f"{file}: {name}: {key}: {first['msg']}") from None
