"""Packs: what a shared one would do here, taking it over, and writing one."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import field
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice._door import check_methods
from keenlattice.blocks import Alert, Block, KeyFigure, Table, Telling, Text
from keenlattice.catalog.values import same
from keenlattice.errors import UsageError, counted, way
from keenlattice.files import replace_file
from keenlattice.logbook.kept import trials_between
from keenlattice.profile.compare import changes
from keenlattice.profile.version import Version, owners, parted, together
from keenlattice.quickly import dataclass
from keenlattice.study.record import provenance_of, result_of
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.profile_results import EditResult, value_text
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows
from keenlattice.workspace.standing import Standing

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.profile.offers import OfferedRule, OfferedSetting
    from keenlattice.profile.pack import Claim

NEW = ("changes", "inert here")
"""What becomes of a setting that would make a version, once it is taken over."""


@dataclass(frozen=True)
class RuleResult:
    """A rule of a pack, as it is on this rig."""

    offered: "OfferedRule"

    @property
    def is_new(self) -> bool:
        """Whether taking it over would change anything."""
        return not self.offered.fails and any(setting.status in NEW for setting in self.offered.settings)

    def plain(self) -> dict[str, Any]:
        """As it stands in the JSON."""
        offer = self.offered
        return {"number": offer.number, "game": offer.rule.game, "when": offer.rule.when,
                "condition_fails": offer.fails,
                "reason": offer.rule.reason, "claims": [claim.model_dump() for claim in offer.rule.claim],
                "settings": [{"setting": setting.key, "now": setting.now, "offered": setting.offered,
                              "comes_to": setting.comes_to,
                              "status": setting.status, "why": setting.why} for setting in offer.settings]}


@dataclass(frozen=True, repr=False)
class PackResult(Result):
    """A pack, and what each of its rules would do on this rig."""

    SCHEMA: ClassVar[str] = "pack"

    title: str
    author: str
    licence: str
    rules: tuple[RuleResult, ...]
    _telling: "Callable[[PackResult], Telling]" = field(metadata=NOT_IN_JSON)
    note: str = field(default="", metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{"rule": rule.offered.number, "game": rule.offered.rule.game, **setting}
                for rule in self.rules for setting in rule.plain()["settings"]]

    def _caption(self) -> str:
        return f"{self.title}: {counted(len(self.rules), 'rule')}"


@dataclass(frozen=True, repr=False)
class AdoptResult(Result):
    """The versions that came of a pack, what was left out and why, and the rules whose condition is not met."""

    SCHEMA: ClassVar[str] = "adopt"

    versions: tuple[EditResult, ...]
    left_out: tuple[str, ...]
    conditions_not_met: tuple[str, ...]

    @property
    def version(self) -> Version | None:
        """The version that was made, if it is one."""
        return self.versions[0].after if len(self.versions) == 1 else None

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types."""
        content = super().to_json()
        return {**content, "versions": [{key: value for key, value in version.items() if key != "schema"}
                                        for version in content["versions"]]}

    def _rows(self) -> Rows:
        return [{"version": edit.after.reference, **change.plain()} for edit in self.versions
                for change in edit.changes]

    def _caption(self) -> str:
        return f"{counted(len(self.versions), 'version')} made, {counted(len(self.left_out), 'setting')} left out"


