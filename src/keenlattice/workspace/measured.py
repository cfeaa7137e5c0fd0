"""What the finished studies of a rig found of each setting, in a line each."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence

from keenlattice.errors import UnknownName, counted
from keenlattice.profile.compare import changes
from keenlattice.profile.version import own_key
from keenlattice.study.screen.tell import factor_does
from keenlattice.study.trial.words import keys_of
from keenlattice.workspace.kept import finished, versions_of
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.profile_results import value_text


def measured_by_setting(opened: Opened) -> Mapping[str, Sequence[str]]:
    """Return what trials and screens on the rig found of each setting, the newest first; of several changes that were
    measured together, how many they were."""
    lines: dict[str, list[str]] = defaultdict(list)
    for key, line in [*_of_trials(opened), *_of_screens(opened)]:
        lines[own_key(key)].append(line)
    return lines


def _of_trials(opened: Opened) -> Iterator[tuple[str, str]]:
    catalog = opened.rig.catalog()
    for study in finished(opened, "trial"):
        try:
            first, second = versions_of(opened, study)
        except UnknownName:  # a pack's version, which is in no history
            continue
        differing = changes(first.entries, second.entries)
        answer = " ".join(key.sentence for key in keys_of(study.result))
        for change in differing:
            together = f", with {counted(len(differing) - 1, 'other change')}" if len(differing) > 1 else ""
            values = " -> ".join(value_text(catalog, own_key(change.key), value)
                                 for value in (change.before, change.after))
            yield change.key, f"Trial {study.number} of {study.result.game}, {values}{together}: {answer}"


def _of_screens(opened: Opened) -> Iterator[tuple[str, str]]:
    for study in finished(opened, "screen"):
        for factor in study.result.factors:
            for key in factor.settings:
                siblings = [sibling for sibling in factor.settings if sibling != key]
                together = f", with {' and '.join(siblings)}" * bool(siblings)
                yield key, f"Screen {study.number} of {study.result.game}{together}: it {factor_does(factor)}"
