"""How the changes between two states are shown."""

from collections.abc import Sequence
from typing import Any

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import Value, written
from keenlattice.cli.output import table
from keenlattice.profile.compare import Change


def value_text(catalog: Catalog, key: str, value: Value | None) -> str:
    """A value with its unit, and `unset` for none."""
    if value is None:
        return "unset"
    return written(value, catalog[key].unit if key in catalog else "")


def show_changes(catalog: Catalog, changes: Sequence[Change], before: str = "from", after: str = "to") -> None:
    """A table of changes, with the title of each setting."""
    table(["setting", before, after, ""],
          [[one.key, value_text(catalog, one.key, one.before), value_text(catalog, one.key, one.after),
            catalog[one.key].title if one.key in catalog else "not in this rig's catalog"] for one in changes])


def changes_json(changes: Sequence[Change]) -> list[dict[str, Any]]:
    """Changes as JSON; null stands for unset."""
    return [{"setting": one.key, "before": one.before, "after": one.after} for one in changes]
