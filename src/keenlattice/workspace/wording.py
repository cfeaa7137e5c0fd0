"""Values, and what differs between two versions, in words."""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from keenlattice.catalog.values import Value, same, written

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.workspace.profile_results import Difference


def value_text(catalog: "Catalog", key: str, value: Value | None) -> str:
    """A value with its unit, and `unset` for none."""
    if value is None:
        return "unset"
    return written(value, catalog[key].unit if key in catalog else "")


def not_held(catalog: "Catalog", settings: "Iterable[tuple[str, Value | None, Value | None]]", wanted: str) -> str:
    """Settings of which the rig holds something else than is wanted: what it holds, and what was planned or applied.

    Args:
        settings: name, what the rig holds, and what is wanted.
        wanted: the word for that: "planned", say.
    """
    parts = [f"{key} is at {value_text(catalog, key, held)} ({wanted}: {value_text(catalog, key, value)})"
             for key, held, value in settings]
    return "; ".join(parts[:4]) + (f"; and {len(parts) - 4} more" if len(parts) > 4 else "")


def in_words(catalog: "Catalog", one: "Difference") -> list[str]:
    """One setting that differs: its name, both sides (stored, and what holds if that differs), and a remark."""
    cells = [one.setting]
    for stored, effective in ((one.before, one.effective_before), (one.after, one.effective_after)):
        text = value_text(catalog, one.setting, stored)
        if effective is not None and not same(effective, stored):
            text += f" ({value_text(catalog, one.setting, effective)})"
        cells.append(text)
    known = "" if one.setting in catalog else "not on this rig"
    alike = "no effect: holds either way" if one.effective_after is not None and same(
        one.effective_before, one.effective_after) and not known else ""
    return [*cells, (f"inert: {one.inert}" if one.inert else "") or known or alike]