@check_methods
class Packs:
    """What is done with packs: shareable files of rules."""

    def __init__(self, opened: Opened) -> None:
        self._opened, self._standing = opened, Standing(opened)

    def look(self, file: Path | str) -> PackResult:
        """What a pack would change on this rig. Changes nothing.

        Args:
            file: the pack's.

        Raises:
            PackError: it is not a pack, or damaged.
        """
        from keenlattice.profile.offers import offer
        from keenlattice.profile.pack import read_pack

        pack = read_pack(Path(file))
        return PackResult(pack.title, pack.author, pack.licence,
                          tuple(RuleResult(rule) for rule in offer(pack, self._standing.here())),
                          partial(_tell, self._opened.rig.catalog()), pack.note)

    def adopt(self, file: Path | str, rules: Sequence[int] = (), note: str = "") -> AdoptResult:
        """Takes a pack's rules over, as new versions. The rig is not touched.

        Args:
            file: the pack's.
            rules: only these, by their numbers.
            note: why; "from the pack TITLE", if it is not said.

        Raises:
            PackError: it is not a pack, or damaged.
            UsageError: it has no rule of that number.
        """
        from keenlattice.profile.offers import adopted

        pack = self.look(file)
        if odd := [number for number in rules if not 1 <= number <= len(pack.rules)]:
            raise UsageError(f"the pack has no rule {odd[0]}; it has 1 to {len(pack.rules)}")
        chosen = tuple(rule.offered for rule in pack.rules if not rules or rule.offered.number in rules)
        made = []
        with self._opened.book.together():  # all of its versions, or none
            for profile, entries in adopted(chosen, self._standing.stored).items():
                before = self._opened.find(profile)
                if result := changes(before.entries, entries):
                    after = self._opened.commit([before], entries, note or f"from the pack {pack.title}")
                    made.append(EditResult(before, after, result))
        return AdoptResult(tuple(made), tuple(
            f"{setting.key}: {setting.why}" for rule in chosen if not rule.fails for setting in rule.settings
            if setting.status in ("refused here", "unknown here")),
                           tuple(f"rule {offer.number}: {offer.fails}" for offer in chosen if offer.fails))

    def write(self, file: Path | str, which: VersionLike, since: VersionLike = "", *, title: str = "",
                   author: str = "", licence: str = "", when: str = "", evidence: bool = False) -> int:
        """Writes a version, or what differs between two, into a pack that others can take over.

        Args:
            which: the version that is written.
            title: what it is for.
            author: who has made it.
            licence: under which others may use it.
            file: a pack that is there gets the rule added.
            since: only what differs from this version.
            when: a condition over facts, such as `refresh >= 144`.
            evidence: with what the newest trial of it against `since` found, as claims.

        Returns: how many settings were written.

        Raises:
            UsageError: there is nothing to write or to claim, or a field that a pack does not take.
            PackError: the file is there, and no pack.
        """
        from pydantic import ValidationError

        from keenlattice.profile.pack import Rule, pack_text, parse_pack, read_pack, with_rules

        version, file = self._opened.find(which), Path(file)
        if not (edits := changes(self._opened.find(since).entries if since else {}, version.entries)):
            raise UsageError(f"{version.reference} has nothing to write" + f" that {since} has not" * bool(since))
        try:
            rule = Rule(game=version.profile, when=when, reason=version.note,
                        claim=self._claims(since, version) if evidence else [],
                        unset=[edit.key for edit in edits if edit.after is None],
                        set={edit.key: edit.after for edit in edits if edit.after is not None})
        except ValidationError as error:
            first = error.errors()[0]
            raise UsageError(f"{'.'.join(map(str, first['loc']))}: {first['msg']}") from None
        if file.exists():
            if title or author or licence:
                raise UsageError(f"{file} is there already: its title, author and licence are its own; leave them out, "
                                 "or name another file")
            read_pack(file)  # says so if it is none
            content = with_rules(file.read_bytes(), [rule], str(file))
        else:
            named = title or f"{version.profile}: {version.note or 'settings'}"
            content = pack_text(named, author, licence, [rule]).encode()
        parse_pack(content, str(file))
        replace_file(file, content)
        return len(edits)

    def _claims(self, since: VersionLike, version: Version) -> "list[Claim]":
        """Return what the newest trial of a version against another, or against stock, lets claim.

        Raises:
            UsageError: there is none, or it found nothing that could be claimed.
        """
        from keenlattice.study.trial.result import claims_of

        before = self._opened.find(since or f"{version.profile}@stock")
        kept = trials_between(self._opened.book, before.reference, version.reference)
        if not kept:
            call = f"ws.trial({before.reference!r}, {version.reference!r})"
            raise UsageError(f"no trial of {before.reference} against {version.reference} is kept: "
                             f"{way(f'keen trial {before.reference} {version.reference}', call)}")
        about = provenance_of(kept[0])
        claims = claims_of(result_of(kept[0]), about.software, about.time)
        if not claims:
            raise UsageError(f"the newest trial of {before.reference} against {version.reference} found nothing better "
                             "or worse: there is nothing to claim")
        return claims

    def with_rules_of(self, offers: "Sequence[OfferedRule]", before: Version, note: str) -> Version:
        """A version with rules taken over that are known on this rig; it is in no history. Two profiles together take
        the rules for either.

        Args:
            offers: the rules.
            before: the version to compare with.
            note: why.
        """
        from keenlattice.profile.offers import adopted

        parts, catalog = parted(before.profile, before.entries), self._opened.rig.catalog()
        taken = {**parts, **adopted(tuple(offers), lambda profile: parts.get(profile, {}))}
        made = [Version(name, {key: value for key, value in taken[name].items() if key in catalog}, note=note)
                for name in owners(before.profile)]
        return together(*made) if len(made) > 1 else made[0]


def _tell(catalog: "Catalog", pack: "PackResult") -> Telling:
    """Return what each rule of a pack would do on this rig."""
    new = sum(rule.is_new for rule in pack.rules)
    would = f"{new} would change something here" if new else "none would change anything here"
    about = [f"By {pack.author}." if pack.author else "", f"Licence: {pack.licence or 'none given'}.", pack.note]
    return Telling([KeyFigure(f"{pack.title}: {counted(len(pack.rules), 'rule')}, of which {would}.")],
                   " ".join(filter(None, about)),
                   [block for rule in pack.rules for block in _rule(catalog, rule.offered)])


def _rule(catalog: "Catalog", rule: "OfferedRule") -> Iterator[Block]:
    from keenlattice.study.trial.result import claim_in_words

    yield Text(f"{rule.number}. {rule.rule.game}" + (f", where {rule.rule.when}" if rule.rule.when else "")
               + (f": {rule.rule.reason}" if rule.rule.reason else ""))
    if rule.fails:
        yield Alert(f"Nothing of it is offered: {rule.fails}")
    else:
        yield Table(["setting", "now", "offered", "here"], [_offered(catalog, setting) for setting in rule.settings],
                    code=(0,))
    for claim in rule.rule.claim:
        alone = "" if claim.evidence else " (no evidence comes with it)"
        yield Text(f"Claims: {claim_in_words(claim)}{alone}", aside=True)
        yield from (Text(f"Its author measured {evidence.told()}", aside=True) for evidence in claim.evidence)


def _offered(catalog: "Catalog", setting: "OfferedSetting") -> list[str]:
    offered = value_text(catalog, setting.key, setting.offered)
    if setting.comes_to is not None and not same(setting.comes_to, setting.offered):
        offered += f", here {value_text(catalog, setting.key, setting.comes_to)}"
    return [setting.key, value_text(catalog, setting.key, setting.now), offered,
            setting.status + (f": {setting.why}" if setting.why else "")]
