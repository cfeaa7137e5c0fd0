"""How changes of settings are shown."""

from collections.abc import Mapping, Sequence

from keenlattice.catalog.model import Catalog
from keenlattice.cli.output import say, table
from keenlattice.profile.compare import Change
from keenlattice.workspace.profile_results import value_text


def show_changes(catalog: Catalog, changes: Sequence[Change], before: str = "from", after: str = "to") -> None:
    """A table of changes, with the title of each setting."""
    table(["setting", before, after, ""],
          [[change.key, value_text(catalog, change.key, change.before), value_text(catalog, change.key, change.after),
            catalog[change.key].title if change.key in catalog else "not in this rig's catalog"] for change in changes])


def show_by_owner(catalog: Catalog, changes: Mapping[str, Sequence[Change]], before: str, after: str,
                  heading: str = "{}") -> None:
    """A table of changes for each owner; their names only where there are several, or a heading is wanted."""
    for owner, edits in changes.items():
        if len(changes) > 1 or heading != "{}":
            say(heading.format(owner), "bold")
        show_changes(catalog, edits, before, after)
