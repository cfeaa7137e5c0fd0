"""A version in blocks: what holds, why, and what speaks against it."""

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, KeyFigure, Table, Telling, Text
from keenlattice.catalog.values import same
from keenlattice.errors import counted
from keenlattice.workspace.profile_results import not_held, value_text
from keenlattice.workspace.surveying import checks_in_blocks

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.profile.layers import Effective
    from keenlattice.workspace.profile_results import ShowResult


def tell_shown(catalog: "Catalog", shown: "ShowResult", every: bool) -> Telling:
    """Return what holds under a version, and the layers that it comes from.

    Args:
        every: whether what is at stock is in it, too.
    """
    version = shown.version
    blocks = [*_holding(catalog, [setting.effective for setting in shown.settings], every), *(
        Alert(f"{key} is set here, and this rig does not have it: it is kept, and not applied")
        for key in shown.unknown), *_elsewhere(catalog, shown), *checks_in_blocks(shown.findings)]
    key = KeyFigure(f"{version.reference} sets {counted(len(version.entries), 'setting')}.")
    return Telling([key], shown.note, blocks, _next(shown))


def _next(shown: "ShowResult") -> str:
    """What is still to be done with a version: what has been done is not advised again."""
    before, after = f"{shown.version.profile}@stock", shown.version.reference
    if not shown.version.entries or shown.version.profile == "rig":
        return ""
    if shown.planned:
        return "keen apply rig, which comes before the game's own version"
    first = (f"keen compare {before} {after}, for what it did" if shown.measured else
             f"keen trial {before} {after}, to see what that does")
    return first + f"; or keen apply {after}" * (not shown.applied)


def _holding(catalog: "Catalog", settings: "Sequence[Effective]", every: bool) -> Iterator[Block]:
    """What holds, setting by setting; and how many are not shown, since nothing sets them."""
    if rows := [[setting.key, _value(catalog, setting), setting.layer, _instead_of(catalog, setting)]
                for setting in settings if every or setting.is_set]:
        yield Table(["setting", "value", "from", "instead of"], rows, code=(0,))
    hidden = [setting.layer for setting in settings if not every and not setting.is_set]
    unknown = hidden.count("unknown")
    at_stock = counted(len(hidden) - unknown, "other setting is", "other settings are")
    parts = [f"{at_stock} at stock"] if len(hidden) > unknown else []
    if unknown:
        parts.append(f"{counted(unknown, 'is', 'are')} unknown: nobody has said what they are at")
    if parts:
        yield Text(f"{', '.join(parts)} (--all shows them).", aside=True)


def _elsewhere(catalog: "Catalog", shown: "ShowResult") -> Iterator[Block]:
    """Where the rig holds something else than the latest rig-wide version, or than what was applied."""
    planned, slipped = (not_held(catalog, [(item.setting, item.held, item.wanted) for item in items], word)
                        for items, word in ((shown.planned, "planned"), (shown.slipped, "applied")))
    if planned:
        yield Alert(f"The latest rig-wide version is planned, and not on the rig: {planned}. Values and checks here "
                    "go by what the rig holds", "keen apply rig", "To put it on")
    if slipped:
        yield Alert(f"The rig no longer holds what was applied: {slipped}", "keen drift --put-back", "To put it back")


def _value(catalog: "Catalog", shown: "Effective") -> str:
    """What holds, and the formula that it comes from, if it does."""
    if shown.layer == "unknown":
        return "unknown"
    value = "nothing here" if shown.problem else value_text(catalog, shown.key, shown.value)
    return value if same(shown.stored, shown.value) else f"{value} ({shown.stored})"


def _instead_of(catalog: "Catalog", shown: "Effective") -> str:
    """What a value hides, and from which layer."""
    if shown.is_set and not shown.shadows:
        return "unknown"
    hidden = [f"{value_text(catalog, shown.key, value)} ({layer})" for layer, value in shown.shadows]
    return ", ".join(hidden) + (": no change" if shown.in_vain else "")


def tell_story(catalog: "Catalog", shown: "ShowResult") -> Telling:
    """Return what holds for one setting and why, who set it when, what it trades, and what the checks say."""
    from keenlattice.workspace.settings import about_setting  # loaded only where it is asked for

    effective, past = shown.settings[0].effective, shown.set_by
    about = "No profile sets it, and nobody has said what it is at." if effective.layer == "unknown" else (
        f"From the {effective.layer} layer" + (f", instead of {_instead_of(catalog, effective)}" * effective.is_set)
        + ".")
    if past:
        about += (f" Set by {past.author or 'somebody'} in {past.reference}, {past.time[:10]}"
                  f"{f': {past.note}' if past.note else ''}")
    problem = [Alert(effective.problem)] if effective.problem else []
    findings = checks_in_blocks(shown.findings) if shown.findings else []
    return Telling([KeyFigure(f"{effective.key} under {shown.version.reference}: {_value(catalog, effective)}")], about,
                   [*problem, *about_setting(catalog[effective.key]), *findings])
